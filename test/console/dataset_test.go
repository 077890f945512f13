package console

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// choose puts files into the page's form.
func (w *window) choose(files map[string]string) {
	w.t.Helper()
	folder := w.t.TempDir()
	var paths []string
	for name, text := range files {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			w.t.Fatal(err)
		}
		paths = append(paths, path)
	}
	w.element("[data-choose=files]").MustSetFiles(paths...)
}

func TestADatasetIsBuiltInTheConsole(t *testing.T) {
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.click("nav a", "Datasets")
	w.says(".papers a", "Apiaries, hives and harvests")
	w.choose(map[string]string{"console-nights.csv": "Night,Cloud\n2026-01-01,20\n2026-01-02,\n"})
	w.says(".build-form .quiet", "console-nights.csv, 38 bytes")
	w.click(".build-form button", "^Build$")
	// Before the table is made its types are shown.
	w.says(".job-state", "Waiting for you to confirm the column types")
	w.says(".inferred tr", `night\s+date\s+Night\s+0`)
	w.says(".inferred tr", `cloud\s+integer\s+Cloud\s+1`)
	w.click("button", "Build with these types")
	w.says(".job-state", "Done: build 1, 1 table, 2 rows")
	w.says("details", "console_nights has no key")
	w.click("a", "The dataset")
	w.says("h1", "console-nights")
	w.says(".builds", "Build 1 is in use")

	w.visit("/datasets")
	w.choose(map[string]string{"console-bad.sql": "CREATE TABLE visit (\n  day datetime\n);\n"})
	w.click(".build-form button", "^Build$")
	w.says(".job-state", "Failed: 1 error in its scripts")
	w.says(".problem", `console-bad.sql, line 2, column 7\s+type "datetime" does not exist`)
	w.says(".problem", "write timestamp")
}

// A build is followed on its page, by one who comes in the middle too, and stopped there.
func TestABuildIsFollowedInTheConsole(t *testing.T) {
	teacher := whole.Hazel(t)
	job := whole.Build(
		t, teacher, "console-endless", client.BuildDatasetParams{}, whole.Scripts(
			map[string]string{"a.sql": whole.Endless},
		),
	)
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/builds/" + job.Id)
	w.says(".job-state", "Building")
	w.says(".going", `a.sql .* 3 statements, 1 table, 3 rows`)
	w.click("button", "^Stop$")
	w.says(".job-state", "Stopped; what it had made is removed")
	w.visit("/datasets")
	w.says(".jobs li", "console-endless Stopped")
}

func TestALearnerLooksAtTheTables(t *testing.T) {
	name, _ := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.click("nav a", "Datasets")
	w.click(".papers a", "Apiaries, hives and harvests")
	hive := w.element("#hive")
	if text := hive.MustText(); !strings.Contains(text, "Each hive row belongs to one apiary (apiary_id).") ||
		!strings.Contains(text, "No two rows have the same apiary_id and name.") ||
		!strings.Contains(text, "stacked, long, skep") {
		t.Errorf("hive: %s", text)
	}
	if found, _, _ := w.HasR("h2", "Builds"); found {
		t.Error("a learner is shown builds")
	}
	w.click("#hive button", "Show the rows")
	w.says("#hive .table-rows", "Rows 1 to 50")
	w.click("#hive .table-rows button", "Next page")
	w.says("#hive .table-rows", "Rows 51 to 96")
	w.click("#hive .table-rows label", "descending")
	w.says("#hive .table-rows", "Rows 1 to 50")
}

func TestTheMapInTheConsole(t *testing.T) {
	w := open(t, whole.Shared.URL, demo.LearnerName, demo.LearnerPassword)
	w.visit("/datasets/apiary/map")
	w.element(`.map-space[data-tables="11"] .react-flow__node`)
	if nodes, lines := len(w.MustElements(".react-flow__node")), len(w.MustElements(".relation")); nodes != 11 ||
		lines != 12 {
		t.Errorf("%d tables and %d relations are drawn", nodes, lines)
	}
	place := func() string {
		return w.element(`.react-flow__node[data-id="swarm"]`).MustEval("() => this.style.transform").Str()
	}
	before := place()
	box := w.element(`.react-flow__node[data-id="swarm"]`).MustShape().Box()
	w.Mouse.MustMoveTo(box.X+20, box.Y+8)
	w.Mouse.MustDown(proto.InputMouseButtonLeft)
	for step := range 10 {
		w.Mouse.MustMoveTo(box.X+20+float64(step)*6, box.Y+8+float64(step)*3)
	}
	w.Mouse.MustUp(proto.InputMouseButtonLeft)
	moved := place()
	if moved == before {
		t.Fatal("the table was not moved")
	}
	// It is remembered, and the drawing that is saved has it too.
	w.MustReload()
	w.element(`.map-space[data-tables="11"] .react-flow__node`)
	if again := place(); again != moved {
		t.Errorf("moved to %s, and after loading anew it is at %s", moved, again)
	}
	w.MustEval(
		`() => { window.saved = []; HTMLAnchorElement.prototype.click = function () { saved.push(this.download + " ` +
			`" + this.href) } }`,
	)
	w.click("button", "Save as SVG")
	w.click("button", "Save as PNG")
	whole.Until(t, "both drawings are saved", func() bool { return w.MustEval(`() => saved.length`).Int() == 2 })
	saved := w.MustEval(`() => saved.map(decodeURIComponent).sort().join("\n")`).Str()
	at := regexp.MustCompile(`translate\((\d+)px, (\d+)px\)`).FindStringSubmatch(moved)
	if !strings.Contains(saved, "apiary-map.png data:image/png;base64,") ||
		!strings.Contains(saved, "apiary-map.svg data:image/svg+xml") || at == nil ||
		!strings.Contains(saved, "translate("+at[1]+" "+at[2]+`)"><title>swarm</title>`) {
		t.Errorf("moved to %s, saved %.300s", moved, saved)
	}
	w.click("button", "Reset layout")
	whole.Until(t, "the table is back", func() bool { return place() == before })
	w.visit("/datasets/apiary/map?table=swarm")
	w.element(`.map-space[data-tables="2"]`)
}

