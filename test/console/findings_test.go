package console

import (
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/browser"
	"examen/test/whole"
)

// submits writes and submits an answer, and waits for what the margin says of it.
func (w *window) submits(exercise, sql, head string) {
	w.t.Helper()
	w.write(exercise, sql)
	w.press(exercise, "Submit")
	whole.Until(w.t, "the margin speaks of this answer", func() bool {
		stale, _, _ := w.HasR(in(exercise, ".standing"), "for an earlier version of your answer")
		there, _, _ := w.HasR(in(exercise, ".standing"), head)
		return there && !stale
	})
	w.told(exercise)
}

// told waits until the cause of an exercise's latest attempt is no longer looked for: when it comes, it moves what
// stands beneath it.
func (w *window) told(exercise string) {
	w.t.Helper()
	whole.Until(w.t, "the cause is told", func() bool {
		awaited, _, _ := w.Has(in(exercise, ".notes[data-cause=awaited]"))
		return !awaited
	})
}

// What the margin says of answers that beginners write: the cause once, before what follows from it, with rows that
// show it.
func TestFindingsInTheMargin(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	for _, c := range []struct {
		exercise, sql, head string
		kinds               string // of the findings, in order
		says                string // within them
		table               string // the evidence's first lines, cells parted by |
	}{
		{"names-and-valleys", "SELECT name valley FROM apiary", "Incorrect, 0 of 1 point", "cause-alias-for-column " +
			"columns-missing",
			"A comma is missing between name and valley", ""},
		{"names-and-valleys", "SELECT name, upper(valley) FROM apiary",
			"Incorrect", "cause-letter-case values-case",
			"capital and small letters",
			"name|upper|expected upper Bell Meadow|ALDERVALE (yours)|Aldervale (expected)"},
		{"names-and-valleys", "SELECT a.name, a.valley FROM apiary AS a, grade", "Incorrect", "cause-table-extra " +
			"rows-multiplied",
			"grade is joined and not needed", "name|valley Bell Meadow|Aldervale"},
		{"high-and-strong", "SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength > 8",
			"Incorrect", "cause-bound-left-out rows-missing",
			"leaves out 8 itself", "hive_id|strength"},
		{"no-mail", "SELECT name, village FROM beekeeper WHERE email = NULL ORDER BY name",
			"Incorrect", "cause-equals-null result-empty",
			"use IS NULL", ""},
		{"no-mail", "SELECT name, village FROM beekeeper WHERE email IS NULL ORDER BY name DESC",
			"Incorrect", "cause-sort-direction row-order-reversed",
			"without it (or with ASC)", "row|name|village 1|"},
		{
			"which-colours", "SELECT colour FROM hive", "Incorrect", "cause-distinct-missing rows-repeated",
			"DISTINCT leaves repeated rows out", "colour",
		},
		{"calm-bees", "SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%'",
			"Incorrect", "cause-pattern hidden-rows",
			"right on the rows you can see, but not on others", ""},
		{"harvest-by-grade", "SELECT DISTINCT grade_code, (SELECT count(*) FROM harvest AS h WHERE h.grade_code = " +
			"g.grade_code), (SELECT sum(weight_kg) FROM harvest AS h WHERE h.grade_code = g.grade_code) FROM " +
			"harvest AS g WHERE (SELECT sum(weight_kg) FROM harvest AS h WHERE h.grade_code = g.grade_code) >= 500 " +
			"ORDER BY 3 DESC",
			"Rejected, 0 of 3 points", "construct-required", "The rows are right", ""},
	} {
		w.submits(c.exercise, c.sql, c.head)
		if kind, _, _ := strings.Cut(c.kinds, " "); strings.HasPrefix(kind, "cause-") { // it follows
			w.element(in(c.exercise, `.right-margin [data-kind="`+kind+`"] mark`))
		}
		margin := w.element(in(c.exercise, ".right-margin"))
		var kinds []string
		for _, f := range margin.MustElements(".finding") {
			kinds = append(kinds, *f.MustAttribute("data-kind"))
		}
		if got := strings.Join(kinds, " "); got != c.kinds && !strings.HasPrefix(got, c.kinds) {
			t.Errorf("%s: found %s, want %s", c.sql, got, c.kinds)
		}
		if text := margin.MustText(); !strings.Contains(text, c.says) ||
			strings.Contains(text, "Cause:") != strings.HasPrefix(c.kinds, "cause-") {
			t.Errorf("%s: the margin says\n%s", c.sql, text)
		}
		if c.table == "" {
			continue
		}
		var lines []string
		for _, tr := range margin.MustElements(".finding tr") {
			var cells []string
			for _, cell := range tr.MustElements("th, td") {
				cells = append(cells, strings.Join(strings.Fields(cell.MustText()), " "))
			}
			lines = append(lines, strings.Join(cells, "|"))
		}
		if got := strings.Join(lines, " "); !strings.HasPrefix(got, c.table) || len(lines) > 6 {
			t.Errorf("%s: the evidence is %q, want %q and so on", c.sql, lines, c.table)
		}
	}
}

