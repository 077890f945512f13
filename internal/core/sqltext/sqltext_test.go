package sqltext_test

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/sqltext"
)

func TestReadQueryTakesOneQueryOnly(t *testing.T) {
	for _, c := range []struct {
		text string
		want string // part of the error; "" is taken
	}{
		{"SELECT 1", ""},
		{"  -- the hives\n SELECT name FROM hive; -- all\n", ""},
		{"VALUES (1), (2)", ""},
		{"TABLE hive", ""},
		{"WITH h AS (SELECT * FROM hive) SELECT count(*) FROM h", ""},
		{"SELECT 'DELETE FROM hive; DROP TABLE hive'", ""},
		{"", "query is empty"},
		{"-- nothing", "query is empty"},
		{"SELECT 1; SELECT 2", "2 statements"},
		{"DELETE FROM hive", "DELETE"},
		{"INSERT INTO hive SELECT * FROM hive", "INSERT"},
		{"WITH gone AS (DELETE FROM hive RETURNING *) SELECT * FROM gone", "WITH that changes data"},
		{
			"SELECT * FROM (WITH x AS (UPDATE hive SET name = '' RETURNING 1) SELECT * FROM x) y",
			"WITH that changes data",
		},
		{"SELECT * INTO copy FROM hive", "SELECT INTO"},
		{"SELECT * FROM hive FOR UPDATE", "locks rows"},
		{"SET statement_timeout = 0", "SET"},
		{"BEGIN", "transaction"},
		{"COPY hive TO '/tmp/x'", "COPY"},
		{"DO $$ BEGIN END $$", "DO"},
		{"EXPLAIN ANALYZE DELETE FROM hive", "EXPLAIN"},
		{"CREATE TABLE x AS SELECT 1", "CREATE TABLE AS"},
		{"SELEC 1", "syntax error"},
		{"SELECT 'open", "unterminated"},
		{strings.Repeat("(", 40_000) + "1", ""}, // too deep to read: an error, whatever its words
	} {
		_, err := sqltext.ReadQuery(c.text)
		name := c.text[:min(len(c.text), 60)]
		if strings.HasPrefix(name, "(((") {
			if err == nil {
				t.Error("a text nested too deeply was taken")
			}
			continue
		}
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%q: got %v, want %q", name, err, c.want)
		}
	}
}

func TestErrorsHaveTheirPlace(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"SELECT name\nFORM hive", `2:6 "FORM hive"`}, // FORM is taken for an alias
		{"SELECT 'Bienenstöcke' FROM\n  WHERE", `2:3 "  WHERE"`},
		{"SELECT 'ä', 'é' FRM hive x", `1:21 "SELECT 'ä', 'é' FRM hive x"`},
		{"SELECT (1", `1:10 "SELECT (1"`},
		{"SELECT 1;\n\n/* two */ SELECT 2", `3:11 "/* two */ SELECT 2"`},
	} {
		_, err := sqltext.ReadQuery(c.text)
		var place sqltext.Place
		var syntax *sqltext.SyntaxError
		var notAllowed *sqltext.NotAllowed
		switch {
		case errors.As(err, &syntax):
			place = syntax.Place
		case errors.As(err, &notAllowed):
			place = notAllowed.Place
		}
		if got := fmt.Sprintf("%d:%d %q", place.Line, place.Column, place.Text); got != c.want {
			t.Errorf("%q: got %s, want %s (%v)", c.text, got, c.want, err)
		}
	}
}

