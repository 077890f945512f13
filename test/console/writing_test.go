package console

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// writing opens first-look to write there.
func writing(t *testing.T) *window {
	t.Helper()
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.element("#content h1")
	return w
}

// types types a text key by key, so that what completes it is asked.
func (w *window) types(text string) {
	w.t.Helper()
	for _, c := range text {
		w.MustInsertText(string(c))
	}
}

// shows waits until an exercise's answer is a text.
func (w *window) shows(exercise, sql string) {
	w.t.Helper()
	lines := strings.Split(sql, "\n")
	for i := range lines {
		lines[i] = regexp.QuoteMeta(lines[i])
	}
	w.says(in(exercise, written), "^"+strings.Join(lines, `\n+`)+"$")
}

func TestAKeywordThatIsMisspeltHasNoColour(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELCT name FROM hive")
	w.says(in("no-mail", ".cm-content .sql-keyword"), "^FROM$")
	if found, e, _ := w.HasR(in("no-mail", ".cm-content .sql-keyword"), "SELCT"); found {
		t.Errorf("coloured: %s", e.MustText())
	}
}

func TestEscapeThenTabLeavesTheEditor(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT 1")
	w.KeyActions().Type(input.Home, input.Tab).MustDo()
	w.shows("no-mail", "  SELECT 1")
	w.says("#leave-editor", "Escape, then Tab")
	if by := *w.element(in("no-mail", ".cm-content")).MustAttribute("aria-describedby"); by != "leave-editor" {
		t.Errorf("described by %q", by)
	}
	w.KeyActions().Type(input.Escape, input.Tab).MustDo()
	if text := w.MustEval(`() => document.activeElement.textContent`).Str(); text != "Run" {
		t.Errorf("the focus is on %q", text)
	}
}

func TestEditingKeys(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT name\nFROM hive")
	w.KeyActions().Press(input.ControlLeft).Type('/').MustDo()
	w.shows("no-mail", "SELECT name\n-- FROM hive")
	w.KeyActions().Press(input.ControlLeft).Type('f').MustDo()
	w.element(in("no-mail", ".cm-search input[name=search]")).MustInput("name")
	w.element(in("no-mail", ".cm-search input[name=replace]")).MustInput("kind")
	w.click(in("no-mail", ".cm-search button[name=replaceAll]"), "")
	w.shows("no-mail", "SELECT kind\n-- FROM hive")
	w.says(in("no-mail", ".draft-state"), "Draft saved")

	// What was done is undone after the page was left, too.
	w.click("nav a", "My papers")
	w.click(".papers a", "A first look at the hives")
	w.space("no-mail").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	w.shows("no-mail", "SELECT name\n-- FROM hive")
}

func TestPreferencesAreThePersonsEverywhere(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.click(in("no-mail", ".tools summary"), "More")
	w.click(in("no-mail", `[aria-label="Larger text"]`), "")
	w.click(in("no-mail", ".tools label"), "Wrap long lines")
	w.click(".frame summary", "")
	w.element("select.look").MustSelect("Dark")
	w.element(`html[data-look="dark"]`)

	other := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	other.element(`html[data-look="dark"]`)
	other.visit("/papers/first-look")
	other.element("#content h1")
	other.space("no-mail")
	if found, _, _ := other.Has(in("no-mail", ".cm-lineWrapping")); found {
		t.Error("it wraps lines")
	}
	size := other.MustEval(`() => getComputedStyle(document.querySelector(".sql")).fontSize`).Str()
	if size != "15px" {
		t.Errorf("the text is of %s", size)
	}
}