// The notes stand beside the answer they speak of, within the window, also where their rows are wide.
func TestNotesStandLevelWithTheAnswer(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.submits(
		"high-and-strong",
		"SELECT hive_id, repeat('wide ', 40) AS remark FROM hive WHERE kind = 'stacked' AND strength >= 8", "Incorrect",
	)
	answer, notes := w.element(
		in("high-and-strong", ".answer"),
	).MustShape().Box(), w.element(in("high-and-strong", ".notes")).MustShape().Box()
	if notes.X < answer.X+answer.Width || notes.Y < answer.Y-60 || notes.Y > answer.Y+answer.Height ||
		notes.X+notes.Width > 1280 {
		t.Errorf("the answer is at %v, the notes at %v", answer, notes)
	}
	if wide := w.MustEval("() => document.documentElement.scrollWidth").Int(); wide > 1280 {
		t.Errorf("the page is %d wide", wide)
	}
}

func TestRunningFromTheKeyboard(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.write("no-mail", "SELECT count(*) AS members FROM beekeeper")
	w.KeyActions().Press(input.ControlLeft).Type(input.Enter).MustDo()
	w.says(in("no-mail", ".result"), "1 row, .* ms")
	w.says(in("no-mail", ".result .grid-head-cell"), `members\s+bigint`)
	if sql := w.element(
		in("no-mail", written),
	).MustText(); sql != "SELECT count(*) AS members FROM beekeeper" {
		t.Errorf("the answer space holds %q", sql)
	}
}

const shownPaper = `---
paper: shown-SUFFIX
title: What is shown
dataset: apiary
---
Each task tells another part of what is expected.

## Nothing {#nothing}

` + "```sql answer\nSELECT name AS secret_name FROM apiary\n```\n\n```yaml check\nshow: nothing\n```" + `

## Columns {#columns}

` + "```sql answer\nSELECT name, altitude_m AS height FROM apiary ORDER BY height\n```\n\n```yaml check\n" +
	"names: require\n```" + `

## Count {#count}

` + "```sql answer\nSELECT name FROM apiary ORDER BY name\n```\n\n```yaml check\nshow: count\norder: any\n" +
	"require: [order-by]\nforbid: [star, \"table:hive\"]\nattempts: 2\n```" + `

## Sample {#sample}

` + "```sql answer\nSELECT name, valley FROM apiary ORDER BY name\n```\n\n```yaml check\nshow: sample\n```" + `

## Rows {#rows}

` + "```sql answer\nSELECT DISTINCT valley FROM apiary\n```\n\n```yaml check\nshow: rows\n```\n"

// An exercise shows as much of the expected result beforehand as its check says, and no more afterwards.
func TestWhatAnExerciseShows(t *testing.T) {
	teacher := whole.Hazel(t)
	if _, err := client.Loaded(
		ctx, teacher,
		whole.Scripts(
			map[string]string{
				"pack.yaml": "pack: shown\ntitle: Shown\npapers: [paper.md]\n",
				"paper.md":  strings.ReplaceAll(shownPaper, "SUFFIX", "console"),
			},
		),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "shown-console", client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/shown-console")
	w.says(
		in("columns", ".expected"),
		`Expected columns: name text, height integer; column names must match; row order must match`,
	)
	w.says(in("count", ".expected"), `Expected: 12 rows. Use ORDER BY. Do not use STAR, the table hive.`)
	w.says(in("sample", ".expected"), `Expected: 12 rows, in this order.`)
	if rows := len(w.MustElements(in("sample", ".expected tbody tr"))); rows != 3 {
		t.Errorf("%d rows are shown of the sample", rows)
	}
	if rows := len(w.MustElements(in("rows", ".expected tbody tr"))); rows != 4 {
		t.Errorf("%d rows are shown of the 4 valleys", rows)
	}
	if text := strings.TrimSpace(w.element(in("nothing", ".expected")).MustText()); text != "" {
		t.Errorf("nothing is to be shown, and it says %q", text)
	}

	// A wrong answer is told no more than that.
	w.submits("nothing", "SELECT name, valley FROM apiary", "Incorrect")
	if text := w.element(in("nothing", ".notes")).MustText(); strings.Contains(text, "secret_name") ||
		strings.Contains(text, "12 rows") || !strings.Contains(text, "columns") {
		t.Errorf("it is said %q", text)
	}
	w.submits("columns", "SELECT name, altitude_m FROM apiary ORDER BY altitude_m", "Incorrect")
	w.says(in("columns", `.finding[data-kind="column-names"]`), "has to be called “height”")

	// Attempts run out, runs do not.
	w.submits("count", "SELECT name FROM apiary", "Rejected")
	w.says(in("count", ".finding"), "ORDER BY, and the query has none. The rows are right.")
	w.submits("count", "SELECT name FROM apiary ORDER BY name LIMIT 3", "Incorrect")
	whole.Until(t, "no more can be submitted", func() bool {
		e, err := w.ElementR(in("count", "button"), "^Submit$")
		return err == nil && e.MustProperty("disabled").Bool()
	})
	w.press("count", "Run")
	w.says(in("count", ".result"), "3 rows")

	// After the paper is closed its answers can still be run.
	opened, ended := time.Now().Add(-time.Hour), time.Now().Add(-time.Minute)
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "shown-console", client.PaperSetting{Opens: opened, Due: ended}),
	); err != nil {
		t.Fatal(err)
	}
	w.MustReload()
	w.says(in("rows", ".answer"), "The paper is closed: queries can be run, not submitted.")
	w.write("rows", "SELECT 1 AS one")
	w.press("rows", "Run")
	w.says(in("rows", ".result"), "1 row")
}

