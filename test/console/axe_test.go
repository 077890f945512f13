package console

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A state is a page of the console with what was done on it.
type state struct {
	name, path, ready string // ready is an element that tells that the page is there
	do                func(w *window)
	onPhone           bool   // it is looked at on a phone, too, before anything is done
	part              string // what of the page is looked at, where the rest is as in another state
}

func page(name, path, ready string, do func(w *window)) state {
	return state{name: name, path: path, ready: ready, do: do, onPhone: do == nil}
}

func (s state) small() state {
	s.onPhone = true
	return s
}

// violation is what axe says of a state.
type violation struct {
	ID    string
	Help  string
	Nodes []struct {
		HTML           string
		FailureSummary string
	}
}

// axe has axe-core look at a part of the page as it stands, or at the whole, by the rules that it is given.
func (w *window) axe(source, part string, rules ...string) (found []violation) {
	w.t.Helper()
	if there, err := w.Eval(`() => "axe" in window`); err != nil {
		w.t.Fatal(err)
	} else if !there.Value.Bool() {
		if _, err := (proto.RuntimeEvaluate{Expression: source + "; true"}).Call(w); err != nil {
			w.t.Fatal(err)
		}
	}
	answer, err := w.Eval(
		`(part, rules) => axe.run(part || document, { resultTypes: ["violations"], preload: false, runOnly: rules })`+
			`.then(r => JSON.stringify(r.violations))`, part, rules,
	)
	if err != nil {
		w.t.Fatal(err)
	}
	if err := json.Unmarshal([]byte(answer.Value.Str()), &found); err != nil {
		w.t.Fatal(err)
	}
	return found
}

// everyRule are the groups of axe's rules that every page is held to.
var everyRule = []string{"wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"}

// colourRules are the rules of these that are about colours.
var colourRules = []string{"color-contrast", "link-in-text-block"}

// wide gives the window a width.
func (w *window) wide(width int) {
	w.t.Helper()
	w.begins()
	size := proto.EmulationSetDeviceMetricsOverride{Width: width, Height: 800, DeviceScaleFactor: 1}
	if err := size.Call(w); err != nil {
		w.t.Fatal(err)
	}
}

// looks makes the system light or dark, with nothing in motion.
func (w *window) looks(scheme string) {
	w.t.Helper()
	w.begins()
	if err := (proto.EmulationSetEmulatedMedia{Features: []*proto.EmulationMediaFeature{
		{Name: "prefers-reduced-motion", Value: "reduce"}, {Name: "prefers-color-scheme", Value: scheme},
	}}).Call(w); err != nil {
		w.t.Fatal(err)
	}
}

// settles waits until nothing has changed on the page for a fifth of a second.
func (w *window) settles() {
	w.t.Helper()
	w.begins()
	if _, err := w.Eval(`() => new Promise(settled => {
		let quiet;
		const watch = new MutationObserver(() => {
			clearTimeout(quiet);
			quiet = setTimeout(done, 200);
		});
		const done = () => {
			watch.disconnect();
			settled();
		};
		watch.observe(document, { subtree: true, childList: true, attributes: true, characterData: true });
		quiet = setTimeout(done, 200);
	})`); err != nil {
		w.t.Fatal(err)
	}
}

// newText is another one each time.
func newText() string { return strconv.FormatInt(time.Now().UnixNano(), 10) }