// What is offered where one writes, and what is written when it is taken.
func TestCompletionFromTheDataset(t *testing.T) {
	w := writing(t)
	const list = ".cm-tooltip-autocomplete li"
	for _, c := range []struct{ name, typed, offers, then string }{
		{"a table", "SELECT * FROM hi", "hive", "SELECT * FROM hive"},
		{"the columns of a table that stands below", "SELECT stre", "strength", "SELECT strength"},
		{"a keyword in small letters", "select name fr", "from", "select name from"},
		{"a function with its arguments", "SELECT coal", "coalesce", "SELECT coalesce("},
		{"a value behind =", "SELECT * FROM hive WHERE kind = ", "'skep'", ""},
		{"a value within IN", "SELECT * FROM hive WHERE kind IN (", "'skep'", ""},
		{
			"what a foreign key leads to", "SELECT * FROM hive h JOIN ap", "apiary a ON h.apiary_id = a.apiary_id",
			"SELECT * FROM hive h JOIN apiary a ON h.apiary_id = a.apiary_id",
		},
		{
			"the columns of an alias", "SELECT * FROM hive h WHERE h.queen", "queen_year",
			"SELECT * FROM hive h WHERE h.queen_year",
		},
		{
			"a column that two tables have",
			"SELECT * FROM hive h JOIN apiary a ON h.apiary_id = a.apiary_id WHERE nam", "h.name", "",
		},
	} {
		w.write("no-mail", " ")
		w.KeyActions().Type(input.Backspace).MustDo()
		w.types(c.typed)
		if strings.HasSuffix(c.typed, " ") || strings.HasSuffix(c.typed, "(") {
			w.KeyActions().Press(input.ControlLeft).Type(input.Space).MustDo()
		}
		offered := w.says(list, "^"+regexp.QuoteMeta(c.offers))
		if c.then == "" {
			continue
		}
		offered.MustClick()
		if got := w.element(in("no-mail", ".cm-content")).MustText(); strings.TrimRight(got, ")") != c.then {
			t.Errorf("%s: got %q, want %q", c.name, got, c.then)
		}
	}
	// A word that is complete needs no list.
	w.write("no-mail", " ")
	w.types("SELECT name FROM hive")
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".result"), "96 rows")
}

// Tables of another schema, and names that have to be quoted, are written as SQL wants them.
func TestNamesThatAreQuotedAndOfSchemas(t *testing.T) {
	teacher := whole.Hazel(t)
	if job := whole.Built(t, teacher, "quoted", client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.sql": `
		CREATE SCHEMA lab;
		CREATE TABLE lab.sample (id integer PRIMARY KEY, "Wet Weight" numeric);
		CREATE TABLE "Jar" (id integer PRIMARY KEY, sample integer REFERENCES lab.sample, "order" integer);`,
	})); job.State != client.JobDone {
		t.Fatal(job.Problem, job.Errors)
	}
	if _, err := client.Loaded(ctx, teacher, whole.Scripts(map[string]string{
		"pack.yaml": "pack: quoted\ntitle: Quoted\npapers: [paper.md]\n",
		"paper.md": "---\npaper: quoted\ntitle: Quoted\ndataset: quoted\n---\n\n## Jars {#jars}\n\nAll jars.\n\n" +
			"```sql answer\nSELECT id FROM \"Jar\";\n```\n",
	})); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/quoted")
	w.element("#jars")
	for typed, offers := range map[string]string{
		"SELECT * FROM lab":                "lab.sample",
		`SELECT * FROM "J`:                 `"Jar"`,
		`SELECT * FROM "Jar" j JOIN la`:    `lab.sample s ON j.sample = s.id`,
		`SELECT * FROM "Jar" j WHERE j."o`: `"order"`,
		"SELECT * FROM lab.sample WHERE w": `"Wet Weight"`,
	} {
		w.write("jars", " ")
		w.KeyActions().Type(input.Backspace).MustDo()
		w.types(typed)
		w.says(".cm-tooltip-autocomplete li", "^"+regexp.QuoteMeta(offers))
		w.KeyActions().Type(input.Escape).MustDo()
	}
	w.write("jars", `SELECT "order", "Wet Weight", smple FROM "Jar" j JOIN lab.sample s ON j.sample = s.id`)
	w.says(in("jars", ".cm-lintRange"), "^smple$")
	if n := len(w.MustElements(in("jars", ".cm-lintRange"))); n != 1 {
		t.Errorf("%d names are underlined", n)
	}
}

