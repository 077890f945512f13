package sqltext_test

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"examen/internal/core/sqltext"
)

// nested are the ways in which SQL nests or goes on: what stands before, what opens a level, the middle, what closes
// one, and the end.
var nested = [][5]string{
	{"SELECT ", "(", "1", ")", ""}, {"", "SELECT EXISTS(", "SELECT 1", ")", ""}, {"", "SELECT (", "SELECT 1", ")", ""},
	{"", "SELECT * FROM (", "SELECT 1", ") t", ""},
	{"", "SELECT 1 IN (", "SELECT 1", ")", ""}, {"SELECT 1", "", "", " ISNULL", ""},
	{"SELECT 1", "", "", " IS NOT NULL", ""}, {"SELECT true", "", "", " IS TRUE", ""},
	{"SELECT 'a'", "", "", " COLLATE x", ""}, {"SELECT 1", "", "", "::a", ""}, {"SELECT 1", "", "", "+1", ""},
	{"SELECT ", "- ", "1", "", ""}, {"SELECT ", "NOT ", "true", "", ""},
	{"SELECT ", "NOT (", "true", ")", ""}, {"SELECT 1", "", "", " UNION SELECT 1", ""},
	{"SELECT 1,1", "", "", " UNION SELECT 1,1", ""}, {"", "(", "SELECT 1", ") UNION SELECT 1", ""},
	{"VALUES(1)", "", "", " EXCEPT VALUES(1)", ""}, {"TABLE a", "", "", " INTERSECT TABLE a", ""},
	{"SELECT ", "CASE ", "1", " WHEN 1 THEN 1 END", ""}, {"SELECT ", "CASE WHEN ", "true", " THEN 1 END", ""},
	{"SELECT ", "CASE WHEN a THEN 1 ELSE ", "1", " END", ""}, {"SELECT ", "f(", "1", ")", ""},
	{"SELECT ", "f(1, ", "1", ")", ""}, {"SELECT ", "ROW(", "1", ")", ""}, {"SELECT ARRAY", "[", "1", "]", ""},
	{"SELECT ", "ARRAY[", "1", "]", ""}, {"SELECT ", "ARRAY[1,", "1", "]", ""}, {"SELECT ", "COALESCE(", "1", ")", ""},
	{"SELECT ", "GREATEST(1,", "1", ")", ""}, {"SELECT * FROM ", "(", "a", " CROSS JOIN b)", ""},
	{"SELECT * FROM a", "", "", " CROSS JOIN b", ""}, {"SELECT * FROM a", "", "", " NATURAL JOIN b", ""},
	{"SELECT * FROM ", "a JOIN ", "b", " ON x", ""}, {"SELECT * FROM a", "", "", " JOIN b USING (x, y)", ""},
	{"", "WITH a AS (", "SELECT 1", ") SELECT 1", ""},
	{"", "WITH b AS (SELECT 1), a AS (", "SELECT 1", ") SELECT 1", ""},
	{"", "SELECT * FROM LATERAL (", "SELECT 1", ") t", ""}, {"SELECT a", "", "", "[1]", ""},
	{"SELECT ", "a[", "1", "]", ""}, {"SELECT ", "a[1:", "1", "]", ""}, {"SELECT (a)", "", "", ".b", ""},
	{"SELECT a", "", "", " AT TIME ZONE b", ""}, {"SELECT ", "a LIKE (", "b", ")", ""},
	{"SELECT ", "a BETWEEN b AND (", "1", ")", ""}, {"SELECT ", "f() OVER (ORDER BY ", "1", ")", ""},
	{"SELECT ", "f() FILTER (WHERE ", "true", ")", ""}, {"SELECT 1 GROUP BY ", "GROUPING SETS(", "a", ")", ""},
	{"SELECT 1 GROUP BY ", "ROLLUP((", "a", "))", ""}, {"SELECT ", "1 = ANY(", "a", ")", ""},
	{"SELECT ", "1 IS DISTINCT FROM (", "a", ")", ""}, {"SELECT ", "a AND (b OR (", "true", "))", ""},
	{"SELECT a", "", "", " OR b AND c", ""}, {"SELECT ", "JSON_OBJECT('a': ", "1", ")", ""},
	{"SELECT ", "JSON_ARRAY(", "1", ")", ""}, {"SELECT ", "XMLELEMENT(NAME a, ", "1", ")", ""},
	{"SELECT ", "XMLSERIALIZE(CONTENT ", "1", " AS text)", ""}, {"SELECT ", "EXTRACT(a FROM ", "1", ")", ""},
	{"SELECT ", "TRIM(", "1", ")", ""}, {"SELECT a", "", "", ".b", ""}, {"SELECT ", "@ ", "1", "", ""},
	{"SELECT 1", "", "", " OPERATOR(pg_catalog.+) 1", ""}, {"", "SELECT 1 ORDER BY (", "SELECT 1", ")", ""},
	{"", "SELECT 1 LIMIT (", "SELECT 1", ")", ""}, {"", "SELECT 1 HAVING (", "SELECT 1", ")", ""},
	{"", "SELECT 1 WHERE (", "SELECT true", ")", ""}, {"", "SELECT 1 FROM a JOIN b ON (", "SELECT true", ")", ""},
	{"", "VALUES((", "SELECT 1", "))", ""}, {"", "SELECT ARRAY(", "SELECT 1", ")", ""},
	{"SELECT * FROM ROWS FROM(", "f(", "1", ")", ")"}, {"SELECT ", "f(x => ", "1", ")", ""},
	{"", "SELECT * FROM a TABLESAMPLE b((", "SELECT 1", "))", ""},
	{"SELECT ", "f() WITHIN GROUP (ORDER BY ", "1", ")", ""},
	{"SELECT ", "(1, ", "1", ")", ""}, {"SELECT ", "(SELECT 1, ", "1", ")", ""},
	{"SELECT ", "1 = ALL (SELECT 1, (", "1", "))", ""}, {"SELECT 1", "", "", " UNION (SELECT 1, (SELECT 1))", ""},
}

