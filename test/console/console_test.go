// Package console holds the tests of the console: the service as a process, seen in Chromium.
package console

import (
	"context"
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
	"examen/test/whole"
)

// One Chromium serves all tests; each window has a session of its own.
var chromium = sync.OnceValues(func() (b *rod.Browser, err error) {
	b, closeChromium, err = browser.Open()
	return b, err
})

// closeChromium ends it; TestMain calls it last.
var closeChromium = func() {}

func TestMain(m *testing.M) {
	os.Exit(whole.Main(func() int {
		defer func() { closeChromium() }()
		return m.Run()
	}))
}

var ctx = context.Background()

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

// hit clicks an element if somebody could: it tells what is in the way if not. The page may move until then, and not
// between looking and clicking.
const hit = `() => {
	if (!this.isConnected) return "it is no longer on the page";
	if (this.disabled) return "it is disabled";
	const [there] = this.getClientRects();
	if (!there) return "it is not shown";
	const at = () => {
		const [box] = this.getClientRects();
		return document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2);
	};
	if (!this.contains(at())) this.scrollIntoView({ block: "center", inline: "nearest", behavior: "instant" });
	if (!this.contains(at())) return "in its place stands " + (at() ? at().outerHTML.slice(0, 300) : "nothing");
	const send = (what) =>
		this.dispatchEvent(new MouseEvent(what, { bubbles: true, cancelable: true, composed: true, view: window }));
	if (send("mousedown")) this.focus();
	send("mouseup");
	send("click");
	return "";
}`

// click waits until an element, the one whose text matches, can be clicked, and clicks it. An empty pattern fits any
// text.
func (w *window) click(selector, pattern string) {
	w.t.Helper()
	if pattern == "" {
		w.hit(selector, func() *rod.Element { return w.element(selector) })
		return
	}
	w.hit(fmt.Sprintf("%s that says %q", selector, pattern), func() *rod.Element { return w.says(selector, pattern) })
}

// chooses chooses in the field of a label, as soon as that offers the choice.
func (w *window) chooses(selector, pattern, choice string) {
	w.t.Helper()
	whole.Until(w.t, fmt.Sprintf("%q can be chosen", choice), func() bool {
		field, err := w.says(selector, pattern).Element("select")
		return err == nil && field.Select([]string{choice}, true, rod.SelectorTypeText) == nil
	})
}

// hit clicks what find finds, as soon as that can be clicked. It is found anew as long as it cannot.
func (w *window) hit(what string, find func() *rod.Element) {
	w.t.Helper()
	for limit := time.Now().Add(4 * time.Minute); ; time.Sleep(20 * time.Millisecond) {
		wrong := "it is no longer on the page"
		if told, err := find().Evaluate(rod.Eval(hit).ByUser()); err == nil {
			wrong = told.Value.Str()
		}
		if wrong == "" {
			return
		}
		if time.Now().After(limit) {
			w.t.Fatalf("%s cannot be clicked: %s\n%s", what, wrong, w.text())
		}
	}
}

// button is a button within an element.
func button(within *rod.Element, says string) func() *rod.Element {
	return func() *rod.Element { return within.MustElementR("button", says) }
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
	whole.Until(w.t, "the editor takes over", func() bool {
		if found, plain, _ := w.Has(in(exercise, ".answer textarea")); found {
			_, _ = plain.Evaluate(rod.Eval(hit).ByUser()) // fails if the editor took over meanwhile
		}
		there, _, _ := w.Has(in(exercise, ".answer .cm-content"))
		return there
	})
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
	w.click(".frame summary", "")
	w.click(".frame button", "^Log out$")
}

func (w *window) press(exercise, button string) {
	w.t.Helper()
	w.told(exercise)
	w.click(in(exercise, "button"), "^"+button+"$")
}