// Names and values of the data are text on every page, whatever they look like.
func TestDataCannotActOnThePage(t *testing.T) {
	const evil = `<img src=x onerror=alert(1)>`
	teacher := whole.Hazel(t)
	job := whole.Built(
		t,
		teacher,
		"evil",
		client.BuildDatasetParams{Title: evil},
		whole.Scripts(
			map[string]string{
				"a.sql": `CREATE TABLE "<b>t</b>" ("<i>c</i>" text PRIMARY KEY, f text DEFAULT '` + evil + `');
INSERT INTO "<b>t</b>" VALUES ('` + evil + `', '=1+1'), (E'\x1b[31m', chr(8238));
COMMENT ON TABLE "<b>t</b>" IS '` + evil + `';
CREATE VIEW "v'""" AS SELECT '` + evil + `' AS a;`,
			},
		),
	)
	if job.State != client.JobDone {
		t.Fatalf("got %+v", job)
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/datasets/evil")
	w.says("h1", "<img src=x")
	w.click("section button", "Show the rows")
	w.says(".table-rows td", "<img src=x")
	w.visit("/datasets/evil/map")
	w.says(".entity", "<b>t</b>")
	if images := len(w.MustElements("main img")); images > 0 {
		t.Errorf("%d images have come from data", images)
	}
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	for _, args := range []string{
		"dataset show evil", "dataset show evil <b>t</b>", "dataset rows evil <b>t</b>", "dataset map evil",
	} {
		if p := s.Run("", strings.Fields(args)...); p.Code != 0 || strings.ContainsAny(p.Out, "\x1b\u202e") {
			t.Errorf("%s: %d, %q", args, p.Code, p.Out)
		}
	}
	if p := s.Run("", "dataset", "rows", "evil", "<b>t</b>", "-o", "csv"); !strings.Contains(p.Out, ",'=1+1\n") {
		t.Errorf("a formula in CSV: %q", p.Out)
	}
	if svg, err := client.Read[string](
		teacher.GetMap(ctx, "evil", &client.GetMapParams{Format: client.MapSVG}),
	); err != nil || strings.Contains(svg, "<b>") {
		t.Errorf("got %s, %v", svg, err)
	}
}

// From far away a large map shows its groups and the tables' names alone; what is looked for comes near, with its
// columns.
func TestALargeMapInTheConsole(t *testing.T) {
	var script strings.Builder
	for area := range 8 {
		fmt.Fprintf(&script, "CREATE TABLE area_%d (id integer PRIMARY KEY, name text);\n", area)
		for i := range 6 {
			fmt.Fprintf(
				&script,
				"CREATE TABLE part_%d_%d (id integer PRIMARY KEY, area_id integer REFERENCES area_%d, measure_%d_%d "+
					"integer);\n",
				area, i, area, area, i,
			)
		}
	}
	if job := whole.Built(
		t, whole.Hazel(t), "many-tables", client.BuildDatasetParams{}, whole.Scripts(
			map[string]string{"a.sql": script.String()},
		),
	); job.State != client.JobDone {
		t.Fatalf("got %+v", job)
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/datasets/many-tables/map")
	w.element(`.map-far .react-flow__node[data-id="part_3_4"]`)
	w.says(".map-group", "^Around area_3$")
	if shown := w.MustEval(
		`() => [...document.querySelectorAll(".entity")].filter(e => e.querySelector("ul").offsetParent !== null || ` +
			`e.querySelector("h2").offsetWidth > e.offsetWidth).length`,
	).Int(); shown != 0 {
		t.Errorf("%d tables show columns from far away, or a name that is too wide", shown)
	}
	w.click(`input[aria-label="Find a table or column"]`, "")
	w.MustInsertText("measure_3_4")
	w.says(".ant-select-item-option-active", `part_3_4\.measure_3_4`)
	w.Keyboard.MustType(input.Enter)
	w.says(`.react-flow:not(.map-far) .entity[data-selected="true"] li`, "measure_3_4")
	whole.Until(t, "the table stands in the middle", func() bool {
		return w.MustEval(
			`() => { const b = document.querySelector('[data-selected="true"]').getBoundingClientRect(); return ` +
				`Math.abs(b.x + b.width / 2 - 640) < 40 && b.width > 150 }`,
		).Bool()
	})
}