func TestHowASetupStatementIsTaken(t *testing.T) {
	for sql, want := range map[string]string{
		"ALTER TABLE public.hive OWNER TO hazel":                                "passed over",
		"ALTER SEQUENCE hive_id_seq OWNER TO hazel":                             "passed over",
		"ALTER FUNCTION f(int) OWNER TO hazel":                                  "passed over",
		"GRANT SELECT ON hive TO PUBLIC":                                        "passed over",
		"REVOKE ALL ON SCHEMA public FROM PUBLIC":                               "passed over",
		"GRANT hazel TO robin":                                                  "passed over",
		"ALTER DEFAULT PRIVILEGES IN SCHEMA public GRANT SELECT ON TABLES TO x": "passed over",
		"COMMENT ON EXTENSION plpgsql IS 'x'":                                   "passed over",
		"SET SESSION AUTHORIZATION hazel":                                       "passed over",
		"CREATE OR REPLACE PROCEDURAL LANGUAGE plpgsql":                         "passed over",
		"CREATE DATABASE apiary":                                                "database apiary",
		"DROP DATABASE IF EXISTS apiary":                                        "database apiary",
		"CREATE ROLE hazel":                                                     "passed over",
		"DROP PUBLICATION p":                                                    "passed over",
		"DROP TABLE p":                                                          "run",
		"ALTER TABLE hive DISABLE TRIGGER ALL":                                  "passed over",
		"CREATE SCHEMA yard AUTHORIZATION hazel":                                "passed over for CREATE SCHEMA yard",
		"CREATE SCHEMA AUTHORIZATION hazel":                                     "passed over for CREATE SCHEMA hazel",
		"CREATE POLICY p ON hive TO hazel USING (true)":                         "passed over",
		"CREATE POLICY p ON hive TO PUBLIC USING (true)":                        "run",
		"ALTER USER hazel PASSWORD 'x'":                                         "passed over",
		"ALTER SYSTEM SET work_mem = '1GB'":                                     "refused",
		"CREATE LANGUAGE c HANDLER h":                                           "refused",
		"CREATE LANGUAGE plpython3u":                                            "run", // and the server refuses it
		"COPY hive FROM PROGRAM 'id'":                                           "refused",
		"COPY hive TO '/tmp/hive'":                                              "refused",
		"LOAD 'auto_explain'":                                                   "refused",
		"COPY hive FROM STDIN":                                                  "run",
		"COMMENT ON TABLE hive IS 'x'":                                          "run",
		"ALTER TABLE hive ADD PRIMARY KEY (hive_id)":                            "run",
		"ALTER TABLE hive OWNER TO hazel, ADD COLUMN x int":                     "run",
		"SET search_path = yard":                                                "run",
		"GRANT":                                                                 "run",
	} {
		setup, got := sqltext.Classify(sql), "run"
		switch {
		case setup.Irrelevant:
			if got = "passed over"; setup.Instead != "" {
				got += " for " + setup.Instead
			}
		case setup.Refused != "":
			got = "refused"
		case setup.Database != "":
			got = "database " + setup.Database
		}
		if got != want {
			t.Errorf("%s: got %s, want %s", sql, got, want)
		}
		if head := strings.Fields(strings.ToUpper(sql)); got != "run" && !sqltext.MayNotRun(head[:min(4, len(head))]) {
			t.Errorf("%s would not be looked at", sql)
		}
	}
}

func TestMakes(t *testing.T) {
	for sql, want := range map[string]bool{
		"CREATE TABLE hive (id int)": true, "CREATE TABLE yard.hive (id int)": true,
		"CREATE VIEW hive AS SELECT 1": true, "CREATE TABLE hive AS SELECT 1": true,
		"CREATE TYPE hive AS ENUM ('a')": true, "CREATE DOMAIN yard.hive AS int": true,
		"CREATE TABLE hives (id int)": false, "SELECT hive": false, "CREATE": false,
	} {
		if got := sqltext.Makes(sql, "hive"); got != want {
			t.Errorf("%s: got %v", sql, got)
		}
	}
}

func TestUses(t *testing.T) {
	for _, c := range []struct{ sql, want string }{
		{"SELECT name FROM hive", "table:hive"},
		{"SELECT * FROM hive, apiary", "join star table:apiary table:hive"},
		{
			"SELECT count(*) FROM hive LEFT JOIN harvest USING (hive_id)",
			"aggregate function:count join outer-join table:harvest table:hive",
		},
		{"SELECT 'JOIN' /* GROUP BY */ -- LIMIT\n", ""},
		{
			"SELECT kind, max(strength) FROM hive GROUP BY kind HAVING count(*) > 1 ORDER BY 1 LIMIT 3",
			"aggregate function:count function:max group-by having limit order-by table:hive",
		},
		{
			"SELECT DISTINCT kind FROM hive WHERE EXISTS (SELECT 1 FROM harvest)",
			"distinct subquery table:harvest table:hive",
		},
		{"WITH h AS (SELECT 1) SELECT * FROM h", "star with"},
		{"SELECT rank() OVER (ORDER BY strength) FROM hive", "function:rank table:hive window"},
		{"SELECT 1 UNION SELECT 2", "set-operation"},
		{"SELECT CASE WHEN true THEN x::int END FROM t", "case cast table:t"},
		{"SELECT coalesce(a, nullif(b, 0)), greatest(a, b), Lower(c), trim(d), current_date FROM t",
			"function:btrim function:coalesce function:current_date function:greatest function:lower " +
				"function:nullif function:trim table:t"},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		if got := strings.Join(slices.Sorted(maps.Keys(q.Uses())), " "); got != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.sql, got, c.want)
		}
	}
}

