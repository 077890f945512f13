package console

import (
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A line is the way to a service, which can be cut.
type line struct {
	url string
	mu  sync.Mutex
	off bool
	now []net.Conn
}

func lineTo(t *testing.T, url string) *line {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { listener.Close() })
	l := &line{url: "http://" + listener.Addr().String()}
	go func() {
		for {
			near, err := listener.Accept()
			if err != nil {
				return
			}
			far, err := net.Dial("tcp", strings.TrimPrefix(url, "http://"))
			l.mu.Lock()
			if err != nil || l.off {
				near.Close()
			} else {
				l.now = append(l.now, near, far)
				go func() { _, _ = io.Copy(far, near); far.Close() }()
				go func() { _, _ = io.Copy(near, far); near.Close() }()
			}
			l.mu.Unlock()
		}
	}()
	return l
}

// cut takes the line away, or, with false, gives it back.
func (l *line) cut(off bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.off = off
	for _, c := range l.now {
		c.Close()
	}
	l.now = nil
}

func draftOf(t *testing.T, c *client.Client, exercise string) string {
	t.Helper()
	e, err := client.Read[client.Exercise](c.GetExercise(ctx, "first-look", exercise))
	if err != nil {
		t.Fatal(err)
	}
	return e.Draft.Sql
}

// Typing that goes on without a pause is saved meanwhile; the last keys before a page is closed, loaded anew or left by
// logging out are saved too.
func TestTheLastKeysAreSaved(t *testing.T) {
	name, c := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT ")
	typed := 0
	// a key at each look, with no pause as long as the page's
	whole.Until(t, "a text that is still being typed is saved", func() bool {
		w.MustInsertText("x")
		typed++
		return strings.HasPrefix(draftOf(t, c, "no-mail"), "SELECT x")
	})
	for what, leave := range map[string]func(){
		"loading anew": func() { w.MustReload() },
		"another page": func() { w.visit("/history") },
	} {
		w.visit("/papers/first-look")
		w.element(in("no-mail", written))
		text := fmt.Sprintf("SELECT '%s'", what)
		w.write("no-mail", text)
		leave()
		whole.Until(t, "the last keys before "+what+" are saved", func() bool {
			return draftOf(t, c, "no-mail") == text
		})
	}
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 'logging out'")
	w.logOut()
	w.element("#name")
	if got := draftOf(t, c, "no-mail"); got != "SELECT 'logging out'" {
		t.Errorf("after logging out: %q", got)
	}
}

