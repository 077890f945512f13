package grading

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/dataset"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/panics"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/postgres/postgrestest"
	"examen/internal/practice"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var ctx = context.Background()

const seed = result.Seed(11)

// yard has three hives, and bees by the thousand; weak a fourth hive.
const (
	yard = `CREATE TABLE hive (name text PRIMARY KEY, strength integer, kind text);
		INSERT INTO hive VALUES ('Amber', 5, 'skep'), ('Bramble', 7, 'skep'), ('Clover', 9, 'stacked');
		CREATE TABLE bee AS SELECT n, n % 10 AS hive FROM generate_series(1, 5000) AS n;`
	weak = "INSERT INTO hive VALUES ('Dandelion', 4, 'skep');"
)

// A bench is a grader with the yard, and its weak variant, on a practice server.
type bench struct {
	*Grader
	server          *practice.Servers
	visible, hidden string
	tables          *dataset.Catalogue // of both
}

func open(t testing.TB) *bench {
	t.Helper()
	server, err := practice.Open(ctx, []string{url}, practice.Options{Limits: practice.Limits{
		Time: 5 * time.Second, Rows: 100_000, Bytes: 64 << 20, RowBytes: 1 << 20, TempDisk: "64MB",
		Seats: 3, Learner: 3, Wait: 20 * time.Second,
	}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Close)
	b := &bench{Grader: New(server, seed), server: server}
	for database, script := range map[*string]string{&b.visible: yard, &b.hidden: yard + weak} {
		*database = fmt.Sprintf("grading_%d", time.Now().UnixNano())
		built, err := server.Build(ctx, practice.Order{
			Database: *database, Variant: database == &b.hidden, Scripts: []string{"yard.sql"},
			Files: fstest.MapFS{"yard.sql": &fstest.MapFile{Data: []byte(script)}},
		})
		if err != nil {
			t.Fatal(err)
		}
		b.tables = &built.Catalogue
		t.Cleanup(func() { _ = server.Drop(ctx, *database) })
	}
	return b
}

// task asks for what some answers give.
func (b *bench) task(accepted ...string) Task {
	return Task{Accepted: accepted, Database: b.visible, Hidden: []string{b.hidden}}
}

// kinds are those of a verdict's findings.
func kinds(v *Verdict) string {
	var all []string
	for _, f := range v.Findings {
		all = append(all, f.Kind)
	}
	return strings.Join(all, " ")
}

// A decision follows from what is given: the accepted answers, the rules, where to run, and the query.
func TestVerdicts(t *testing.T) {
	b := open(t)
	strong := b.task(
		"SELECT name FROM hive WHERE strength >= 5 ORDER BY name", "SELECT name FROM hive WHERE kind = 'x'",
	)
	ruled := b.task("SELECT name FROM hive")
	ruled.Rules = pack.Checking{Forbid: []string{"star"}, Policy: compare.Policy{Columns: compare.ByName}}
	for _, c := range []struct {
		name, sql string
		task      Task
		outcome   marking.Outcome
		findings  string
		unread    bool
		hidden    bool // looked at
		only      bool // wrong there alone
	}{
		{
			"right", "SELECT name FROM hive WHERE strength > 4 ORDER BY 1", strong, marking.Correct, "", false, true,
			false,
		},
		{
			"the other accepted answer", "SELECT name FROM hive WHERE false", strong, marking.Correct, "", false, true,
			false,
		},
		{
			"wrong", "SELECT name FROM hive WHERE strength > 5 ORDER BY name", strong,
			marking.Incorrect, "rows-missing", false, false, false,
		},
		{
			"right on what is seen", "SELECT name FROM hive ORDER BY name", strong,
			marking.Incorrect, "hidden-rows", false, true, true,
		},
		{
			"a rule", "SELECT * FROM (SELECT name FROM hive) AS h", ruled, marking.Rejected,
			"construct-forbidden", false, true, false,
		},
		{"no SQL", "SELEC name FROM hive", strong, marking.Failed, "", true, false, false},
		{"no query", "DELETE FROM hive", strong, marking.Rejected, "", true, false, false},
		{"an error", "SELECT nme FROM hive", strong, marking.Failed, "", false, false, false},
		{"a limit", "SELECT a.n FROM bee AS a, bee AS b", strong, marking.Stopped, "", false, false, false},
	} {
		v, err := b.Grade(ctx, c.task, 1, c.sql)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		got := fmt.Sprint(v.Outcome, " ", kinds(v), " ", v.Unread, v.Hidden, v.HiddenOnly)
		if want := fmt.Sprint(c.outcome, " ", c.findings, " ", c.unread, c.hidden, c.only); got != want {
			t.Errorf("%s: got %s, want %s", c.name, got, want)
		}
		if (v.Fault != nil) != (c.findings == "" && c.outcome != marking.Correct) {
			t.Errorf("%s: fault %+v", c.name, v.Fault)
		}
		if (v.Fingerprint == nil) != (v.Fault != nil) {
			t.Errorf("%s: fingerprint %v", c.name, v.Fingerprint)
		}
	}
}

// faulty stands for a fault of Examen's own: it panics where a text is run in a database.
type faulty struct {
	*practice.Servers
	database, sql string
}

func (f faulty) Run(ctx context.Context, run practice.Run, sink practice.Sink) (practice.Execution, error) {
	if run.Database == f.database && run.SQL == f.sql {
		panic("out of order")
	}
	return f.Servers.Run(ctx, run, sink)
}

// A fault of Examen's own with one submission is that one's error: it does not end the service.
func TestAPanicEndsOneCheckOnly(t *testing.T) {
	b := open(t)
	answer, submitted := "SELECT name FROM hive", "SELECT h.name FROM hive AS h"
	for name, at := range map[string]faulty{
		"with an accepted answer":      {b.server, b.visible, answer},
		"on hidden rows":               {b.server, b.hidden, submitted},
		"with an answer's hidden rows": {b.server, b.hidden, answer},
	} {
		_, err := on(at, seed).Grade(ctx, b.task(answer), 1, submitted)
		var caught *panics.Error
		if !errors.As(err, &caught) || caught.Value != "out of order" {
			t.Errorf("%s: %v", name, err)
		}
	}
	if v, err := b.Grade(ctx, b.task(answer), 1, submitted); err != nil || v.Outcome != marking.Correct {
		t.Errorf("another: %+v, %v", v, err)
	}
}

// An accepted answer that does not run is nobody's fault who submits.
func TestAnAnswerThatDoesNotRun(t *testing.T) {
	b := open(t)
	_, err := b.Grade(ctx, b.task("SELECT nothing FROM hive"), 1, "SELECT name FROM hive")
	var answer *AnswerError
	if !errors.As(err, &answer) || answer.Answer != "SELECT nothing FROM hive" || ServersFault(err) {
		t.Errorf("got %v", err)
	}
	if err := b.Prepare(ctx, "SELECT nothing FROM hive", b.visible); err == nil ||
		!strings.Contains(err.Error(), `column "nothing" does not exist`) {
		t.Errorf("got %v", err)
	}
	gone := b.task("SELECT name FROM hive")
	gone.Database = "grading_gone"
	if _, err := b.Grade(ctx, gone, 1, "SELECT name FROM hive"); !ServersFault(err) {
		t.Errorf("a database that is gone: %v", err)
	}
}

// What a large answer gives is ready before the learner's query runs: what reads the query's rows asks no server. Where
// its columns ask for the answer to be read otherwise, it is made ready so, and the query runs again.
func TestLargeAnswersAreReadyBefore(t *testing.T) {
	b := open(t)
	task := b.task("SELECT n, hive FROM bee")
	task.Hidden = nil
	for _, sql := range []string{
		"SELECT n, hive FROM bee ORDER BY n",
		"SELECT n::numeric, hive FROM bee",
		"SELECT n::float8, hive::numeric FROM bee ORDER BY hive",
	} {
		if v, err := b.Grade(ctx, task, 1, sql); err != nil || v.Outcome != marking.Correct || v.Rows != 5000 {
			t.Errorf("%s: got %+v, %v", sql, v, err)
		}
	}
	found, err := b.answers.get(ctx, task.Accepted[0], b.visible)
	if err != nil || found.kept {
		t.Fatalf("a large answer's rows are not kept: %v", err)
	}
	q, _ := sqltext.ReadQuery("SELECT n::text, hive FROM bee")
	c := &comparison{grader: b.Grader, accepted: task.Accepted, database: b.visible, query: q}
	c.held = []*held{{answer: found, ready: map[string]*compare.Digest{}}}
	var other *unready
	if err := c.Begin(found.Columns); !errors.As(err, &other) {
		t.Errorf("what is not ready is not fetched while rows come: %v", err)
	}
	if err := c.makeReady(ctx, found.Columns); err != nil {
		t.Fatal(err)
	}
	if err := c.Begin(found.Columns); err != nil {
		t.Errorf("made ready: %v", err)
	}
}

// A fingerprint stands for a result: kept, it tells attempts that are wrong in the same way, also later and elsewhere.
func TestFingerprintsTellAlikeResults(t *testing.T) {
	b := open(t)
	of := func(g *Grader, sql string) result.Fingerprint {
		t.Helper()
		task := b.task("SELECT name, strength FROM hive")
		v, err := g.Grade(ctx, task, 1, sql)
		if err != nil || v.Fingerprint == nil {
			t.Fatalf("%s: %+v, %v", sql, v, err)
		}
		return *v.Fingerprint
	}
	wrong := of(b.Grader, "SELECT name, strength FROM hive WHERE strength > 5")
	for sql, same := range map[string]bool{
		"SELECT h.name, h.strength FROM hive AS h WHERE h.strength >= 6 ORDER BY 2 DESC": true,
		"SELECT name, strength::numeric FROM hive WHERE name <> 'Amber'":                 true,
		"SELECT name, strength FROM hive WHERE strength < 9":                             false,
		"SELECT name, strength FROM hive":                                                false,
		"SELECT name FROM hive WHERE strength > 5":                                       false,
	} {
		if got := of(b.Grader, sql) == wrong; got != same {
			t.Errorf("%s: the same is %v", sql, got)
		}
	}
	columns := of(b.Grader, "SELECT name FROM hive")
	if of(b.Grader, "SELECT name AS n FROM hive ORDER BY 1") != columns ||
		of(b.Grader, "SELECT kind FROM hive") == columns {
		t.Error("results of other columns have fingerprints of their rows")
	}
	elsewhere, other := New(b.server, seed), New(b.server, seed+1)
	const again = "SELECT name, strength FROM hive WHERE strength > 5"
	if of(elsewhere, again) != wrong || of(other, again) == wrong {
		t.Error("fingerprints follow from the seed, and from nothing of the process")
	}
}

// What an inspection says of a paper, and where.
func TestInspection(t *testing.T) {
	b := open(t)
	exercise := func(slug, reference string, rules pack.Checking) pack.Section {
		e := &pack.Exercise{Slug: slug, Title: slug, Reference: reference, Checking: rules, Line: 10}
		return pack.Section{Slug: slug, Exercise: e}
	}
	paper := &pack.Paper{Slug: "hives", Path: "hives.md", Sections: []pack.Section{
		{Blocks: []pack.Block{{Kind: "example", Text: "SELECT nme FROM hive", Line: 3}}},
		exercise("fine", "SELECT name FROM hive", pack.Checking{}),
		exercise("tie", "SELECT name FROM hive ORDER BY kind LIMIT 1", pack.Checking{}),
		exercise("empty", "SELECT name FROM hive WHERE strength > 99", pack.Checking{}),
		exercise("gone", "SELECT name\nFROM hives", pack.Checking{}),
		exercise("clock", "SELECT now()", pack.Checking{}),
		exercise("untested", "SELECT name FROM hive WHERE strength > 0", pack.Checking{}),
		exercise("loose", "SELECT name FROM hive ORDER BY kind", pack.Checking{
			Policy: compare.Policy{Order: compare.OrderStrict},
		}),
	}}
	var steps []string
	found, err := b.Inspect(ctx, Inspection{
		Paper: paper, Database: b.visible, Variants: map[string]string{"weak": b.hidden},
		Tables: b.tables,
		Step:   func(exercise string) { steps = append(steps, exercise) },
	})
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]Note{}
	for _, n := range found.Notes {
		got[n.Exercise+" "+n.Kind] = n
	}
	for key, want := range map[string]struct {
		severity Severity
		line     int
	}{
		" example-does-not-run":        {SeverityError, 3},
		"tie tie-cut":                  {SeverityWarning, 10},
		"empty result-empty":           {SeverityWarning, 10},
		"gone answer-does-not-run":     {SeverityError, 11},
		"clock result-changes":         {SeverityError, 10},
		"untested wrong-answer-passes": {SeverityWarning, 10},
		"loose order-undecided":        {SeverityError, 10},
	} {
		n, there := got[key]
		if !there || n.Severity != want.severity || n.Line != want.line || n.File != "hives.md" {
			t.Errorf("%s: got %+v of %+v", key, n, found.Notes)
		}
	}
	for key := range got {
		if strings.HasPrefix(key, "fine") {
			t.Errorf("nothing is wrong with it: %+v", got[key])
		}
	}
	if strings.Join(steps, " ") != " fine tie empty gone clock untested loose" {
		t.Errorf("steps %q", steps)
	}
}

