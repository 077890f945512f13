package console

import (
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/xuri/excelize/v2"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A mark that a learner gets is told to a program outside, again where that was down at first; it is seen in the
// console what it was told.
func TestAProgramIsToldMarks(t *testing.T) {
	submits := whole.PaperOf(t, "told-outside", [2]string{"points: 2", "SELECT 1 AS one"})
	var calls atomic.Int32
	told := make(chan string, 10)
	receiver := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if !strings.Contains(string(body), "told-outside") {
			return // of other tests
		}
		if calls.Add(1) == 1 {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		told <- string(body)
	}))
	defer receiver.Close()
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/courses/evening-group")
	w.click(".webhooks summary", "Webhooks")
	w.enters("New webhook", "Address", receiver.URL)
	w.click(`form[aria-label="New webhook"] button`, "Tell it each mark")
	w.says(".webhooks code", "whsec_")
	shell := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	defer func() {
		hooks, err := client.Read[[]client.Webhook](whole.Hazel(t).ListWebhooks(ctx, "evening-group"))
		if err != nil {
			t.Fatal(err)
		}
		for _, h := range hooks {
			if _, err := client.Read[struct{}](whole.Hazel(t).RemoveWebhook(ctx, "evening-group", h.Id)); err != nil {
				t.Error(err)
			}
		}
	}()
	name, c := whole.Newcomer(t)
	submits(c, 1, "SELECT 1 AS one")
	whole.Until(t, "it is told", func() bool { return len(told) > 0 })
	if body := <-told; !strings.Contains(body, `"mark":2`) || !strings.Contains(body, name) {
		t.Errorf("told %s", body)
	}
	w.click(".webhooks button", "What it was told") // as it stands now, and as it goes on
	w.says(".deliveries li", "told-outside/exercise-number-1, 2: told after 2 tries")
	if p := shell.Run("", "webhook", "list", "evening-group"); p.Code != 0 || !strings.Contains(p.Out, receiver.URL) {
		t.Errorf("got %q, %q", p.Out, p.Errs)
	}
}

// A learner's own calendar is read without logging in, by its address alone.
func TestAnAddressForACalendar(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/password")
	w.click("button", "Make an address")
	address := w.element(".address").MustText()
	answer, err := http.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	if err != nil || answer.Header.Get("Content-Type") != "text/calendar" ||
		!strings.Contains(string(text), "SUMMARY:Due: A first look at the hives") {
		t.Errorf("got %s (%v)", text, err)
	}
}

// What is handed on at the command line: a workbook with every attempt, JSON, CSV, and pages to print.
func TestHandingOn(t *testing.T) {
	submits := whole.PaperOf(t, "handed-on", [2]string{"points: 2", "SELECT 1 AS one"}, [2]string{"points: 1",
		"SELECT 2 AS two"})
	name, c := whole.Newcomer(t)
	submits(c, 1, "SELECT 3 AS one")
	submits(c, 1, "SELECT 1 AS one")
	shell, folder := whole.At(t, demo.InstructorName, demo.InstructorPassword), t.TempDir()
	file := filepath.Join(folder, "marks.xlsx")
	if p := shell.Run("", "marks", "handed-on", "--course", "evening-group", "--format", "xlsx"); p.Code != 2 {
		t.Errorf("a workbook for the screen: %d, %s", p.Code, p.Errs)
	}
	if p := shell.Run(
		"", "marks", "handed-on", "--course", "evening-group", "--format", "xlsx", "--to", file,
	); p.Code != 0 {
		t.Fatal(p.Errs)
	}
	book, err := excelize.OpenFile(file)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = book.Close() }()
	attempts, err := book.GetRows("Attempts")
	if err != nil || len(attempts) != 3 || attempts[2][0] != name || attempts[2][9] != "yes" {
		t.Errorf("got %v, %v", attempts, err)
	}
	marks, err := book.GetRows("Marks")
	if err != nil || strings.Join(marks[1], " ") != " Points   2 1 3" {
		t.Errorf("got %v, %v", marks, err)
	}
	for _, c := range []struct {
		line []string
		says string
	}{
		{[]string{"marks", "handed-on", "--attempts", "--format", "csv"}, "SELECT 3 AS one"},
		{[]string{"marks", "handed-on", "--attempts", "--format", "json"}, `"counts":true`},
		{[]string{"course", "report", "evening-group", name}, "SELECT 1 AS one"},
		{[]string{"course", "report", "evening-group"}, "<td>" + name + "</td>"},
	} {
		if p := shell.Run("", c.line...); p.Code != 0 || !strings.Contains(p.Out, c.says) {
			t.Errorf("%v: %d, %s", c.line, p.Code, p.Errs)
		}
	}
	// A file that cannot be written leaves nothing half done.
	if p := shell.Run("", "marks", "no-such-paper", "--format", "csv", "--to", filepath.Join(folder,
		"no.csv")); p.Code != 3 {
		t.Errorf("got %d, %s", p.Code, p.Errs)
	}
	if left, err := os.ReadDir(folder); err != nil || len(left) != 1 {
		t.Errorf("left: %v, %v", left, err)
	}
}

// A note comes by e-mail to who has an address and wants it, with the way to where it is answered.
func TestANoteComesByEMail(t *testing.T) {
	submits := whole.PaperOf(t, "by-mail", [2]string{"points: 1", "SELECT 1 AS one"})
	name, c := whole.Newcomer(t)
	if _, err := client.Read[client.Member](whole.Hazel(t).ChangeMember(ctx, "evening-group", name, client.MemberPlace{
		DisplayName: "Mail Reader", Email: name + "@example.org", Role: client.Learner,
	})); err != nil {
		t.Fatal(err)
	}
	attempt := submits(c, 1, "SELECT 2 AS one")
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/password")
	if !w.says("label", "Write to me when").MustElement("input").MustProperty("checked").Bool() {
		t.Error("e-mail is not wanted")
	}
	writes := func(text string) {
		t.Helper()
		teacher := whole.At(t, demo.InstructorName, demo.InstructorPassword)
		if p := teacher.Run("", "note", attempt.Id, text); p.Code != 0 {
			t.Fatal(p.Errs)
		}
	}
	writes("One is not two.")
	for {
		m := <-whole.Letters.Took
		if m.To != name+"@example.org" {
			continue // to somebody else
		}
		if !strings.Contains(m.Text, "One is not two.") ||
			!strings.Contains(m.Text, "https://examen.example.org/papers/by-mail#exercise-number-1") {
			t.Errorf("got %+v", m)
		}
		break
	}
}