func TestAMisspeltNameIsUnderlined(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT strenght FROM hive")
	w.says(in("no-mail", ".cm-lintRange"), "^strenght$").MustHover()
	w.click(".cm-tooltip button", "strength")
	w.shows("no-mail", "SELECT strength FROM hive")
	w.write("no-mail", "SELECT name FROM hive h JOIN apiary a ON h.apiary_id = a.apiary_id")
	w.says(in("no-mail", ".cm-lintRange"), "^name$").MustHover()
	w.says(".cm-tooltip", "h.name")
	w.click(".cm-tooltip button", "a.name")
	w.shows("no-mail", "SELECT a.name FROM hive h JOIN apiary a ON h.apiary_id = a.apiary_id")
}

func TestLayingOutIsUndone(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "select name,kind from hive where strength>3")
	w.click(in("no-mail", ".tools summary"), "More")
	w.press("no-mail", "Lay out the SQL")
	w.shows("no-mail", "select\n  name,\n  kind\nfrom\n  hive\nwhere\n  strength > 3")
	w.space("no-mail").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	w.shows("no-mail", "select name,kind from hive where strength>3")
}

func TestWhatAWordProcessorSetIsMendedAtThePaste(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "x")
	w.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	w.element(in("no-mail", ".cm-content")).MustEval(`function (text) {
		const data = new DataTransfer();
		data.setData("text/plain", text);
		this.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
	}`, "SELECT\u00a0‘skep’ –1")
	w.shows("no-mail", "SELECT 'skep' -1")
	w.says(in("no-mail", "[role=status]"), "Typographic quotes, dashes and spaces")
	w.press("no-mail", "Undo")
	w.says(in("no-mail", written), "‘skep’ –1$")
}

func TestNamesAreWrittenFromTheTables(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT  FROM hive")
	w.KeyActions().Type(input.Home).MustDo()
	for range len("SELECT ") {
		w.KeyActions().Type(input.ArrowRight).MustDo()
	}
	w.click("button", "^Tables$")
	w.click(".tables-aside .insert", "^queen_year$")
	w.shows("no-mail", "SELECT queen_year FROM hive")
	w.click(".tables-aside button", "^As a map$")
	w.MustInsertText(", ")
	w.click(".picking-map .entity li", "colour")
	w.shows("no-mail", "SELECT queen_year, colour FROM hive")
	w.click(".tables-aside button", "^As a list$")
	w.write("no-mail", "")
	w.KeyActions().Type(input.Backspace).MustDo()
	w.click(`.insert[title="Write a query for the first rows of hive"]`, "")
	w.shows("no-mail", "SELECT * FROM hive LIMIT 10;")
	if found, _, _ := w.Has(in("no-mail", ".result")); found {
		t.Error("it was run unasked")
	}
}

func TestSeveralStatements(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT 1 AS one;\n\nSELECT 2 AS two;\nSELECT nothing FROM hive;\nSELECT 4;")
	w.KeyActions().Press(input.ControlLeft).Press(input.ShiftLeft).Type(input.Enter).MustDo()
	w.says(in("no-mail", ".ran:nth-of-type(1)"), `^Line 1: SELECT 1 AS one`)
	w.says(in("no-mail", ".ran:nth-of-type(1) .grid-head-cell"), "one")
	w.says(in("no-mail", ".ran:nth-of-type(2)"), `^Line 3: SELECT 2 AS two`)
	w.says(in("no-mail", ".ran:nth-of-type(3) .problem"), `column "nothing" does not exist[\s\S]*Line 4, column 8`)
	w.says(in("no-mail", ".ran:nth-of-type(4)"), "Line 5: SELECT 4[\\s\\S]*Not run")

	// The statement at the cursor alone, then what is selected.
	w.space("no-mail").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type(input.Home).MustDo()
	w.KeyActions().Press(input.ControlLeft).Type(input.Enter).MustDo()
	w.says(in("no-mail", ".ran .grid-head-cell"), "one")
	w.says(in("no-mail", ".ran [role=status]"), "1 row,")
	if n := len(w.MustElements(in("no-mail", ".ran"))); n != 1 {
		t.Errorf("%d results", n)
	}
	w.KeyActions().Press(input.ControlLeft).Type(input.End).MustDo()
	w.KeyActions().Press(input.ShiftLeft).Type(input.Home).MustDo() // the last line
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".ran .row-grid-cell"), "^4$")
	if n := len(w.MustElements(in("no-mail", ".ran"))); n != 1 {
		t.Errorf("%d results of what was selected", n)
	}
	w.write("no-mail", "SELECT 'changed since'")
	w.says(in("no-mail", ".ran"), "The text has been changed since this was run")
}

