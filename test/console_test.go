package test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/browser"
)

// One Chromium serves all tests; each window has a session of its own.
var chromium = sync.OnceValues(func() (b *rod.Browser, err error) {
	b, closeChromium, err = browser.Open()
	return b, err
})

// closeChromium ends it; TestMain calls it last.
var closeChromium = func() {}

// A window is a page of the console, seen by somebody.
type window struct {
	*rod.Page // gives up at the end of the wait that began last
	t         *testing.T
	url       string
	whole     *rod.Page // never gives up
}

// windowOf takes a page that has the console of the service at url.
func windowOf(t *testing.T, page *rod.Page, url string) *window {
	w := &window{t: t, url: url, whole: page}
	w.begins()
	return w
}

// begins begins a wait. Each has its own time, so that a long test may take as long as the machine needs.
func (w *window) begins() { w.Page = w.whole.Timeout(4 * time.Minute) }

func open(t *testing.T, url, name, password string) *window {
	t.Helper()
	b, err := chromium()
	if err != nil {
		t.Fatal(err)
	}
	page, err := browser.Page(b, url, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { page.Close() })
	w := windowOf(t, page, url)
	w.logIn(name, password)
	return w
}

func (w *window) logIn(name, password string) {
	w.t.Helper()
	w.element("#name").MustInput(name)
	w.element("#password").MustInput(password).MustType(input.Enter)
	w.element("header.frame")
}

// element waits for an element.
func (w *window) element(selector string) *rod.Element {
	w.t.Helper()
	w.begins()
	e, err := w.Element(selector)
	if err != nil {
		w.t.Fatalf("no %s on the page: %v\n%s", selector, err, w.text())
	}
	return e
}

// says waits until an element's text matches.
func (w *window) says(selector, pattern string) *rod.Element {
	w.t.Helper()
	w.begins()
	e, err := w.ElementR(selector, pattern)
	if err != nil {
		w.t.Fatalf("no %s that says %q: %v\n%s", selector, pattern, err, w.text())
	}
	return e
}

func (w *window) text() string {
	body, err := w.whole.Timeout(5 * time.Second).Element("body")
	if err != nil {
		return err.Error()
	}
	text, _ := body.Text()
	return text
}

func (w *window) visit(path string) {
	w.t.Helper()
	w.begins()
	if err := w.Navigate(w.url + path); err != nil {
		w.t.Fatal(err)
	}
}

func in(exercise, selector string) string {
	return fmt.Sprintf("[data-exercise=%q] %s", exercise, selector)
}

// written is where an exercise's answer stands: in the editor, or as it is shown while the editor is not in use.
const written = ".answer :is(.cm-content, .sql-lines)"

// space is an exercise's answer space in the editor, which takes over when one begins to write.
func (w *window) space(exercise string) *rod.Element {
	w.t.Helper()
	w.element(in(exercise, ".answer .sql"))
	if found, plain, _ := w.Has(in(exercise, ".answer textarea")); found {
		plain.MustScrollIntoView().MustClick()
	}
	return w.element(in(exercise, ".answer .cm-content"))
}

// write puts a text in place of what stands in an exercise's answer space.
func (w *window) write(exercise, sql string) {
	w.t.Helper()
	w.space(exercise).MustFocus() // a list of completions may lie over it
	w.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	w.MustInsertText(sql)
}

// logOut logs out, by the menu that has one's name.
func (w *window) logOut() {
	w.t.Helper()
	w.element(".frame summary").MustClick()
	w.says(".frame button", "^Log out$").MustClick()
}

func (w *window) press(exercise, button string) {
	w.t.Helper()
	w.says(in(exercise, "button"), "^"+button+"$").MustClick()
}

