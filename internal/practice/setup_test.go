package practice_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"examen/internal/practice"
)

// Each script is wrong somewhere: what is said names the place, and the likely cause where one is known.
func TestWhatIsWrongWithAScript(t *testing.T) {
	s := server(t, limits)
	const table = "CREATE TABLE hive (id int PRIMARY KEY, name text NOT NULL, weight int CHECK (weight > 0), queen " +
		"int);\n"
	for _, c := range []struct{ name, script, want string }{
		{"a program", "SELECT 1;\n\\! id\n", `s.sql:2: \! is refused: it runs a program, in: \! id`},
		{"a file to write", "\\o /tmp/x", `s.sql:1: \o is refused: it writes a file`},
		{"a folder outside", "\\i ../other.sql", `s.sql:1: "../other.sql" leaves the folder: name a file inside it`},
		{"an absolute path", "\\copy hive FROM '/etc/passwd'", `s.sql:1: "/etc/passwd" leaves the folder`},
		{"a missing file", "\\ir rows.sql", `s.sql:1: there is no file "rows.sql" in the folder`},
		{"a program's output", "\\copy hive FROM PROGRAM 'id'", `s.sql:1: \copy is expected as`},
		{"an unknown command", "\\frobnicate", `s.sql:1: \frobnicate is no command of psql's that is known here`},
		{
			"a tablespace", "SELECT 1;\nCREATE TABLESPACE t LOCATION '/tmp';",
			"s.sql:2: setup scripts run as an owner of their tables without a superuser's rights, and cannot make " +
				"or drop tablespaces",
		},
		{"the server's settings", "ALTER SYSTEM SET work_mem = '1GB';", "s.sql:1: setup scripts run as an owner"},
		{
			"the server's files", "COPY a FROM '/etc/passwd';",
			`s.sql:1: setup scripts run as an owner of their tables without a superuser's rights, and cannot read ` +
				`or write the server's files: write \copy`,
		},
		{
			"another database", "DROP DATABASE postgres;\nSELECT 1;\nCREATE TABLE a ();",
			`s.sql:1: setup scripts run within a database of their own`,
		},
		{"an open text", "SELECT 'open", `s.sql:1: the script ends within a quoted text`},
		{
			"data without an end", "CREATE TABLE a (x int);\nCOPY a FROM stdin;\n1\n",
			`s.sql:3: the data of a COPY that begin here have no end`,
		},
		{
			"a line of data", "CREATE TABLE a (x int);\nCOPY a FROM stdin;\n1\nmany\n\\.\n",
			`s.sql:4: invalid input syntax for type integer: "many" (column x: "many"), in: COPY a FROM stdin`,
		},
		{
			"a table made later", "CREATE TABLE a (x int REFERENCES hive);\n" + table,
			`s.sql:1: relation "hive" does not exist, in: CREATE TABLE a (x int REFERENCES hive). hive is made ` +
				`later, at s.sql:2`,
		},
		{
			"a table made nowhere", "INSERT INTO hives VALUES (1);",
			`s.sql:1: relation "hives" does not exist, in: INSERT INTO hives VALUES (1). No script creates hives`,
		},
		{
			"a table that the very next statement makes", "INSERT INTO hive VALUES (1, 'a');\n" + table,
			"s.sql:1: relation \"hive\" does not exist, in: INSERT INTO hive VALUES (1, 'a'). hive is made later, " +
				"at s.sql:2",
		},
		{
			"a table to drop that is not there yet", "DROP TABLE hive;\n" + table,
			"s.sql:1: table \"hive\" does not exist, in: DROP TABLE hive. A new database holds nothing to drop",
		},
		{
			"a transaction without an end", table + "BEGIN;\nCREATE TABLE a ();\n",
			"s.sql:2: the transaction that begins here has no end, so nothing that follows would stay, in: BEGIN. " +
				"Is COMMIT missing",
		},
		{"a table made twice", table + table, `s.sql:2: relation "hive" already exists`},
		{
			"another dialect's type", "CREATE TABLE a (\n  day datetime\n);",
			`s.sql:2: type "datetime" does not exist, in: CREATE TABLE a (. datetime is a type of another ` +
				`database's dialect: write timestamp.`,
		},
		{
			"another dialect's key", "CREATE TABLE a (id int AUTO_INCREMENT);",
			`s.sql:1: syntax error at or near "AUTO_INCREMENT", in: CREATE TABLE a (id int AUTO_INCREMENT). ` +
				`AUTO_INCREMENT is another dialect's: write GENERATED`,
		},
		{
			"another dialect's names", "CREATE TABLE `a` (id int);",
			"s.sql:1: syntax error at or near \"`\", in: CREATE TABLE `a` (id int). Names are quoted with double " +
				"quotes here",
		},
		{
			"one row of many",
			table + "INSERT INTO hive VALUES\n  (1, 'a'),\n  (2, 'b'),\n  (3, 'c'),\n  (2, 'd'),\n  (5, 'e');",
			`s.sql:6: duplicate key value violates unique constraint "hive_pkey" (Key (id)=(2) already exists.), ` +
				`in: INSERT INTO hive VALUES. Row 4 has the key of a row that is there already`,
		},
		{
			"a value left out", table + "INSERT INTO hive (id, name) VALUES (1, 'a'),\n (2, NULL);",
			`s.sql:3: null value in column "name" of relation "hive" violates not-null constraint (Failing row ` +
				`contains (2, null, null, null).), in: INSERT INTO hive (id, name) VALUES (1, 'a'),. Row 2 leaves out`,
		},
		{
			"a check", table + "INSERT INTO hive VALUES (1, 'a', 0);",
			`s.sql:2: new row for relation "hive" violates check constraint`,
		},
		{"a partner that is not there", table + "CREATE TABLE visit (hive int REFERENCES hive);\n" +
			"INSERT INTO hive VALUES (1, 'a');\nINSERT INTO visit VALUES (1), (1),\n(7), (1);",
			`s.sql:5: insert or update on table "visit" violates foreign key constraint "visit_hive_fkey" (Key ` +
				`(hive)=(7) is not present in table "hive".), in: INSERT INTO visit VALUES (1), (1),. Row 3 refers ` +
				`to a row that hive does not hold`},
		{
			"in the middle of many",
			table + strings.Repeat(
				"INSERT INTO hive VALUES (1, 'a') ON CONFLICT DO NOTHING;\n", 2500,
			) + "INSERT INTO hive VALUES (1, 'b');\n",
			"s.sql:2502: duplicate key",
		},
		{
			"with its place, in the middle of many",
			table + strings.Repeat(
				"INSERT INTO hive VALUES (1, 'ä') ON CONFLICT DO NOTHING;\n", 30,
			) + "INSERT INTO hive\nVALUES ('x');\n",
			`s.sql:33: invalid input syntax for type integer: "x"`,
		},
		{
			"Latin-1 that is not declared", table + "INSERT INTO hive VALUES (1, 'K\xf6nigin');",
			"s.sql:2: the byte 0xf6 is not UTF-8, in: INSERT INTO hive VALUES (1, 'K\ufffdnigin'). The file is not " +
				"UTF-8. If it is Latin-1, declare it",
		},
		{
			"a syntax error in the middle of many",
			table + strings.Repeat(
				"INSERT INTO hive VALUES (1, 'a') ON CONFLICT DO NOTHING;\n", 30,
			) + "INSERT INTO hive VALUE (2);\n",
			`s.sql:32: syntax error at or near "VALUE"`,
		},
		{
			"a variable that ends a statement", "\\set x '1; SELECT'\nSELECT :x;",
			"s.sql:2: the variable's value, 1; SELECT, is not within one statement",
		},
		{"an untrusted language", "CREATE LANGUAGE plpython3u;", `s.sql:1: extension "plpython3u" is not available`},
		{
			"pg_dump's own format", "PGDMP\x01\x0e\x00\x04",
			"s.sql:1: this is pg_dump's custom format: write it as SQL, with pg_restore -f s.sql",
		},
		{
			"another way of compressing", "BZh91AY&SY",
			"s.sql:1: this is compressed with bzip2: unpack it, or compress it with gzip",
		},
		{"an archive", "PK\x03\x04\x14\x00", "s.sql:1: this is a ZIP archive: unpack it and give the folder"},
		{"no text", "SELECT 1;\n\x00", "s.sql:2: a NUL byte stands here"},
		{
			"a constraint that waits",
			"CREATE TABLE a (id int PRIMARY KEY, b int REFERENCES a DEFERRABLE INITIALLY DEFERRED);\n" +
				"INSERT INTO a VALUES (1, 2);",
			`s.sql:2: insert or update on table "a" violates foreign key constraint`,
		},
		{"damaged gzip", compressed(t, "SELECT 1;")[:20], "s.sql:1: the file's gzip data are damaged or end too early"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := s.Build(context.Background(), files{"s.sql": c.script}.order("test_refused"))
			var broken *practice.BuildErrors
			if !errors.As(err, &broken) || !strings.HasPrefix(err.Error(), c.want) {
				t.Errorf("got %v\nwant %s", err, c.want)
			}
			if left, _ := s.Databases(context.Background(), "test_refused"); len(left) > 0 {
				t.Fatalf("left over: %v", left)
			}
		})
	}
}

