package console

import (
	"encoding/base64"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"examen/internal/client"
	"examen/internal/core/marking"
	"examen/internal/demo"
	"examen/test/whole"
)

// brings is what an expression comes to on the page, as text.
func (w *window) brings(script string) string {
	w.t.Helper()
	return w.MustEval("() => String(" + script + ")").Str()
}

// count is how many elements there are.
func (w *window) count(selector string) int {
	w.t.Helper()
	return w.MustEval(`(selector) => document.querySelectorAll(selector).length`, selector).Int()
}

// onePixel is a picture.
const onePixel = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="

// moths sets a paper whose narrative has all that Markdown has.
func moths(t *testing.T) {
	t.Helper()
	teacher := whole.Hazel(t)
	png, err := base64.StdEncoding.DecodeString(onePixel)
	if err != nil {
		t.Fatal(err)
	}
	paper := "---\npaper: moths\ntitle: Moths by night\ndataset: apiary\n---\n" +
		"![A trap](trap.png)\n\n| night | moths |\n|---|--:|\n| 1 | 12 |\n\n- one\n- two\n\n" +
		"> A note: *lamps* draw moths.\n\n" +
		"The mean is $\\bar{m} = \\frac{1}{n}\\sum m_i$ for $5.\n\n```math\nx^2\n```\n\n```sql\nSELECT 1\n```\n\n" +
		"<b>bold</b> [the hives](first-look#no-mail)\n\n" +
		"```sql example\nSELECT 'first' AS example;\n```\n\n```sql example\nSELECT 'second' AS example;\n```\n\n" +
		"## All moths {#all-moths}\n\nAll.\n\n```sql answer\nSELECT name FROM hive\n```\n"
	_, err = client.Loaded(ctx, teacher, whole.Scripts(map[string]string{
		"pack.yaml": "pack: moths\ntitle: Moths\npapers: [paper.md]\n", "paper.md": paper, "trap.png": string(png),
	}))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "moths", client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
}

func TestTheDocument(t *testing.T) {
	moths(t)
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/moths")
	w.element("math mfrac")
	for what, selector := range map[string]string{
		"a picture": ".prose img[alt='A trap']", "a table": ".prose td", "a list": ".prose li",
		"a note":                      ".prose blockquote em",
		"mathematics on its own line": ".display math msup", "code": ".prose pre code.language-sql",
	} {
		if found, _, _ := w.Has(selector); !found {
			t.Errorf("%s is missing", what)
		}
	}
	whole.Until(t, "the picture is there", func() bool {
		return w.brings(`document.querySelector(".prose img").naturalWidth`) == "1"
	})
	w.says(".prose", "for \\$5\\.")
	w.says(".prose", "<b>bold</b>")

	// Examples: one by one and all in order, set back, and cleared.
	w.element(".example textarea").MustFocus()
	w.element(".example .cm-content").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	w.MustInsertText("SELECT 'mine' AS example;")
	w.click(".paper-bar summary", "Whole paper")
	w.click(".paper-bar button", "Run all examples")
	w.says(".row-grid-cell", "^mine$")
	w.says(".row-grid-cell", "^second$")
	w.click(".example button", "^Set back$")
	w.says(".example .cm-content", "^SELECT 'first' AS example;$")
	w.click(".example button", "^Clear the result$")
	whole.Until(t, "one result is left", func() bool { return w.count(".result") == 1 })
	w.click(".paper-bar summary", "Whole paper")
	w.click(".paper-bar button", "Clear all results")
	whole.Until(t, "no result is left", func() bool { return w.count(".ran") == 0 })

	// The paper as a file: drawn formulas, the picture in it, nothing from elsewhere.
	w.write("all-moths", "SELECT name FROM hive WHERE hive_id = 1")
	w.says(in("all-moths", ".draft-state"), "Draft saved")
	w.saves()
	w.click(".paper-bar summary", "Whole paper")
	w.click(".paper-bar button", "Save as HTML")
	w.says(".paper-bar [role=status]", "^Saved.$")
	if name, text := w.saved(); name != "moths.html" || whole.Lacks(text, "<math", "data:image/png;base64,",
		"SELECT name FROM hive WHERE hive_id = 1", "<td>Amber</td>", "Not submitted") != nil {
		t.Errorf("%s:\n%s", name, text)
	}
	w.click(".paper-bar summary", "Whole paper")
	w.click(".paper-bar button", "Save as Markdown")
	whole.Until(t, "Markdown is saved", func() bool { return w.brings("window.savedName") == "moths.md" })
	if _, text := w.saved(); whole.Lacks(text, "$\\bar{m}", "| Amber |", "## 1. All moths (1 point)") != nil {
		t.Error(text)
	}

	// A link to another paper goes there without loading the console again.
	w.MustEval(`() => { window.same = true }`)
	w.click(".prose a", "the hives")
	w.element("#no-mail")
	if w.brings("window.same && location.pathname + location.hash") != "/papers/first-look#no-mail" {
		t.Error("the link leads to " + w.brings("location.href"))
	}
}

