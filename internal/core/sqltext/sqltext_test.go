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
		{"", "no statement"},
		{"-- nothing", "no statement"},
		{"SELECT 1; SELECT 2", "2 statements"},
		{"DELETE FROM hive", "DELETE"},
		{"INSERT INTO hive SELECT * FROM hive", "INSERT"},
		{"WITH gone AS (DELETE FROM hive RETURNING *) SELECT * FROM gone", "WITH that changes data"},
		{"SELECT * FROM (WITH x AS (UPDATE hive SET name = '' RETURNING 1) SELECT * FROM x) y", "WITH that changes data"},
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
		"CREATE ROLE hazel":                                                     "refused",
		"ALTER USER hazel PASSWORD 'x'":                                         "refused",
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
		setup, got := sqltext.ReadSetup(sql), "run"
		switch {
		case setup.NoBearing:
			got = "passed over"
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
		"CREATE TABLE hive (id int)": true, "CREATE TABLE yard.hive (id int)": true, "CREATE VIEW hive AS SELECT 1": true, "CREATE TABLE hive AS SELECT 1": true,
		"CREATE TYPE hive AS ENUM ('a')": true, "CREATE DOMAIN yard.hive AS int": true, "CREATE TABLE hives (id int)": false, "SELECT hive": false, "CREATE": false,
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
		{"SELECT count(*) FROM hive LEFT JOIN harvest USING (hive_id)", "aggregate function:count join outer-join table:harvest table:hive"},
		{"SELECT 'JOIN' /* GROUP BY */ -- LIMIT\n", ""},
		{"SELECT kind, max(strength) FROM hive GROUP BY kind HAVING count(*) > 1 ORDER BY 1 LIMIT 3", "aggregate function:count function:max group-by having limit order-by table:hive"},
		{"SELECT DISTINCT kind FROM hive WHERE EXISTS (SELECT 1 FROM harvest)", "distinct subquery table:harvest table:hive"},
		{"WITH h AS (SELECT 1) SELECT * FROM h", "star with"},
		{"SELECT rank() OVER (ORDER BY strength) FROM hive", "function:rank table:hive window"},
		{"SELECT 1 UNION SELECT 2", "set-operation"},
		{"SELECT CASE WHEN true THEN x::int END FROM t", "case cast table:t"},
		{"SELECT coalesce(a, nullif(b, 0)), greatest(a, b), Lower(c), trim(d), current_date FROM t",
			"function:btrim function:coalesce function:current_date function:greatest function:lower function:nullif function:trim table:t"},
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
		{"SELECT name FROM hive ORDER BY strength", "[{0  1}]", "SELECT name, strength AS order_key_1 FROM hive ORDER BY strength"},
		{"SELECT name AS strength FROM hive ORDER BY strength", "[{1  0}]", ""},
		{"SELECT * FROM hive ORDER BY name", "[{0  1}]", "SELECT *, name AS order_key_1 FROM hive ORDER BY name"},
		{"SELECT *, strength + 1 AS n FROM hive ORDER BY n", "[{0  1}]", "SELECT *, strength + 1 AS n, strength + 1 AS order_key_1 FROM hive ORDER BY n"},
		{"SELECT kind FROM hive GROUP BY kind ORDER BY count(*) DESC, lower(kind)", "[{0  1} {0  2}]",
			"SELECT kind, count(*) AS order_key_1, lower(kind) AS order_key_2 FROM hive GROUP BY kind ORDER BY count(*) DESC, lower(kind)"},
		{"SELECT 1 AS n UNION SELECT 2 ORDER BY n", "[{0 n 0}]", ""},
		{"VALUES (2), (1) ORDER BY 1", "[{1  0}]", ""},
		{"WITH h AS (SELECT * FROM hive ORDER BY name) SELECT name FROM h", "[]", ""},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		o, err := q.Ordering()
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

// The parser is written in C and walks its tree by recursion: a text that nests deeply enough would end the process.
func TestTextThatNestsDeeplyIsAnError(t *testing.T) {
	for name, text := range map[string]string{
		"sums": "SELECT 1" + strings.Repeat("+1", 49_000), "signs": "SELECT " + strings.Repeat("- ", 49_000) + "1", "nots": "SELECT " + strings.Repeat("NOT ", 24_000) + "true",
		"casts": "SELECT 1" + strings.Repeat("::int", 19_000), "subscripts": "SELECT a" + strings.Repeat("[1]", 32_000), "subqueries": strings.Repeat("SELECT (", 12_000) + "1" + strings.Repeat(")", 12_000),
		"joins": "SELECT 1 FROM a" + strings.Repeat(" JOIN a ON true", 6_000), "parentheses": strings.Repeat("(", 90_000),
	} {
		var wrong *sqltext.SyntaxError
		if _, err := sqltext.ReadQuery(text); !errors.As(err, &wrong) {
			t.Errorf("%s: got %v", name, err)
		}
	}
	for name, text := range map[string]string{
		"a long list": "SELECT * FROM hive WHERE hive_id IN (1" + strings.Repeat(", 1", 30_000) + ")", "many rows": "VALUES (1, 'a')" + strings.Repeat(", (1, 'a')", 9_000),
		"a long text": "SELECT '" + strings.Repeat("+ ", 40_000) + "'", "many columns": "SELECT 1 + 1" + strings.Repeat(", a.b + 1", 9_000) + " FROM a",
	} {
		if _, err := sqltext.ReadQuery(text); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}
