package grading

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// same are the mutations of the demo's answers that mean the same as the answer, as somebody who knows the tables finds
// them: no rows that the tables may hold tell them apart.
var same = map[string][]string{
	"before-the-season/all-about-grades":   {"adds DISTINCT"},
	"before-the-season/dear-honey":         {"has the rows without price_kg come last"},
	"before-the-season/first-three":        {"adds DISTINCT", "has the rows without founded come first"},
	"before-the-season/people-of-beckside": {"has the rows without joined come last"},
	"before-the-season/hives-in-use":       {"adds DISTINCT"},
	"first-look/names-and-valleys":         {"adds DISTINCT"},
	"first-look/hives-by-strength":         {"has the rows without strength come last"},
	"first-look/high-and-strong":           {"adds DISTINCT"},
	"first-look/no-mail":                   {"has the rows without name come first"},
	"first-look/calm-bees":                 {"takes ILIKE for LIKE", "adds DISTINCT"},
	"first-look/harvest-by-grade":          {"adds DISTINCT", "has the rows without sum(weight_kg) come last"},
	"first-look/who-looks-after-what": {"takes LEFT JOIN for JOIN", "takes RIGHT JOIN for JOIN",
		"takes FULL JOIN for JOIN", "takes LEFT JOIN for JOIN", "takes RIGHT JOIN for JOIN", "takes FULL JOIN for JOIN",
		"has the rows without a.name come first", "has the rows without b.name come first"},
	"what-is-missing/without-an-apiary": {"takes FULL JOIN for LEFT JOIN", "takes c.apiary_id for c.beekeeper_id"},
	"what-is-missing/never-sold":        {"takes NOT IN for NOT EXISTS", "adds DISTINCT"},
	"what-is-missing/still-to-come":     {"takes NOT EXISTS for NOT IN", "has the rows without name come first"},
	"what-is-missing/how-many-each": {"takes FULL JOIN for LEFT JOIN", "leaves out the group key name",
		"groups by village, too", "groups by email, too", "takes count(DISTINCT apiary_id) for count(apiary_id)",
		"counts c.beekeeper_id for c.apiary_id", "adds DISTINCT"},
	"what-is-missing/still-owed": {"takes LEFT JOIN for JOIN", "takes RIGHT JOIN for JOIN",
		"takes FULL JOIN for JOIN", "takes RIGHT JOIN for JOIN", "leaves out the group key name", "groups by town, too",
		"has the rows without sum(weight_kg * price_kg) come last"},
	"in-the-honey-room/young-queens": {"takes count(queen_year) for count(*)", "adds DISTINCT"},
	"in-the-honey-room/great-days":   {"adds DISTINCT", "has the rows without day come first"},
	"in-the-honey-room/teachers":     {"has the rows without b.name come first"},
	"in-the-honey-room/best-hives": {"takes LEFT JOIN for JOIN", "takes RIGHT JOIN for JOIN",
		"takes FULL JOIN for JOIN", "takes LEFT JOIN for JOIN", "takes RIGHT JOIN for JOIN", "takes FULL JOIN for JOIN",
		"leaves out the group key a.apiary_id", "leaves out the group key a.name",
		"leaves out the group key h.hive_id", "leaves out the group key h.name", "groups by valley, too",
		"groups by kind, too", "adds DISTINCT", "has the rows without sum(weight_kg) come last"},
}

// demo is a grader with the demo's dataset and its variants, and the papers about it.
type demo struct {
	*bench
	Inspection
	papers []pack.Paper
	setup  []string
}

func openDemo(t testing.TB) *demo {
	t.Helper()
	return openPack(t, "heather-hill")
}

// openPack is a grader with the dataset of a pack that ships.
func openPack(t testing.TB, name string) *demo {
	t.Helper()
	d := &demo{bench: open(t)}
	files := os.DirFS("../../packs/" + name)
	p, wrong := pack.Read(files)
	if wrong != nil {
		t.Fatal(wrong)
	}
	d.papers, d.setup = p.Papers, p.Datasets[0].Setup
	build := func(scripts []string, variant bool) (string, *practice.Built) {
		name := fmt.Sprintf("grading_%d", time.Now().UnixNano())
		built, err := d.server.Build(ctx, practice.Order{Database: name, Variant: variant, Scripts: scripts,
			Files: files})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = d.server.Drop(ctx, name) })
		return name, built
	}
	database, built := build(d.setup, false)
	if err := d.server.Analyze(ctx, database); err != nil {
		t.Fatal(err)
	}
	d.Inspection = Inspection{
		Database: database, Tables: &built.Catalogue, Variants: map[string]string{}, Step: func(string) {},
	}
	for _, v := range p.Datasets[0].Variants {
		d.Variants[v.Name], _ = build(slices.Concat(d.setup, v.Setup), true)
	}
	return d
}