// The paper's page tells instructors what is doubtful in its exercises, with rows, and leads to them; learners are
// shown nothing of it.
func TestDoubtfulExercisesInTheConsole(t *testing.T) {
	files := map[string]string{
		"pack.yaml": "pack: doubtful-console\ntitle: Doubtful\ndatasets:\n  doubtful-console:\n" +
			"    setup: [rows.sql]\npapers: [paper.md]\n",
		"rows.sql": "CREATE TABLE star (name text PRIMARY KEY, light int, class int, seen date);\n" +
			"INSERT INTO star VALUES ('Aster', 3, 1, '2026-01-01'), ('Bell', 3, 1, '2026-01-02'), ('Clover', 5, 1, " +
			"'2026-01-03'), ('Dill', 4, 2, '2026-01-04'), ('Elder', 5, 2, '2026-01-05'), ('Fern', 5, 1, " +
			"'2026-01-06');\n",
		"paper.md": "---\npaper: doubtful-console\ntitle: Doubtful\ndataset: doubtful-console\n---\n" +
			"See [elsewhere](nowhere).\n\n## Brightest {#brightest}\n\n```sql answer\n" +
			"SELECT name, light FROM star ORDER BY light DESC LIMIT 2\n```\n\n" +
			"## Today {#today}\n\n```sql answer\nSELECT name FROM star WHERE seen < current_date\n```\n",
	}
	if _, err := client.Loaded(ctx, whole.Hazel(t), whole.Scripts(files)); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/doubtful-console")
	w.says(".paper-check", "Learners do not see this")
	w.click("button", "Check the exercises")
	w.says(".paper-check [role=status]", `2 exercises checked: 2 errors, \d warnings?\.`)
	w.says(`.check-note[data-severity="error"]`, "^Error: The link to nowhere leads nowhere")
	w.says(`.check-note[data-severity="error"]`, "^Error in today: .*uses current_date")
	tie := w.says(
		`.check-note[data-severity="warning"]`, "^Warning in brightest: LIMIT cuts through rows that tie: of these 3",
	)
	if rows := len(tie.MustElements("tbody tr")); rows != 3 {
		t.Errorf("%d of the tied rows are shown", rows)
	}
	w.hit("the link", func() *rod.Element { return tie.MustElement("a") })
	whole.Until(t, "the exercise is looked at", func() bool {
		return strings.HasSuffix(w.MustInfo().URL, "#brightest") &&
			w.element("#brightest").MustEval("() => this.getBoundingClientRect().top < innerHeight").Bool()
	})

	name, _ := whole.Newcomer(t)
	l := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	l.visit("/papers/first-look")
	l.element(in("names-and-valleys", ".answer"))
	if found, _, _ := l.Has(".paper-check"); found {
		t.Error("a learner is shown the check")
	}
}