func TestALongRunIsStopped(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT count(*) FROM generate_series(1, 100000000) AS a, generate_series(1, 100) AS b")
	w.press("no-mail", "Run")
	w.click(in("no-mail", "button.run"), `Stop \([0-9.]+ s\)`)
	w.says(in("no-mail", ".ran [role=status]"), "^Stopped.$")
	w.says(in("no-mail", "button.run"), "^Run$")
	// The seat is free: the learner's two runs at once go through.
	w.write("no-mail", "SELECT 'goes on'")
	w.press("no-mail", "Run")
	w.says(in("no-mail", ".result"), "1 row")
}

func TestFilesAreOpenedAndSaved(t *testing.T) {
	w := writing(t)
	file := filepath.Join(t.TempDir(), "mine.sql")
	if err := os.WriteFile(file, []byte("SELECT name\r\nFROM hive;"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.click(in("no-mail", ".tools summary"), "More")
	w.element(in("no-mail", "input[type=file]")).MustSetFiles(file)
	w.shows("no-mail", "SELECT name\nFROM hive;")
	w.saves()
	w.press("no-mail", "Save as a file")
	if name, text := w.saved(); name != "first-look-no-mail.sql" || text != "SELECT name\nFROM hive;" {
		t.Errorf("saved as %q: %q", name, text)
	}
}

// saves has the page keep what it would save as a file.
func (w *window) saves() {
	w.MustEval(`() => {
		const make = URL.createObjectURL; // the page may not fetch what it saves
		URL.createObjectURL = (blob) => {
			window.savedText = blob.text();
			return make.call(URL, blob);
		};
		HTMLAnchorElement.prototype.click = function () {
			const coded = this.href.split(";base64,")[1];
			if (coded) window.savedText = atob(coded);
			window.savedName = this.download;
		};
	}`)
}

// saved is the file that was saved last.
func (w *window) saved() (name, text string) {
	w.t.Helper()
	whole.Until(w.t, "a file is saved", func() bool {
		return w.MustEval(`() => window.savedName !== undefined`).Bool()
	})
	return w.MustEval(`() => window.savedName`).Str(), w.MustEval(`() => window.savedText`).Str()
}

// The last hour is counted down, and a submission after the end is refused.
func TestTheLastHourIsCountedDown(t *testing.T) {
	teacher := whole.Hazel(t)
	_, err := client.Read[client.Course](
		teacher.CreateCourse(ctx, client.NewCourse{Slug: "last-hour", Title: "The last hour"}),
	)
	if err != nil {
		t.Fatal(err)
	}
	due := time.Now().Add(40 * time.Minute)
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "last-hour", "first-look", client.PaperSetting{Due: due}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.AddedMember](
		teacher.AddMember(ctx, "last-hour", client.NewMember{Name: "latecomer", Password: demo.LearnerPassword}),
	); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, "latecomer", demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.says("#content h1 + p", `^Due .*\d\d:\d\d \S+, in (40|39) minutes. What the service receives in time counts`)
}