func compressed(t *testing.T, text string) string {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := w.Write([]byte(text)); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// What scripts do all over the world, and what comes of it: a query on the built database, and what was passed over.
func TestScriptsAsTheyAreWritten(t *testing.T) {
	s := server(t, limits)
	for _, c := range []struct {
		name       string
		scripts    files
		query      string
		want       string
		passedOver string
	}{
		{"one that includes others and copies CSV", files{
			"main.sql": "\\set who 'Hazel''s'\n\\set least 2\n\\ir parts/tables.sql\n" +
				"\\copy hive FROM 'hives.csv' WITH (FORMAT csv, HEADER)\nDELETE FROM hive WHERE id < :least;\n" +
				"UPDATE hive SET name = :'who' WHERE id = 3;\nSELECT '12:30'::time, (ARRAY[1,2])[1:2];\n",
			"parts/tables.sql": "CREATE TABLE hive (id int, name text);\n\\q\nnonsense",
			"hives.csv":        "id,name\r\n1,Amber\r\n2,\"Ba\nsil\"\r\n3,Clover\r\n"},
			"SELECT id, replace(name, chr(10), '/') FROM hive ORDER BY id", "2 Ba/sil| 3 Hazel's",
			`[parts/tables.sql:2: \q]`},
		{"with a database of its own", files{
			"main.sql": "DROP DATABASE IF EXISTS yard;\nCREATE DATABASE yard;\nALTER DATABASE yard OWNER TO hazel;\n" +
				"\\c yard\nCREATE TABLE a AS SELECT 1 AS x;\nGRANT ALL ON a TO hazel;",
		},
			"SELECT x FROM a", "1", `[main.sql:1: DROP DATABASE IF EXISTS yard main.sql:2: CREATE DATABASE yard ` +
				`main.sql:3: ALTER DATABASE yard OWNER TO hazel main.sql:4: \c yard main.sql:6: GRANT ALL ON a TO ` +
				`hazel]`},
		{"declared Latin-1", files{
			"main.sql": "SET client_encoding = 'LATIN1';\nCREATE TABLE a (x text);\n" +
				"INSERT INTO a VALUES ('K\xf6nigin');\nCOPY a FROM stdin;\nBiene\xdf\n\\.\n",
		},
			"SELECT x, length(x) FROM a ORDER BY 2", "Bieneß 6| Königin 7", "[]"},
		{"a byte order mark, Windows' line ends, gzip", files{
			"main.sql": compressed(
				t,
				"\ufeffCREATE TABLE a (x text);\r\nINSERT INTO a VALUES ('it''s');\r\nCOPY a FROM stdin;\r\none\r\n"+
					"\\.\r\n",
			),
		},
			"SELECT x FROM a ORDER BY 1 DESC", "one| it's", "[]"},
		{"quotes of every kind", files{
			"main.sql": "CREATE TABLE a (x text); /* a ; /* b */ ; */\n" +
				"INSERT INTO a VALUES (E'a\\'b;'), (U&'\\0041;'), ($x$;$x$); -- ;\n",
		},
			"SELECT x FROM a ORDER BY 1", ";| A;| a'b;", "[]"},
		{"what cannot run in a transaction", files{
			"main.sql": "CREATE TABLE a (x int);\nINSERT INTO a VALUES (1);\nVACUUM a;\n" +
				"CREATE INDEX CONCURRENTLY ON a (x);\nCREATE TYPE mood AS ENUM ('calm');\n" +
				"ALTER TYPE mood ADD VALUE 'cross';\nCREATE TABLE b (m mood DEFAULT 'cross');\n" +
				"DO $$ BEGIN INSERT INTO a VALUES (2); COMMIT; END $$;\nINSERT INTO b DEFAULT VALUES;",
		},
			"SELECT count(*), min(m::text) FROM a, b", "2 cross", "[]"},
		{"its own transactions", files{
			"main.sql": "CREATE TABLE a (x int);\nBEGIN;\nINSERT INTO a VALUES (1);\nROLLBACK;\nBEGIN;\n" +
				"INSERT INTO a VALUES (2);\nSAVEPOINT s;\nINSERT INTO a VALUES (3);\nROLLBACK TO s;\nCOMMIT;\n" +
				"ROLLBACK;\nINSERT INTO a VALUES (4);\nCOMMIT;",
		},
			"SELECT x FROM a ORDER BY x", "2| 4", "[]"},
		{"settings of a newer server, a search path left empty", files{
			"a.sql": "SET transaction_timeout = 0;\nSET session_replication_role = replica;\n" +
				"SELECT pg_catalog.set_config('search_path', '', false);\nCREATE TABLE public.a (x int);",
			"b.sql": "INSERT INTO a VALUES (1);\nCREATE TABLE b (y int);",
		},
			"SELECT x FROM a", "1", "[a.sql:1: SET transaction_timeout = 0 a.sql:2: SET session_replication_role = " +
				"replica]"},
		{"schemas other than public", files{
			"main.sql": "CREATE SCHEMA \"the yard\";\nCREATE SCHEMA barn;\nSET search_path = \"the yard\";\n" +
				"CREATE TABLE hive AS SELECT 1 AS x;\nCREATE TABLE barn.hive AS SELECT 2 AS x;\n" +
				"CREATE TABLE barn.tool AS SELECT 3 AS x;",
		},
			"SELECT hive.x, b.x, tool.x FROM hive, barn.hive AS b, tool", "1 2 3", "[]"},
		{
			"without a public schema",
			files{"main.sql": "DROP SCHEMA public CASCADE;\nCREATE SCHEMA yard;\n" +
				"CREATE TABLE yard.hive AS SELECT 1 AS x;"},
			"SELECT x FROM hive", "1", "[]",
		},
		{"functions, triggers, views, extensions, sequences", files{"main.sql": `CREATE EXTENSION IF NOT EXISTS citext;
CREATE TABLE a (id serial, x citext);
CREATE FUNCTION up() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.x := upper(NEW.x); RETURN NEW; END $$;
CREATE TRIGGER t BEFORE INSERT ON a FOR EACH ROW EXECUTE FUNCTION up();
CREATE VIEW v AS SELECT * FROM a;
INSERT INTO a (x) VALUES ('b');
COMMENT ON TABLE a IS 'letters';
SELECT setval('a_id_seq', 10);
INSERT INTO a (x) VALUES ('c') RETURNING id;`},
			"SELECT id, x FROM v WHERE x = 'C'", "11 C", "[]"},
	} {
		t.Run(c.name, func(t *testing.T) {
			order := c.scripts.order("test_written")
			if _, ok := c.scripts["main.sql"]; ok {
				order.Scripts = []string{"main.sql"}
			}
			built, err := s.Build(context.Background(), order)
			if err != nil {
				t.Fatal(err)
			}
			defer s.Drop(context.Background(), "test_written")
			got, err := run(s, "test_written", c.query)
			if _, rows, _ := strings.Cut(got, "| "); err != nil || rows != c.want {
				t.Errorf("got %s, %v, want %s", got, err, c.want)
			}
			if got := fmt.Sprint(built.PassedOver); got != c.passedOver {
				t.Errorf("passed over: got %s, want %s", got, c.passedOver)
			}
		})
	}
}

// With KeepGoing every error is found, those within a script's own transaction too, and the build fails all the same.
func TestKeepGoingListsEveryError(t *testing.T) {
	s := server(t, limits)
	order := files{"s.sql": `CREATE TABLE a (x int PRIMARY KEY);
INSERT INTO a VALUES (1);
INSERT INTO a VALUES (1);
INSERT INTO a VALUES (2), (2);
\! id
BEGIN;
INSERT INTO a VALUES (3);
INSERT INTO b VALUES (1);
CREATE TABLE b (x dat);
COMMIT;
COPY a FROM stdin;
4
four
\.
SELECT 1 / count(*) FROM a WHERE x = 4;
SELECT 1 / (count(*) - 2) FROM a;
`}.order("test_errors")
	order.KeepGoing = true
	_, err := s.Build(context.Background(), order)
	var broken *practice.BuildErrors
	if !errors.As(err, &broken) {
		t.Fatal(err)
	}
	var lines []int
	for _, e := range broken.List {
		lines = append(lines, e.Place.Line)
	}
	// 16: of the rows only 1 and 3 are there.
	if want := "[3 4 5 8 9 13 15 16]"; fmt.Sprint(lines) != want {
		t.Errorf("got errors on lines %v, want %s:\n%v", lines, want, broken.List)
	}
	if left, _ := s.Databases(context.Background(), "test_errors"); len(left) > 0 {
		t.Errorf("left over: %v", left)
	}
}

// Going on does not come between a script and its own transactions and savepoints.
func TestKeepingGoingLeavesAScriptsTransactionsAlone(t *testing.T) {
	s := server(t, limits)
	order := files{"s.sql": `BEGIN;
SET TRANSACTION ISOLATION LEVEL SERIALIZABLE;
CREATE TABLE a (x int PRIMARY KEY);
INSERT INTO a VALUES (1);
SAVEPOINT before;
INSERT INTO a VALUES (2);
INSERT INTO a VALUES (1);
ROLLBACK TO before;
DO $$ BEGIN PERFORM 1 / 0; END $$;
INSERT INTO a VALUES (3);
RELEASE before;
COMMIT;
SELECT 1 / (count(*) - 2) FROM a;
RELEASE nothing;
SELECT 1 / (count(*) - 2) FROM a;
`}.order("test_savepoints")
	order.KeepGoing = true
	_, err := s.Build(context.Background(), order)
	var broken *practice.BuildErrors
	if !errors.As(err, &broken) {
		t.Fatal(err)
	}
	var lines []int
	for _, e := range broken.List {
		lines = append(lines, e.Place.Line)
	}
	// Only 1 and 3 are there, before and after the last mistake.
	if want := "[7 9 13 14 15]"; fmt.Sprint(lines) != want {
		t.Errorf("got errors on lines %v, want %s:\n%v", lines, want, broken.List)
	}
	if _, err := s.Build(
		context.Background(),
		files{
			"s.sql": "BEGIN;\nSET TRANSACTION ISOLATION LEVEL REPEATABLE READ;\nSET CONSTRAINTS ALL DEFERRED;\n" +
				"CREATE TABLE a ();\nCOMMIT;",
		}.order("test_savepoints"),
	); err != nil {
		t.Error(err)
	}
	_ = s.Drop(context.Background(), "test_savepoints")
}

func TestABuildTellsItsProgressAndCanBeStopped(t *testing.T) {
	s := server(t, limits)
	order := files{
		"s.sql": "CREATE TABLE a (x int);\nINSERT INTO a VALUES (1), (2);\nCOPY a FROM stdin;\n3\n\\.\n" +
			"SELECT pg_sleep(600);",
	}.order("test_stopped")
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	var last practice.Progress
	order.Progress = func(p practice.Progress) {
		if last = p; p.Statements == 3 {
			stop()
		}
	}
	_, err := s.Build(ctx, order)
	if !errors.Is(err, context.Canceled) || last.Tables != 1 || last.Rows != 3 || last.File != "s.sql" ||
		last.Bytes == 0 {
		t.Errorf("got %v, %+v", err, last)
	}
	if left, _ := s.Databases(context.Background(), "test_stopped"); len(left) > 0 {
		t.Errorf("left over: %v", left)
	}
}

// Scripts that psql runs without a transaction around them, statement by statement, are built as psql would, and what
// has no bearing on the data is passed over.
func TestScriptsOfManyHandsAreBuilt(t *testing.T) {
	s := server(t, limits)
	for _, c := range []struct{ name, script, sql, want string }{
		{"constraints that wait", "CREATE TABLE a (id int PRIMARY KEY, b int REFERENCES a DEFERRABLE INITIALLY " +
			"DEFERRED);\nBEGIN;\nINSERT INTO a VALUES (1, 2);\nINSERT INTO a VALUES (2, 1);\nCOMMIT;\n" +
			"INSERT INTO a VALUES (3, 3);\nALTER TABLE a ADD c int;",
			"SELECT count(*) AS n, count(c) AS c FROM a", "n:bigint c:bigint | 3 0"},
		{
			"a setting for one transaction",
			"CREATE SCHEMA yard;\nCREATE TABLE yard.x ();\nSET LOCAL search_path = yard;\n" +
				"CREATE TABLE here (n int);\nINSERT INTO public.here VALUES (1);",
			"SELECT n FROM public.here", "n:integer | 1",
		},
		{
			"a table for one transaction",
			"CREATE TEMPORARY TABLE t (n int) ON COMMIT DELETE ROWS;\nINSERT INTO t VALUES (1);\n" +
				"CREATE TABLE a AS SELECT count(*) AS n FROM t;",
			"SELECT n FROM a", "n:bigint | 0",
		},
		{"a partition taken off", "CREATE TABLE night (day date) PARTITION BY RANGE (day);\n" +
			"CREATE TABLE n1 PARTITION OF night FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');\n" +
			"ALTER TABLE night DETACH PARTITION n1 CONCURRENTLY;\nINSERT INTO n1 VALUES ('2026-05-01');",
			"SELECT count(*) AS n FROM night", "n:bigint | 0"},
		{
			"publications",
			"CREATE TABLE a (n int);\nCREATE PUBLICATION p FOR TABLE a;\nDROP PUBLICATION p;\n" +
				"INSERT INTO a VALUES (1);",
			"SELECT n FROM a", "n:integer | 1",
		},
		{"roles and what is theirs", "CREATE ROLE keeper;\nALTER ROLE keeper WITH LOGIN;\nGRANT keeper TO other;\n" +
			"CREATE SCHEMA yard AUTHORIZATION keeper;\nCREATE TABLE yard.a (n int);\n" +
			"ALTER TABLE yard.a DISABLE TRIGGER ALL;\nINSERT INTO yard.a VALUES (1);\n" +
			"ALTER TABLE yard.a ENABLE TRIGGER ALL;\nCREATE POLICY p ON yard.a TO keeper USING (true);\n" +
			"SET SESSION AUTHORIZATION keeper;\nDROP ROLE keeper;", "SELECT n FROM yard.a", "n:integer | 1"},
		{
			"rows behind a policy",
			"CREATE TABLE a (n int);\nALTER TABLE a ENABLE ROW LEVEL SECURITY;\n" +
				"CREATE POLICY p ON a USING (n > 1);\nINSERT INTO a VALUES (1), (2);",
			"SELECT n FROM a", "n:integer | 2",
		},
		{
			"psql's spellings",
			"CREATE DATABASE \"my-db\";\n\\connect -reuse-previous=on \"dbname='my-db'\"\n\\c postgres;\n" +
				"CREATE TABLE a (n int);\n\\timing on \\\\ INSERT INTO a VALUES (1);\n\\COPY a FROM stdin\n2\n\\.\n",
			"SELECT sum(n) AS n FROM a", "n:bigint | 3",
		},
		{
			"backslashes in texts",
			"SET standard_conforming_strings = off;\nSET escape_string_warning = off;\nCREATE TABLE a (t text);\n" +
				"INSERT INTO a VALUES ('it\\'s; so'), ('b');",
			"SELECT count(*) AS n, min(t) AS t FROM a", "n:bigint t:text | 2 b",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			database := build(t, s, files{"s.sql": c.script}, false)
			if got, err := run(s, database, c.sql); err != nil || got != c.want {
				t.Errorf("got %s, %v, want %s", got, err, c.want)
			}
		})
	}
}