// What is typed without a network is there after looking at another page, and is saved once there is one.
func TestTypingOffline(t *testing.T) {
	name, c := whole.Newcomer(t)
	network := lineTo(t, whole.Shared.URL)
	w := open(t, network.url, name, demo.LearnerPassword)
	w.click(".papers a", "A first look")
	w.write("no-mail", "SELECT 'before'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	network.cut(true)
	w.write("no-mail", "SELECT 'without'")
	w.says(in("no-mail", ".draft-state"), "Draft not saved.*Retrying automatically")
	w.click("nav a", "My papers")
	w.click(".papers a", "A first look")
	w.says(in("no-mail", written), "SELECT 'without'")
	network.cut(false)
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	if got := draftOf(t, c, "no-mail"); got != "SELECT 'without'" {
		t.Errorf("saved: %q", got)
	}
}

// What is submitted without a network waits, says so, and is sent as it was, once, though the text has been changed
// since and the page was loaded anew.
func TestSubmittingOffline(t *testing.T) {
	name, c := whole.Newcomer(t)
	network := lineTo(t, whole.Shared.URL)
	w := open(t, network.url, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("names-and-valleys", "SELECT name, valley FROM apiary")
	w.says(in("names-and-valleys", ".draft-state"), "Draft saved")
	network.cut(true)
	w.press("names-and-valleys", "Submit")
	w.says(in("names-and-valleys", ".submission"), "Waiting to be sent")
	w.write("names-and-valleys", "SELECT 'changed since'")
	network.cut(false)
	w.says(in("names-and-valleys", ".standing"), "Correct, 1 of 1")
	e, err := client.Read[client.Exercise](c.GetExercise(ctx, "first-look", "names-and-valleys"))
	if err != nil || e.Attempts != 1 || e.Latest.Sql != "SELECT name, valley FROM apiary" {
		t.Errorf("%d attempts, %q, %v", e.Attempts, e.Latest.Sql, err)
	}
	if found, _, _ := w.Has(in("names-and-valleys", ".submission")); found {
		t.Error("it still says that something waits")
	}
	w.says(in("names-and-valleys", written), "changed since")
}

// Two windows do not overwrite each other: the second to save is told, and chooses.
func TestTwoWindows(t *testing.T) {
	name, c := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 'here'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	if _, err := client.Read[client.Draft](
		c.KeepDraft(ctx, "first-look", "no-mail", client.DraftText{Sql: "SELECT 'there'"}),
	); err != nil {
		t.Fatal(err)
	}
	w.write("no-mail", "SELECT 'here again'")
	w.says(in("no-mail", ".draft-state"), "it was changed in another window")
	if got := draftOf(t, c, "no-mail"); got != "SELECT 'there'" {
		t.Errorf("overwritten: %q", got)
	}
	w.press("no-mail", "Use the other version")
	w.says(in("no-mail", written), "SELECT 'there'")
	w.write("no-mail", "SELECT 'on top'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	whole.Until(
		t, "the text made from the other one is saved",
		func() bool { return draftOf(t, c, "no-mail") == "SELECT 'on top'" },
	)
}

// A text is brought back once: going back in the browser does not put it over what was saved since.
func TestBringingBackOnce(t *testing.T) {
	name, c := whole.Newcomer(t)
	whole.Submit(t, c, "no-mail", "SELECT 'from the history'")
	if _, err := client.Read[client.Draft](
		c.KeepDraft(ctx, "first-look", "no-mail", client.DraftText{Sql: "SELECT 'what came after it'"}),
	); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/history")
	w.click(".entry button", "Open in its exercise")
	w.says(in("no-mail", written), "from the history")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	w.write("no-mail", "SELECT 'written since'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	whole.Until(t, "it is saved", func() bool { return draftOf(t, c, "no-mail") == "SELECT 'written since'" })
	w.click("nav a", "My papers")
	w.element(".papers")
	w.MustNavigateBack()
	w.says(in("no-mail", written), "written since")
	if got := draftOf(t, c, "no-mail"); got != "SELECT 'written since'" {
		t.Errorf("saved: %q", got)
	}
}

// Somebody else who logs in where a session has ended gets nothing of the first one's text, and leaves it to them.
func TestSomebodyElseLogsIn(t *testing.T) {
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	w := open(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 'wren, saved'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	if _, err := whole.Superuser(t, folder, "records", "postgres").Exec(ctx, "DELETE FROM session"); err != nil {
		t.Fatal(err)
	}
	w.write("no-mail", "SELECT 'wren, unsaved'")
	w.element(".log-in-again #name")
	w.element(".log-in-again #name").MustSelectAllText().MustInput("alma")
	w.element(".log-in-again #password").MustInput(demo.LearnerPassword).MustType(input.Enter)
	w.says("header.frame", "Alma Quillon")
	w.element(in("no-mail", written))
	alma, wren := whole.As(t, s.URL, "alma", demo.LearnerPassword), whole.As(
		t, s.URL, demo.NewLearnerName, demo.LearnerPassword,
	)
	before := draftOf(t, alma, "no-mail")
	if strings.Contains(before, "wren") {
		t.Errorf("alma's draft: %q", before)
	}
	w.logOut()
	w.logIn(demo.NewLearnerName, demo.LearnerPassword)
	whole.Until(
		t, "what wren left unsaved is saved as wren's",
		func() bool { return draftOf(t, wren, "no-mail") == "SELECT 'wren, unsaved'" },
	)
	if got := draftOf(t, alma, "no-mail"); got != before {
		t.Errorf("alma's draft is %q now", got)
	}
}

// The console's first words come from the service's pages, also while the records are away: it says so, and goes on by
// itself.
func TestTheFirstLoadWithoutRecords(t *testing.T) {
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	w := open(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	up := whole.Down(t, folder, "records")
	whole.Until(t, "the records are known to be down", func() bool {
		code, _ := whole.Asked(t, s.URL, "GET", "/api/health", "", "")
		return code == 503
	})
	w.MustReload()
	w.says("main", "The records server cannot be reached. Retrying automatically")
	up()
	w.element("header.frame")
}
