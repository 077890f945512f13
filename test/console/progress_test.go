package console

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// learner finds a learner in a grid, and returns the line.
func (w *window) learner(name string) *rod.Element {
	w.t.Helper()
	w.element(".view-fields input[type=search]").MustSelectAllText().MustInput(name)
	return w.says(".progress-row", name)
}

// A grid of 500 learners by 40 exercises: only what is in sight is drawn, the head and the names stay there, and a
// change comes by itself, without all the rest.
func TestTheGridOfALargeClass(t *testing.T) {
	teacher := whole.Hazel(t)
	exercises := make([][2]string, 40)
	for i := range exercises {
		exercises[i] = [2]string{"points: 1", fmt.Sprintf("SELECT %d AS n", i)}
	}
	whole.PaperOf(t, "large", exercises...)
	must := func(_ any, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(client.Read[client.Course](teacher.CreateCourse(ctx, client.NewCourse{Slug: "large", Title: "Large"})))
	roster := "login,name,group\n"
	for n := range 500 {
		roster += fmt.Sprintf("large-%03d,Large %03d,%s\n", n, n, []string{"Moor", "River"}[n%2])
	}
	file := filepath.Join(t.TempDir(), "roster.csv")
	if err := os.WriteFile(file, []byte(roster), 0o600); err != nil {
		t.Fatal(err)
	}
	whole.At(t, demo.InstructorName, demo.InstructorPassword).Takes(whole.Step{
		Line: "member import " + file + " --course large --yes", Says: []string{"large-499"},
	})
	must(client.Read[client.CoursePaper](teacher.SetPaper(ctx, "large", "large", client.PaperSetting{})))
	must(client.Read[client.AddedMember](
		teacher.AddMember(ctx, "large", client.NewMember{Name: "large-last", Password: demo.LearnerPassword}),
	))
	last := whole.As(t, whole.Shared.URL, "large-last", demo.LearnerPassword)
	tries := func(exercise int, sql string) {
		must(client.Read[client.Attempt](
			last.Submit(ctx, "large", fmt.Sprint(exercise), client.Submission{Sql: sql}),
		))
	}
	for range 4 {
		tries(40, "SELECT -1")
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/large/progress?course=large")
	w.says("p", "500 have not begun, 1 is stuck, nobody is done")
	if n := w.count(".progress-grid .cell"); n == 0 || n > 900 {
		t.Errorf("%d cells of 20,000 are drawn", n)
	}
	w.MustEval(`() => document.querySelector(".progress-grid").scrollTo(1e6, 1e6)`)
	w.says(".progress-row .name", "large-last")
	w.says(".progress-head .cell", "^40")
	for _, stays := range []string{".progress-row:last-child .name", ".progress-head .name"} {
		box := w.element(stays).MustShape().Box()
		if grid := w.element(".progress-grid").MustShape().Box(); box.X < grid.X-1 || box.Y < grid.Y-1 {
			t.Errorf("%s is out of sight at %v, %v", stays, box.X, box.Y)
		}
	}
	// What changes comes by itself, and only that.
	calls := func() int {
		return w.MustEval(`() => performance.getEntriesByType("resource").filter(
			(r) => r.name.endsWith("/progress?course=large")).length`).Int()
	}
	row, before := w.learner("large-last"), calls()
	w.MustEval(`() => document.querySelector(".progress-grid").scrollTo(1e6, 0)`)
	tries(40, "SELECT 39 AS n")
	whole.Until(t, "the cell changes", func() bool { return strings.Contains(row.MustText(), "correct") })
	w.says("p", "500 have not begun, nobody is stuck, nobody is done")
	if got := row.MustElement(".mark").MustText(); got != "1" {
		t.Errorf("the mark is %s", got)
	}
	if after := calls(); after != before {
		t.Errorf("the grid was asked for %d times more", after-before)
	}
	// Filters and orders.
	w.click("button", "^Show all$")
	w.picks("Learners shown", "Group", "River")
	w.says(".view-fields", "250 of 501")
	w.picks("Learners shown", "Group", "all")
	w.picks("Learners shown", "Who", "has not begun")
	w.says(".view-fields", "500 of 501")
	w.picks("Learners shown", "Who", "all")
	w.click(".progress-head button", "^Mark")
	w.click(".progress-head button", "^Mark") // the highest first
	w.element(`.progress-head [aria-sort="descending"]`)
	whole.Until(t, "who has a mark comes first", func() bool {
		return strings.Contains(w.element(".progress-row").MustText(), "large-last")
	})
	w.picks("Learners shown", "Show", "attempts, shaded")
	w.MustEval(`() => document.querySelector(".progress-grid").scrollTo(1e6, 0)`)
	w.says(".progress-row .cell", "^5$")
}

// An exercise's page says how a class gets on with it, and which wrong answers are alike.
func TestHowAClassGetsOnWithAnExercise(t *testing.T) {
	submits := whole.PaperOf(t, "class-page", [2]string{"points: 1", "SELECT id FROM star WHERE id > 4990 ORDER BY id"})
	for _, queries := range [][]string{
		{"SELECT id FROM star WHERE id > 4990 ORDER BY id"},
		{"SELECT id FROM star WHERE id >= 4990 ORDER BY id", "SELECT id FROM star WHERE id > 4990 ORDER BY id"},
		{"select s.id from star as s where s.id >= 4990 order by s.id"},
		{"SELECT id FROM star WHERE id >= 4989 ORDER BY id"}, // but for the literal
		{"SELECT ident FROM star"},
	} {
		_, c := whole.Newcomer(t)
		for _, sql := range queries {
			submits(c, 1, sql)
		}
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/class-page/progress/exercise-number-1?course=evening-group")
	w.says("p", `5 have tried it and 2 have solved it \(40 % of those\), with 6 attempts in all`)
	w.element(`figure [role=img][aria-label*="1: 1 solved, 3 not solved; 2: 1 solved, 0 not solved"] canvas`)
	w.says(".class-findings li", "3 attempts of 3 learners:")
	w.says(".class-findings li", `1 attempt of 1 learner: column "ident" does not exist`)
	group := w.says(".alike li", "3 attempts of 3 learners")
	if text := group.MustText(); !strings.Contains(text, "Incorrect") || !strings.Contains(text, "4990") {
		t.Errorf("the group says %s", text)
	}
	if n := w.count(".alike li"); n != 1 {
		t.Errorf("%d groups", n)
	}
	w.click(".alike a", "newcomer")
	w.says(".entry", "Submitted: incorrect")
}

// A learner's work is gone through step by step: what was run and submitted, and what changed from one to the next.
func TestALearnersTimeline(t *testing.T) {
	name, c := whole.Newcomer(t)
	if _, err := client.Read[client.Run](c.Run(ctx, client.RunRequest{
		Paper: "first-look", Exercise: "names-and-valleys", Sql: "SELECT name\nFROM apiary",
	})); err != nil {
		t.Fatal(err)
	}
	whole.Submit(t, c, "1", "SELECT name\nFROM apiary")
	whole.Submit(t, c, "1", "SELECT name, valley\nFROM apiary")
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/learners/" + name + "?paper=first-look&exercise=names-and-valleys")
	w.click("a", "^Step by step$")
	w.says(".step h2", "Names and valleys: run, done")
	w.element(".step .sql-shown")
	w.click(".actions button", "^Next$")
	w.says(".step h2", "submitted, incorrect, 0 of 1 point")
	w.says(".step .quiet", "Both texts are the same")
	w.says(".step .finding", "valley")
	w.click(".actions button", "^Next$")
	w.says(".step h2", "submitted, correct, 1 of 1 point")
	w.says(".step del", "SELECT name$")
	w.says(".step ins", "SELECT name, valley")
	w.click(".actions button", "^Play$") // from the first again
	w.says(".step h2", "run, done")
	w.says(".step h2", "submitted, correct")
	teacher := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	teacher.Takes(whole.Step{
		Line: "history --learner " + name + " --paper first-look --exercise names-and-valleys --timeline",
		Says: []string{"run first-look/names-and-valleys done", "(the same text)", "-SELECT name\n",
			"+SELECT name, valley"},
	})
}
