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
		{"several, the last without its end", "SELECT 1;\n\n  SELECT\n 2", []string{"statement 1 SELECT 1", "statement 3 SELECT\n 2"}},
		{"two on a line", "SELECT 1; SELECT 2;", []string{"statement 1 SELECT 1", "statement 1 SELECT 2"}},
		{"comments", "/* a; */ SELECT /* b; /* c; */ */ 1 -- d;\n;", []string{"statement 1 SELECT /* b; /* c; */ */ 1 -- d;"}},
		{"quotes", `SELECT ';', 'it''s;', E'\';', "a;""b", U&'\0041;';SELECT 2`, []string{`statement 1 SELECT ';', 'it''s;', E'\';', "a;""b", U&'\0041;'`, "statement 1 SELECT 2"}},
		{"a backslash is only a backslash", `SELECT '\';SELECT 2`, []string{`statement 1 SELECT '\'`, "statement 1 SELECT 2"}},
		{"a name that ends in e", `SELECT name'\';SELECT 2`, []string{`statement 1 SELECT name'\'`, "statement 1 SELECT 2"}},
		{"dollar quotes", "DO $$ a; $b$ ; $$;\nDO $x$ $$ ; $y$ ; $x$; SELECT $1, a$b", []string{"statement 1 DO $$ a; $b$ ; $$", "statement 2 DO $x$ $$ ; $y$ ; $x$", "statement 2 SELECT $1, a$b"}},
		{"a rule's parentheses", "CREATE RULE r AS ON INSERT TO a DO (SELECT 1; SELECT 2);SELECT 3", []string{"statement 1 CREATE RULE r AS ON INSERT TO a DO (SELECT 1; SELECT 2)", "statement 1 SELECT 3"}},
		{"a body", "CREATE FUNCTION f() RETURNS int BEGIN ATOMIC SELECT CASE WHEN a THEN 1 END; SELECT 2; END; SELECT 3", []string{
			"statement 1 CREATE FUNCTION f() RETURNS int BEGIN ATOMIC SELECT CASE WHEN a THEN 1 END; SELECT 2; END", "statement 1 SELECT 3"}},
		{"a transaction", "BEGIN; SELECT 1; END;", []string{"statement 1 BEGIN", "statement 1 SELECT 1", "statement 1 END"}},
		{"copy", "COPY a (x, y) FROM stdin;\n1\t;'$$\n\\\\.\n\\.\nSELECT 2;", []string{"copy 1 COPY a (x, y) FROM stdin <- \"1\\t;'$$\\n\\\\\\\\.\\n\"", "statement 5 SELECT 2"}},
		{"copy with other line ends", "\ufeffCOPY a FROM STDIN WITH (FORMAT csv);\r\n1\r\n\\.\r\nSELECT 2;\r\n", []string{"copy 1 COPY a FROM STDIN WITH (FORMAT csv) <- \"1\\r\\n\"", "statement 4 SELECT 2"}},
		{"no copy from stdin", "COPY (SELECT * FROM stdin) TO STDOUT; COPY a FROM 'stdin'", []string{"statement 1 COPY (SELECT * FROM stdin) TO STDOUT", "statement 1 COPY a FROM 'stdin'"}},
		{"commands", "\\connect nights\nSELECT 1;\n\\echo 'done;'", []string{"command 1 connect nights", "statement 2 SELECT 1", "command 3 echo 'done;'"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := read(c.text)
			if err != nil || !slices.Equal(got, c.want) {
				t.Errorf("got %q, %v\nwant %q", got, err, c.want)
			}
		})
	}
}

func TestWhatHasNoEnd(t *testing.T) {
	for text, want := range map[string]string{
		"SELECT 1;\nSELECT 'a\n\n": "line 2: the script ends within a quoted text that begins here",
		"\nSELECT \"a":             "line 2: the script ends within a quoted name that begins here",
		"DO $x$ $y$":               "line 1: the script ends within a text quoted with $x$ that begins here",
		"/* /* */":                 "line 1: the script ends within a comment that begins here",
		"COPY a FROM STDIN;\n1\n2": `line 2: the data of a COPY that begin here have no end: a line with \. is expected`,
		"SELECT 1 \\g\n":           "line 1: a command of psql's stands within a statement: end the statement with a semicolon first",
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