// Every page, in light and dark, and small, has nothing that axe finds hard for somebody.
func TestPagesAreForEverybody(t *testing.T) {
	source, err := os.ReadFile(filepath.Join("..", "..", "console", "node_modules", "axe-core", "axe.min.js"))
	if err != nil {
		t.Fatal(err)
	}
	name, learner := whole.Newcomer(t)
	whole.Submit(t, learner, "1", "SELECT name, valley FROM apiary")
	whole.Submit(t, learner, "2", "SELECT name, kind, strength FROM hive ORDER BY strength")
	whole.Submit(t, learner, "3", "SELECT nothing FROM hive")
	if _, err := client.Read[client.Run](
		learner.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT * FROM hive LIMIT 20"}),
	); err != nil {
		t.Fatal(err)
	}
	// Texts that are longer and wider than anybody's: what shows them must not turn into a place to scroll.
	for _, long := range []string{
		"SELECT 1\n" + strings.Repeat("-- and on\n", 400), "SELECT 1 -- " + strings.Repeat("x", 95_000),
		strings.Repeat("\n", 300) + "SELECT 1",
	} {
		if _, err := client.Read[client.Run](
			learner.Run(ctx, client.RunRequest{Paper: "first-look", Sql: long}),
		); err != nil {
			t.Fatal(err)
		}
	}
	teacher := whole.Hazel(t)
	history, err := client.Read[client.HistoryPage](learner.ListHistory(ctx, &client.ListHistoryParams{
		Paper: "first-look", Exercise: "hives-by-strength", Kind: client.EntryKindAttempt,
	}))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.NoteWritten](teacher.WriteNote(ctx, client.NewNote{
		Attempt: history.Entries[0].Id, Text: "Which way round?", Quote: "ORDER BY",
	})); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.Writing](teacher.CreatePaper(ctx, client.NewPaper{
		Slug: "unpublished", Title: "Not published", Dataset: "apiary",
	})); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.Writing](teacher.AddPart(ctx, "unpublished", client.NewPart{
		Paper: "first-look", Exercise: "no-mail",
	})); err != nil {
		t.Fatal(err)
	}
	paper := func(exercise string, more func(w *window)) func(w *window) {
		return func(w *window) {
			w.space(exercise)
			if more != nil {
				more(w)
			}
		}
	}
	// on is a state in which only one exercise is otherwise.
	on := func(name, exercise string, do func(w *window)) state {
		s := page(name, "/papers/first-look", "#content h1", paper(exercise, do))
		s.part = in(exercise, "")
		return s
	}
	learners := []state{
		on("paper, a note and a dispute", "hives-by-strength", func(w *window) {
			w.element(in("hives-by-strength", ".note"))
			w.told("hives-by-strength")
			w.click(in("hives-by-strength", ".note button"), "Answer")
			w.says(in("names-and-valleys", ".notes"), ".")
			w.click(in("hives-by-strength", ".notes button"), "Is this wrong")
			w.element(in("hives-by-strength", ".dispute textarea"))
			w.MustEval(`() => document.getElementById("hives-by-strength").scrollIntoView()`)
		}),
		page("papers", "/", ".papers a", nil),
		page("paper", "/papers/first-look", "#content h1", paper("names-and-valleys", nil)).small(),
		on("paper, run", "no-mail", func(w *window) {
			w.write("no-mail", "SELECT * FROM hive")
			w.press("no-mail", "Run")
			w.element(in("no-mail", ".result .row-grid"))
		}),
		on("paper, error", "no-mail", func(w *window) {
			w.write("no-mail", "SELECT x FROM hive")
			w.press("no-mail", "Run")
			w.element(in("no-mail", ".problem"))
		}),
		on("paper, completion", "no-mail", func(w *window) {
			w.write("no-mail", " ")
			w.types("SELECT stre")
			w.element(".cm-tooltip-autocomplete")
		}),
		on("paper, misspelt", "no-mail", func(w *window) {
			w.write("no-mail", "SELECT strenght FROM hive")
			w.element(in("no-mail", ".cm-lintRange")).MustHover()
			w.element(".cm-tooltip-lint")
		}),
		on("paper, search", "no-mail", func(w *window) {
			w.write("no-mail", "SELECT 1")
			w.KeyActions().Press(input.ControlLeft).Type('f').MustDo()
			w.element(in("no-mail", ".cm-search"))
		}),
		on("paper, several statements", "no-mail", func(w *window) {
			w.write("no-mail", "SELECT 1; SELECT 2; SELECT x FROM hive; SELECT 4")
			w.KeyActions().Press(input.ControlLeft).Press(input.ShiftLeft).Type(input.Enter).MustDo()
			w.says(in("no-mail", ".ran:nth-of-type(4)"), "Not run")
		}),
		on("paper, sorted, a cell open", "no-mail", func(w *window) {
			w.runs("SELECT name, '' AS empty, NULL AS nothing, ' x' AS blank, kind FROM hive", "^96 rows")
			w.click(in("no-mail", ".grid-head-cell span"), "^name")
			w.element(in("no-mail", ".row-grid-scroll")).MustFocus()
			w.KeyActions().Type(input.ArrowDown, input.Enter).MustDo()
			w.element(in("no-mail", ".cell-text"))
			w.click(in("no-mail", ".result summary"), "Use the rows")
		}),
		on("paper, compared", "no-mail", func(w *window) {
			w.runs("SELECT name, strength FROM hive WHERE hive_id < 5", "^4 rows")
			w.runs("SELECT name, strength + 1 AS strength FROM hive WHERE hive_id < 5", "^4 rows")
			w.uses("Compare with an earlier run")
			w.element(in("no-mail", ".comparison .row-grid-cell[data-mark]"))
		}),
		on("paper, drawn", "no-mail", func(w *window) {
			w.runs("SELECT kind, count(*), avg(strength) FROM hive GROUP BY kind", "^3 rows")
			w.uses("^Draw$")
			w.element(in("no-mail", ".chart canvas"))
		}),
		on("paper, planned", "no-mail", func(w *window) {
			w.write("no-mail", "SELECT name FROM hive h JOIN inspection i ON h.hive_id = i.hive_id")
			w.click(in("no-mail", ".tools summary"), "More")
			w.press("no-mail", "How it is worked out")
			w.element(in("no-mail", ".plan-steps"))
			w.click(in("no-mail", ".tools summary"), "More")
		}),
		on("paper, beside the findings", "hives-by-strength", func(w *window) {
			w.press("hives-by-strength", "Show beside my rows")
			w.element(in("hives-by-strength", ".evidence .row-grid-cell"))
		}),
		on("paper, two versions", "no-mail", func(w *window) {
			if _, err := client.Read[client.Draft](
				learner.KeepDraft(ctx, "first-look", "no-mail", client.DraftText{Sql: "SELECT " + newText()}),
			); err != nil {
				t.Fatal(err)
			}
			w.write("no-mail", "SELECT 'here'")
			w.element(in("no-mail", ".two-versions"))
		}),
		page("paper, tables on the map", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.click("button", "^Tables$")
			w.click(".tables-aside button", "^As a map$")
			w.element(".picking-map .entity")
		})),
		page("paper, tables", "/papers/first-look", "#content h1", paper("names-and-valleys", func(w *window) {
			w.click("button", "^Tables$")
			w.element(".table-columns")
		})),
		page("paper, outline", "/papers/first-look", "#content h1", func(w *window) {
			w.click(".paper-bar summary", "Outline")
			w.element(".outline-exercise")
		}).small(),
		page("paper, whole paper", "/papers/first-look", "#content h1", func(w *window) {
			w.click(".paper-bar summary", "Whole paper")
		}),
		page("paper, example run and changed", "/papers/first-look", "#content h1", func(w *window) {
			w.element(".example textarea").MustFocus()
			w.element(".example .cm-content").MustFocus()
			w.MustInsertText("-- mine\n")
			w.click(".example button", "Run the example")
			w.element(".example .result")
		}),
		page("paper, attempts", "/papers/first-look", "#content h1", func(w *window) {
			w.told("hives-by-strength")
			w.click(in("hives-by-strength", ".notes button"), "^(All|The) ")
			w.element(in("hives-by-strength", ".difference-lines, .difference .quiet"))
			w.click(in("hives-by-strength", ".earlier button"), "^Show$")
		}),
		page("paper, smallest example", "/papers/first-look", "#content h1", func(w *window) {
			w.press("hives-by-strength", "Smallest example")
			w.click(in("hives-by-strength", ".example-rows button"), "^Run my answer")
			w.says(in("hives-by-strength", ".example-rows [role=status]"), "Not yet right")
		}).small(),
		page("paper, focus", "/papers/first-look?focus=no-mail", in("no-mail", ".sql"), nil).small(),
		page("paper that is not there", "/papers/nothing", ".waiting .problem", nil),
		page("account", "/", ".papers a", func(w *window) { w.click(".frame summary", "") }).small(),
		page("try", "/try", ".try-text .sql", func(w *window) {
			w.click(".try-text button", "^Keep as")
			w.element(".keep input")
		}).small(),
		page("history, marks", "/history?text=valley", ".entry", func(w *window) {
			w.click("summary", "^My marks$")
			w.element(".own-marks td")
		}).small(),
		page("history, kept and cleared", "/history?text=LIMIT", ".entry", func(w *window) {
			w.click(".entry button", "^Keep$")
			w.element(".keep input")
			w.click("button", "^Clear my runs")
			w.says(".filters button", "^Leave them$")
		}),
		page("history, nothing found", "/history?text="+newText(), "#content h1", func(w *window) {
			w.says("p", "Nothing fits")
		}),
		page("history", "/history", "#content h1", nil), page("datasets", "/datasets", "#content h1", nil),
		page("dataset", "/datasets/apiary", "#content h1", nil),
		page("table", "/datasets/apiary?table=hive", "#content h1", nil),
		page("map", "/datasets/apiary/map", ".react-flow__node", nil),
		page("password", "/password", "#content h1", nil),
	}
	instructors := []state{
		page("papers of an instructor", "/", ".papers a", nil),
		page("paper of an instructor", "/papers/first-look", "#content h1", paper("names-and-valleys", nil)).small(),
		page("checked", "/papers/first-look", "#content h1", func(w *window) {
			w.click("button", "Check the exercises")
			w.says(".paper-check [role=status]", "checked")
		}),
		page("courses", "/courses", ".papers a", nil).small(),
		page("new course", "/courses", ".papers a", func(w *window) {
			w.click("button", "^New course")
			w.element("#zones")
		}),
		page("course", "/courses/evening-group", ".people tbody", nil).small(),
		page("course, a paper's rules", "/courses/evening-group", ".people tbody", func(w *window) {
			w.click("button", "^Times and rules")
			w.click(".set-paper summary", "Part of the points")
		}),
		page("course, extensions", "/courses/evening-group", ".people tbody", func(w *window) {
			w.click("button", "^Extensions")
			w.element(".extensions form")
		}),
		page("course, a member", "/courses/evening-group", ".people tbody", func(w *window) {
			w.click(".people button", "^Change")
			w.click(".people button", "^Sessions")
			w.element(".people .sessions, .people form .quiet")
		}),
		page("import", "/courses/evening-group/import", "input[type=file]", func(w *window) {
			file := filepath.Join(t.TempDir(), "roster.csv")
			if err := os.WriteFile(file, []byte("login,name\nmaud-axe,Maud\n,Nobody\n"), 0o600); err != nil {
				t.Fatal(err)
			}
			w.element("input[type=file]").MustSetFiles(file)
			w.element(".roster-line[data-state=wrong]")
		}).small(),
		page("log", "/log", ".log-lines li", nil).small(),
		page("service", "/service", ".service table", nil).small(),
		page("check again", "/papers/first-look/recheck", "form", func(w *window) {
			w.click("button", "^Look whose marks")
			w.says("[role=status]", "checked again")
			w.click("button", "^Leave them")
			w.says("[role=status]", "Stopped")
		}).small(),
		page("new paper", "/", ".papers a", func(w *window) {
			w.click("button", "^New paper")
			w.element(".new-paper select")
		}).small(),
		page("writing", "/papers/first-look/write", "#who-looks-after-what h2", func(w *window) {
			w.says("#who-looks-after-what .right-margin", "Doubtful")
		}).small(),
		page("writing an exercise", "/papers/first-look/write", "#who-looks-after-what h2", func(w *window) {
			w.opens("who-looks-after-what")
			w.element("#who-looks-after-what .tried .row-grid")
		}),
		page("writing the text and the block", "/papers/first-look/write", "#who-looks-after-what h2", func(w *window) {
			w.opens("who-looks-after-what")
			w.click(".piece-actions button", "^Write the block itself$")
			w.click(".add-part button", "Exercise from a query")
			w.click(".part-actions button", "^Title and times")
		}),
		page("publishing", "/papers/unpublished/publish", ".publish table", nil),
		page("rows that would tell", "/papers/what-is-missing/strengthen", ".strengthen form", func(w *window) {
			w.click(".strengthen button", "^Search for rows$")
			w.says(".strengthen button", "^Add them as the variant")
		}).small(),
		page("versions", "/papers/first-look/versions", ".version-list", nil),
		page("exercises", "/exercises?table=hive", ".found li", func(w *window) {
			w.click(".found summary", "Accepted answer")
			w.click(".found button", "^Copy into a paper")
			w.element(".found select")
		}).small(),
		page("progress", "/papers/first-look/progress", ".progress-row .cell a", nil),
		page("an exercise's class", "/papers/first-look/progress/hives-by-strength", ".alike .entry", nil),
		page("a timeline", "/learners/robin/timeline?paper=first-look", ".step h2", func(w *window) {
			w.click(".actions button", "^Last$")
		}),
		page("a note to a group", "/papers/first-look/progress/hives-by-strength", ".alike .entry", func(w *window) {
			w.click(".alike button", "Write them a note")
			w.element(".note-form")
		}),
		page("a timeline, marking", "/learners/robin/timeline?paper=first-look", ".step h2", func(w *window) {
			w.click(".actions button", "^Last$")
			w.click(".margin button", "Mark by hand")
			w.element(".mark-form")
		}),
		page("marking", "/marking?course=evening-group&paper=first-look", ".review h2", nil),
		page("marking, a note", "/marking?course=evening-group&paper=first-look&cause=answer", ".review .note",
			func(w *window) {
				w.click(".marking button", "^Write a note")
				w.element(".note-form")
			}),
		page("a course's overview", "/courses/evening-group/overview", ".overview canvas", nil),
		page("same answers", "/papers/first-look/same?course=evening-group", ".alike .entry", nil),
		page("progress, shaded", "/papers/first-look/progress", ".progress-row .cell a", func(w *window) {
			w.picks("Learners shown", "Show", "time, shaded")
		}),
		page("history of an instructor", "/history", "#content h1", nil),
		page("learner", "/learners/"+name, "#content h1", nil),
		page("datasets of an instructor", "/datasets", ".build-form", nil),
		page("dataset of an instructor", "/datasets/apiary", "#content h1", nil),
	}
	for _, who := range []struct {
		name, password string
		states         []state
	}{{name, demo.LearnerPassword, learners}, {demo.InstructorName, demo.InstructorPassword, instructors}} {
		w := open(t, whole.Shared.URL, who.name, who.password)
		looked := 0
		counts := map[string]int{}
		var said []string
		look := func(at, part string, rules ...string) {
			looked++
			w.settles()
			for _, v := range w.axe(string(source), part, rules...) {
				counts[v.ID] += len(v.Nodes)
				if line := fmt.Sprintf(
					"%s: %s (%s)\n    %s\n    %s", at, v.ID, v.Help, v.Nodes[0].HTML,
					strings.ReplaceAll(v.Nodes[0].FailureSummary, "\n", " "),
				); len(said) < 20 {
					said = append(said, line)
				}
			}
		}
		for _, s := range who.states {
			at := func(width int) {
				w.wide(width)
				w.looks("light")
				w.element("[data-look=light]")
				look(fmt.Sprintf("%s, light, %d wide", s.name, width), s.part, everyRule...)
			}
			if s.onPhone {
				w.wide(400)
			} else {
				w.wide(1280)
			}
			w.visit(s.path)
			w.element(s.ready)
			if s.onPhone {
				at(400)
				w.wide(1280)
			}
			if s.do != nil {
				s.do(w)
			}
			at(1280)
			w.looks("dark") // the page stays as it is but for its colours
			w.element("[data-look=dark]")
			look(s.name+", dark", s.part, colourRules...)
		}
		slices.Sort(said)
		if looked < 2*len(who.states) || len(counts) > 0 {
			t.Errorf("%d looks, %v\n%s", looked, counts, strings.Join(said, "\n"))
		}
	}
}