// focused is the exercise that the keyboard is in, and what of it.
func (w *window) focused() string {
	return w.brings(`(document.activeElement.closest("[data-exercise]")?.dataset.exercise ?? "none") + " " +
		(document.activeElement.matches(".cm-content, textarea") ? "answer" : document.activeElement.tagName)`)
}

func TestTheOutlineAndTheNextExercise(t *testing.T) {
	name, learner := whole.Newcomer(t)
	whole.Submit(t, learner, "1", "SELECT name, valley FROM apiary")
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.element("#who-looks-after-what")
	w.click(".paper-bar summary", "Outline")
	w.says(".outline li", "1. Names and valleys\\s+Correct, 1 of 1 point")
	w.click(".outline-exercise", "4. No mail\\s+Not submitted, 1 point")
	is := func(want string) {
		t.Helper()
		whole.Until(t, "the keyboard is at "+want, func() bool { return w.focused() == want })
	}
	is("no-mail H2")
	top := w.MustEval(`() => document.querySelector("#no-mail h2").getBoundingClientRect().top`).Num()
	if top < 20 || top > 200 {
		t.Errorf("its title is at %v", top)
	}
	next := func(key input.Key) { w.KeyActions().Press(input.AltLeft).Type(key).MustDo() }
	next(input.PageDown)
	is("which-colours H2")
	next(input.PageUp)
	next(input.PageUp)
	is("high-and-strong H2")
	w.write("high-and-strong", "SELECT 1")
	next(input.PageDown) // from answer to answer
	is("no-mail answer")
	w.click(".paper-bar button", "^Next$")
	w.says(".paper-bar-title", "A first look at the hives") // it stays at hand
}

// Focus, and pages that one comes back from, lead to where one was; nothing that was there is gone.
func TestOneComesBackToWhereOneWas(t *testing.T) {
	w := writing(t)
	w.runs("SELECT name FROM hive", "^96 rows")
	w.MustEval(`() => document.querySelector("#no-mail").scrollIntoView()`)
	place := func() string { return w.brings("Math.round(scrollY)") }
	was := place()
	back := func(how func()) {
		t.Helper()
		w.press("no-mail", "Focus")
		whole.Until(t, "it has the window", func() bool { return w.count("#which-colours[hidden]") == 1 })
		w.says(in("no-mail", ".result [role=status]"), "^96 rows")
		how()
		whole.Until(t, "one is where one was", func() bool { return place() == was })
		w.says(in("no-mail", ".result [role=status]"), "^96 rows")
	}
	back(func() { w.press("no-mail", "Back to the paper") })
	back(func() { w.MustNavigateBack() })
	w.says(".frame nav a", "My history").MustEval(`() => this.click()`) // a mouse would have to scroll there first
	w.element(".entry")
	if place() != "0" {
		t.Error("another page begins at " + place())
	}
	w.MustNavigateBack()
	whole.Until(t, "one is where one was on the paper", func() bool { return w.brings("scrollY > 100") == "true" })
	w.visit("/papers/first-look?focus=no-mail")
	w.press("no-mail", "Back to the paper")
	w.element("#which-colours:not([hidden])")
}

