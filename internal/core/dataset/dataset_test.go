package dataset_test

import (
	"encoding/xml"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"

	"examen/internal/core/dataset"
)

// tables makes a catalogue from lines such as "hive: *id, apiary_id>apiary.id?": a star marks the key, ? what may be
// NULL, ! what is unique.
func tables(lines ...string) *dataset.Catalogue {
	c := &dataset.Catalogue{}
	for _, line := range lines {
		name, columns, _ := strings.Cut(line, ": ")
		t := dataset.Table{Name: name, SQLName: `public."` + name + `"`, Rows: 3}
		var key []string
		for _, text := range strings.Split(columns, ", ") {
			column := dataset.Column{
				Type:     "integer",
				Nullable: strings.Contains(text, "?"),
				Key:      strings.HasPrefix(text, "*"),
			}
			unique := strings.Contains(text, "!")
			var to string
			column.Name, to, _ = strings.Cut(strings.Trim(text, "*?!"), ">")
			if column.Key {
				key = append(key, column.Name)
			}
			if unique {
				t.Constraints = append(
					t.Constraints, dataset.Constraint{Kind: dataset.Unique, Columns: []string{column.Name}},
				)
			}
			if table, referred, ok := strings.Cut(to, "."); ok {
				column.References = to
				t.Constraints = append(
					t.Constraints,
					dataset.Constraint{
						Kind:     dataset.ForeignKey,
						Columns:  []string{column.Name},
						Table:    table,
						Referred: []string{referred},
					},
				)
			}
			t.Columns = append(t.Columns, column)
		}
		if key != nil {
			t.Constraints = append(t.Constraints, dataset.Constraint{Kind: dataset.PrimaryKey, Columns: key})
		}
		c.Tables = append(c.Tables, t)
	}
	return c
}

var yard = tables(
	"apiary: *id, name",
	"beekeeper: *id, mentor_id>beekeeper.id?",
	"hive: *id, apiary_id>apiary.id",
	"queen: *id, hive_id>hive.id?!",
	"inspection: *id, hive_id>hive.id, beekeeper_id>beekeeper.id",
	"swarm: *id, hive_id>hive.id",
	"care: *apiary_id>apiary.id, *beekeeper_id>beekeeper.id",
	"note: *id, text",
)

func TestRelationsInWords(t *testing.T) {
	var got []string
	for _, r := range yard.Relations() {
		got = append(got, r.Outward+" "+r.Inward)
	}
	want := []string{
		"Each beekeeper row belongs to one or no other beekeeper row (mentor_id). A beekeeper can have many " +
			"beekeeper rows below it (mentor_id).",
		"Each hive row belongs to one apiary (apiary_id). An apiary can have many hive rows (apiary_id).",
		"Each queen row belongs to one or no hive (hive_id). A hive can have at most one queen row (hive_id).",
		"Each inspection row belongs to one hive (hive_id). A hive can have many inspection rows (hive_id).",
		"Each inspection row belongs to one beekeeper (beekeeper_id). A beekeeper can have many inspection rows " +
			"(beekeeper_id).",
		"Each swarm row belongs to one hive (hive_id). A hive can have many swarm rows (hive_id).",
		"Each care row belongs to one apiary (apiary_id). An apiary can have many care rows (apiary_id).",
		"Each care row belongs to one beekeeper (beekeeper_id). A beekeeper can have many care rows (beekeeper_id).",
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got %s", strings.Join(got, "\n"))
	}
}

func TestConstraintsInWords(t *testing.T) {
	for want, k := range map[string]dataset.Constraint{
		"Primary key: a and b.":        {Kind: dataset.PrimaryKey, Columns: []string{"a", "b"}},
		"No two rows have the same a.": {Kind: dataset.Unique, Columns: []string{"a"}},
		"a refers to hive (id).": {
			Kind:     dataset.ForeignKey,
			Columns:  []string{"a"},
			Table:    "hive",
			Referred: []string{"id"},
		},
		"Check: (weight > 0).": {Kind: dataset.Check, Definition: "CHECK (weight > 0)"},
		"Row level security: queries see only the rows where (n > 1).": {
			Kind:       dataset.RowSecurity,
			Definition: "(n > 1)",
		},
		"Row level security: queries see no rows.": {
			Kind:       dataset.RowSecurity,
			Definition: "false",
		},
		"EXCLUDE USING gist (during WITH &&)": {
			Kind:       dataset.Exclusion,
			Definition: "EXCLUDE USING gist (during WITH &&)",
		},
	} {
		if got := k.Words(); got != want {
			t.Errorf("got %s, want %s", got, want)
		}
	}
}

func TestAdvice(t *testing.T) {
	c := tables(
		"apiary: *apiary_id, name", "hive: *id, apiary_id, colour", "visit: hive_id, day",
		"stock: *id, apiary_id>apiary.apiary_id",
	)
	c.Tables[2].Rows = 0
	c.Tables = append(c.Tables, dataset.Table{Name: "view", View: true})
	want := `visit has no key: add PRIMARY KEY, so that each row can be identified.
visit is empty: if that is intended, tell the learners.
2 columns look like references and have no constraint (hive.apiary_id to apiary, visit.hive_id to hive): ` +
		`add REFERENCES to those that are.`
	if got := strings.Join(c.Advice(), "\n"); got != want {
		t.Errorf("got\n%s", got)
	}
}

