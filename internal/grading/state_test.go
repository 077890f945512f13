package grading

import (
	"fmt"
	"io/fs"
	"strings"
	"testing"
	"time"

	"examen/internal/core/dataset"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/practice"
	"examen/packs"
)

// A pathsBench is a grader with the footpaths of the pack mosswater, their variant, and its paper.
type pathsBench struct {
	*Grader
	server          *practice.Servers
	visible, hidden string
	paper           *pack.Paper
	tables          *dataset.Catalogue
}

func openPaths(t testing.TB) *pathsBench {
	t.Helper()
	limits := practice.DefaultLimits
	limits.Seats = 3
	server, err := practice.Open(ctx, []string{url}, practice.Options{Limits: limits})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Close)
	folder, err := fs.Sub(packs.Files, "mosswater")
	if err != nil {
		t.Fatal(err)
	}
	read, wrong := pack.Read(folder)
	if wrong != nil {
		t.Fatal(wrong)
	}
	b := &pathsBench{Grader: New(server, seed), server: server, paper: &read.Papers[0]}
	d := read.Datasets[0]
	for database, scripts := range map[*string][]string{
		&b.visible: d.Setup, &b.hidden: append(append([]string{}, d.Setup...), d.Variants[0].Setup...),
	} {
		*database = fmt.Sprintf("paths_%d", time.Now().UnixNano())
		built, err := server.Build(ctx, practice.Order{
			Database: *database, Variant: database == &b.hidden, Scripts: scripts, Files: folder,
		})
		if err != nil {
			t.Fatal(err)
		}
		b.tables = &built.Catalogue
		t.Cleanup(func() { _ = server.Drop(ctx, *database) })
	}
	return b
}

// task is that of an exercise of the paper.
func (b *pathsBench) task(t testing.TB, slug string) Task {
	t.Helper()
	for _, e := range b.paper.Exercises() {
		if e.Slug == slug {
			return Task{Accepted: e.Accepted(), Rules: e.Checking, Database: b.visible, Hidden: []string{b.hidden}}
		}
	}
	t.Fatalf("there is no exercise %s", slug)
	return Task{}
}

const (
	correct   = marking.Correct
	incorrect = marking.Incorrect
	rejected  = marking.Rejected
	failed    = marking.Failed
)