func TestAttemptsStandBehindTheNotes(t *testing.T) {
	name, learner := whole.Newcomer(t)
	for _, sql := range []string{"SELECT name\nFROM hive", "SELECT name, village\nFROM beekeeper", "SELECT 1"} {
		whole.Submit(t, learner, "4", sql)
	}
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.told("no-mail")
	w.click(in("no-mail", ".notes button"), "^All 3 attempts$")
	w.says(in("no-mail", ".earlier li:last-of-type"), ": incorrect, 0 of 1 point")
	w.says(in("no-mail", ".difference del"), "gone:\\s+SELECT name, village")
	w.says(in("no-mail", ".difference ins"), "new:\\s+SELECT 1")
	w.element(in("no-mail", ".difference select")).MustEval(`() => {
		this.selectedIndex = 3;
		this.dispatchEvent(new Event("change", { bubbles: true }));
	}`)
	w.says(in("no-mail", ".difference del:nth-of-type(2)"), "gone:\\s+FROM hive")
	w.click(in("no-mail", ".earlier li:nth-of-type(2) button"), "^Bring back$")
	w.shows("no-mail", "SELECT name, village\nFROM beekeeper")
	w.says(in("no-mail", ".standing"), "for an earlier version of your answer")
	w.space("no-mail").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	w.shows("no-mail", "SELECT 1")
}

// Which attempt counts, and why, stands in one place.
func TestWhichAttemptCounts(t *testing.T) {
	name, learner := whole.Newcomer(t)
	whole.Submit(t, learner, "1", "SELECT name, valley FROM apiary")
	whole.Submit(t, learner, "1", "SELECT name FROM apiary")
	whole.Submit(t, learner, "3", "SELECT 1")
	half := marking.PointsOf("0.5")
	if _, err := client.Read[struct{}](whole.Hazel(t).SetMark(ctx, "first-look", "3", name, client.MarkByHand{
		Course: "evening-group", Mark: &half, Reason: "nearly",
	})); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.says(".papers .news", "New: a mark was set by your instructor")
	w.click(".go-on a", "Go on with 3. High and strong")
	w.says(in("names-and-valleys", ".standing"), "^Correct, 1 of 1 point ✓\\s+Your attempt of .* counts. "+
		"2 attempts.\\s+Latest attempt: incorrect, 0 of 1 point")
	w.says(in("high-and-strong", ".standing"), "^Marked by hand, 0.5 of 1 point\\s+nearly\\.")
	if text := w.element("#names-and-valleys").MustText(); strings.Count(text, "Correct, 1 of 1") != 1 {
		t.Errorf("the verdict stands in several places: %s", text)
	}
	w.visit("/")
	w.element(".papers a")
	if found, _, _ := w.Has(".papers .news"); found {
		t.Error("what has been seen is new still")
	}
}

func TestTheHistoryIsSearched(t *testing.T) {
	name, learner := whole.Newcomer(t)
	for _, r := range []client.RunRequest{
		{Paper: "first-look", Exercise: "1", Sql: "SELECT 'the long one'"},
		{Paper: "first-look", Sql: "SELECT 'other'"},
		{Dataset: "apiary", Sql: "SELECT 'on the dataset'"},
	} {
		if _, err := client.Read[client.Run](learner.Run(ctx, r)); err != nil {
			t.Fatal(err)
		}
	}
	whole.Submit(t, learner, "1", "SELECT name, valley FROM apiary")
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/history")
	entries := func(n int) {
		t.Helper()
		whole.Until(t, fmt.Sprint(n, " entries"), func() bool { return w.count(".entry") == n })
	}
	showAll := func() {
		t.Helper()
		whole.Until(t, "all 4 entries", func() bool {
			// The list grows and shrinks meanwhile, and the button comes and goes: it is not clicked by its place.
			w.MustEval(
				`() => [...document.querySelectorAll("button")].find((b) => b.textContent === "Show all")?.click()`,
			)
			return w.count(".entry") == 4
		})
	}
	entries(4)
	w.click("summary", "^My marks$")
	w.says(".own-marks tr", "1. Names and valleys\\s+Correct\\s+1 of 1\\s+1 attempt")
	w.element(".filter-text input").MustInput("LONG")
	entries(1)
	w.click(".entry button", "^Keep$")
	w.element(".keep input").MustInput("my favourite")
	w.click(".keep button", "^Keep$")
	w.says(".entry strong", "^my favourite\\. Run: done")
	showAll()
	w.click(".filters input[type=checkbox]", "")
	entries(1)
	showAll()
	for label, c := range map[string]struct {
		value string
		left  int
	}{
		"What": {"attempt", 1}, "Outcome": {"correct", 1}, "Paper": {"first-look", 3}, "Dataset": {"apiary", 4},
		"From": {"2999-01-01", 0}, "to": {"2020-01-01", 0},
	} {
		w.MustEval(`(label, value) => {
			const found = [...document.querySelectorAll(".filters label")].find((l) => l.textContent.startsWith(label));
			const field = found.querySelector("select, input");
			Object.getOwnPropertyDescriptor(Object.getPrototypeOf(field), "value").set.call(field, value);
			field.dispatchEvent(new Event(field.tagName === "SELECT" ? "change" : "input", { bubbles: true }));
		}`, label, c.value)
		entries(c.left)
		showAll()
	}
	w.click("button", "^Clear my runs")
	w.click(".filters button", "^Clear them$")
	w.says(".filters [role=status]", "^2 runs cleared.$")
	entries(2)
	w.click(".entry button", "^Open in its exercise$")
	w.shows("names-and-valleys", "SELECT name, valley FROM apiary")
}

