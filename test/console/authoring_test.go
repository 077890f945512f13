package console

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/go-rod/rod/lib/input"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// author opens a page to write on.
func author(t *testing.T, path string) *window {
	t.Helper()
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit(path)
	return w
}

// section is the part of a paper that an exercise is.
func sectionOf(exercise, selector string) string { return fmt.Sprintf("#%s %s", exercise, selector) }

// opens opens a section for writing.
func (w *window) opens(exercise string) {
	w.t.Helper()
	w.click(sectionOf(exercise, `.part-actions [aria-label^="Write"]`), "")
	w.element(sectionOf(exercise, ".pieces"))
}

// fills puts a text in place of what stands in a field, by its label; SQL and Markdown alike.
func (w *window) fills(label, text string) {
	w.t.Helper()
	field := fmt.Sprintf(`:is(input, textarea, .cm-content)[aria-label^=%q]`, label)
	e := w.element(field)
	e.MustScrollIntoView().MustFocus()
	if found, _, _ := w.Has(field + `:is(.sql-space textarea)`); found {
		w.element(fmt.Sprintf(`.cm-content[aria-label^=%q]`, label)).MustFocus()
	}
	w.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	w.MustInsertText(text)
}

// titles writes the title of the section that is open.
func (w *window) titles(text string) {
	w.t.Helper()
	w.element(".heading-editor input").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	w.MustInsertText(text)
}

// isSaved waits until the text is saved, and not what is published.
func (w *window) isSaved() {
	w.t.Helper()
	w.says(".paper-bar [role=status]", "^Saved .*; not published yet")
}

// publishes publishes the paper that is being written.
func (w *window) publishes(says string) {
	w.t.Helper()
	w.click(".paper-bar a", "^Publish")
	w.says("#content", says)
	w.click(".publish button", "^Publish$")
	w.says(".publish [role=status]", "Published, as version")
}