// Right answers written otherwise than the accepted one are right; of wrong ones it is said what is wrong with what
// they leave.
func TestWhatIsLeftIsChecked(t *testing.T) {
	b := openPaths(t)
	const walk = "CREATE TABLE walk (starts date NOT NULL, walk_id int PRIMARY KEY, path_id int NOT NULL " +
		"REFERENCES path, " +
		"places int NOT NULL DEFAULT 12, CHECK (%s), UNIQUE (starts, path_id))"
	for _, c := range []struct {
		exercise, sql string
		outcome       marking.Outcome
		says          string // a part of what is said
	}{
		{"new-warden", "INSERT INTO warden VALUES (DEFAULT, 'Iris Calder', 'Dunmere', '2026-09-01', NULL)", correct,
			""},
		{
			"new-warden", "BEGIN; SELECT nextval('warden_warden_id_seq'); INSERT INTO warden (joined, name, village) " +
				"VALUES ('1 September 2026', 'Iris ' || 'Calder', 'Dunmere'); COMMIT", correct, "",
		},
		{"new-warden", "SELECT 'Iris Calder'", incorrect, "Nothing was changed"},
		{
			"new-warden", "INSERT INTO warden (name, village, joined) VALUES ('Iris Calder', 'Dunmore', '2026-09-01')",
			incorrect, "In the table “warden”, in column 3 (“village”), 1 row has another value",
		},
		{
			"new-warden",
			"BEGIN; INSERT INTO warden (name, village, joined) VALUES ('Iris Calder', 'Dunmere', '2026-09-01')",
			incorrect, "without COMMIT, nothing of it is left",
		},
		{"new-warden", "INSERT INTO warden (name) VALUES ('Iris Calder')", failed, "A row would have NULL"},
		{
			"new-warden",
			"INSERT INTO warden (name, village, joined) VALUES ('Iris Calder', 'Dunmere', '2026-09-01'); " +
				"DELETE FROM tally WHERE path_id = 1", incorrect,
			"The table “tally” should stay as it is, and 2 rows were removed",
		},
		{
			"new-warden", "CREATE EXTENSION hstore", rejected, "Extensions and languages cannot be added",
		},
		{
			"closed", "INSERT INTO closure SELECT path_id, '2026-07-01', 'unsafe' FROM path WHERE path_id IN (2, 3)",
			incorrect, "right with the rows you can see, but not with others",
		},
		{"not-so-steep", "UPDATE path SET grade = 'moderate'", incorrect, "UPDATE without WHERE takes every row"},
		{
			"not-so-steep", "UPDATE path SET grade = 'moderate' WHERE grade = 'steep'", incorrect,
			"2 rows were changed, and 1 should be",
		},
		{"not-so-steep", "DELETE FROM path WHERE path_id = 6", failed, "A row refers to one"},
		{
			"not-so-steep",
			"UPDATE path SET grade = 'easy' WHERE path_id = 6; UPDATE path SET grade = 'moderate' WHERE " +
				"path_id = 6", correct, "",
		},
		{
			"mended", "UPDATE report SET settled = true FROM repair WHERE repair.report_id = report.report_id",
			rejected,
			"with a subquery, and your text has none. What is left is right",
		},
		{
			"nobody-minds", "DELETE FROM report WHERE urgency = 1 AND report_id NOT IN (SELECT report_id FROM repair)",
			incorrect, "3 rows were removed, and 2 should be",
		},
		{
			"counting", "MERGE INTO tally t USING (VALUES (1, DATE '2026-06-01', 268), (4, '2026-06-01', 57), " +
				"(6, '2026-06-01', 44)) AS n (p, m, w) ON t.path_id = n.p AND t.month = n.m " +
				"WHEN MATCHED THEN UPDATE SET walkers = n.w WHEN NOT MATCHED THEN INSERT VALUES (n.p, n.m, n.w)",
			correct, "",
		},
		{
			"timber-for-drains",
			"BEGIN; UPDATE fund SET balance = balance + CASE fund WHEN 'Timber' THEN -120 ELSE 120 END " +
				"WHERE fund <> 'Signs'; COMMIT; TABLE fund", incorrect, "The last query: ",
		},
		{
			"timber-for-drains",
			"BEGIN; UPDATE fund SET balance = balance + CASE fund WHEN 'Timber' THEN -120 ELSE 120 END " +
				"WHERE fund <> 'Signs'; COMMIT; SELECT * FROM fund WHERE fund <> 'Signs'", correct, "",
		},
		{"guided-walks", fmt.Sprintf(walk, "places > 0 AND NOT places > 30"), correct, ""},
		{"guided-walks", fmt.Sprintf(walk, "places > 0 AND places < 32"), incorrect,
			"takes values that a CHECK should refuse"},
		{"guided-walks", fmt.Sprintf(walk, "places BETWEEN 2 AND 30"), incorrect, "refuses values that it should take"},
		{
			"bookings",
			"CREATE TABLE walk (walk_id int PRIMARY KEY, starts date NOT NULL); CREATE TABLE booking (name text, " +
				"walk_id int REFERENCES walk, PRIMARY KEY (name, walk_id))", incorrect,
			"when the row that it refers to is removed",
		},
		{
			"to-do",
			"CREATE VIEW to_do AS SELECT p.name, s.kind, r.what, r.urgency FROM path p JOIN stile s USING (path_id) " +
				"JOIN report r USING (stile_id) WHERE settled IS FALSE", correct, "",
		},
		{
			"to-do",
			"CREATE VIEW to_do AS SELECT p.name, s.kind, r.what, r.urgency FROM path p JOIN stile s USING (path_id) " +
				"JOIN report r USING (stile_id) WHERE report_id NOT IN (1, 4, 9, 13)", incorrect,
			"After an UPDATE of the table “report”: In the view “to_do”, 1 row should not be there",
		},
		{
			"made-of",
			"ALTER TABLE stile ADD material varchar DEFAULT 'oak'; UPDATE stile SET material = 'iron' WHERE kind " +
				"LIKE 'field%'; ALTER TABLE stile ALTER material SET NOT NULL", correct, "",
		},
		{
			"made-of", "ALTER TABLE stile ADD material text NOT NULL DEFAULT 'oak'", incorrect,
			"In the table “stile”, in column 6 (“material”), 3 rows have another value",
		},
	} {
		v, err := b.Grade(ctx, b.task(t, c.exercise), 1, c.sql)
		if err != nil {
			t.Fatalf("%s: %s: %v", c.exercise, c.sql, err)
		}
		var said []string
		for _, f := range v.Findings {
			said = append(said, f.Sentence)
		}
		if v.Fault != nil {
			said = append(said, v.Fault.Detail)
		}
		if text := strings.Join(said, " "); v.Outcome != c.outcome || !strings.Contains(text, c.says) {
			t.Errorf("%s: %s\n gets %s: %s\n want %s: %s", c.exercise, c.sql, v.Outcome, text, c.outcome, c.says)
		}
	}
}