func TestAPlaceToTryThings(t *testing.T) {
	name, learner := whole.Newcomer(t)
	if _, err := client.Read[client.Run](
		learner.Run(ctx, client.RunRequest{Dataset: "apiary", Sql: "SELECT 'tried'"}),
	); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/history")
	w.click(".entry button", "^Open to try$")
	w.says(".try-text .sql", "SELECT 'tried'")
	w.click(".try-text button", "^Run$")
	w.says(".try-text .row-grid-cell", "^tried$")
	w.MustReload()
	w.says(".try-text .sql", "SELECT 'tried'") // the browser keeps it
	keep := func(button, name string) {
		t.Helper()
		w.click(".try-text button", "^"+button)
		w.element(".keep input").MustSelectAllText().MustInput(name)
		w.click(".keep button", "^Keep$")
		w.says(".text-list button[aria-current=true]", "^"+name)
	}
	keep("Keep as", "swarms")
	keep("Copy", "more swarms")
	keep("Rename", "many swarms")
	w.element(".try-text textarea").MustFocus()
	w.element(".try-text .cm-content").MustFocus()
	w.KeyActions().Press(input.ControlLeft).Type('a').MustDo()
	w.MustInsertText("SELECT * FROM swarm")
	w.says(".try-text .draft-state", "^Saved ")
	texts, err := client.Read[[]client.OwnText](learner.ListTexts(ctx))
	if err != nil || len(texts) != 2 || texts[0].Name != "many swarms" || texts[0].Sql != "SELECT * FROM swarm" {
		t.Errorf("%+v, %v", texts, err)
	}
	w.element(".text-list input").MustInput("tried")
	whole.Until(t, "one text is found", func() bool { return w.count(".text-list li") == 2 })
	w.click(".text-list button", "^swarms")
	w.says(".try-text .sql", "SELECT 'tried'")
	w.click(".try-text button", "^Remove$")
	w.says(".text-list", "No text of yours has that in it")
	w.says(".text-list button[aria-current=true]", "^Without a name")
}

// learnersPages are the pages of a learner.
var learnersPages = []string{
	"/", "/papers/first-look", "/papers/first-look?focus=no-mail", "/history", "/try", "/datasets", "/datasets/apiary",
	"/password", "/papers/nothing",
}

// At 400% of a window of 1280 pixels, and so on a phone, no page scrolls sideways.
func TestNothingScrollsSideways(t *testing.T) {
	name, learner := whole.Newcomer(t)
	whole.Submit(t, learner, "2", "SELECT name, kind, strength FROM hive ORDER BY strength")
	whole.Submit(
		t, learner, "3", "SELECT nothing_that_is_called_so_at_all_in_this_dataset FROM hive WHERE strength > 7",
	)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	narrow := proto.EmulationSetDeviceMetricsOverride{Width: 320, Height: 256, DeviceScaleFactor: 1}
	if err := narrow.Call(w); err != nil {
		t.Fatal(err)
	}
	for _, path := range learnersPages {
		w.visit(path)
		w.element("#content :is(h1, h2, .problem)")
		w.settles()
		if wide := w.brings(`document.documentElement.scrollWidth > 320 ? document.documentElement.scrollWidth + ": " +
			[...document.querySelectorAll("#console *")].filter((e) => e.getBoundingClientRect().right > 321)
				.map((e) => e.tagName + "." + e.className).slice(0, 6) : ""`); wide != "" {
			t.Errorf("%s is %s pixels wide", path, wide)
		}
	}
}