// wide are texts that do not nest and go on for long.
var wide = [][3]string{{"SELECT ", "hive.name name, ", "1"}, {
	"SELECT 1 FROM ", "hive AS a, ", "hive",
}, {"SELECT 1 WHERE 1 IN (", "1, ", "1)"}, {
	"SELECT ", "(SELECT 1 FROM a WHERE b = NULL), ", "1",
}, {"VALUES ", "(1, 'a'), ", "(1, 'a')"},
	{"SELECT 1 ORDER BY ", "name DESC, ", "1"}, {"WITH ", "a AS (SELECT 1), ", "b AS (SELECT 2) SELECT 1"},
	{"SELECT ", "CASE WHEN a = 1 OR b = 2 AND c < 3 THEN 1 END x, ", "1"}, {"SELECT '", "it''s ", "'"},
	{"SELECT 1 /* ", "/* */ ", "*/"}, {"SELECT f(", "a < 1 and b > 2, ", "1)"}, {
		"SELECT ", "sum(a) / count(*) b, ", "1",
	}, {
		"SELECT nme FROM ", "hive hive, ", "hive hive WHERE",
	}}

// everything puts a text through every call of this package that a learner's or an instructor's text comes to.
func everything(text string) {
	schema := sqltext.Schema{"hive": {"name", "strength"}, "a": {"b"}}
	q, err := sqltext.ReadQuery(text)
	var syntax *sqltext.SyntaxError
	if errors.As(err, &syntax) {
		sqltext.DiagnoseSyntax(text, syntax.Message, syntax.Place.Offset(text), nil)
	}
	sqltext.Classify(text)
	sqltext.Makes(text, "a")
	sqltext.ClientEncoding(text)
	if q == nil {
		return
	}
	q.Features(schema)
	q.Shapes()
	q.Broken(nil, []string{"join", "star", "table:a"})
	_, _ = sqltext.WriteTree(q.Tree())
	q.Origins(measured)
	for _, ranked := range [][]int{nil, {0, 1, 2, 3}} {
		if o, err := q.Ordering(ranked); err == nil && len(o.Keys) > 0 {
			_, _ = o.Through(3)
		}
	}
}

// Texts that nest as deep as is read, and as deep as a query may be long, end no process and take no time that anybody
// notices. What crashes would take the tests with it, so it is another process that reads them.
func TestDeepAndWideTexts(t *testing.T) {
	if os.Getenv("EXAMEN_READ_DEEP") != "" {
		readAll()
		return
	}
	cmd := exec.Command(os.Args[0], "-test.run=^TestDeepAndWideTexts$")
	cmd.Env = append(os.Environ(), "EXAMEN_READ_DEEP=1")
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%.3000s", err, out)
	}
	if n := bytes.Count(out, []byte("read ")); n < 60*4+len(wide) {
		t.Errorf("only %d texts were read", n)
	}
}

func readAll() {
	const longest = 100_000 // bytes of a query
	for _, n := range nested {
		for _, levels := range []int{990, longest} {
			read(nest(n, min(levels, longest/(len(n[1])+len(n[3])))))
		}
		text := nest(n, 330)
		read(strings.TrimSuffix(text, ")")) // with a mistake
		read("WITH w AS (SELECT 1) SELECT 1 ORDER BY (" + text + ") DESC LIMIT 3")
	}
	for _, w := range wide {
		read(w[0] + strings.Repeat(w[1], 80_000/len(w[1])-2) + w[2])
	}
}

func nest(n [5]string, levels int) string {
	return n[0] + strings.Repeat(n[1], levels) + n[2] + strings.Repeat(n[3], levels) + n[4]
}

func read(text string) {
	begun := time.Now()
	everything(text)
	fmt.Printf("read %.40q %d %s\n", text, len(text), time.Since(begun).Round(time.Millisecond))
}

// What nests as deep as people write is read.
func TestWhatPeopleWriteIsNotTooDeep(t *testing.T) {
	for _, text := range []string{
		"SELECT 1 WHERE a = 1" + strings.Repeat(" OR a = 1", 300),
		"SELECT a" + strings.Repeat(" || ', ' || a", 200),
		"SELECT " + strings.Repeat("replace(", 100) + "a" + strings.Repeat(", 'x', 'y')", 100),
		"SELECT 1" + strings.Repeat(" UNION ALL SELECT 1", 200),
		"SELECT " + strings.Repeat("CASE WHEN a < b AND b < c THEN 'x' ELSE ", 60) + "1" + strings.Repeat(" END", 60),
		"SELECT * FROM a" + strings.Repeat(" JOIN b ON a.x = b.x AND a.y = b.y", 60),
		"SELECT " + strings.Repeat("a, ", 20_000) + "1",
	} {
		if _, err := sqltext.ReadQuery(text); err != nil {
			t.Errorf("%.60s: %v", text, err)
		}
	}
}

// Every call of the C library stands behind the bounds of parse.go.
func TestTheParserIsCalledInOnePlace(t *testing.T) {
	files, err := filepath.Glob("*.go")
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	for _, file := range files {
		content, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, call := range []string{
			"pg.Parse(", "pg.Deparse(", "pg.Scan(", "pg.ParseToJSON(", "pg.Normalize(", "pg.Fingerprint(", "pg.Split",
		} {
			if file != "parse.go" && file != "deep_test.go" && bytes.Contains(content, []byte(call)) {
				t.Errorf("%s calls %s by itself", file, call)
			}
		}
	}
}