// On a phone nothing has to be scrolled sideways but rows and texts, and the notes stand under their answer.
func TestAPaperOnAPhone(t *testing.T) {
	name, c := whole.Newcomer(t)
	whole.Submit(t, c, "1", "SELECT valley, name FROM apiary")
	b, err := chromium()
	if err != nil {
		t.Fatal(err)
	}
	page, err := browser.Page(b, whole.Shared.URL, 390, 844)
	if err != nil {
		t.Fatal(err)
	}
	defer page.Close()
	w := windowOf(t, page, whole.Shared.URL)
	w.logIn(name, demo.LearnerPassword)
	for path, selector := range map[string]string{
		"/": ".papers", "/papers/first-look": in("names-and-valleys", ".finding"), "/history": ".entry",
		"/datasets/apiary": "#hive",
	} {
		w.visit(path)
		w.element(selector)
		if wide := w.MustEval("() => document.documentElement.scrollWidth").Int(); wide > 390 {
			t.Errorf(
				"%s is %d wide: %s", path, wide,
				w.MustEval(
					`() => [...document.querySelectorAll("main *")].filter((e) => e.getBoundingClientRect().right > `+
						`391).map((e) => e.tagName + "." + e.className + " " + `+
						`e.getBoundingClientRect().right).slice(0, 8).join("\n")`,
				).Str(),
			)
		}
	}
	w.visit("/papers/first-look")
	notes, answer := w.element(in("names-and-valleys", ".notes")).MustShape().Box(), w.element(
		in("names-and-valleys", ".actions"),
	).MustShape().Box()
	if notes.Y < answer.Y+answer.Height-1 {
		t.Errorf("the answer is at %v, the notes at %v", answer, notes)
	}
}

// Text can be read on its ground, light and dark: a contrast of at least 4.5 to 1 (WCAG 2.2, 1.4.3) wherever the page
// says something.
func TestContrastInBothLooks(t *testing.T) {
	name, c := whole.Newcomer(t)
	whole.Submit(t, c, "1", "SELECT valley FROM apiary")
	whole.Submit(t, c, "2", "SELECT nme FROM hive")
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	for _, look := range []string{"light", "dark"} {
		if err := (proto.EmulationSetEmulatedMedia{
			Features: []*proto.EmulationMediaFeature{{Name: "prefers-color-scheme", Value: look}},
		}).Call(w); err != nil {
			t.Fatal(err)
		}
		w.visit("/papers/first-look")
		w.element(in("names-and-valleys", ".finding"))
		w.element(in("hives-by-strength", ".problem"))
		weak := w.MustEval(`() => {
			const rgb = (s) => (s.match(/[\d.]+/g) ?? []).map(Number);
			const linear = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
			const light = (c) =>
				[0.2126, 0.7152, 0.0722].reduce((sum, share, i) => sum + share * linear(c[i] / 255), 0);
			const ground = (e) => {
				for (; e; e = e.parentElement) {
					const c = rgb(getComputedStyle(e).backgroundColor);
					if (c.length === 3 || c[3] > 0.9) return c;
				}
				return [255, 255, 255];
			};
			const places = ["p", "h2", "th", "td", "strong", "code", "pre"].map((tag) => "main " + tag);
			return [...document.querySelectorAll([...places, "header a"].join())]
				.filter((e) => e.checkVisibility() && e.textContent.trim())
				.map((e) => {
					const [a, b] = [light(rgb(getComputedStyle(e).color)), light(ground(e))];
					const contrast = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
					return [contrast, e.tagName + "." + e.className + " " + e.textContent.trim().slice(0, 30)];
				})
				.filter(([contrast]) => contrast < 4.5)
				.map(([contrast, what]) => contrast.toFixed(1) + " " + what)
				.slice(0, 5)
				.join("\n");
		}`).Str()
		if weak != "" {
			t.Errorf("%s: little contrast:\n%s", look, weak)
		}
	}
}

// The smallest example comes into sight, wherever the button stands that asks for it. The answer is tried on its rows.
func TestTheSmallestExampleInTheConsole(t *testing.T) {
	name, learner := whole.Newcomer(t)
	whole.Submit(t, learner, "2", "SELECT name, kind, strength FROM hive ORDER BY strength")
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.MustSetViewport(1280, 480, 1, false)
	w.visit("/papers/first-look")
	const exercise = "hives-by-strength"
	w.press(exercise, "Smallest example")
	w.says(in(exercise, ".example-rows"), "Run my answer")
	whole.Until(t, "its heading is in sight", func() bool {
		return w.MustEval(`() => {
			const box = (selector) => document.querySelector(selector).getBoundingClientRect();
			const heading = box(".example-rows h3");
			return heading.top >= box(".paper-bar").bottom && heading.bottom < innerHeight;
		}`).Bool()
	})
	w.click(in(exercise, ".example-rows button"), "^Run my answer")
	w.says(in(exercise, ".example-rows [role=status]"), "Not yet right")
	w.write(exercise, "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC, name")
	w.click(in(exercise, ".example-rows button"), "^Run my answer")
	w.says(in(exercise, ".example-rows [role=status]"), "Right on these rows")
}