// Errors are told by their words, so the words are those of the C locale wherever learners' and scripts' SQL runs,
// whatever the server's language is.
func TestErrorsComeInOneLanguage(t *testing.T) {
	admin := superuser(t, "postgres")
	if _, err := admin.Exec(context.Background(), "ALTER ROLE ALL SET lc_messages = 'POSIX'"); err != nil {
		// another name, which every machine has
		t.Fatal(err)
	}
	//nolint:errcheck // the server is this test's package's
	defer admin.Exec(context.Background(), "ALTER ROLE ALL RESET lc_messages")
	s := server(t, limits)
	database := build(t, s, files{"s.sql": "CREATE TABLE told AS SELECT current_setting('lc_messages') AS m;"}, false)
	for sql, want := range map[string]string{
		"SELECT m FROM told": "m:text | C", "SHOW lc_messages": "lc_messages:text | C",
	} {
		if got, err := run(s, database, sql); err != nil || got != want {
			t.Errorf("%s: got %s, %v", sql, got, err)
		}
	}
}

// A table whose rows are hidden by row level security says so, and by which condition.
func TestPoliciesAreTold(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, files{"s.sql": `CREATE ROLE keeper;
CREATE TABLE open (n int);
CREATE TABLE closed (n int); ALTER TABLE closed ENABLE ROW LEVEL SECURITY;
CREATE TABLE part (n int); ALTER TABLE part ENABLE ROW LEVEL SECURITY;
CREATE POLICY a ON part USING (n > 1); CREATE POLICY b ON part FOR SELECT USING (n = 0); CREATE POLICY c ON part FOR
DELETE USING (n > 9);
CREATE POLICY d ON part AS RESTRICTIVE USING (n < 5); CREATE POLICY e ON part TO keeper USING (true);
INSERT INTO part SELECT generate_series(0, 9); INSERT INTO closed VALUES (1);`}, false)
	catalogue, err := s.Catalogue(context.Background(), database)
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{"open": "[]", "closed": "[Row level security: queries see no rows.]",
		"part": "[Row level security: queries see only the rows where ((n > 1) OR (n = 0)) AND (n < 5).]"} {
		var got []string
		for _, k := range catalogue.Table(name).Constraints {
			got = append(got, k.Words())
		}
		if fmt.Sprint(got) != want {
			t.Errorf("%s: got %v, want %s", name, got, want)
		}
	}
	if got, err := run(s, database, "SELECT n FROM part"); err != nil || got != "n:integer | 0| 2| 3| 4" ||
		catalogue.Table("part").Rows != 4 {
		t.Errorf("got %s, %v, and %d rows are counted", got, err, catalogue.Table("part").Rows)
	}
}

