package script_test

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/script"
)

// read writes a script's items down, a line each: kind, line, text, and the data of a COPY.
func read(text string) (items []string, err error) {
	r := script.NewReader(strings.NewReader(text))
	for {
		item, err := r.Next()
		if err == io.EOF {
			return items, nil
		} else if err != nil {
			return items, err
		}
		s := fmt.Sprintf("%s %d %s", []string{"statement", "copy", "command"}[item.Kind], item.Line, item.Text)
		if item.Kind == script.Copy {
			data, err := io.ReadAll(r.Data())
			if err != nil {
				return items, err
			}
			s += fmt.Sprintf(" <- %q", data)
		}
		items = append(items, s)
	}
}

func TestItems(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       []string
	}{
		{"nothing", " \n-- only a comment\n/* and /* another */ */;;\n", nil},
		{
			"several, the last without its end", "SELECT 1;\n\n  SELECT\n 2",
			[]string{"statement 1 SELECT 1", "statement 3 SELECT\n 2"},
		},
		{"two on a line", "SELECT 1; SELECT 2;", []string{"statement 1 SELECT 1", "statement 1 SELECT 2"}},
		{
			"comments", "/* a; */ SELECT /* b; /* c; */ */ 1 -- d;\n;",
			[]string{"statement 1 SELECT /* b; /* c; */ */ 1 -- d;"},
		},
		{
			"quotes", `SELECT ';', 'it''s;', E'\';', "a;""b", U&'\0041;';SELECT 2`,
			[]string{`statement 1 SELECT ';', 'it''s;', E'\';', "a;""b", U&'\0041;'`, "statement 1 SELECT 2"},
		},
		{
			"a backslash is only a backslash", `SELECT '\';SELECT 2`,
			[]string{`statement 1 SELECT '\'`, "statement 1 SELECT 2"},
		},
		{
			"a name that ends in e", `SELECT name'\';SELECT 2`,
			[]string{`statement 1 SELECT name'\'`, "statement 1 SELECT 2"},
		},
		{
			"dollar quotes", "DO $$ a; $b$ ; $$;\nDO $x$ $$ ; $y$ ; $x$; SELECT $1, a$b",
			[]string{
				"statement 1 DO $$ a; $b$ ; $$", "statement 2 DO $x$ $$ ; $y$ ; $x$", "statement 2 SELECT $1, a$b",
			},
		},
		{
			"a rule's parentheses", "CREATE RULE r AS ON INSERT TO a DO (SELECT 1; SELECT 2);SELECT 3",
			[]string{"statement 1 CREATE RULE r AS ON INSERT TO a DO (SELECT 1; SELECT 2)", "statement 1 SELECT 3"},
		},
		{"a body", "CREATE FUNCTION f() RETURNS int BEGIN ATOMIC SELECT CASE WHEN a THEN 1 END; SELECT 2; END; " +
			"SELECT 3", []string{
			"statement 1 CREATE FUNCTION f() RETURNS int BEGIN ATOMIC SELECT CASE WHEN a THEN 1 END; SELECT 2; END",
			"statement 1 SELECT 3",
		}},
		{
			"a transaction", "BEGIN; SELECT 1; END;",
			[]string{"statement 1 BEGIN", "statement 1 SELECT 1", "statement 1 END"},
		},
		{
			"copy", "COPY a (x, y) FROM stdin;\n1\t;'$$\n\\\\.\n\\.\nSELECT 2;",
			[]string{"copy 1 COPY a (x, y) FROM stdin <- \"1\\t;'$$\\n\\\\\\\\.\\n\"", "statement 5 SELECT 2"},
		},
		{
			"copy with other line ends", "\ufeffCOPY a FROM STDIN WITH (FORMAT csv);\r\n1\r\n\\.\r\nSELECT 2;\r\n",
			[]string{"copy 1 COPY a FROM STDIN WITH (FORMAT csv) <- \"1\\r\\n\"", "statement 4 SELECT 2"},
		},
		{
			"no copy from stdin", "COPY (SELECT * FROM stdin) TO STDOUT; COPY a FROM 'stdin'",
			[]string{"statement 1 COPY (SELECT * FROM stdin) TO STDOUT", "statement 1 COPY a FROM 'stdin'"},
		},
		{
			"commands", "\\connect nights\nSELECT 1;\n\\echo 'done;'",
			[]string{"command 1 connect nights", "statement 2 SELECT 1", "command 3 echo 'done;'"},
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := read(c.text)
			if err != nil || !slices.Equal(got, c.want) {
				t.Errorf("got %q, %v\nwant %q", got, err, c.want)
			}
		})
	}
}

