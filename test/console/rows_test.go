package console

import (
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// runs writes a query for no-mail, runs it and waits for its rows.
func (w *window) runs(sql, says string) {
	w.t.Helper()
	w.write("no-mail", sql)
	before := "none"
	if found, result, _ := w.Has(in("no-mail", ".result")); found {
		before = *result.MustAttribute("data-run")
	}
	w.press("no-mail", "Run")
	w.element(in("no-mail", fmt.Sprintf(".result:not([data-run=%q])", before)))
	w.says(in("no-mail", ".result [role=status]"), says)
}

// uses presses a button of what can be done with the rows.
func (w *window) uses(button string) {
	w.t.Helper()
	w.click(in("no-mail", ".result summary"), "Use the rows")
	w.click(in("no-mail", ".result .tools-list button"), button)
	if open, _, _ := w.Has(in("no-mail", ".result details[open]")); open {
		w.KeyActions().Type(input.Escape).MustDo()
	}
}

// cells are the cells of the grid's column that are drawn, from top to bottom.
func (w *window) cells(column int) (all []string) {
	for _, e := range w.MustElements(in("no-mail", fmt.Sprintf(`.result .row-grid-cell[aria-colindex="%d"]`, column))) {
		all = append(all, e.MustText())
	}
	return all
}

// Of 100,000 rows by 30 columns those in sight are drawn, to the last.
func TestTheGridHoldsManyRows(t *testing.T) {
	w := writing(t)
	var columns []string
	for i := range 30 {
		columns = append(columns, fmt.Sprintf("n * %d AS c%d", i, i))
	}
	w.runs("SELECT "+strings.Join(columns, ", ")+" FROM generate_series(1, 100000) AS n",
		"^100,000 rows, [^;]*; the first 1,000 of them are shown")
	w.click(in("no-mail", ".result-foot button"), "^Fetch all$")
	w.says(in("no-mail", ".result [role=status]"), "^100,000 rows, [^;]*$")
	grid := w.element(in("no-mail", ".row-grid-scroll"))
	grid.MustEval(`() => { this.scrollTop = this.scrollHeight; this.scrollLeft = this.scrollWidth }`)
	w.says(in("no-mail", ".row-grid-cell"), "^2900000$")
	if n := w.MustEval(`() => document.querySelectorAll(".row-grid *").length`).Int(); n > 1500 {
		t.Errorf("%d elements", n)
	}
	if *grid.MustAttribute("aria-rowcount") != "100001" || *grid.MustAttribute("aria-colcount") != "30" {
		t.Error("a screen reader is told other sizes")
	}
}

func TestValuesAreToldApart(t *testing.T) {
	w := writing(t)
	w.runs(`SELECT NULL AS nothing, 'NULL' AS word, '' AS empty, ' a ' AS blanks, true AS yes, E'x\ny' AS lines, `+
		`'{"a": [1]}'::json AS js, 1.50 AS number`, "1 row,")
	var got []string
	for _, e := range w.MustElements(in("no-mail", ".result .row-grid-cell")) {
		html := e.MustEval(`() => this.innerHTML`).Str()
		got = append(got, regexp.MustCompile(`<(/?\w+)[^>]*>`).ReplaceAllString(html, "<$1>"))
	}
	want := `<i>NULL</i>|NULL|<i>empty text</i>|<span>·</span>a<span>·</span>|true|x<span>⏎</span>y|{"a": [1]}|1.50`
	if all := strings.Join(got, "|"); all != want {
		t.Errorf("got  %s\nwant %s", all, want)
	}
	for name, right := range map[string]bool{"number": true, "word": false} {
		head := w.says(in("no-mail", ".grid-head-cell"), "^"+name)
		if attribute, _ := head.Attribute("data-number"); (attribute != nil) != right {
			t.Errorf("%s is at the wrong side", name)
		}
	}
	// JSON opens laid out, by the keyboard.
	w.element(in("no-mail", ".row-grid-scroll")).MustFocus()
	w.KeyActions().Type(input.End, input.ArrowLeft, input.Enter).MustDo()
	w.says(in("no-mail", ".cell-text pre"), `^\{\n  "a": \[\n    1`)
	w.KeyActions().Type(input.Escape).MustDo()
	if found, _, _ := w.Has(in("no-mail", ".cell-text")); found {
		t.Error("Escape does not close it")
	}
}

// Sorting is of the view alone, and the page says so.
func TestSortingTheView(t *testing.T) {
	w := writing(t)
	w.runs("SELECT * FROM (VALUES (10, 'b'), (9, NULL), (NULL, 'a')) AS v (n, t)", "3 rows,")
	own := fmt.Sprint(w.cells(1))
	head := func(name string) { w.click(in("no-mail", ".grid-head-cell span"), "^"+name) }
	for _, c := range []struct{ column, says, want string }{
		{"n", "Sorted here by n, ascending; the query.s own order is another", "[9 10 NULL]"},
		{"n", "Sorted here by n, descending", "[10 9 NULL]"},
		{"t", "Sorted here by t, ascending", "[NULL 10 9]"},
	} {
		head(c.column)
		w.says(in("no-mail", ".row-grid [role=status]"), c.says)
		if got := fmt.Sprint(w.cells(1)); got != c.want {
			t.Errorf("%s: %s, want %s", c.says, got, c.want)
		}
	}
	w.click(in("no-mail", ".row-grid button"), "own order")
	if got := fmt.Sprint(w.cells(1)); got != own {
		t.Errorf("back in %s, want %s", got, own)
	}
	// By the keyboard, and a column made wider.
	w.element(in("no-mail", ".row-grid-scroll")).MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type(input.Home).MustDo()
	w.KeyActions().Type(input.ArrowUp, input.Enter).MustDo()
	w.element(in("no-mail", `.grid-head-cell[aria-sort="ascending"]`))
	before := w.element(in("no-mail", ".grid-head-cell")).MustShape().Box().Width
	w.KeyActions().Press(input.AltLeft).Type(input.ArrowRight).MustDo()
	whole.Until(t, "the column is wider", func() bool {
		return w.element(in("no-mail", ".grid-head-cell")).MustShape().Box().Width == before+20
	})
}

func TestRowsAreCopied(t *testing.T) {
	w := writing(t)
	w.runs(`SELECT * FROM (VALUES (1, 'a'), (2, NULL), (3, E'x\ty')) AS v (n, t)`, "3 rows,")
	w.MustEval(`() => document.addEventListener("copy", (e) => {
		window.copied = e.clipboardData.getData("text/plain");
	})`)
	copied := func() string { return w.MustEval(`() => window.copied ?? ""`).Str() }
	w.element(in("no-mail", ".row-grid-scroll")).MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type(input.Home).MustDo()
	w.KeyActions().Press(input.ShiftLeft).Type(input.ArrowDown).MustDo()
	w.KeyActions().Press(input.ControlLeft).Type('c').MustDo()
	w.MustEval(`() => document.execCommand("copy")`)
	if got := copied(); got != "1\n2" {
		t.Errorf("a block: %q", got)
	}
	for button, want := range map[string]string{
		"^marked cells$": "n\n1\n2", "^column$": "n\n1\n2\n3", "^all$": "n\tt\n1\ta\n2\t\n3\t\"x\ty\"",
	} {
		w.uses(button)
		if got := copied(); got != want {
			t.Errorf("%s: %q, want %q", button, got, want)
		}
	}
	w.click(in("no-mail", ".result summary"), "Use the rows")
	w.click(in("no-mail", ".result label"), "with the columns")
	w.click(in("no-mail", ".result .tools-list button"), "^all$")
	if got := copied(); got != "1\ta\n2\t\n3\t\"x\ty\"" {
		t.Errorf("without names: %q", got)
	}
}

func TestRowsAreSavedWhole(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.runs("SELECT generate_series(1, 1500) AS n", "^1,500 rows")
	w.click(in("no-mail", ".result summary"), "Use the rows")
	bearer := whole.Token(t, whole.Shared.URL, name, demo.LearnerPassword)
	for format, begins := range map[string]string{
		"CSV": "n\n1\n2\n", "JSON": `{"columns": [{"name":"n"`, "XLSX": "PK",
	} {
		link := w.says(in("no-mail", ".result a"), "^"+format+"$")
		request, _ := http.NewRequest(http.MethodGet, link.MustProperty("href").Str(), nil)
		request.Header.Set("Authorization", "Bearer "+bearer)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(response.Body)
		_ = response.Body.Close()
		if err != nil || !strings.HasPrefix(string(body), begins) || response.ContentLength != int64(len(body)) {
			t.Errorf("%s: %.60q of %d bytes, %v", format, body, response.ContentLength, err)
		}
		if format != "XLSX" && !strings.Contains(string(body), "1500") {
			t.Errorf("%s: not all rows", format)
		}
		if file := response.Header.Get("Content-Disposition"); !strings.Contains(file, strings.ToLower("."+format)) {
			t.Errorf("%s: %s", format, file)
		}
	}
}

func TestResultsAreCompared(t *testing.T) {
	w := writing(t)
	w.runs("SELECT kind FROM hive", "^96 rows")
	w.runs("SELECT DISTINCT kind FROM hive", "^3 rows")
	w.uses("Compare with an earlier run")
	w.says(in("no-mail", ".comparison [role=status]"),
		"Before: 96 rows; now: 3 rows. 93 rows gone, 0 new, 0 different, 3 the same")
	w.runs("SELECT * FROM (VALUES (1, 'a'), (2, 'b'), (4, 'd')) AS v (id, name)", "^3 rows")
	w.runs("SELECT * FROM (VALUES (2, 'B'), (1, 'a'), (5, 'e')) AS v (id, name)", "^3 rows")
	w.uses("Compare with an earlier run")
	w.says(in("no-mail", ".comparison [role=status]"), "1 row gone, 1 new, 1 different, 1 the same")
	var lines []string
	for _, row := range w.MustElements(in("no-mail", ".comparison .row-grid-row")) {
		lines = append(lines, strings.Join(strings.Fields(row.MustText()), " "))
	}
	want := "before 2 b (differs, before); now 2 B (differs, now); gone 4 d; new 5 e"
	if got := strings.Join(lines, "; "); got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	w.click(in("no-mail", ".comparison label"), "Side by side")
	w.says(in("no-mail", ".comparison .beside > div:first-child"), "^Before")
	w.says(in("no-mail", ".comparison .beside > div:last-child .row-grid-cell"), "^B$")
	// An earlier one than the last.
	w.element(in("no-mail", ".comparison select")).MustSelect("96 rows: SELECT kind FROM hive")
	w.says(in("no-mail", ".comparison [role=status]"), "Only before there is the column kind")
}

// After an attempt, one's own rows stand beside the findings', and what differs is marked in words.
func TestRowsBesideTheFindings(t *testing.T) {
	w := writing(t)
	const exercise = "hives-by-strength"
	w.submits(exercise, "SELECT name, kind, strength FROM hive ORDER BY strength DESC", "Incorrect")
	w.says(in(exercise, ".notes .finding"), "9 of them should not be there")
	w.press(exercise, "Show beside my rows")
	w.says(in(exercise, `.evidence .row-grid-cell[data-mark="not expected"]`), "NULL")
	w.says(in(exercise, ".evidence .beside > div:last-child td"), "NULL")

	w.submits(exercise, "SELECT name, kind, strength + 1 FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC",
		"Incorrect")
	w.says(in(exercise, ".notes th"), "^expected")
	w.says(in(exercise, `.notes td[data-mark="yours"]`), "11")
	w.press(exercise, "Show beside my rows")
	w.says(in(exercise, `.evidence .row-grid-cell[data-mark^="expected: "]`), "11")

	// Where no row is right, one column alone is shown; rows that are left out are not called wrong.
	const names = "names-and-valleys"
	w.submits(names, "SELECT upper(name), upper(valley) FROM apiary", "Incorrect")
	w.says(in(names, ".notes th:last-child"), "^expected upper")
	w.says(in(names, `.notes td[data-mark="yours"]`), "^[A-Z]+ [A-Z]+")
	w.press(names, "Show beside my rows")
	w.says(in(names, `.evidence .row-grid-cell[data-mark^="expected: "]`), "^[A-Z]+ [A-Z]+")

	const order = "hives-by-strength"
	w.submits(order, "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL", "Incorrect")
	w.says(in(order, ".notes"), "not their order")
	w.press(order, "Show beside my rows")
	w.element(in(order, ".evidence .row-grid-cell[data-mark]"))
	for _, cell := range w.MustElements(in(order, ".evidence .row-grid-cell[data-mark]")) {
		if said := *cell.MustAttribute("data-mark"); said != "the first that is out of order" {
			t.Errorf("marked: %s", said)
		}
	}
	if rows := len(w.MustElements(in(order, `.evidence .row-grid-cell[data-mark][aria-colindex="1"]`))); rows != 1 {
		t.Errorf("%d rows are marked", rows)
	}
}

func TestAPlanInTheConsole(t *testing.T) {
	w := writing(t)
	w.write("no-mail", "SELECT name FROM hive ORDER BY strength")
	w.click(in("no-mail", ".tools summary"), "More")
	w.press("no-mail", "How it is worked out")
	w.says(in("no-mail", ".plan-steps > li"), "sorts by strength")
	w.says(in("no-mail", ".plan-steps li li"), "^reads all 96 rows of hive about 96 rows, cost")
	if found, _, _ := w.Has(in("no-mail", ".ran")); found {
		t.Error("it was run")
	}
}

func TestAResultIsDrawn(t *testing.T) {
	w := writing(t)
	for _, c := range []struct{ sql, rows, says string }{
		{"SELECT kind, count(*) AS hives FROM hive GROUP BY kind", "^3 rows", "hives by kind, as bars."},
		{"SELECT day, mites FROM inspection ORDER BY day LIMIT 50", "^50 rows", "mites by day, as a line."},
		{"SELECT brood_frames, mites FROM inspection LIMIT 50", "^50 rows", "mites by brood_frames, as points."},
	} {
		w.runs(c.sql, c.rows)
		w.uses("^Draw$")
		w.element(in("no-mail", ".chart canvas"))
		w.says(in("no-mail", ".chart p.quiet"), "^"+c.says)
	}
	w.saves()
	w.press("no-mail", "Save as PNG")
	if name, text := w.saved(); name != "chart.png" || !strings.Contains(text[:8], "PNG") {
		t.Errorf("saved %q: %.8q", name, text)
	}
	w.runs("SELECT name FROM hive LIMIT 5", "^5 rows")
	w.click(in("no-mail", ".result summary"), "Use the rows")
	if off, _ := w.says(in("no-mail", ".result .tools-list button"), "^Draw$").Attribute("disabled"); off == nil {
		t.Error("texts alone are drawn")
	}
}

// A paper of 40 exercises opens without an editor; one that is used comes alone.
func TestAPaperOfFortyExercises(t *testing.T) {
	teacher := whole.Hazel(t)
	if err := fortyExercises(teacher); err != nil {
		t.Fatal(err)
	}
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/forty")
	w.element(in("exercise-40", ".sql"))
	if n := len(w.MustElements(".cm-editor")); n != 0 {
		t.Errorf("%d editors", n)
	}
	for _, exercise := range []string{"exercise-1", "exercise-20", "exercise-40"} {
		w.write(exercise, "SELECT name FROM hive")
	}
	if n := len(w.MustElements(".cm-editor")); n > 2 {
		t.Errorf("%d editors", n)
	}
	w.says(in("exercise-1", ".sql"), "SELECT name FROM hive")
}

// fortyExercises sets a paper of so many.
func fortyExercises(teacher *client.Client) error {
	var text strings.Builder
	text.WriteString("---\npaper: forty\ntitle: Forty exercises\ndataset: apiary\n---\n")
	for i := range 40 {
		fmt.Fprintf(&text, "\n## Exercise %d {#exercise-%d}\n\nThe names of the hives that are stronger than %d.\n\n"+
			"```sql answer\nSELECT name FROM hive WHERE strength > %d;\n```\n", i+1, i+1, i%9, i%9)
	}
	_, err := client.Loaded(ctx, teacher, whole.Scripts(map[string]string{
		"pack.yaml": "pack: forty\ntitle: Forty\npapers: [paper.md]\n", "paper.md": text.String(),
	}))
	if err != nil {
		return err
	}
	_, err = client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "forty", client.PaperSetting{}),
	)
	return err
}

// What stands below a result moves when one runs, and not when its rows come, however many there are.
func TestNothingJumpsWhenRowsCome(t *testing.T) {
	w := writing(t)
	w.MustEval(`() => {
		window.heights = [];
		new MutationObserver(() => document.querySelector("#no-mail .ran") && heights.push(document.body.scrollHeight))
			.observe(document.body, { childList: true, subtree: true, attributes: true });
	}`)
	for _, c := range []struct{ sql, says string }{
		{"SELECT count(*) FROM hive", "^1 row, "},
		{"SELECT n FROM generate_series(1, 30000) AS n", "^30,000 rows, "},
		{"SELECT 1 WHERE false", "^0 rows, "},
	} {
		w.runs(c.sql, c.says)
		w.MustEval(`() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))`)
		heights := w.MustEval(`() => [...new Set(heights)].join(" ")`).Str()
		if strings.Contains(heights, " ") {
			t.Errorf("%s: the page was %s pixels high", c.sql, heights)
		}
	}
}