// What scripts for other database servers hold gets PostgreSQL's form beside the error.
func TestLinesFromOtherDatabaseServers(t *testing.T) {
	s := server(t, limits)
	const table = "CREATE TABLE a (id int PRIMARY KEY, t text, d date);\n"
	for script, want := range map[string]string{
		"CREATE TABLE a (id int(11));":                                            "write integer",
		"CREATE TABLE a (id int) DEFAULT CHARSET=utf8;":                           "DEFAULT CHARSET is another",
		"CREATE TABLE a (id int COMMENT 'x');":                                    "COMMENT ON COLUMN",
		"CREATE TABLE a (id int, KEY k (id));":                                    "CREATE INDEX",
		"CREATE TABLE a (id int, UNIQUE KEY k (id));":                             "UNIQUE (columns)",
		table + "LOCK TABLES a WRITE;":                                            "LOCK TABLES is another",
		table + "INSERT INTO a VALUES (1) ON DUPLICATE KEY UPDATE t = 'x';":       "ON CONFLICT (key)",
		table + `INSERT INTO a VALUES (1, "text");`:                               "single quotes",
		table + "INSERT INTO a VALUES (1, 'x', '0000-00-00');":                    "no year 0",
		"CREATE TABLE a (id int PRIMARY KEY CLUSTERED);":                          "CLUSTERED is another",
		"CREATE TABLE a (t varchar(max));":                                        "write text",
		table + "SELECT TOP 5 * FROM a;":                                          "LIMIT",
		"CREATE TABLE #t (id int);":                                               "TEMPORARY TABLE",
		table + "INSERT INTO a VALUES (1, 'x', SYSDATE);":                         "now()",
		"SELECT 1 FROM DUAL;":                                                     "leave FROM DUAL out",
		"CREATE SEQUENCE q;\n" + table + "INSERT INTO a VALUES (q.NEXTVAL, 'x');": "nextval('name')",
		"PROMPT loading;\n" + table:                                               "another client",
		"REM the tables\n" + table:                                                "another client",
		table + "DROP TABLE a CASCADE CONSTRAINTS;":                               "write CASCADE",
		"PRAGMA foreign_keys = ON;":                                               "PRAGMA is another",
		table + "INSERT OR REPLACE INTO a VALUES (1);":                            "ON CONFLICT",
		"CREATE TABLE a (id int) WITHOUT ROWID;":                                  "WITHOUT ROWID is another",
		table + "INSERT INTO a VALUES (1, ‘x’);":                                  "word processor's",
		"CREATE TABLE a (id int,\n t text,\n);":                                   "extra comma",
		"CREATE TABLE order (id int);":                                            `"order"`,
		"CREATE TABLE a (user text);":                                             `"user"`,
		"SET NAMES utf8mb4;":                                                      "SET NAMES without quotes",
		"SET ANSI_NULLS ON;":                                                      "SET ANSI_NULLS ON and the like",
		"SET NAMES 'utf8mb4';\nSELECT nothing FROM nowhere;":                      "No script creates nowhere",
	} {
		_, err := s.Build(context.Background(), files{"s.sql": script}.order("test_other"))
		var broken *practice.BuildErrors
		if !errors.As(err, &broken) || !strings.Contains(broken.List[0].Cause, want) {
			t.Errorf("%s\n got %v\nwant %s", script, err, want)
		}
		if err == nil {
			_ = s.Drop(context.Background(), "test_other")
		}
	}
}