func TestAnInstructorChecksThePaperInTheConsole(t *testing.T) {
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/first-look")
	w.click("button", "Check the exercises")
	w.says(".paper-check [role=status]", "8 exercises checked: 0 errors, 4 warnings")
	w.says(`.check-note[data-severity="warning"]`, "Warning in harvest-by-grade: .*empty on the variant poor-year")
}

func TestALearnersDayInTheConsole(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.says(".papers", "Not begun")
	w.click(".papers a", "A first look at the hives")
	w.says(".prose", "keep their books in a database")
	w.click("button", "Run the example")
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
	w.click(in(exercise, ".answer .problem button"), "Use this version")
	w.says(in(exercise, written), "^SELECT name, kind FROM hive$")

	w.write(exercise, "SELECT name, kind, strength FROM hive ORDER BY strength DESC")
	w.press(exercise, "Run")
	w.says(in(exercise, ".result"), "96 rows")
	w.element(in(exercise, ".result .no-text"))
	w.press(exercise, "Submit")
	w.says(in(exercise, ".right-margin .standing"), "Incorrect, 0 of 2 points")
	w.says(in(exercise, `.right-margin [data-kind="cause-condition-missing"]`),
		"^Cause: There is no WHERE: a condition on strength is missing")
	w.says(in(exercise, ".right-margin .finding"), "Your result has 96 rows; 9 of them should not be there")
	w.says(in(exercise, ".standing"), "Incorrect, 0 of 2 points ✗")

	w.write(exercise, "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC")
	w.press(exercise, "Submit")
	w.says(in(exercise, ".right-margin .standing"), "Correct, 2 of 2 points")
	w.says(in(exercise, ".standing"), "Correct, 2 of 2 points ✓\\s+Submitted .*2 attempts")

	// The history has the runs and the attempts, and brings an earlier text back.
	w.click("nav a", "My history")
	w.says(".entry", "Submitted: correct, 2 of 2 points")
	wrong := w.says(".entry", "Submitted: incorrect, 0 of 2 points")
	if text := wrong.MustText(); !strings.Contains(text, "9 of them should not be there") {
		t.Errorf("the attempt's findings are missing: %s", text)
	}
	w.hit("Open in its exercise", button(wrong, "Open in its exercise"))
	w.says(in(exercise, written), `^SELECT name, kind, strength FROM hive ORDER BY strength DESC$`)
	w.says(in(exercise, ".standing"), "for an earlier version of your answer")
	w.says(in(exercise, ".draft-state"), "Draft saved")

	// What the service kept is there after the page is loaded anew.
	w.MustReload()
	w.says(in(exercise, written), `^SELECT name, kind, strength FROM hive ORDER BY strength DESC$`)
	w.says(in(exercise, ".standing"), "Correct, 2 of 2 points")

	w.click("button", "^Tables$")
	w.says(".table-columns", "queen_year")
	w.logOut()
	w.element("#password")
}

func TestAnInstructorsDayInTheConsole(t *testing.T) {
	name, c := whole.Newcomer(t)
	whole.Submit(t, c, "1", "SELECT name FROM apiary")
	whole.Submit(t, c, "1", "SELECT name, valley FROM apiary")
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/first-look/progress")
	row := w.learner(name)
	if got := row.MustElements(".cell")[0].MustText(); !regexp.MustCompile(`^correct\s+2$`).MatchString(got) {
		t.Errorf("the cell says %q", got)
	}
	w.hit("the cell", func() *rod.Element { return row.MustElement(".cell a") })
	w.says("h1", name)
	w.says(".entry", "Submitted: correct, 1 of 1 point")
	w.says(".entry", "“valley” is missing")
	w.click("a", "Back to the grid")
	// The grid follows the course.
	row = w.learner(name)
	whole.Submit(t, c, "3", "SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 8")
	whole.Until(t, "the grid shows the new attempt", func() bool {
		return row.MustElements(".cell")[2].MustText() != ""
	})
	w.visit("/papers/first-look")
	w.click(in("names-and-valleys", "summary"), "Reference answer")
	w.says(in("names-and-valleys", ".reference"), "SELECT name, valley FROM apiary")
}