// mutations are those of an exercise's answer.
func (d *demo) mutations(t *testing.T, e *pack.Exercise) []mutation.Mutation {
	t.Helper()
	q, err := sqltext.ReadQuery(e.Reference)
	if err != nil {
		t.Fatal(err)
	}
	ordered := len(q.Tree().Stmts[0].Stmt.GetSelectStmt().SortClause) > 0 && e.Checking.Policy.Order != compare.OrderAny
	return mutation.Make(q, d.Tables, mutation.Rules{Ordered: ordered})
}

// Of the demo's mutations that mean the same, nine in ten are recognised, and nothing else is taken for one; what would
// pass is told apart by the rows that are proposed.
func TestTheStrengthOfTheDemosExercises(t *testing.T) {
	d := openDemo(t)
	recognised, all, told, survivors := 0, 0, 0, 0
	for i := range d.papers {
		paper := &d.papers[i]
		d.Paper = paper
		found, err := d.Inspect(ctx, d.Inspection)
		if err != nil {
			t.Fatal(err)
		}
		in := &inspector{grader: d.Grader, Inspection: d.Inspection}
		for _, e := range paper.Exercises() {
			address := paper.Slug + "/" + e.Slug
			want := slices.Clone(same[address])
			all += len(want)
			for _, m := range d.mutations(t, e) {
				if m.Same == "" {
					continue
				}
				at := slices.Index(want, m.Says)
				if at < 0 {
					t.Errorf("%s: what %s is taken for the same: %s", address, m.Says, m.Same)
					continue
				}
				recognised++
				want = slices.Delete(want, at, at+1)
				q, err := sqltext.ReadQuery(m.SQL)
				if err != nil {
					t.Fatal(err)
				}
				for _, at := range in.places(e) {
					if is, err := in.told(ctx, e, 0, q, at); err != nil || is != alike {
						t.Errorf("%s: the data tell what %s apart%s: %v, %v", address, m.Says, at.in(), is, err)
					}
				}
			}
			s := found.Strengths[e.Slug]
			if s == nil || s.Told+len(s.Survivors) != s.Mutations || s.Of+s.Undecided != 0 {
				t.Errorf("%s: %+v", address, s)
			}
		}
		scratch, err := d.server.Scratch(ctx, practice.Order{
			Database: fmt.Sprintf("grading_%d", time.Now().UnixNano()), Scripts: d.setup,
			Files: os.DirFS("../../packs/heather-hill"),
		})
		if err != nil {
			t.Fatal(err)
		}
		proposed, err := d.Strengthen(ctx, Strengthening{
			Paper: paper, Strengths: found.Strengths, Tables: d.Tables, Scratch: scratch,
			Applies: func(*pack.Exercise) bool { return true }, Step: func(string) {},
		})
		if closed := scratch.Close(ctx); err != nil || closed != nil {
			t.Fatal(err, closed)
		}
		for _, p := range proposed.Proposals {
			told += len(p.Tells)
			if len(p.Rows) == 0 || len(p.Tells) == 0 || p.What == "" || !strings.HasPrefix(p.SQL, "INSERT INTO ") {
				t.Errorf("%s: %+v", paper.Slug, p)
			}
		}
		for _, left := range proposed.Left {
			t.Logf("%s/%s: no rows for: %s", paper.Slug, left.Exercise, left.Survivor.Sentence)
		}
		for _, s := range found.Strengths {
			survivors += len(s.Survivors)
		}
	}
	if 10*recognised < 9*all || all < 50 {
		t.Errorf("%d of %d that mean the same are recognised", recognised, all)
	}
	if 100*told < 95*survivors || survivors < 10 {
		t.Errorf("rows tell %d of %d survivors apart", told, survivors)
	}
}