// On paper there are no controls, and the colours are light, whatever the look.
func TestAPaperIsPrinted(t *testing.T) {
	name, learner := whole.Newcomer(t)
	whole.Submit(t, learner, "2", "SELECT name, kind, strength FROM hive ORDER BY strength")
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/first-look")
	w.element("#who-looks-after-what")
	w.runs("SELECT name FROM hive LIMIT 3", "^3 rows")
	w.MustEval(`() => { document.documentElement.dataset.look = "dark" }`)
	if err := (proto.EmulationSetEmulatedMedia{Media: "print"}).Call(w); err != nil {
		t.Fatal(err)
	}
	if seen := w.brings(`[...document.querySelectorAll("button, summary, header, textarea, select")]
		.filter((e) => e.tagName !== "TEXTAREA" && e.getClientRects().length).map((e) => e.textContent)`); seen != "" {
		t.Errorf("there are %s", seen)
	}
	if ground := w.brings("getComputedStyle(document.body).backgroundColor"); ground != "rgb(255, 255, 255)" {
		t.Errorf("the ground is %s", ground)
	}
	w.says(in("hives-by-strength", ".standing"), "Incorrect")
	if below := w.brings(`document.querySelector("#hives-by-strength .notes").getBoundingClientRect().top >
		document.querySelector("#hives-by-strength .answer .sql").getBoundingClientRect().bottom`); below != "true" {
		t.Error("the findings stand before the answer")
	}
	if split := w.brings(`getComputedStyle(document.querySelector(".exercise")).breakInside`); split != "avoid" {
		t.Error("an exercise may be split")
	}
}

// Where the system has its own colours, the page that one is on is told from the others.
func TestForcedColours(t *testing.T) {
	w := writing(t)
	if err := (proto.EmulationSetEmulatedMedia{
		Features: []*proto.EmulationMediaFeature{{Name: "forced-colors", Value: "active"}},
	}).Call(w); err != nil {
		t.Fatal(err)
	}
	w.visit("/history")
	w.element(".frame nav a.active")
	lines := w.brings(`[...document.querySelectorAll(".frame nav a")]
		.map((e) => getComputedStyle(e).borderBottomColor)`)
	all := strings.Split(strings.ReplaceAll(lines, ", ", " "), ",")
	if len(all) < 4 || all[0] != all[1] || all[len(all)-1] == all[0] {
		t.Errorf("the lines under the pages are %v", all)
	}
}

// A due time is told in one's own time zone and, where that is another, in the course's, with what is left of it.
func TestADueTimeInBothZones(t *testing.T) {
	teacher := whole.Hazel(t)
	_, err := client.Read[client.Course](teacher.CreateCourse(
		ctx, client.NewCourse{Slug: "far-away", Title: "Far away", Zone: "Asia/Tokyo"},
	))
	if err != nil {
		t.Fatal(err)
	}
	due := time.Date(2036, 6, 10, 22, 0, 0, 0, time.UTC)
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "far-away", "first-look", client.PaperSetting{Due: due}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.AddedMember](
		teacher.AddMember(ctx, "far-away", client.NewMember{Name: "traveller", Password: demo.LearnerPassword}),
	); err != nil {
		t.Fatal(err)
	}
	w := open(t, whole.Shared.URL, "traveller", demo.LearnerPassword)
	const said = `ue 11 Jun 2036, 00:00 CEST \(11 Jun, 07:00 in the course\), in [0-9,]+ days\.`
	for zone, wants := range map[string]string{"Europe/Rome": said, "Asia/Tokyo": `ue 11 Jun 2036, 07:00 GMT\+9, in `} {
		if err := (proto.EmulationSetTimezoneOverride{TimezoneID: zone}).Call(w); err != nil {
			t.Fatal(err)
		}
		w.visit("/")
		w.says(".papers li", wants)
		w.visit("/papers/first-look")
		w.says(".paper p", wants)
	}
}