// What is a query's fault, and what it comes to.
func TestFaults(t *testing.T) {
	for _, c := range []struct {
		err     error
		kind    FaultKind
		outcome marking.Outcome
		short   string
	}{
		{&sqltext.SyntaxError{Message: "syntax error"}, Unreadable, marking.Failed, "syntax error"},
		{
			&sqltext.NotAllowed{Title: "Not allowed", Detail: "two statements"}, NotAllowed, marking.Rejected,
			"two statements",
		},
		{&practice.DatabaseError{Code: "42703", Message: "no column"}, Reported, marking.Failed, "no column"},
		{&practice.Stopped{Limit: practice.LimitTime, Detail: "time"}, Limited, marking.Stopped, "time"},
	} {
		f := FaultOf(fmt.Errorf("run: %w", c.err), "SELECT 1", nil)
		if f == nil || f.Kind != c.kind || f.Outcome() != c.outcome || f.Short() != c.short || f.Title == "" ||
			f.Detail == "" {
			t.Errorf("%v: got %+v", c.err, f)
		}
	}
	for _, err := range []error{nil, errors.New("other"), practice.ErrBusy, context.Canceled} {
		if f := FaultOf(err, "SELECT 1", nil); f != nil {
			t.Errorf("%v: got %+v", err, f)
		}
	}
}

