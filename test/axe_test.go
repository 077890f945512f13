package test

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
)

// A state is a page of the console with what was done on it.
type state struct {
	name, path, ready string // ready is an element that tells that the page is there
	do                func(w *window)
	small             bool // it is looked at on a phone, too, before anything is done
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

// axe has axe-core look at the page as it stands.
func (w *window) axe(source string) (found []violation) {
	w.t.Helper()
	if _, err := (proto.RuntimeEvaluate{Expression: source + "; true"}).Call(w); err != nil {
		w.t.Fatal(err)
	}
	answer, err := w.Eval(
		`() => axe.run(document, { resultTypes: ["violations"], runOnly: ["wcag2a", "wcag2aa", "wcag21a", ` +
			`"wcag21aa", "wcag22aa", "best-practice"] }).then(r => JSON.stringify(r.violations))`,
	)
	if err != nil {
		w.t.Fatal(err)
	}
	if err := json.Unmarshal([]byte(answer.Value.Str()), &found); err != nil {
		w.t.Fatal(err)
	}
	return found
}

// newText is another one each time.
func newText() string { return strconv.FormatInt(time.Now().UnixNano(), 10) }

// Every page, in light and dark, large and small, has nothing that axe finds hard for somebody.
func TestPagesAreForEverybody(t *testing.T) {
	source, err := os.ReadFile(filepath.Join("..", "console", "node_modules", "axe-core", "axe.min.js"))
	if err != nil {
		t.Fatal(err)
	}
	name, learner := newcomer(t)
	submit(t, learner, "1", "SELECT name, valley FROM apiary")
	submit(t, learner, "2", "SELECT name, kind, strength FROM hive ORDER BY strength")
	submit(t, learner, "3", "SELECT nothing FROM hive")
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
	teacher := hazel(t)
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
	learners := []state{
		{"paper, a note and a dispute", "/papers/first-look", "#content h1", paper("hives-by-strength",
			func(w *window) {
				w.element(in("hives-by-strength", ".note"))
				w.says(in("hives-by-strength", ".note button"), "Answer").MustClick()
				w.says(in("names-and-valleys", ".notes"), ".")
				w.says(in("hives-by-strength", ".notes button"), "Is this wrong").MustClick()
				w.element(in("hives-by-strength", ".dispute textarea"))
				w.MustEval(`() => document.getElementById("hives-by-strength").scrollIntoView()`)
			}), false},
		{"papers", "/", ".papers a", nil, false},
		{"paper", "/papers/first-look", "#content h1", paper("names-and-valleys", nil), true},
		{"paper, run", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT * FROM hive")
			w.press("no-mail", "Run")
			w.element(in("no-mail", ".result .row-grid"))
		}), false},
		{"paper, error", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT x FROM hive")
			w.press("no-mail", "Run")
			w.element(in("no-mail", ".problem"))
		}), false},
		{"paper, completion", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", " ")
			w.types("SELECT stre")
			w.element(".cm-tooltip-autocomplete")
		}), false},
		{"paper, misspelt", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT strenght FROM hive")
			w.element(in("no-mail", ".cm-lintRange")).MustHover()
			w.element(".cm-tooltip-lint")
		}), false},
		{"paper, search", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT 1")
			w.KeyActions().Press(input.ControlLeft).Type('f').MustDo()
			w.element(in("no-mail", ".cm-search"))
		}), false},
		{"paper, several statements", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT 1; SELECT 2; SELECT x FROM hive; SELECT 4")
			w.KeyActions().Press(input.ControlLeft).Press(input.ShiftLeft).Type(input.Enter).MustDo()
			w.says(in("no-mail", ".ran:nth-of-type(4)"), "Not run")
		}), false},
		{"paper, sorted, a cell open", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.runs("SELECT name, '' AS empty, NULL AS nothing, ' x' AS blank, kind FROM hive", "^96 rows")
			w.says(in("no-mail", ".grid-head-cell span"), "^name").MustClick()
			w.element(in("no-mail", ".row-grid-scroll")).MustFocus()
			w.KeyActions().Type(input.ArrowDown, input.Enter).MustDo()
			w.element(in("no-mail", ".cell-text"))
			w.says(in("no-mail", ".result summary"), "Use the rows").MustClick()
		}), false},
		{"paper, compared", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.runs("SELECT name, strength FROM hive WHERE hive_id < 5", "^4 rows")
			w.runs("SELECT name, strength + 1 AS strength FROM hive WHERE hive_id < 5", "^4 rows")
			w.uses("Compare with an earlier run")
			w.element(in("no-mail", ".comparison .row-grid-cell[data-mark]"))
		}), false},
		{"paper, drawn", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.runs("SELECT kind, count(*), avg(strength) FROM hive GROUP BY kind", "^3 rows")
			w.uses("^Draw$")
			w.element(in("no-mail", ".chart canvas"))
		}), false},
		{"paper, planned", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT name FROM hive h JOIN inspection i ON h.hive_id = i.hive_id")
			w.says(in("no-mail", ".tools summary"), "More").MustClick()
			w.press("no-mail", "How it is worked out")
			w.element(in("no-mail", ".plan-steps"))
			w.says(in("no-mail", ".tools summary"), "More").MustClick()
		}), false},
		{"paper, beside the findings", "/papers/first-look", "#content h1", paper("hives-by-strength", func(w *window) {
			w.press("hives-by-strength", "Show beside my rows")
			w.element(in("hives-by-strength", ".evidence .row-grid-cell"))
		}), false},
		{"paper, two versions", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			if _, err := client.Read[client.Draft](
				learner.KeepDraft(ctx, "first-look", "no-mail", client.DraftText{Sql: "SELECT " + newText()}),
			); err != nil {
				t.Fatal(err)
			}
			w.write("no-mail", "SELECT 'here'")
			w.element(in("no-mail", ".two-versions"))
		}), false},
		{"paper, tables on the map", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.says("button", "^Tables$").MustClick()
			w.says(".tables-aside button", "^As a map$").MustClick()
			w.element(".picking-map .entity")
		}), false},
		{"paper, tables", "/papers/first-look", "#content h1", paper("names-and-valleys", func(w *window) {
			w.says("button", "^Tables$").MustClick()
			w.element(".table-columns")
		}), false},
		{"paper, outline", "/papers/first-look", "#content h1", func(w *window) {
			w.says(".paper-bar summary", "Outline").MustClick()
			w.element(".outline-exercise")
		}, true},
		{"paper, whole paper", "/papers/first-look", "#content h1", func(w *window) {
			w.says(".paper-bar summary", "Whole paper").MustClick()
		}, false},
		{"paper, example run and changed", "/papers/first-look", "#content h1", func(w *window) {
			w.element(".example textarea").MustFocus()
			w.element(".example .cm-content").MustFocus()
			w.MustInsertText("-- mine\n")
			w.says(".example button", "Run the example").MustClick()
			w.element(".example .result")
		}, false},
		{"paper, attempts", "/papers/first-look", "#content h1", func(w *window) {
			w.says(in("hives-by-strength", ".notes button"), "^(All|The) ").MustClick()
			w.element(in("hives-by-strength", ".difference-lines, .difference .quiet"))
			w.says(in("hives-by-strength", ".earlier button"), "^Show$").MustClick()
		}, false},
		{"paper, focus", "/papers/first-look?focus=no-mail", in("no-mail", ".sql"), nil, true},
		{"paper that is not there", "/papers/nothing", ".waiting .problem", nil, false},
		{"account", "/", ".papers a", func(w *window) { w.element(".frame summary").MustClick() }, true},
		{"try", "/try", ".try-text .sql", func(w *window) {
			w.says(".try-text button", "^Keep as").MustClick()
			w.element(".keep input")
		}, true},
		{"history, marks", "/history", ".entry", func(w *window) {
			w.says("summary", "^My marks$").MustClick()
			w.element(".own-marks td")
		}, true},
		{"history, kept and cleared", "/history", ".entry", func(w *window) {
			w.says(".entry button", "^Keep$").MustClick()
			w.element(".keep input")
			w.says("button", "^Clear my runs").MustClick()
			w.says(".filters button", "^Leave them$")
		}, false},
		{"history, nothing found", "/history?text=" + newText(), "#content h1", func(w *window) {
			w.says("p", "Nothing fits")
		}, false},
		{"history", "/history", "#content h1", nil, false}, {"datasets", "/datasets", "#content h1", nil, false},
		{"dataset", "/datasets/apiary", "#content h1", nil, false},
		{"table", "/datasets/apiary?table=hive", "#content h1", nil, false},
		{"map", "/datasets/apiary/map", ".react-flow__node", nil, false},
		{"password", "/password", "#content h1", nil, false},
	}
	instructors := []state{
		{"papers of an instructor", "/", ".papers a", nil, false},
		{"paper of an instructor", "/papers/first-look", "#content h1", paper("names-and-valleys", nil), true},
		{"checked", "/papers/first-look", "#content h1", func(w *window) {
			w.says("button", "Check the exercises").MustClick()
			w.says(".paper-check [role=status]", "checked")
		}, false},
		{"courses", "/courses", ".papers a", nil, true},
		{"new course", "/courses", ".papers a", func(w *window) {
			w.says("button", "^New course").MustClick()
			w.element("#zones")
		}, false},
		{"course", "/courses/evening-group", ".people tbody", nil, true},
		{"course, a paper's rules", "/courses/evening-group", ".people tbody", func(w *window) {
			w.says("button", "^Times and rules").MustClick()
			w.says(".set-paper summary", "Part of the points").MustClick()
		}, false},
		{"course, extensions", "/courses/evening-group", ".people tbody", func(w *window) {
			w.says("button", "^Extensions").MustClick()
			w.element(".extensions form")
		}, false},
		{"course, a member", "/courses/evening-group", ".people tbody", func(w *window) {
			w.says(".people button", "^Change").MustClick()
			w.says(".people button", "^Sessions").MustClick()
			w.element(".people .sessions, .people form .quiet")
		}, false},
		{"import", "/courses/evening-group/import", "input[type=file]", func(w *window) {
			file := filepath.Join(t.TempDir(), "roster.csv")
			if err := os.WriteFile(file, []byte("login,name\nmaud-axe,Maud\n,Nobody\n"), 0o600); err != nil {
				t.Fatal(err)
			}
			w.element("input[type=file]").MustSetFiles(file)
			w.element(".roster-line[data-state=wrong]")
		}, true},
		{"log", "/log", ".log-lines li", nil, true},
		{"service", "/service", ".service table", nil, true},
		{"check again", "/papers/first-look/recheck", "form", func(w *window) {
			w.says("button", "^Look whose marks").MustClick()
			w.says("[role=status]", "checked again")
			w.says("button", "^Leave them").MustClick()
			w.says("[role=status]", "Stopped")
		}, true},
		{"new paper", "/", ".papers a", func(w *window) {
			w.says("button", "^New paper").MustClick()
			w.element(".new-paper select")
		}, true},
		{"writing", "/papers/first-look/write", "#who-looks-after-what h2", func(w *window) {
			w.says("#who-looks-after-what .right-margin", "Doubtful")
		}, true},
		{"writing an exercise", "/papers/first-look/write", "#who-looks-after-what h2", func(w *window) {
			w.opens("who-looks-after-what")
			w.element("#who-looks-after-what .tried .row-grid")
		}, false},
		{"writing the text and the block", "/papers/first-look/write", "#who-looks-after-what h2", func(w *window) {
			w.opens("who-looks-after-what")
			w.says(".piece-actions button", "^Write the block itself$").MustClick()
			w.says(".add-part button", "Exercise from a query").MustClick()
			w.says(".part-actions button", "^Title and times").MustClick()
		}, false},
		{"publishing", "/papers/unpublished/publish", ".publish table", nil, false},
		{"rows that would tell", "/papers/what-is-missing/strengthen", ".strengthen form", func(w *window) {
			w.says(".strengthen button", "^Search for rows$").MustClick()
			w.says(".strengthen button", "^Add them as the variant")
		}, true},
		{"versions", "/papers/first-look/versions", ".version-list", nil, false},
		{"exercises", "/exercises?table=hive", ".found li", func(w *window) {
			w.says(".found summary", "Accepted answer").MustClick()
			w.says(".found button", "^Copy into a paper").MustClick()
			w.element(".found select")
		}, true},
		{"progress", "/papers/first-look/progress", ".progress-row .cell a", nil, false},
		{"an exercise's class", "/papers/first-look/progress/hives-by-strength", ".alike .entry", nil, false},
		{"a timeline", "/learners/robin/timeline?paper=first-look", ".step h2", func(w *window) {
			w.says(".actions button", "^Last$").MustClick()
		}, false},
		{"a note to a group", "/papers/first-look/progress/hives-by-strength", ".alike .entry", func(w *window) {
			w.says(".alike button", "Write them a note").MustClick()
			w.element(".note-form")
		}, false},
		{"a timeline, marking", "/learners/robin/timeline?paper=first-look", ".step h2", func(w *window) {
			w.says(".actions button", "^Last$").MustClick()
			w.says(".margin button", "Mark by hand").MustClick()
			w.element(".mark-form")
		}, false},
		{"marking", "/marking?course=evening-group&paper=first-look", ".review h2", nil, false},
		{"marking, a note", "/marking?course=evening-group&paper=first-look&cause=answer", ".review .note",
			func(w *window) {
				w.says(".marking button", "^Write a note").MustClick()
				w.element(".note-form")
			}, false},
		{"a course's overview", "/courses/evening-group/overview", ".overview canvas", nil, false},
		{"same answers", "/papers/first-look/same?course=evening-group", ".alike .entry", nil, false},
		{"progress, shaded", "/papers/first-look/progress", ".progress-row .cell a", func(w *window) {
			w.picks("Learners shown", "Show", "time, shaded")
		}, false},
		{"history of an instructor", "/history", "#content h1", nil, false},
		{"learner", "/learners/" + name, "#content h1", nil, false},
		{"datasets of an instructor", "/datasets", ".build-form", nil, false},
		{"dataset of an instructor", "/datasets/apiary", "#content h1", nil, false},
	}
	looked := 0
	counts := map[string]int{}
	var said []string
	look := func(w *window, s state, at string) {
		looked++
		for _, v := range w.axe(string(source)) {
			counts[v.ID] += len(v.Nodes)
			if line := fmt.Sprintf(
				"%s, %s: %s (%s)\n    %s\n    %s", s.name, at, v.ID, v.Help, v.Nodes[0].HTML,
				strings.ReplaceAll(v.Nodes[0].FailureSummary, "\n", " "),
			); len(said) < 20 {
				said = append(said, line)
			}
		}
	}
	for _, who := range []struct {
		name, password string
		states         []state
	}{{name, demo.LearnerPassword, learners}, {demo.InstructorName, demo.InstructorPassword, instructors}} {
		w := open(t, shared.url, who.name, who.password)
		for _, s := range who.states {
			for _, dark := range []string{"light", "dark"} {
				for _, width := range []int{1280, 400} {
					if s.do != nil && width == 400 && !s.small {
						continue
					}
					w.begins()
					if err := (proto.EmulationSetDeviceMetricsOverride{
						Width:             width,
						Height:            800,
						DeviceScaleFactor: 1,
					}).Call(w); err != nil {
						t.Fatal(err)
					}
					if err := (proto.EmulationSetEmulatedMedia{
						Features: []*proto.EmulationMediaFeature{
							{Name: "prefers-reduced-motion", Value: "reduce"},
							{Name: "prefers-color-scheme", Value: dark},
						},
					}).Call(w); err != nil {
						t.Fatal(err)
					}
					w.visit(s.path)
					w.element(s.ready)
					if s.do != nil && width == 1280 {
						s.do(w)
					}
					if err := w.WaitDOMStable(200*time.Millisecond, 0); err != nil {
						t.Fatal(err)
					}
					look(w, s, fmt.Sprintf("%s, %d wide", dark, width))
				}
			}
		}
	}
	slices.Sort(said)
	if looked < 120 || len(counts) > 0 {
		t.Errorf("%d states, %v\n%s", looked, counts, strings.Join(said, "\n"))
	}
}