func TestBroken(t *testing.T) {
	q, _ := sqltext.ReadQuery("SELECT a.name FROM apiary a JOIN hive USING (apiary_id) LIMIT 3")
	got := fmt.Sprint(q.Broken([]string{"join", "group-by"}, []string{"limit", "window", "table:HIVE"}))
	if want := "[{group-by true} {limit false} {table:HIVE false}]"; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	for _, name := range []string{"join", "table:hive", "function:lower"} {
		if err := sqltext.CheckConstruct(name); err != nil {
			t.Error(err)
		}
	}
	for _, name := range []string{"joins", "table:", "view:x", ""} {
		if sqltext.CheckConstruct(name) == nil {
			t.Errorf("%q was taken for a construct", name)
		}
	}
}

func TestOrdering(t *testing.T) {
	for _, c := range []struct{ sql, keys, rewritten string }{
		{"SELECT name FROM hive", "[]", "SELECT name FROM hive"},
		{"SELECT name, strength FROM hive ORDER BY strength DESC, 1", "[{2  0} {1  0}]", ""},
		{
			"SELECT name FROM hive ORDER BY strength", "[{0  1}]",
			"SELECT name, strength AS order_key_1 FROM hive ORDER BY strength",
		},
		{"SELECT name AS strength FROM hive ORDER BY strength", "[{1  0}]", ""},
		{"SELECT * FROM hive ORDER BY name", "[{0  1}]", "SELECT *, name AS order_key_1 FROM hive ORDER BY name"},
		{
			"SELECT *, strength + 1 AS n FROM hive ORDER BY n", "[{0  1}]",
			"SELECT *, strength + 1 AS n, strength + 1 AS order_key_1 FROM hive ORDER BY n",
		},
		{"SELECT kind FROM hive GROUP BY kind ORDER BY count(*) DESC, lower(kind)", "[{0  1} {0  2}]",
			"SELECT kind, count(*) AS order_key_1, lower(kind) AS order_key_2 FROM hive GROUP BY kind ORDER BY " +
				"count(*) DESC, lower(kind)"},
		{"SELECT 1 AS n UNION SELECT 2 ORDER BY n", "[{0 n 0}]", ""},
		{"VALUES (2), (1) ORDER BY 1", "[{1  0}]", ""},
		{"WITH h AS (SELECT * FROM hive ORDER BY name) SELECT name FROM h", "[]", ""},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		o, err := q.Ordering(nil)
		if err != nil {
			t.Fatal(err)
		}
		if c.rewritten == "" {
			c.rewritten = c.sql
		}
		if got := fmt.Sprint(o.Keys); got != c.keys || o.SQL != c.rewritten {
			t.Errorf("%s\n got %s %s\nwant %s %s", c.sql, got, o.SQL, c.keys, c.rewritten)
		}
	}
}