func TestWhatScriptsOfOtherHandsHold(t *testing.T) {
	for text, want := range map[string][]string{
		"SELECT 1\\g\nSELECT 2 \\g\n": {"statement 1 SELECT 1", "statement 2 SELECT 2"},
		"SELECT 1;\n\x1a":             {"statement 1 SELECT 1"},
		"\\timing on \\\\ SELECT 1;\nSELECT 2;": {
			`command 1 timing on`, "statement 1 SELECT 1", "statement 2 SELECT 2",
		},
		"\\echo a \\echo b\nSELECT 1;": {
			`command 1 echo a`, `command 1 echo b`, "statement 2 SELECT 1",
		},
		"-- a\rSELECT 1;\r\rSELECT 2;\r": {"statement 2 SELECT 1", "statement 4 SELECT 2"},
		"COPY a FROM stdin; -- the rows\n1\n\\.\nSELECT 1;": {
			`copy 1 COPY a FROM stdin <- "1\n"`, "statement 4 SELECT 1",
		},
		"SET standard_conforming_strings = off;\nSELECT 'it\\'s; x';": {
			"statement 1 SET standard_conforming_strings = off", `statement 2 SELECT 'it\'s; x'`,
		},
		"SET standard_conforming_strings = on;\nSELECT 'a\\';": {
			"statement 1 SET standard_conforming_strings = on", `statement 2 SELECT 'a\'`,
		},
		"SELECT 1 \\; SELECT 2;": {"statement 1 SELECT 1", "statement 1 SELECT 2"},
	} {
		if got, err := read(text); err != nil || !slices.Equal(got, want) {
			t.Errorf("%q: got %q, %v, want %q", text, got, err, want)
		}
	}
}

func TestNamesAreOrderedByTheirNumbers(t *testing.T) {
	names := []string{"10_more.sql", "2_rows.sql", "1_tables.sql", "b.sql", "a10.sql", "a9.sql", "a09.sql", "02.sql"}
	slices.SortFunc(names, script.InOrder)
	if got := strings.Join(names, " "); got != "1_tables.sql 02.sql 2_rows.sql 10_more.sql a9.sql a09.sql a10.sql "+
		"b.sql" {
		t.Error(got)
	}
}

func TestWhatHasNoEnd(t *testing.T) {
	for text, want := range map[string]string{
		"SELECT 1;\nSELECT 'a\n\n": "line 2: the script ends within a quoted text that begins here",
		"\nSELECT \"a":             "line 2: the script ends within a quoted name that begins here",
		"DO $x$ $y$":               "line 1: the script ends within a text quoted with $x$ that begins here",
		"/* /* */":                 "line 1: the script ends within a comment that begins here",
		"COPY a FROM STDIN;\n1\n2": `line 2: the data of a COPY that begin here have no end: a line with \. is ` +
			`expected`,
		"SELECT 1 \\p\n": "line 1: a command of psql's stands within a statement: end the statement with " +
			"a semicolon first",
		"SELECT 1 \\gexec\n": `line 1: \gexec is refused: it runs SQL that a query makes; write the statements, or ` +
			`a DO block`,
		"SELECT 1;\n/\n": "line 2: a line with / alone runs a statement in another database's client: " +
			"leave it out",
		"SELECT 1;\n);\n": "line 2: a parenthesis stands here by itself: is it one too many, or does a " +
			"semicolon stand too early before it?",
		"...":                 "line 1: something was left out here: put the missing lines in place of the dots",
		"SELECT 1;\n'x';":     "line 2: this is no statement: one begins with a word, such as CREATE or INSERT",
		"SELECT 'a\x00b';":    "line 1: a NUL byte stands here: this is no text file",
		"SELECT $$a\n\x00$$;": "line 2: a NUL byte stands here: this is no text file",
		"INSERT INTO a VALUES ('it's');\nINSERT INTO a VALUES ('b');\nINSERT INTO a VALUES ('c');\n": "line 1: " +
			"quotes stop making sense in this line: the text that begins here holds the end of a statement. " +
			"Look for a quote too many, or one too few, " +
			"in the statement that begins in line 1 (a quote within a text is written twice: 'it''s'). The script " +
			"ends within a quoted text that begins in line 3",
	} {
		_, err := read(text)
		var e *script.Error
		if !errors.As(err, &e) || err.Error() != want {
			t.Errorf("%q:\n got %v\nwant %s", text, err, want)
		}
	}
}

func TestLongLinesOfDataAreStreamed(t *testing.T) {
	long := strings.Repeat("x", 300_000)
	r := script.NewReader(strings.NewReader("COPY a FROM STDIN;\n" + long + "\n\\.\nSELECT 1"))
	if item, err := r.Next(); err != nil || item.Kind != script.Copy {
		t.Fatal(item, err)
	}
	data, err := io.ReadAll(r.Data())
	if err != nil || string(data) != long+"\n" {
		t.Errorf("%d bytes, %v", len(data), err)
	}
	if item, err := r.Next(); err != nil || item.Line != 4 {
		t.Errorf("got %+v, %v", item, err)
	}
}

// Wherever PostgreSQL's own parser can read a script, both find as many statements.
func FuzzStatementsAreTheParsers(f *testing.F) {
	for _, s := range []string{"SELECT 1; SELECT 2", "SELECT E'', 'a''b;', $a$;$a$ /* ; /* */ */ -- ;\n;",
		"CREATE FUNCTION f() RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT 1; END; SELECT \"a\"\"b\""} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		tree, err := pg.Parse(text)
		if err != nil || strings.ContainsAny(text, "\\\x00\ufeff") {
			return // backslashes outside of texts are psql's
		}
		items, err := read(text)
		for _, item := range items {
			if strings.HasPrefix(item, "copy") {
				return // what follows are data
			}
		}
		var e *script.Error
		if errors.As(err, &e) && strings.Contains(e.Detail, "COPY") {
			return
		}
		if err != nil || len(items) != len(tree.Stmts) {
			t.Errorf("%q: got %q, %v, the parser finds %d statements", text, items, err, len(tree.Stmts))
		}
	})
}