func TestAnInstructorChecksThePaperInTheConsole(t *testing.T) {
	w := open(t, shared.url, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/first-look")
	w.says("button", "Check the exercises").MustClick()
	w.says(".paper-check [role=status]", "8 exercises checked: 0 errors, 4 warnings")
	w.says(`.check-note[data-severity="warning"]`, "Warning in harvest-by-grade: .*empty on the variant poor-year")
}

func TestALearnersDayInTheConsole(t *testing.T) {
	name, _ := newcomer(t)
	w := open(t, shared.url, name, demo.LearnerPassword)
	w.says(".papers", "Not begun")
	w.says(".papers a", "A first look at the hives").MustClick()
	w.says(".prose", "keep their books in a database")
	w.says("button", "Run the example").MustClick()
	w.says(".example .result", "5 rows")

	const exercise = "hives-by-strength"
	w.says(in(exercise, ".standing"), "Not submitted")
	w.write(exercise, "SELECT name, knd FROM hive")
	w.press(exercise, "Run")
	w.says(in(exercise, ".answer .problem"), `column "knd" does not exist`)
	w.says(in(exercise, ".answer .problem pre"), `SELECT name, knd FROM hive\n +\^`)

	w.says(in(exercise, ".answer .problem"), `Perhaps you meant to reference the column "hive.kind"`)
	w.says(in(exercise, ".answer .problem"), "did you mean kind?")
	w.write(exercise, "SELECT name, kind FORM hive")
	w.press(exercise, "Run")
	w.says(in(exercise, ".answer .problem .mended"), "SELECT name, kind FROM hive")
	w.says(in(exercise, ".answer .problem button"), "Use this version").MustClick()
	w.says(in(exercise, written), "^SELECT name, kind FROM hive$")

	w.write(exercise, "SELECT name, kind, strength FROM hive ORDER BY strength DESC")
	w.press(exercise, "Run")
	w.says(in(exercise, ".result"), "96 rows")
	w.element(in(exercise, ".result .no-text"))
	w.press(exercise, "Submit")
	w.says(in(exercise, ".right-margin .standing"), "Incorrect, 0 of 2 points")
	w.says(in(exercise, `.right-margin [data-kind="cause-condition-missing"]`),
		"^Cause: A condition is missing in WHERE")
	w.says(in(exercise, ".right-margin .finding"), "Your result has 96 rows; 9 of them should not be there")
	w.says(in(exercise, ".standing"), "Incorrect, 0 of 2 points ✗")

	w.write(exercise, "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC")
	w.press(exercise, "Submit")
	w.says(in(exercise, ".right-margin .standing"), "Correct, 2 of 2 points")
	w.says(in(exercise, ".standing"), "Correct, 2 of 2 points ✓\\s+Submitted .*2 attempts")

	// The history has the runs and the attempts, and brings an earlier text back.
	w.says("nav a", "My history").MustClick()
	w.says(".entry", "Submitted: correct, 2 of 2 points")
	wrong := w.says(".entry", "Submitted: incorrect, 0 of 2 points")
	if text := wrong.MustText(); !strings.Contains(text, "9 of them should not be there") {
		t.Errorf("the attempt's findings are missing: %s", text)
	}
	wrong.MustElementR("button", "Open in its exercise").MustClick()
	w.says(in(exercise, written), `^SELECT name, kind, strength FROM hive ORDER BY strength DESC$`)
	w.says(in(exercise, ".standing"), "for an earlier version of your answer")
	w.says(in(exercise, ".draft-state"), "Draft saved")

	// What the service kept is there after the page is loaded anew.
	w.MustReload()
	w.says(in(exercise, written), `^SELECT name, kind, strength FROM hive ORDER BY strength DESC$`)
	w.says(in(exercise, ".standing"), "Correct, 2 of 2 points")

	w.says("button", "^Tables$").MustClick()
	w.says(".table-columns", "queen_year")
	w.logOut()
	w.element("#password")
}

func TestAnInstructorsDayInTheConsole(t *testing.T) {
	name, c := newcomer(t)
	submit(t, c, "1", "SELECT name FROM apiary")
	submit(t, c, "1", "SELECT name, valley FROM apiary")
	w := open(t, shared.url, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/first-look/progress")
	row := w.learner(name)
	if got := row.MustElements(".cell")[0].MustText(); !regexp.MustCompile(`^correct\s+2$`).MatchString(got) {
		t.Errorf("the cell says %q", got)
	}
	row.MustElement(".cell a").MustClick()
	w.says("h1", name)
	w.says(".entry", "Submitted: correct, 1 of 1 point")
	w.says(".entry", "“valley” is missing")
	w.says("a", "Back to the grid").MustClick()
	// The grid follows the course.
	row = w.learner(name)
	submit(t, c, "3", "SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 8")
	until(t, "the grid shows the new attempt", func() bool { return row.MustElements(".cell")[2].MustText() != "" })
	w.visit("/papers/first-look")
	w.says(in("names-and-valleys", "summary"), "Reference answer").MustClick()
	w.says(in("names-and-valleys", ".reference"), "SELECT name, valley FROM apiary")
}

func TestALearnerSeesNothingOfInstructors(t *testing.T) {
	name, _ := newcomer(t)
	w := open(t, shared.url, name, demo.LearnerPassword)
	w.visit("/papers/first-look/progress")
	w.says(".problem", "Only instructors may do this")
	w.visit("/papers/first-look")
	w.element(in("names-and-valleys", ".answer"))
	if found, _, _ := w.HasR("summary", "Reference answer"); found {
		t.Error("a learner is shown a reference answer")
	}
}

func TestTheWrongPassword(t *testing.T) {
	b, err := chromium()
	if err != nil {
		t.Fatal(err)
	}
	page, err := browser.Page(b, shared.url, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer page.Close()
	w := windowOf(t, page, shared.url)
	w.element("#name").MustInput("nobody-at-all")
	w.element("#password").MustInput("x").MustType(input.Enter)
	w.says(".problem", "The name or the password is wrong")
}

// A session that ends while the page is open takes nothing of what was typed.
func TestAnExpiredSessionLosesNothing(t *testing.T) {
	name, _ := newcomer(t)
	w := open(t, shared.url, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 'typed before'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	if _, err := client.Read[client.AddedAccount](hazel(t).ResetPassword(ctx, name)); err != nil {
		// ends the learner's sessions
		t.Fatal(err)
	}
	w.write("no-mail", "SELECT 'typed after'")
	w.says(".log-in-again", "The session has ended")
	reset, err := client.Read[client.AddedAccount](hazel(t).ResetPassword(ctx, name))
	if err != nil {
		t.Fatal(err)
	}
	w.element(".log-in-again #password").MustInput(reset.Password).MustType(input.Enter)
	w.says("p", "Choose one of your own to go on")
	w.element("#current").MustInput(reset.Password)
	w.element("#new").MustInput(demo.LearnerPassword).MustType(input.Enter)
	w.says(in("no-mail", written), "SELECT 'typed after'") // the page that the session ended on
	until(t, "the draft is kept", func() bool {
		e, err := client.Read[client.Exercise](
			as(t, shared.url, name, demo.LearnerPassword).GetExercise(ctx, "first-look", "no-mail"),
		)
		return err == nil && e.Draft.Sql == "SELECT 'typed after'"
	})
}

func TestThePageSaysWhatIsDownAndRecovers(t *testing.T) {
	folder := dataDir(t)
	s := start(t, "demo", "--data-dir", folder)
	w := open(t, s.url, demo.NewLearnerName, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 1")
	w.says(in("no-mail", ".draft-state"), "Draft saved")

	up := down(t, folder, "practice")
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".answer .problem"), "The practice server cannot be reached")
	w.says(".servers", "The practice server cannot be reached")
	w.write("no-mail", "SELECT 2")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	up()
	until(t, "the banner is gone", func() bool { found, _, _ := w.Has(".servers"); return !found })
	until(
		t, "the exercise says nothing of it any more",
		func() bool { found, _, _ := w.Has(in("no-mail", ".answer .problem")); return !found },
	)
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".result"), "1 row")

	up = down(t, folder, "records")
	w.write("no-mail", "SELECT 3")
	w.says(
		in("no-mail", ".draft-state"), "Draft not saved: the records server cannot be reached. Retrying automatically",
	)
	w.says(".servers", "The records server cannot be reached")
	up()
	w.says(in("no-mail", ".draft-state"), "Draft saved") // by itself
	e, err := client.Read[client.Exercise](
		as(t, s.url, demo.NewLearnerName, demo.LearnerPassword).GetExercise(ctx, "first-look", "no-mail"),
	)
	if err != nil || e.Draft.Sql != "SELECT 3" {
		t.Errorf("got %+v, %v", e.Draft, err)
	}
}

// What was typed is there again after looking at something else, without loading the page anew.
func TestTypedTextStaysWhereverOneLooks(t *testing.T) {
	name, _ := newcomer(t)
	w := open(t, shared.url, name, demo.LearnerPassword)
	w.says(".papers a", "A first look").MustClick()
	w.write("no-mail", "SELECT 'typed'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	w.press("which-colours", "Focus")
	w.element("#no-mail[hidden]")
	w.press("which-colours", "Back to the paper")
	w.says(in("no-mail", written), "SELECT 'typed'")
	w.says("nav a", "My history").MustClick()
	w.says("p", "Nothing was run or submitted yet")
	w.says("nav a", "My papers").MustClick()
	w.says(".papers a", "A first look").MustClick()
	w.says(in("no-mail", written), "SELECT 'typed'")
}

// Values that carry markup are text on the page.
func TestMarkupInValuesIsText(t *testing.T) {
	name, _ := newcomer(t)
	w := open(t, shared.url, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", `SELECT '<img src=x onerror="document.title=1">' AS "<b>bold</b>"`)
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".result .grid-head-cell"), "<b>bold</b>")
	w.says(in("no-mail", ".result .row-grid-cell"), "<img src=x")
}

// fileOf writes a file to be chosen in the browser.
func fileOf(t *testing.T, name string, content []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, content, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}