func TestALearnerSeesNothingOfInstructors(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
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
	page, err := browser.Page(b, whole.Shared.URL, 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer page.Close()
	w := windowOf(t, page, whole.Shared.URL)
	w.element("#name").MustInput("nobody-at-all")
	w.element("#password").MustInput("x").MustType(input.Enter)
	w.says(".problem", "The name or the password is wrong")
}

// A session that ends while the page is open takes nothing of what was typed.
func TestAnExpiredSessionLosesNothing(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 'typed before'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	if _, err := client.Read[client.AddedAccount](whole.Hazel(t).ResetPassword(ctx, name)); err != nil {
		// ends the learner's sessions
		t.Fatal(err)
	}
	w.write("no-mail", "SELECT 'typed after'")
	w.says(".log-in-again", "The session has ended")
	reset, err := client.Read[client.AddedAccount](whole.Hazel(t).ResetPassword(ctx, name))
	if err != nil {
		t.Fatal(err)
	}
	w.element(".log-in-again #password").MustInput(reset.Password).MustType(input.Enter)
	w.says("p", "Choose one of your own to go on")
	w.element("#current").MustInput(reset.Password)
	w.element("#new").MustInput(demo.LearnerPassword).MustType(input.Enter)
	w.says(in("no-mail", written), "SELECT 'typed after'") // the page that the session ended on
	whole.Until(t, "the draft is kept", func() bool {
		e, err := client.Read[client.Exercise](
			whole.As(t, whole.Shared.URL, name, demo.LearnerPassword).GetExercise(ctx, "first-look", "no-mail"),
		)
		return err == nil && e.Draft.Sql == "SELECT 'typed after'"
	})
}

func TestThePageSaysWhatIsDownAndRecovers(t *testing.T) {
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	w := open(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT 1")
	w.says(in("no-mail", ".draft-state"), "Draft saved")

	up := whole.Down(t, folder, "practice")
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".answer .problem"), "The practice server cannot be reached")
	w.says(".servers", "The practice server cannot be reached")
	w.write("no-mail", "SELECT 2")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	up()
	whole.Until(t, "the banner is gone", func() bool { found, _, _ := w.Has(".servers"); return !found })
	whole.Until(
		t, "the exercise says nothing of it any more",
		func() bool { found, _, _ := w.Has(in("no-mail", ".answer .problem")); return !found },
	)
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".result"), "1 row")

	up = whole.Down(t, folder, "records")
	w.write("no-mail", "SELECT 3")
	w.says(
		in("no-mail", ".draft-state"), "Draft not saved: the records server cannot be reached. Retrying automatically",
	)
	w.says(".servers", "The records server cannot be reached")
	up()
	w.says(in("no-mail", ".draft-state"), "Draft saved") // by itself
	e, err := client.Read[client.Exercise](
		whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword).GetExercise(ctx, "first-look", "no-mail"),
	)
	if err != nil || e.Draft.Sql != "SELECT 3" {
		t.Errorf("got %+v, %v", e.Draft, err)
	}
}

// What was typed is there again after looking at something else, without loading the page anew.
func TestTypedTextStaysWhereverOneLooks(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.click(".papers a", "A first look")
	w.write("no-mail", "SELECT 'typed'")
	w.says(in("no-mail", ".draft-state"), "Draft saved")
	w.press("which-colours", "Focus")
	w.element("#no-mail[hidden]")
	w.press("which-colours", "Back to the paper")
	w.says(in("no-mail", written), "SELECT 'typed'")
	w.click("nav a", "My history")
	w.says("p", "Nothing was run or submitted yet")
	w.click("nav a", "My papers")
	w.click(".papers a", "A first look")
	w.says(in("no-mail", written), "SELECT 'typed'")
}

// Values that carry markup are text on the page.
func TestMarkupInValuesIsText(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
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
