package test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/proto"

	"examen/internal/client"
	"examen/internal/demo"
)

// A state is a page of the console with what was done on it.
type state struct {
	name, path, ready string // ready is an element that tells that the page is there
	do                func(w *window)
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
	paper := func(exercise string, more func(w *window)) func(w *window) {
		return func(w *window) {
			w.space(exercise)
			if more != nil {
				more(w)
			}
		}
	}
	learners := []state{
		{"papers", "/", ".papers a", nil},
		{"paper", "/papers/first-look", "#content h1", paper("names-and-valleys", nil)},
		{"paper, run", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT * FROM hive")
			w.press("no-mail", "Run")
			w.element(in("no-mail", ".result .row-grid"))
		})},
		{"paper, error", "/papers/first-look", "#content h1", paper("no-mail", func(w *window) {
			w.write("no-mail", "SELECT x FROM hive")
			w.press("no-mail", "Run")
			w.element(in("no-mail", ".problem"))
		})},
		{"paper, tables", "/papers/first-look", "#content h1", paper("names-and-valleys", func(w *window) {
			w.says("button", "^Tables$").MustClick()
			w.element(".table-columns")
		})},
		{"history", "/history", "#content h1", nil}, {"datasets", "/datasets", "#content h1", nil},
		{"dataset", "/datasets/apiary", "#content h1", nil}, {"table", "/datasets/apiary?table=hive", "#content h1", nil},
		{"map", "/datasets/apiary/map", ".react-flow__node", nil}, {"password", "/password", "#content h1", nil},
	}
	instructors := []state{
		{"papers of an instructor", "/", ".papers a", nil},
		{"paper of an instructor", "/papers/first-look", "#content h1", paper("names-and-valleys", nil)},
		{"checked", "/papers/first-look", "#content h1", func(w *window) {
			w.says("button", "Check the exercises").MustClick()
			w.says(".paper-check [role=status]", "checked")
		}},
		{"progress", "/papers/first-look/progress", "table", nil}, {"history of an instructor", "/history", "#content h1", nil},
		{"learner", "/learners/" + name, "#content h1", nil},
		{"datasets of an instructor", "/datasets", ".build-form", nil},
		{"dataset of an instructor", "/datasets/apiary", "#content h1", nil},
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
		page := w.CancelTimeout()
		for _, s := range who.states {
			for _, dark := range []string{"light", "dark"} {
				for _, width := range []int{1280, 400} {
					w.Page = page.Timeout(30 * time.Second)
					if err := (proto.EmulationSetDeviceMetricsOverride{
						Width:             width,
						Height:            800,
						DeviceScaleFactor: 1,
					}).Call(w); err != nil {
						t.Fatal(err)
					}
					if err := (proto.EmulationSetEmulatedMedia{
						Features: []*proto.EmulationMediaFeature{
							{Name: "prefers-reduced-motion", Value: "reduce"}, {Name: "prefers-color-scheme", Value: dark},
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
	if looked < 76 || len(counts) > 0 {
		t.Errorf("%d states, %v\n%s", looked, counts, strings.Join(said, "\n"))
	}
}