func TestSelect(t *testing.T) {
	table := dataset.Table{SQLName: `public."my.table"`}
	for want, s := range map[string]dataset.Selection{
		`SELECT * FROM public."my.table" LIMIT 5 OFFSET 0`: {Limit: 5},
		`SELECT * FROM public."my.table" ORDER BY "a""b" DESC LIMIT 5 OFFSET 10`: {
			Sort:       `a"b`,
			Descending: true,
			Limit:      5,
			Offset:     10,
		},
		`SELECT * FROM public."my.table" WHERE "a" IS NULL LIMIT 5 OFFSET 0`: {
			Column: "a",
			Null:   true,
			Limit:  5,
		},
		`SELECT * FROM public."my.table" WHERE "a"::text = E'x'' OR \\'' --' ORDER BY "b" LIMIT 5 OFFSET 0`: {
			Column: "a",
			Value:  `x' OR \' --`,
			Sort:   "b",
			Limit:  5,
		},
	} {
		if got := table.Select(s); got != want {
			t.Errorf("got  %s\nwant %s", got, want)
		}
	}
}

// overlaps lists tables that lie on each other, and lines that pass behind a table which they have nothing to do with.
func overlaps(m *dataset.Map) (wrong []string) {
	for i, a := range m.Entities {
		if a.X < 0 || a.Y < 0 || a.X+a.Width > m.Width || a.Y+a.Height > m.Height {
			wrong = append(wrong, a.Table.Name+" leaves the map")
		}
		for _, b := range m.Entities[i+1:] {
			if a.X < b.X+b.Width && b.X < a.X+a.Width && a.Y < b.Y+b.Height && b.Y < a.Y+a.Height {
				wrong = append(wrong, a.Table.Name+" lies on "+b.Table.Name)
			}
		}
	}
	return wrong
}

func TestTheMapOfAFewTablesHasNoCrossings(t *testing.T) {
	// Here every queen has a hive: relations to one, and to one or none, end apart and may cross beside their table.
	eight := tables(
		"apiary: *id, name",
		"beekeeper: *id, mentor_id>beekeeper.id?",
		"hive: *id, apiary_id>apiary.id",
		"queen: *id, hive_id>hive.id!",
		"inspection: *id, hive_id>hive.id, beekeeper_id>beekeeper.id",
		"swarm: *id, hive_id>hive.id",
		"care: *apiary_id>apiary.id, *beekeeper_id>beekeeper.id",
		"note: *id, text",
	)
	m := dataset.NewMap(eight)
	if wrong := overlaps(m); wrong != nil || m.Crossings() > 0 || len(m.Entities) != 8 || len(m.Relations) != 8 {
		t.Errorf("%d crossings, %v", m.Crossings(), wrong)
	}
	if m.Width > 1280 || m.Height > 800 {
		t.Errorf("%.0f by %.0f does not fit a window", m.Width, m.Height)
	}
}

// Any tables can be drawn: in circles, of sixty, without relations.
func TestAnyMapIsDrawn(t *testing.T) {
	chance := rand.New(rand.NewPCG(3, 4))
	many := make([]string, 60)
	for i := range many {
		many[i] = fmt.Sprintf("table_%d: *id", i)
		if i > 0 {
			many[i] += fmt.Sprintf(", a>table_%d.id, b>table_%d.id?", chance.IntN(i), chance.IntN(min(i, 8)))
		}
	}
	for name, c := range map[string]*dataset.Catalogue{
		"sixty":    tables(many...),
		"a circle": tables("a: *id, b_id>b.id", "b: *id, c_id>c.id", "c: *id, a_id>a.id?"),
		"alone":    tables("a: *id", "b: *id", "c: *id", "d: *id"),
		"nothing":  tables(),
		"wide":     tables("a: *id, " + strings.Repeat("x, ", 80) + "y"),
	} {
		m := dataset.NewMap(c)
		if wrong := overlaps(m); wrong != nil || len(m.Entities) != len(c.Tables) {
			t.Errorf("%s: %v", name, wrong)
		}
		for d := xml.NewDecoder(strings.NewReader(m.SVG(false))); ; {
			if _, err := d.Token(); err == io.EOF {
				break
			} else if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
		}
	}
}

func TestAMovedTableTakesItsLinesAlong(t *testing.T) {
	m := dataset.NewMap(yard)
	m.Move("swarm", 2000, 1500)
	for _, l := range m.Relations {
		if l.From == "swarm" && (l.Points[0].X != 2000 || l.Points[0].Y < 1500) {
			t.Errorf("got %+v", l.Points)
		}
	}
	if m.Width < 2000 || m.Height < 1500 {
		t.Errorf("the map is %.0f by %.0f", m.Width, m.Height)
	}
}

func TestTheMapAsTextAndMermaid(t *testing.T) {
	m := dataset.NewMap(yard.Around("queen"))
	want := `┌─ hive, 3 rows ───────────┐
│ PK    id         integer │
│    FK apiary_id  integer │
└──────────────────────────┘
  hive ○── queen   A hive can have at most one queen row (hive_id).

┌─ queen, 3 rows ────────┐
│ PK    id       integer │
│    FK hive_id  integer │
└────────────────────────┘
  queen ──○ hive   Each queen row belongs to one or no hive (hive_id).
`
	if got := m.Text(); got != want {
		t.Errorf("got\n%s", got)
	}
	want = `erDiagram
    "hive" {
        integer id PK
        integer apiary_id FK
    }
    "queen" {
        integer id PK
        integer hive_id FK
    }
    "hive" |o--o| "queen" : "hive_id"
`
	if got := m.Mermaid(); got != want {
		t.Errorf("got\n%s", got)
	}
}

func TestNamesAreEscapedInDrawings(t *testing.T) {
	c := tables("a: *id")
	c.Tables[0].Name = `<script>"&'`
	c.Tables[0].Columns[0].Name = "x\n%% b"
	if svg := dataset.NewMap(c).SVG(true); strings.Contains(svg, "<script>") {
		t.Error(svg)
	}
	if text := dataset.NewMap(c).Mermaid(); strings.Count(text, "\n") != 4 {
		t.Error(text)
	}
}