// Where texts that differ may be equal, what ties is asked of the database itself.
func TestOrderingUnderLooseCollations(t *testing.T) {
	const rank = ", dense_rank() OVER (ORDER BY %s) AS order_key_1 FROM hive ORDER BY "
	for _, c := range []struct{ sql, keys, rewritten string }{
		{
			"SELECT name FROM hive ORDER BY name DESC", "[{0  1}]",
			"SELECT name" + fmt.Sprintf(rank, "name DESC") + "name DESC",
		},
		{
			"SELECT strength, name FROM hive ORDER BY 2", "[{0  1}]",
			"SELECT strength, name" + fmt.Sprintf(rank, "name") + "2",
		},
		{
			"SELECT lower(name) AS n FROM hive ORDER BY n", "[{0  1}]",
			"SELECT lower(name) AS n" + fmt.Sprintf(rank, "lower(name)") + "n",
		},
		{"SELECT * FROM hive ORDER BY 2", "[{2  0}]", "SELECT * FROM hive ORDER BY 2"},
		{"SELECT name FROM hive ORDER BY 7", "[{7  0}]", "SELECT name FROM hive ORDER BY 7"},
		{
			"SELECT name, rank() OVER () AS r FROM hive ORDER BY r", "[{0  1}]",
			"SELECT name, rank() OVER () AS r, rank() OVER () AS order_key_1 FROM hive ORDER BY r",
		},
		{
			"SELECT name FROM hive UNION SELECT name FROM apiary ORDER BY name", "[{0 name 0}]",
			"SELECT name FROM hive UNION SELECT name FROM apiary ORDER BY name",
		},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		if o, err := q.Ordering([]int{0, 1, 2, 3}); err != nil || fmt.Sprint(o.Keys) != c.keys || o.SQL != c.rewritten {
			t.Errorf("%s\n got %s %s %v\nwant %s %s", c.sql, fmt.Sprint(o.Keys), o.SQL, err, c.keys, c.rewritten)
		}
	}
	if q, _ := sqltext.ReadQuery("SELECT name FROM (SELECT name FROM hive ORDER BY name) AS h"); q.Ordered() {
		t.Error("an order within is none of the query's")
	}
}