// A paper from nothing to published: begun in the list, with an exercise that a query at hand fills, and met by a
// learner.
func TestAPaperIsWrittenFromNothing(t *testing.T) {
	w := author(t, "/")
	w.click("button", "^New paper")
	w.element(".new-paper input").MustInput("Colours of hives")
	w.click(".new-paper button", "^Begin it$")
	w.says(".strip p", "It was never published")

	w.click(".add-part button", "Exercise from a query")
	w.fills("A query at hand", "SELECT colour, count(*) AS hives FROM hive GROUP BY colour ORDER BY hives DESC")
	w.click(".add-part button", "^Make an exercise of it$")
	w.says(".tried [role=status]", "Learners are shown the columns colour .text., hives .bigint., and that the order")
	w.says(".constructs", "The accepted answer uses.*group-by")
	w.says(".right-margin", "the exercise has no title")
	w.click(".constructs button", "^group-by$")
	w.titles("How many of each colour")
	w.fills("Task of", "Count the hives of each *colour*, the most frequent first.")
	w.says(".right-margin", "Nothing to remark")
	w.click(".piece-actions button", "^Write the block itself$")
	if got := w.element(`[aria-label="Check block"]`).MustText(); got != "points: 1\nrequire: [group-by]" {
		t.Errorf("the form writes %q", got)
	}
	w.isSaved()
	w.publishes("was never published")

	if _, err := client.Read[client.CoursePaper](
		whole.Hazel(t).SetPaper(ctx, "evening-group", "colours-of-hives", client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
	name, learner := whole.Newcomer(t)
	met := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	met.visit("/papers/colours-of-hives")
	met.says(in("how-many-of-each-colour", "em"), "^colour$")
	met.says(in("how-many-of-each-colour", ".expected"), "colour text, hives bigint; row order must match")
	a, err := client.Read[client.Attempt](learner.Submit(ctx, "colours-of-hives", "1", client.Submission{
		Sql: "SELECT colour, count(hive_id) FROM hive GROUP BY 1 ORDER BY 2 DESC",
	}))
	if err != nil || a.Outcome != client.Correct {
		t.Errorf("%v %+v", err, a)
	}
}

// What is changed with attempts made on it is told before it is published, and the attempts keep their marks.
func TestAChangeWithAttemptsMadeOnIt(t *testing.T) {
	try := whole.PaperOf(t, "faint-stars", [2]string{"points: 2", "SELECT id FROM star WHERE class = 3"},
		[2]string{"points: 1", "SELECT count(*) FROM star"})
	_, learner := whole.Newcomer(t)
	if a := try(learner, 1, "SELECT id FROM star WHERE class = 3"); a.Mark.String() != "2" {
		t.Fatalf("%+v", a)
	}
	w := author(t, "/papers/faint-stars/write")
	w.opens("exercise-number-1")
	w.fills("Accepted answer of", "SELECT id FROM star WHERE class = 4")
	w.says(sectionOf("exercise-number-1", ".tried [role=status]"), "^714 rows")
	w.click(sectionOf("exercise-number-2", ".part-actions button"), "^Take out$")
	w.says(".removed", "taken out")
	w.isSaved()
	w.click(".paper-bar a", "^Publish")
	w.says(".publish td", "^accepted answers$")
	w.says(".publish td", "^1 attempt by 1 learner: they keep the marks that they have$")
	w.says(".publish td", "^taken out$")
	w.says(".publish p", "Evening group: .*the paper has opened there, and changes at once")
	w.says(".publish ins", "class = 4")
	w.click(".publish button", "^Publish$")
	w.says(".publish [role=status]", "Published, as version 2")

	paper, err := client.Read[client.Paper](learner.GetPaper(ctx, "faint-stars"))
	if err != nil || len(paper.Sections) != 1 || paper.Sections[0].Exercise.Mark.String() != "2" {
		t.Errorf("%v %+v", err, paper.Sections)
	}
	if a := try(learner, 1, "SELECT id FROM star WHERE class = 4"); a.Outcome != client.Correct {
		t.Errorf("%+v", a)
	}

	// The way back.
	w.visit("/papers/faint-stars/versions")
	w.hit("Write it again", button(w.says(".version-list li", "Version 1: loaded with its pack"), "Write it again"))
	w.says("#exercise-number-2 h2", "Exercise number 2")
	w.publishes("new")
}

// Two who write one paper see each other. What one writes comes to the other; where both write one section, both forms
// stand there.
func TestTwoWriters(t *testing.T) {
	whole.PaperOf(t, "double-stars", [2]string{"points: 1", "SELECT id FROM star"},
		[2]string{"points: 1", "SELECT count(*) FROM star"})
	const password = "larks-and-clouds"
	if _, err := client.Read[client.AddedAccount](whole.Hazel(t).CreateAccount(ctx, client.NewAccount{
		Name: "rowan", DisplayName: "Rowan Lark", Password: password, Administrator: true,
	})); err != nil {
		t.Fatal(err)
	}
	one, two := author(t, "/papers/double-stars/write"), open(t, whole.Shared.URL, "rowan", password)
	two.visit("/papers/double-stars/write")
	one.says(".paper-bar .others", "Rowan Lark is here, too")
	two.opens("exercise-number-1")
	one.says("#exercise-number-1 .others", "Rowan Lark is here, too")

	one.opens("exercise-number-2")
	one.fills("Task of", "Count them all.")
	one.isSaved()
	two.says("#exercise-number-2 .prose", "Count them all")

	two.fills("Task of", "List every star.")
	two.isSaved()
	one.says("#exercise-number-1 .prose", "List every star")

	// Both write the first one while neither knows of the other's text.
	one.opens("exercise-number-1")
	one.MustEval(`() => { window.fetch = () => new Promise(() => {}) }`)
	two.fills("Task of", "Theirs, and saved.")
	two.isSaved()
	one.fills("Task of", "Mine, not saved.")
	one.MustReload()
	one.element(".both-forms")
	one.says(".both-forms del", "Theirs, and saved")
	one.says(".both-forms ins", "Mine, not saved")
	one.click(".both-forms button", "^Keep my form$")
	one.isSaved()
	two.says("#exercise-number-1 textarea", "Mine, not saved")
}

// The examiner's remarks stand beside what they speak of, and are renewed after each change.
func TestRemarksStandInTheMargin(t *testing.T) {
	whole.PaperOf(t, "red-stars", [2]string{"points: 1", "SELECT id FROM star ORDER BY id"},
		[2]string{"points: 1", "SELECT id FROM star WHERE class = 9"})
	w := author(t, "/papers/red-stars/write")
	w.says("#exercise-number-2 .right-margin", "Error: The reference answer's result is empty")
	w.opens("exercise-number-1")
	w.fills("Accepted answer of", "SELECT id FROM star ORDER BY class LIMIT 3")
	w.says("#exercise-number-1 .right-margin", "Doubtful: LIMIT cuts through rows that tie")
	level := w.MustEval(`() => Math.abs(document.querySelector("#exercise-number-1 .right-margin").
		getBoundingClientRect().top - document.querySelector("#exercise-number-1").getBoundingClientRect().top)`).Int()
	if level > 60 {
		t.Errorf("the remarks stand %d pixels from their exercise", level)
	}
	w.fills("Accepted answer of", "SELECT class FROM star")
	w.says("#exercise-number-1 .right-margin", "^Nothing to remark[^]*Strength: (\\d+) of \\1 mutations are told apart")
	w.click(".paper-bar a", "^Publish")
	w.click(".publish button", "^Publish$")
	w.says(".publish section", "The examiner finds 1 error")
	w.click(".publish button", "^Go back to it$")
	w.says(".publish button", "^Publish$")
}

// Where one writes, one key shows what a learner will see, and brings the source back.
func TestWhatLearnersSeeAtOneKey(t *testing.T) {
	whole.PaperOf(t, "blue-stars", [2]string{"points: 1", "SELECT id FROM star"})
	w := author(t, "/papers/blue-stars/write")
	w.opens("exercise-number-1")
	w.fills("Task of", "Find *all*, <script>alert(1)</script> $x^2$ and [the first](#exercise-number-1).")
	w.isSaved()
	w.KeyActions().Press(input.AltLeft).Type(input.Enter).MustDo()
	w.says("#exercise-number-1 em", "^all$")
	w.says("#exercise-number-1 .prose", "<script>alert.1.</script>")
	w.element("#exercise-number-1 math")
	w.element("#exercise-number-1 .part-actions button[aria-pressed]").MustFocus()
	w.KeyActions().Press(input.AltLeft).Type(input.Enter).MustDo()
	w.element("#exercise-number-1 .pieces")
}

// Sections are added, moved and taken out, and come back; the form and the block are one thing.
func TestSectionsAndRules(t *testing.T) {
	whole.PaperOf(t, "near-stars", [2]string{"# for all\npoints: 1", "SELECT id FROM star"},
		[2]string{"points: 1", "SELECT count(*) FROM star"})
	w := author(t, "/papers/near-stars/write")
	titles := func(want string) {
		t.Helper()
		w.MustWait(`(want) => [...document.querySelectorAll(".part h2")].map(h => h.firstChild.textContent.trim()).
			join(", ") === want`, want)
	}
	titles("Exercise number 1, Exercise number 2")
	w.click("#exercise-number-2 button", "^Move up$")
	titles("Exercise number 2, Exercise number 1")
	w.click("#exercise-number-2 button", "^Take out$")
	titles("Exercise number 1")
	w.click(".removed button", "^Bring it back$")
	titles("Exercise number 2, Exercise number 1")

	w.opens("exercise-number-1")
	w.chooses(".rule-fields label", "^Names of columns", "have to be the answer's")
	w.says(".rule-fields label", "^Points").MustElement("input").MustSelectAllText().MustInput("2.5")
	w.click(".piece-actions button", "^Accept another answer$")
	w.fills("Also accepted, 1", "SELECT id\nFROM star WHERE true")
	w.click(".piece-actions button", "^Write the block itself$")
	block := w.element(`[aria-label="Check block"]`)
	want := "# for all\npoints: 2.5\nnames: require\nalso:\n  - |-\n    SELECT id\n    FROM star WHERE true"
	if got := block.MustText(); got != want {
		t.Errorf("got %q", got)
	}
	block.MustSelectAllText().MustInput("points: 3\nshow: rows\nforbid: [limit, distinct]")
	w.click(".check-editor button", "^As a form$")
	w.says(".constructs button", "^distinct ×$")
	w.says(".tried [role=status]", "Learners are shown all of it")
	w.isSaved()
	text, err := client.Read[string](whole.Hazel(t).GetWritingText(ctx, "near-stars"))
	if err != nil || !strings.Contains(text, "```yaml check\npoints: 3\nshow: rows\nforbid: [limit, distinct]\n```") {
		t.Errorf("%v\n%s", err, text)
	}

	// A new title leaves the exercise what it is.
	w.titles("Stars that are near")
	w.isSaved()
	w.click("#exercise-number-1 button", "^Done$")
	w.says("#exercise-number-1 h2", "Stars that are near")
}

// The bank finds exercises by what they are about, tells how learners fared, and copies one into a paper.
func TestTheBankOfExercises(t *testing.T) {
	const answer = "SELECT class, max(light) AS brightest FROM star GROUP BY class"
	try := whole.PaperOf(t, "old-stars", [2]string{"points: 1", answer})
	_, learner := whole.Newcomer(t)
	try(learner, 1, "SELECT class FROM star")
	try(learner, 1, "SELECT class, max(light) FROM star GROUP BY class")
	teacher := whole.Hazel(t)
	if _, err := client.Read[client.Writing](teacher.CreatePaper(ctx, client.NewPaper{
		Slug: "older-stars", Title: "Older stars", Dataset: "old-stars",
	})); err != nil {
		t.Fatal(err)
	}
	w := author(t, "/exercises")
	search := func(field, text string) {
		w.says(".filters label", "^"+field).MustElement("input").MustSelectAllText().MustInput(text)
	}
	search("Table", "star")
	search("Construct", "group-by")
	search("Column", "brightest")
	w.says(".found li", "1 of 1 learners have solved it, in 2.0 attempts each")
	search("Text", "nothing of the kind")
	w.says("[role=status]", "No exercise of a published paper fits")
	search("Text", "max(light)")
	w.click(".found button", "^Copy into a paper")
	w.chooses(".found label", "^Into", "Older stars")
	w.click(".found button", "^Copy$")
	w.click(".found a", "^Go there$")
	w.says("#exercise-number-1 h2", "Exercise number 1")
}

// A picture is put into a task; one that is too large, or none, is refused with the reason.
func TestPicturesInTasks(t *testing.T) {
	whole.PaperOf(t, "seen-stars", [2]string{"points: 1", "SELECT id FROM star"})
	w := author(t, "/papers/seen-stars/write")
	w.opens("exercise-number-1")
	choose := func(name string, content []byte) {
		w.element(`.markdown-editor input[type=file]`).MustSetFiles(fileOf(t, name, content))
	}
	choose("large.png", append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR"), make([]byte, 20<<20)...))
	w.says(".markdown-editor [role=status]", "The picture is too large. It has more than 5 MB")
	choose("text.png", []byte("words"))
	w.says(".markdown-editor [role=status]", "PNG, JPEG, GIF, WebP or SVG is expected")
	choose("a star.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="20" height="20"><circle r="9"/></svg>`))
	w.says(".markdown-editor textarea", `!\[Say what is seen\]\(pictures/a-star.svg\)`)
	w.isSaved()
	w.click("#exercise-number-1 button", "^What learners see$")
	w.MustWait(`() => document.querySelector("#exercise-number-1 img")?.naturalWidth === 20`)
}

// A pack that was changed in the console is saved, with the change; loaded over other changes it asks, and says which.
func TestAPackIsSavedAndLoadedInTheConsole(t *testing.T) {
	whole.PaperOf(t, "tidal-stars", [2]string{"points: 1", "SELECT id FROM star"},
		[2]string{"points: 1", "SELECT count(*) FROM star"})
	w := author(t, "/papers/tidal-stars/write")
	w.opens("exercise-number-1")
	w.fills("Task of", "Written in the console.")
	w.isSaved()
	w.publishes("task")

	w.visit("/datasets")
	address := *w.says("a", "^Save tidal-stars as a ZIP file$").MustAttribute("href")
	saved := w.MustEval(`async (address) => {
		const bytes = new Uint8Array(await (await fetch(address)).arrayBuffer());
		return btoa(bytes.reduce((text, byte) => text + String.fromCharCode(byte), ""));
	}`, address).Str()
	content, err := base64.StdEncoding.DecodeString(saved)
	if err != nil {
		t.Fatal(err)
	}
	folder := filepath.Join(t.TempDir(), "tidal-stars")
	files, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err == nil {
		err = os.CopyFS(folder, files)
	}
	if err != nil {
		t.Fatal(err)
	}
	text := whole.ReadFile(t, folder, "paper.md")
	if strings.Count(text, "Written in the console.") != 1 || strings.Count(text, "Solve it.") != 1 {
		t.Errorf("got %s", text)
	}
	load := func() {
		w.element(`[data-choose="folder"]`).MustSetFiles(folder)
		w.says(".build-form .quiet", "^A pack: ")
		w.click(".build-form button", "^Load the pack$")
	}
	load()
	w.says(".job-state", "Done: build 2")

	// Both sides go on.
	w.visit("/papers/tidal-stars/write")
	w.opens("exercise-number-2")
	w.fills("Task of", "Not published yet.")
	w.isSaved()
	whole.WriteFiles(
		t, folder, map[string]string{"paper.md": strings.Replace(text, "Written in the console", "In the file", 1)},
	)
	w.visit("/datasets")
	load()
	w.says(".job-state", "Waiting for you to decide")
	w.says(".breaks p", "In the console: Exercise number 2 .changed")
	w.says(".breaks p", "In the files: Exercise number 1 .changed")
	w.click("button", "^Use it all the same$")
	w.says(".job-state", "Done: build 3")
	w.visit("/papers/tidal-stars/versions")
	w.says(".version-list li", "Version 3: kept, never published .*Kept when the pack was loaded")
}

// Three hundred exercises are one paper like others.
func TestAPaperOfThreeHundredExercises(t *testing.T) {
	var exercises strings.Builder
	for n := range 300 {
		fmt.Fprintf(&exercises, "## Number %d {#number-%[1]d}\n\nFind it.\n\n", n)
		fmt.Fprintf(&exercises, "```sql answer\nSELECT n + %d FROM one\n```\n\n", n)
	}
	teacher := whole.Hazel(t)
	if _, err := client.Loaded(ctx, teacher, fstest.MapFS{
		"pack.yaml": {
			Data: []byte("pack: long\ntitle: Long\ndatasets:\n  long:\n    setup: [a.sql]\npapers: [long.md]\n"),
		},
		"a.sql":   {Data: []byte("CREATE TABLE one AS SELECT 1 AS n;")},
		"long.md": {Data: []byte("---\npaper: long\ntitle: Long\ndataset: long\n---\n\n" + exercises.String())},
	}); err != nil {
		t.Fatal(err)
	}
	w := author(t, "/papers/long/write")
	w.says("#number-299 h2", "Number 299")
	w.opens("number-299")
	w.fills("Task of", "Find the last one.")
	w.isSaved()
	w.publishes("Number 299")
	paper, err := client.Read[client.Paper](teacher.GetPaper(ctx, "long"))
	if err != nil || len(paper.Sections) != 300 {
		t.Fatalf("%v %d", err, len(paper.Sections))
	}
	if task := paper.Sections[299].Exercise.Blocks[0].Text; task != "Find the last one." {
		t.Errorf("got %q", task)
	}
}