// What an exercise shows of its expected result.
func TestWhatIsShown(t *testing.T) {
	b := open(t)
	const reference = "SELECT name, strength FROM hive ORDER BY name LIMIT 2"
	for show, want := range map[pack.Show]string{
		"":               "true 2 <nil> 0",
		pack.ShowCount:   "true 2 2 0",
		pack.ShowSample:  "true 2 2 2",
		pack.ShowRows:    "true 2 2 2",
		pack.ShowNothing: "true 0 <nil> 0",
	} {
		e, err := b.Expect(ctx, reference, b.visible, pack.Checking{Show: show})
		count := "<nil>"
		if e.Count != nil {
			count = fmt.Sprint(*e.Count)
		}
		if got := fmt.Sprint(e.Ordered, len(e.Columns), " ", count, " ", len(e.Rows)); err != nil ||
			strings.ReplaceAll(got, "  ", " ") != want {
			t.Errorf("%s: got %s, %v, want %s", show, got, err, want)
		}
	}
}

func TestWhatIsKeptIsBoundedInBytes(t *testing.T) {
	c := newByteCache[string](100)
	c.add("a", "first", 30)
	c.add("b", "second", 30)
	c.add("a", "first again", 40)
	if _, ok := c.get("b"); !ok || c.size != 30+1+40+1 {
		t.Errorf("size %d", c.size)
	}
	c.get("a")
	c.add("c", "third", 50) // b was used last before a
	_, a := c.get("a")
	_, other := c.get("b")
	if !a || other || c.size > 100 {
		t.Errorf("a %v, b %v, size %d", a, other, c.size)
	}
	c.add("d", "too large", 200)
	if _, ok := c.get("d"); ok || c.size > 100 {
		t.Errorf("size %d", c.size)
	}
}