// The parser is written in C and walks its tree by recursion: a text that nests deeply enough would end the process.
func TestTextThatNestsDeeplyIsAnError(t *testing.T) {
	for name, text := range map[string]string{
		"sums": "SELECT 1" + strings.Repeat("+1", 49_000), "signs": "SELECT " + strings.Repeat("- ", 49_000) + "1",
		"nots":        "SELECT " + strings.Repeat("NOT ", 24_000) + "true",
		"casts":       "SELECT 1" + strings.Repeat("::int", 19_000),
		"subscripts":  "SELECT " + strings.Repeat("a[1:", 20_000) + "1" + strings.Repeat("]", 20_000),
		"subqueries":  strings.Repeat("SELECT (", 12_000) + "1" + strings.Repeat(")", 12_000),
		"joins":       "SELECT 1 FROM a" + strings.Repeat(" JOIN a ON true", 6_000),
		"parentheses": strings.Repeat("(", 90_000),
	} {
		var wrong *sqltext.SyntaxError
		if _, err := sqltext.ReadQuery(text); !errors.As(err, &wrong) {
			t.Errorf("%s: got %v", name, err)
		}
	}
	for name, text := range map[string]string{
		"a long list":  "SELECT * FROM hive WHERE hive_id IN (1" + strings.Repeat(", 1", 30_000) + ")",
		"many rows":    "VALUES (1, 'a')" + strings.Repeat(", (1, 'a')", 9_000),
		"a long text":  "SELECT '" + strings.Repeat("+ ", 40_000) + "'",
		"many columns": "SELECT 1 + 1" + strings.Repeat(", a.b + 1", 9_000) + " FROM a",
	} {
		if _, err := sqltext.ReadQuery(text); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// What a query's text says of how its result comes about.
func TestFeatures(t *testing.T) {
	schema := sqltext.Schema{
		"hive": {"hive_id", "name", "strength", "apiary_id"}, "apiary": {"apiary_id", "name", "valley"},
	}
	for _, c := range []struct {
		sql string
		is  func(sqltext.Features) bool
	}{
		{
			"SELECT DISTINCT name FROM hive",
			func(t sqltext.Features) bool { return t.Distinct && t.Where == 0 && t.Unjoined == nil },
		},
		{"SELECT 1 UNION ALL SELECT 2", func(t sqltext.Features) bool { return t.Compound && !t.Union }},
		{"SELECT 1 FROM hive, apiary", func(t sqltext.Features) bool {
			return slices.Equal(t.Unjoined, []string{"hive", "apiary"}) && t.Inner == 1
		}},
		{
			"SELECT 1 FROM hive AS h, apiary AS a WHERE h.apiary_id = a.apiary_id",
			func(t sqltext.Features) bool { return t.Unjoined == nil },
		},
		{
			"SELECT 1 FROM hive, apiary WHERE strength > 3 AND valley = 'x'",
			func(t sqltext.Features) bool { return len(t.Unjoined) == 2 && t.Where == 2 },
		},
		{
			"SELECT 1 FROM hive JOIN apiary USING (apiary_id)",
			func(t sqltext.Features) bool { return t.Unjoined == nil && t.Inner == 1 },
		},
		{
			"SELECT 1 FROM hive NATURAL LEFT JOIN apiary WHERE valley = 'x'",
			func(t sqltext.Features) bool { return t.Outer == 1 && t.Undone == "apiary" },
		},
		{
			"SELECT 1 FROM hive AS h LEFT JOIN apiary AS a ON a.apiary_id = h.apiary_id WHERE a.valley IS NULL",
			func(t sqltext.Features) bool { return t.Undone == "" },
		},
		{
			"SELECT 1 FROM hive AS h LEFT JOIN apiary AS a ON a.apiary_id = h.apiary_id WHERE coalesce(a.valley, " +
				"'') = ''",
			func(t sqltext.Features) bool { return t.Undone == "" },
		},
		{"SELECT 1 FROM hive WHERE 3 < strength", func(t sqltext.Features) bool {
			return t.Comparisons[0].Operator == ">" && t.Comparisons[0].Expression == "strength" &&
				t.Comparisons[0].Value == "3"
		}},
		{"SELECT 1 FROM hive AS h GROUP BY name HAVING sum(h.strength) >= -1.5", func(t sqltext.Features) bool {
			return t.Having && t.Comparisons[0].Having && t.Comparisons[0].Expression == "sum(strength)" &&
				t.Comparisons[0].Value == "-1.5"
		}},
		{
			"SELECT 1 FROM hive WHERE strength BETWEEN 1 AND 2 OR name = 'x'",
			func(t sqltext.Features) bool { return t.AndOr == nil && t.Comparisons[0].High == "2" },
		},
		{
			"SELECT 1 FROM hive WHERE strength = 1 AND hive_id = 2 OR name = 'x'",
			func(t sqltext.Features) bool { return t.AndOr != nil && t.AndOr.Column == 55 },
		},
		{
			"SELECT 1 FROM hive WHERE (strength = 1 AND hive_id = 2) OR name = 'x'",
			func(t sqltext.Features) bool { return t.AndOr == nil },
		},
		{"SELECT 1 FROM hive WHERE NULL <> name", func(t sqltext.Features) bool { return t.WithNull != nil }},
		{
			"SELECT 1 FROM hive WHERE hive_id NOT IN (SELECT hive_id FROM hive)",
			func(t sqltext.Features) bool { return t.NotIn },
		},
		{"SELECT 1 FROM hive WHERE name ILIKE 'x'", func(t sqltext.Features) bool { return t.Exact == "x" }},
		{
			"SELECT 1 FROM hive ORDER BY name, strength DESC LIMIT 3",
			func(t sqltext.Features) bool { return slices.Equal(t.Sort, []bool{false, true}) && t.Limit == 3 },
		},
		{"  SELECT hive.name strength, count(*), sum(strength) / 2 AS half FROM hive", func(t sqltext.Features) bool {
			return t.Outputs[0].Bare && t.Outputs[0].Column == "name" && t.Outputs[1].Argument == "*" &&
				t.Outputs[2].Divides && t.Outputs[2].Alias == "half" && !t.Outputs[2].Bare
		}},
		{"SELECT *, name FROM hive", func(t sqltext.Features) bool { return t.Outputs == nil }},
		{
			"SELECT count(DISTINCT name) FROM hive",
			func(t sqltext.Features) bool { return t.Outputs[0].Different && t.Outputs[0].Argument == "name" },
		},
		{
			"SELECT name, strength AS power FROM hive ORDER BY power, 1",
			func(t sqltext.Features) bool { return t.SortColumn == 1 },
		},
		{"SELECT name FROM hive ORDER BY strength", func(t sqltext.Features) bool { return t.SortColumn == -1 }},
		{
			"SELECT name, strength + 1 FROM hive AS h ORDER BY h.strength+1",
			func(t sqltext.Features) bool { return t.SortColumn == 1 },
		},
		{
			"SELECT 1 FROM hive JOIN apiary USING (apiary_id) WHERE valley IS NULL",
			func(t sqltext.Features) bool { return t.NullTested == "apiary" },
		},
		{
			"SELECT 1 FROM hive LEFT JOIN apiary USING (apiary_id) WHERE valley IS NULL",
			func(t sqltext.Features) bool { return t.NullTested == "" },
		},
		{
			"SELECT 1 FROM hive JOIN apiary USING (apiary_id) WHERE valley IS NOT NULL",
			func(t sqltext.Features) bool { return t.NullTested == "" },
		},

		// A SELECT that only passes rows on does not hide the one that makes them.
		{"SELECT * FROM (SELECT name FROM hive WHERE strength > 3) AS h ORDER BY name DESC",
			func(t sqltext.Features) bool {
				return t.Where == 1 && t.Outputs[0].Column == "name" && slices.Equal(t.Sort, []bool{true})
			}},
		{
			"WITH h AS (SELECT DISTINCT name FROM hive) SELECT * FROM h",
			func(t sqltext.Features) bool { return t.Distinct },
		},
		{
			"SELECT * FROM (SELECT name FROM hive) AS h LIMIT 3",
			func(t sqltext.Features) bool { return t.Limit == 3 && t.Outputs == nil },
		},
		{
			"SELECT * FROM (SELECT name FROM hive WHERE strength > 3) AS h (title)",
			func(t sqltext.Features) bool { return t.Where == 0 },
		},
		{
			"WITH RECURSIVE h AS (SELECT 1 AS n UNION ALL SELECT n + 1 FROM h WHERE n < 3) SELECT * FROM h",
			func(t sqltext.Features) bool { return !t.Compound },
		},

		{
			"SELECT * FROM (SELECT name FROM hive LIMIT 3) AS h ORDER BY name DESC",
			func(t sqltext.Features) bool { return t.Limit == -1 },
		},

		// What gives one row needs no condition that joins it.
		{
			"SELECT 1 FROM hive, (SELECT max(strength) AS most FROM hive) AS m",
			func(t sqltext.Features) bool { return t.Unjoined == nil },
		},
		{
			"WITH m AS (SELECT count(*) AS n FROM hive) SELECT 1 FROM hive, m",
			func(t sqltext.Features) bool { return t.Unjoined == nil },
		},
		{"SELECT 1 FROM hive, (SELECT 1 AS one) AS m", func(t sqltext.Features) bool { return t.Unjoined == nil }},
		{
			"SELECT 1 FROM hive, (SELECT max(strength) FROM hive GROUP BY name) AS m",
			func(t sqltext.Features) bool { return len(t.Unjoined) == 2 },
		},

		// Mistakes are found wherever they stand.
		{
			"SELECT count(*) FROM (SELECT 1 FROM hive WHERE name = NULL) AS h",
			func(t sqltext.Features) bool { return t.WithNull != nil },
		},
		{
			"WITH h AS (SELECT name FROM hive WHERE name LIKE 'x') SELECT upper(name) FROM h",
			func(t sqltext.Features) bool { return t.Exact == "x" },
		},
		{
			"SELECT name FROM hive WHERE name = NULL UNION SELECT name FROM apiary",
			func(t sqltext.Features) bool { return t.Compound && t.WithNull != nil },
		},
		{
			"SELECT name FROM apiary WHERE apiary_id IN (SELECT apiary_id FROM hive WHERE name NOT IN (SELECT name " +
				"FROM apiary))",
			func(t sqltext.Features) bool { return t.NotIn },
		},
		{
			"SELECT upper(name) FROM (SELECT h.name FROM hive AS h, apiary AS a) AS x",
			func(t sqltext.Features) bool { return len(t.Unjoined) == 2 },
		},
		{
			"SELECT 1 FROM apiary AS o WHERE EXISTS (SELECT FROM hive AS h, apiary AS a WHERE h.apiary_id = " +
				"o.apiary_id AND a.valley = o.valley)",
			func(t sqltext.Features) bool { return t.Unjoined == nil },
		},
		{
			"SELECT 1 FROM apiary AS o, LATERAL (SELECT FROM hive AS h, apiary AS a WHERE h.apiary_id = o.apiary_id " +
				"AND a.valley = o.valley) AS x",
			func(t sqltext.Features) bool { return len(t.Unjoined) != 2 || t.Unjoined[0] != "hive" },
		},
		{
			"SELECT 1 FROM hive WHERE strength = 1 AND hive_id = 2 OR name = 'x' AND hive_id = 3",
			func(t sqltext.Features) bool { return t.AndOr == nil },
		},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		if features := q.Features(schema); !c.is(features) {
			t.Errorf("%s: %+v", c.sql, features)
		}
	}
}

// A query for the pack check: what changes by itself.
func TestDoubts(t *testing.T) {
	for sql, changing := range map[string]string{
		"SELECT name FROM hive WHERE strength > 3":            "",
		"SELECT now(), random(), current_date, 'today'::date": "now() random() current_date 'today'",
		"SELECT age(timestamp '2026-01-01'), age(timestamp '2026-01-01', timestamp '2025-01-01') FROM hive " +
			"TABLESAMPLE SYSTEM (10)": "age() TABLESAMPLE",
	} {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			t.Fatal(err)
		}
		if got := strings.Join(q.Volatile(), " "); got != changing {
			t.Errorf("%s: changing are %q, want %q", sql, got, changing)
		}
	}
	if got := sqltext.Contradictions(
		[]string{"outer-join", "table:Hive"}, []string{"join", "table:hive"},
	); len(got) != 2 {
		t.Errorf("got %q", got)
	}
}

// LIMIT and OFFSET leave the rewritten query, which then gives the rows through the end of the tie.
func TestOrderingsWithALimit(t *testing.T) {
	for _, c := range []struct{ sql, all, through, ask string }{
		{"SELECT name FROM hive ORDER BY strength DESC LIMIT 3", "SELECT name, strength AS order_key_1 FROM hive " +
			"ORDER BY strength DESC",
			"SELECT name, strength AS order_key_1 FROM hive ORDER BY strength DESC FETCH FIRST 4 ROWS WITH TIES",
			"SELECT NULL::int8, 3::int8"},
		{
			"SELECT name FROM hive ORDER BY name FETCH FIRST 2 ROWS WITH TIES", "SELECT name FROM hive ORDER BY name",
			"SELECT name FROM hive ORDER BY name FETCH FIRST 4 ROWS WITH TIES", "SELECT NULL::int8, 2::int8",
		},
		{"WITH n AS (SELECT 2 AS n) SELECT name FROM hive ORDER BY 1 LIMIT (SELECT n FROM n) OFFSET 1",
			"WITH n AS (SELECT 2 AS n) SELECT name FROM hive ORDER BY 1",
			"WITH n AS (SELECT 2 AS n) SELECT name FROM hive ORDER BY 1 FETCH FIRST 4 ROWS WITH TIES",
			"WITH n AS (SELECT 2 AS n) SELECT 1::int8, (SELECT n FROM n)::int8"},
		{
			"SELECT count(*) FROM hive GROUP BY kind ORDER BY count",
			"SELECT count(*) FROM hive GROUP BY kind ORDER BY count", "", "",
		},
		{
			"SELECT name FROM hive ORDER BY name COLLATE folded",
			"SELECT name, dense_rank() OVER (ORDER BY name COLLATE folded) AS order_key_1 FROM hive ORDER BY name " +
				"COLLATE folded",
			"", "",
		},
		{
			`SELECT name FROM hive ORDER BY name COLLATE "de-x-icu"`,
			`SELECT name, name COLLATE "de-x-icu" AS order_key_1 FROM hive ORDER BY name COLLATE "de-x-icu"`, "", "",
		},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		o, err := q.Ordering(nil)
		if err != nil {
			t.Fatal(err)
		}
		if o.SQL != c.all || o.Ask != c.ask || o.Limited != (c.ask != "") {
			t.Errorf("%s:\n got %s and %s\nwant %s and %s", c.sql, o.SQL, o.Ask, c.all, c.ask)
		}
		if c.through == "" {
			continue
		}
		if through, err := o.Through(4); err != nil || through != c.through {
			t.Errorf("%s:\n got %s, %v\nwant %s", c.sql, through, err, c.through)
		}
	}
}