// What differs from one run of the accepted answer to the next does not count, and neither do numbers from a sequence;
// but what was there before does.
func TestTimesChanceAndNumbersDoNotCount(t *testing.T) {
	b := openPaths(t)
	task := Task{
		Accepted: []string{"INSERT INTO warden (name, village, joined) SELECT what || random(), 'Dunmere', " +
			"'2026-01-01' FROM " +
			"report WHERE urgency = 3; INSERT INTO repair (report_id, warden_id, done, hours) SELECT 2, " +
			"warden_id, now(), 1 " +
			"FROM warden WHERE warden_id > 7 AND name LIKE 'the step%'"},
		Database: b.visible,
	}
	for sql, want := range map[string]marking.Outcome{
		// The wardens are numbered in another order, and the repair is the right one's.
		"INSERT INTO warden (name, village, joined) SELECT what || random(), 'Dunmere', '2026-01-01' FROM report " +
			"WHERE " +
			"urgency = 3 ORDER BY what DESC; INSERT INTO repair (report_id, warden_id, done, hours) SELECT 2, " +
			"warden_id, " +
			"now(), 1 FROM warden WHERE warden_id > 7 AND name LIKE 'the step%'": correct,
		"INSERT INTO warden (name, village, joined) SELECT what || random(), 'Dunmere', '2026-01-01' FROM report " +
			"WHERE " +
			"urgency = 3; INSERT INTO repair (report_id, warden_id, done, hours) VALUES (2, 1, now(), 1)": incorrect,
		"INSERT INTO warden (name, village, joined) SELECT what || random(), 'Dunmore', '2026-01-01' FROM report " +
			"WHERE " +
			"urgency = 3; INSERT INTO repair (report_id, warden_id, done, hours) SELECT 2, max(warden_id), now(), " +
			"1 FROM " +
			"warden": incorrect,
	} {
		v, err := b.Grade(ctx, task, 1, sql)
		if err != nil || v.Outcome != want {
			t.Errorf("%s: got %+v, %v", sql, v, err)
		}
	}
}

func TestInspectionOfWhatIsLeft(t *testing.T) {
	b := openPaths(t)
	found, err := b.Inspect(ctx, Inspection{
		Paper: b.paper, Database: b.visible, Variants: map[string]string{"wet-winter": b.hidden}, Tables: b.tables,
		Step: func(string) {},
	})
	if err != nil || len(found.Notes) > 0 {
		t.Errorf("the pack's paper: %+v, %v", found.Notes, err)
	}
	for slug, strength := range found.Strengths {
		if strength.Mutations < 2 || strength.Told != strength.Mutations {
			t.Errorf("the strength of %s: %+v", slug, strength)
		}
	}
	var crude []string
	for _, c := range found.Strengths["not-so-steep"].Crude {
		crude = append(crude, fmt.Sprintf("%s: %s", c.Does, c.Outcome))
	}
	if got := strings.Join(crude, ", "); got != "does nothing: incorrect, removes every row of path: failed, "+
		"changes every row of path: incorrect" {
		t.Errorf("crude answers: %s", got)
	}
	text := "---\npaper: p\ntitle: P\ndataset: footpaths\n---\n"
	for i, answer := range []string{
		"UPDATE path SET grade = grade",
		// leaves all as it was
		"UPDATE fund SET balance = 0 WHERE balance >= 0",
		// the condition tells nothing
		"INSERT INTO warden (name, village, joined) VALUES ('A', 'B', now())",
		// a date that stays the same
		"INSERT INTO tally VALUES (4, '2026-01-01', (random() * 1000)::int)", // differs
		"BEGIN; DELETE FROM tally",
		// is not committed
		"UPDATE path SET no_such = 1", // does not run
		"CREATE TABLE t (a int CHECK (a > 0))\n```\n```yaml check\naccepts: [INSERT INTO t VALUES (0)]", // refuses it
	} {
		text += fmt.Sprintf("## E%d\n```sql answer\n%s\n```\n", i, answer)
	}
	paper, wrong := pack.ReadPaper("p.md", text, nil)
	if wrong != nil {
		t.Fatal(wrong)
	}
	found, err = b.Inspect(ctx, Inspection{Paper: paper, Database: b.visible, Step: func(string) {}})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, n := range found.Notes {
		got = append(got, n.Exercise+" "+n.Kind)
	}
	want := "e0 answer-changes-nothing, e1 wrong-answer-passes, e1 wrong-answer-passes, " +
		"e1 wrong-answer-passes, e3 values-not-counted, " +
		"e4 answer-not-committed, e4 answer-changes-nothing, e5 answer-does-not-run, e6 probe-fails"
	if found := strings.Join(got, ", "); found != want {
		t.Errorf("got  %s\nwant %s", found, want)
	}
}

// A check leaves no copy behind.
func TestChecksLeaveNothingBehind(t *testing.T) {
	b := openPaths(t)
	for range 3 {
		if _, err := b.Grade(ctx, b.task(t, "bookings"), 1, "CREATE TABLE t (); SELECT 1/0"); err != nil {
			t.Fatal(err)
		}
	}
	deadline := time.Now().Add(time.Minute)
	for {
		sizes, _, err := b.server.Copies().Sizes(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if len(sizes) <= 4 { // those that are ready, of both databases
			return
		}
		if time.Now().After(deadline) {
			t.Fatalf("%d copies are left", len(sizes))
		}
		time.Sleep(50 * time.Millisecond)
	}
}