// What is wrong with an answer, or too large, has a strength that says so, or none.
func TestStrengthsOfDoubtfulAnswers(t *testing.T) {
	b := open(t)
	of := func(reference string, rules pack.Checking) *Strength {
		t.Helper()
		e := &pack.Exercise{Slug: "e", Title: "E", Reference: reference, Checking: rules}
		found, err := b.Inspect(ctx, Inspection{
			Paper:    &pack.Paper{Sections: []pack.Section{{Exercise: e}}},
			Database: b.visible, Variants: map[string]string{"weak": b.hidden}, Tables: b.tables, Step: func(string) {},
		})
		if err != nil {
			t.Fatal(err)
		}
		return found.Strengths["e"]
	}
	for what, sql := range map[string]string{
		"empty": "SELECT name FROM hive WHERE strength > 99", "fails": "SELECT nme FROM hive",
		"changing": "SELECT name, now() FROM hive",
	} {
		if s := of(sql, pack.Checking{}); s != nil {
			t.Errorf("an answer that is %s: %+v", what, s)
		}
	}
	strong := of("SELECT name FROM hive WHERE strength > 5 AND strength < 8", pack.Checking{})
	if strong == nil || strong.Mutations < 10 || !strings.HasPrefix(strong.Sentence(), fmt.Sprintf(
		"%d of %d mutations are told apart", strong.Told, strong.Mutations)) {
		t.Errorf("got %+v", strong)
	}
	// A rule tells apart, too; and an answer under also is no wrong one.
	weak := of("SELECT DISTINCT kind FROM hive WHERE strength > 0", pack.Checking{})
	ruled := of("SELECT DISTINCT kind FROM hive WHERE strength > 0", pack.Checking{Require: []string{"distinct"}})
	if weak == nil || ruled == nil || ruled.Mutations != weak.Mutations || ruled.Told < weak.Told {
		t.Errorf("with the rule %+v, without %+v", ruled, weak)
	}
	also := of("SELECT name FROM hive WHERE strength > 0", pack.Checking{Also: []string{"SELECT name FROM hive"}})
	for _, s := range also.Survivors {
		if s.Answer == 0 && s.Edit.Is == "" {
			t.Errorf("what is accepted is told as wrong: %+v", s)
		}
	}
	// An answer that is slow: what does not end in time is not decided, and said.
	patience := longestMutation
	longestMutation = 0
	slow := of("SELECT name FROM hive WHERE strength > 5", pack.Checking{})
	longestMutation = patience
	if slow == nil || slow.Undecided == 0 || slow.Told+slow.Undecided != slow.Mutations ||
		!strings.HasSuffix(slow.Sentence(), fmt.Sprintf("; %d took too long.", slow.Undecided)) {
		t.Errorf("got %+v", slow)
	}
	// Bees by the thousand times themselves: a mutation that joins them all is given up, or seen to be too many.
	if s := of("SELECT a.n FROM bee AS a JOIN bee AS b ON b.n = a.n", pack.Checking{}); s == nil || s.Told == 0 {
		t.Errorf("got %+v", s)
	}
}

// Tables of a million rows have a sample of the mutations tried.
func TestMutationsOfLargeTablesAreSampled(t *testing.T) {
	b := open(t)
	tables := *b.tables
	tables.Tables = slices.Clone(tables.Tables)
	for i := range tables.Tables {
		tables.Tables[i].Rows = 4_000_000
	}
	e := &pack.Exercise{Slug: "e", Title: "E",
		Reference: "SELECT name, kind FROM hive WHERE strength > 5 AND kind = 'skep'"}
	found, err := b.Inspect(ctx, Inspection{
		Paper: &pack.Paper{Sections: []pack.Section{{Exercise: e}}}, Database: b.visible, Tables: &tables,
		Step: func(string) {},
	})
	s := found.Strengths["e"]
	if err != nil || s == nil || s.Mutations != leastTried || s.Of <= s.Mutations ||
		!strings.Contains(s.Sentence(), fmt.Sprintf("(a sample of %d: the tables are large)", s.Of)) {
		t.Errorf("got %+v, %v", s, err)
	}
}

// Constraints may leave no rows to propose; that is a result, and the copy is gone afterwards.
func TestNoRowsToPropose(t *testing.T) {
	b := open(t)
	name := fmt.Sprintf("grading_%d", time.Now().UnixNano())
	const full = `CREATE TABLE hive (
			name text PRIMARY KEY CHECK (name IN ('Amber', 'Bramble')),
			strength integer NOT NULL CHECK (strength IN (5, 7))
		);
		INSERT INTO hive VALUES ('Amber', 5), ('Bramble', 7);`
	files := fstest.MapFS{"full.sql": &fstest.MapFile{Data: []byte(full)}}
	order := practice.Order{Database: name, Scripts: []string{"full.sql"}, Files: files}
	built, err := b.server.Build(ctx, order)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = b.server.Drop(ctx, name) })
	e := &pack.Exercise{Slug: "e", Title: "E", Reference: "SELECT strength FROM hive"}
	paper := &pack.Paper{Sections: []pack.Section{{Slug: "e", Exercise: e}}}
	found, err := b.Inspect(ctx, Inspection{Paper: paper, Database: name, Tables: &built.Catalogue,
		Step: func(string) {}})
	if err != nil || len(found.Strengths["e"].Survivors) == 0 {
		t.Fatalf("got %+v, %v", found, err)
	}
	order.Database += "_scratch"
	scratch, err := b.server.Scratch(ctx, order)
	if err != nil {
		t.Fatal(err)
	}
	proposed, err := b.Strengthen(ctx, Strengthening{
		Paper: paper, Strengths: found.Strengths, Tables: &built.Catalogue, Scratch: scratch,
		Applies: func(*pack.Exercise) bool { return true }, Step: func(string) {},
	})
	if err != nil || len(proposed.Proposals) != 0 || len(proposed.Left) != len(found.Strengths["e"].Survivors) {
		t.Errorf("got %+v, %v", proposed, err)
	}
	if err := scratch.Close(ctx); err != nil {
		t.Fatal(err)
	}
	if left, err := b.server.Databases(ctx, order.Database); err != nil || len(left) > 0 {
		t.Errorf("left are %q, %v", left, err)
	}
}
