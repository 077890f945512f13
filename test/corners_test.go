package test

import (
	"fmt"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// What numbers, texts and orders meet in the corners: values whose last digits no one wrote, texts that are equal
// though they differ, rows that tie.
const corners = `
CREATE EXTENSION citext;
CREATE COLLATION loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false);
CREATE TABLE hive (hive_id int PRIMARY KEY, name text COLLATE loose, keeper citext, yield numeric(8,2), weight real,
heat float8, frames int, ident bigint, spot jsonb, kind text);
INSERT INTO hive SELECT n, (ARRAY['Amber', 'amber', 'Basil', 'BASIL', 'Clover'])[n % 5 + 1], (ARRAY['Ada', 'ADA',
'Ben'])[n % 3 + 1], (n * 37 % 1000) / 7.0, (n * 37 % 1000) / 7.0, (n * 37 % 1000) / 7.0,
	n % 11 + 1, 9007199254740992 + n, to_jsonb((n * 37 % 1000) / 7.0::float8), 'log'
	FROM generate_series(1, 3000) AS n;
CREATE VIEW yields AS SELECT keeper, avg(yield) AS mean FROM hive GROUP BY keeper;
CREATE TABLE half (n int, f float8, x numeric); INSERT INTO half VALUES (1, 2.675, 2.675), (2, 0.535 * 5, 2.675), (3,
1.005, 1.005), (4, 'NaN', 'NaN'), (5, 'Infinity', 'Infinity');
CREATE TABLE wide AS SELECT n, 'x' AS same FROM generate_series(1, 250000) AS n;
CREATE TABLE near (n int, k float8, label text COLLATE loose); INSERT INTO near VALUES (1, 0.1 + 0.2, 'Elm'), (2,
0.3, 'elm'), (3, 0.4, 'Oak');`

// tries are exercises with their check and the first accepted answer, and then attempts: the outcome, perhaps a
// finding's kind, and the query.
var tries = []struct {
	check, answer string
	attempts      []string
}{
	{"points: 1", "SELECT hive_id, 100.0 * yield / frames FROM hive", []string{
		"correct: SELECT hive_id, yield / frames * 100 FROM hive",
		"correct: SELECT hive_id, yield::numeric / frames::numeric * 100.0 FROM hive",
		"correct: SELECT hive_id, (100 * yield::float8 / frames) FROM hive",
		"correct: SELECT h.hive_id, h.q * 100 FROM (SELECT hive_id, yield / frames AS q FROM hive) AS h",
		"incorrect: SELECT hive_id, round(100.0 * yield / frames, 8) + 0.0000001 FROM hive WHERE frames > 0",
		"incorrect: SELECT hive_id, yield / (frames + 1) * 100 FROM hive"}},
	{"points: 1", "SELECT keeper, avg(yield) * 12 FROM hive GROUP BY keeper", []string{
		"correct: SELECT keeper, avg(yield * 12) FROM hive GROUP BY keeper",
		"correct: SELECT keeper, 12 * sum(yield) / count(*) FROM hive GROUP BY keeper",
		"correct: SELECT keeper, mean * 12 FROM yields",
		"correct: SELECT lower(keeper), avg(12 * yield) FROM hive GROUP BY lower(keeper)",
		"correct: SELECT upper(keeper), avg(12 * yield) FROM hive GROUP BY 1",
		"incorrect: SELECT keeper, avg(yield) * 12 FROM hive GROUP BY keeper HAVING keeper <> 'BEN'",
		"incorrect: SELECT 'x', avg(yield) * 12 FROM hive GROUP BY keeper"}},
	{
		"points: 1", "SELECT sum(yield) FROM hive",
		[]string{
			"correct: SELECT avg(yield) * count(*) FROM hive", "correct: SELECT sum(yield)::float8 FROM hive",
			"incorrect: SELECT sum(yield) + 0.01 FROM hive",
		},
	},
	{
		"points: 1", "SELECT ident FROM hive WHERE hive_id < 3",
		[]string{
			"correct: SELECT ident::numeric FROM hive WHERE hive_id < 3",
			"correct: SELECT ident::float8 FROM hive WHERE hive_id < 3",
			"incorrect: SELECT ident + 1 FROM hive WHERE hive_id < 3",
		},
	},
	{"decimals: 2", "SELECT n, f FROM half", []string{"correct: SELECT n, x FROM half", "correct: SELECT n, " +
		"round(x, 2) FROM half", "correct: SELECT n, round(f::numeric, 2) FROM half WHERE n < 4 UNION ALL SELECT n, " +
		"f::numeric FROM half WHERE n > 3",
		"correct: SELECT n, trunc(f::numeric, 2) FROM half WHERE n < 4 UNION ALL SELECT n, f::numeric FROM half " +
			"WHERE n > 3", "incorrect: SELECT n, x + 0.02 FROM half", "incorrect: SELECT n, x FROM half WHERE n <> 4"}},
	{"points: 1", "SELECT sum(weight), avg(weight) FROM hive", []string{"correct: SELECT sum(weight::float8), " +
		"avg(weight::float8) FROM hive", "correct: SELECT sum(w), sum(w) / count(*) FROM (SELECT weight AS w FROM " +
		"hive ORDER BY hive_id DESC) AS h",
		"correct: SELECT sum(weight::numeric), sum(weight) / count(*) FROM hive", "incorrect: SELECT sum(weight) * " +
			"1.01, avg(weight) FROM hive", "incorrect: SELECT sum(weight), avg(weight) * 1.001 FROM hive"}},
	{
		"points: 1", "SELECT hive_id, weight * 2 FROM hive",
		[]string{
			"correct: SELECT hive_id, weight::numeric * 2 FROM hive",
			"correct: SELECT hive_id, weight + weight FROM hive", "incorrect: SELECT hive_id, weight * 2.001 FROM hive",
		},
	},
	{
		"points: 1",
		"SELECT frames, sum(heat - 70.5) - sum(heat) + 70.5 * count(*) FROM hive GROUP BY frames",
		[]string{
			"correct: SELECT DISTINCT frames, 0 FROM hive",
			"correct: SELECT frames, sum(heat) - sum(heat) FROM hive GROUP BY frames",
			"incorrect: SELECT DISTINCT frames, 0.001 FROM hive",
		},
	},
	{
		"points: 1",
		"SELECT array_agg(yield / 7 ORDER BY hive_id) FROM hive WHERE hive_id < 9",
		[]string{
			"correct: SELECT array_agg(yield / 21 * 3 ORDER BY hive_id) FROM hive WHERE hive_id < 9",
			"correct: SELECT ARRAY(SELECT yield::float8 / 7 FROM hive WHERE hive_id < 9 ORDER BY hive_id)",
			"incorrect: SELECT array_agg(yield / 8 ORDER BY hive_id) FROM hive WHERE hive_id < 9",
		},
	},
	{
		"points: 1", "SELECT hive_id, spot FROM hive",
		[]string{
			"correct: SELECT hive_id, to_jsonb(heat) FROM hive",
			"correct: SELECT hive_id, to_jsonb(heat::numeric) FROM hive",
			"incorrect: SELECT hive_id, to_jsonb(heat + 1) FROM hive",
		},
	},
	{
		"points: 1", "SELECT DISTINCT name FROM hive",
		[]string{
			"correct: SELECT min(name) FROM hive GROUP BY name", "correct: SELECT DISTINCT lower(name) FROM hive",
			"incorrect: SELECT DISTINCT name || '' COLLATE \"C\" FROM hive",
			"incorrect: SELECT DISTINCT name FROM hive WHERE name <> 'BASIL'",
		},
	},
	{"points: 1", "SELECT keeper, hive_id FROM hive WHERE hive_id < 9 ORDER BY keeper", []string{"correct: SELECT " +
		"keeper, hive_id FROM hive WHERE hive_id < 9 ORDER BY lower(keeper), hive_id DESC", "correct: SELECT " +
		"keeper::text, hive_id FROM hive WHERE hive_id < 9 ORDER BY keeper, hive_id",
		"incorrect: SELECT keeper, hive_id FROM hive WHERE hive_id < 9 ORDER BY keeper DESC"}},
	{
		"points: 1", "SELECT n FROM near ORDER BY k",
		[]string{
			"correct: SELECT n FROM near ORDER BY k, n",
			"correct: SELECT n FROM near ORDER BY round(k::numeric, 3), n DESC",
			"incorrect: SELECT n FROM near ORDER BY k DESC",
		},
	},
	{
		"columns: any", "SELECT hive_id, frames FROM hive ORDER BY frames DESC LIMIT 3",
		[]string{
			"correct: SELECT frames, hive_id FROM hive WHERE frames = 11 ORDER BY hive_id DESC LIMIT 3",
			"incorrect: SELECT frames, hive_id FROM hive WHERE frames = 10 ORDER BY hive_id DESC LIMIT 3",
		},
	},
	{
		"columns: any\nnames: require", "SELECT frames AS a, frames AS b FROM hive",
		[]string{
			"correct: SELECT frames AS b, frames AS a FROM hive",
			"incorrect column-names: SELECT frames AS b, frames AS c FROM hive",
		},
	},
	{
		"repeats: once", "SELECT frames FROM hive ORDER BY frames",
		[]string{
			"correct: SELECT DISTINCT frames FROM hive ORDER BY frames",
			"incorrect: SELECT DISTINCT frames FROM hive ORDER BY frames DESC",
		},
	},
	{
		"points: 1", "SELECT n, same FROM wide LIMIT 5",
		[]string{
			"correct: SELECT n, same FROM wide WHERE n > 249000 LIMIT 5",
			"correct: SELECT n, same FROM wide ORDER BY n DESC LIMIT 5",
			"incorrect rows-extra: SELECT n + 249998, same FROM wide ORDER BY n LIMIT 5",
		},
	},
	{
		"points: 1", "SELECT frames FROM hive ORDER BY hive_id LIMIT 9223372036854775807 OFFSET 1",
		[]string{
			"correct: SELECT frames FROM hive WHERE hive_id > 1 ORDER BY hive_id",
			"incorrect: SELECT frames FROM hive ORDER BY hive_id",
		},
	},
	{
		"forbid: [cast, 'table:wide']",
		"SELECT hive_id FROM hive WHERE DATE '2026-05-01' < DATE '2026-05-02'",
		[]string{
			"correct: SELECT hive_id FROM hive WHERE INTERVAL '1 day' > INTERVAL '1 hour'",
			"rejected: SELECT hive_id FROM hive WHERE '2026-05-01'::date IS NOT NULL",
			"rejected: WITH wide AS (SELECT * FROM wide) SELECT hive_id FROM hive",
			"rejected: WITH wide AS (SELECT 1) " +
				"SELECT hive_id FROM hive WHERE EXISTS (SELECT FROM public.wide)",
			"correct: WITH wide AS (SELECT " +
				"hive_id FROM hive) SELECT hive_id FROM wide",
		},
	},
	{"require: ['table:wide']", "SELECT n FROM wide WHERE n < 4", []string{"correct: WITH wide AS (SELECT n FROM " +
		"wide) SELECT n FROM wide WHERE n < 4", "rejected: WITH wide AS (SELECT hive_id AS n FROM hive) SELECT n " +
		"FROM wide WHERE n < 4",
		"rejected: WITH RECURSIVE wide(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM wide WHERE n < 3) SELECT n FROM " +
			"wide"}},
	{
		"points: 1", "SELECT hive_id FROM hive WHERE hive_id < 9 ORDER BY hive_id",
		[]string{
			"correct order-by-luck: SELECT hive_id FROM hive WHERE hive_id < 9",
			"correct: SELECT hive_id FROM hive WHERE hive_id < 9 ORDER BY 1",
		},
	},
	{
		"points: 1", "SELECT hive_id FROM hive ORDER BY hive_id LIMIT 3",
		[]string{
			"correct limit-by-luck: SELECT hive_id FROM hive LIMIT 3",
			"correct: SELECT hive_id FROM hive ORDER BY hive_id FETCH FIRST 3 ROWS ONLY",
		},
	},
	{
		"points: 1", "SELECT hive_id FROM hive WHERE kind = 'log'",
		[]string{
			"failed: SELECT hive_id FROM hive WHERE kind = $1", "failed: SELECT $1", "rejected: DELETE FROM hive",
			"rejected: SELECT hive_id FROM hive; SELECT 1",
		},
	},
}

func TestVerdictsInTheCorners(t *testing.T) {
	var exercises [][2]string
	for _, e := range tries {
		exercises = append(exercises, [2]string{e.check, e.answer})
	}
	try := whole.PaperOn(t, "corners", corners, exercises...)
	_, c := whole.Newcomer(t)
	for i, e := range tries {
		for _, attempt := range e.attempts {
			want, sql, _ := strings.Cut(attempt, ": ")
			a := try(c, i+1, sql)
			got := string(a.Outcome)
			if strings.Contains(want, " ") && len(a.Findings) > 0 || a.Outcome == client.Correct &&
				len(a.Findings) > 0 {
				got += " " + a.Findings[0].Kind
			}
			if got != want {
				t.Errorf(
					"%s (%s)\n     %s\n got %s\nwant %s %s%s", e.answer, e.check, sql, got, want, a.Error.Title,
					sentences(a),
				)
			}
		}
	}
}

// What cannot be read, or is no query, uses up none of the attempts that an exercise allows.
func TestWhatUsesUpAnAttempt(t *testing.T) {
	try := whole.PaperOf(t, "counted", [2]string{"attempts: 2\nforbid: [limit]", "SELECT id FROM star"})
	_, c := whole.Newcomer(t)
	for _, attempt := range []struct {
		sql  string
		used int
	}{
		{"SELEC id FROM star", 0}, {"DELETE FROM star", 0}, {"SELECT $1", 0}, {"SELECT pg_sleep(1)", 0},
		{"SELECT id FROM star LIMIT 5000", 1}, {"SELECT name FROM star; SELECT 1", 1}, {"SELECT name FROM star", 2},
	} {
		a := try(c, 1, attempt.sql)
		e, err := client.Read[client.Exercise](c.GetExercise(ctx, "counted", "1"))
		if err != nil || e.AttemptsUsed != attempt.used {
			t.Errorf(
				"after %q, which was %s, %d are used, want %d, %v", attempt.sql, a.Outcome, e.AttemptsUsed,
				attempt.used, err,
			)
		}
	}
	if p := problemOf(t)(
		c.Submit(ctx, "counted", "1", client.Submission{Sql: "SELECT id FROM star"}),
	); p.Type != "examen:no-attempts-left" {
		t.Errorf("got %+v", p)
	}
}

// A query that is right where its author sees it and takes too long elsewhere is stopped, not wrong.
func TestTooSlowOnHiddenRows(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t), "--limit-time", "3s")
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	files := map[string]string{
		"pack.yaml": "pack: slow\ntitle: Slow\ndatasets:\n  slow:\n    setup: [rows.sql]\n    variants:\n" +
			"      large: [large.sql]\npapers: [paper.md]\n",
		"rows.sql":  "CREATE TABLE bee AS SELECT n FROM generate_series(1, 20) AS n;",
		"large.sql": "INSERT INTO bee SELECT n FROM generate_series(21, 60000) AS n;",
		"paper.md": "---\npaper: slow\ntitle: Slow\ndataset: slow\n---\n\n## One\n\n```sql answer\n" +
			"SELECT count(*) FROM bee\n```\n",
	}
	if _, err := client.Loaded(ctx, teacher, whole.Scripts(files)); err != nil {
		t.Fatal(err)
	}
	for sql, want := range map[string]string{
		"SELECT count(*) FROM bee AS b WHERE (SELECT count(*) FROM bee AS o WHERE o.n <= b.n) > 0": "stopped",
		"SELECT count(1) FROM bee": "correct", "SELECT 20": "incorrect",
	} {
		a, err := client.Read[client.Attempt](teacher.Submit(ctx, "slow", "1", client.Submission{Sql: sql}))
		if err != nil || string(a.Outcome) != want || want == "stopped" &&
			!strings.Contains(a.Error.Detail, "on others") {
			t.Errorf("%s: %s %+v, %v", sql, a.Outcome, a.Error, fmt.Sprint(err))
		}
	}
}
