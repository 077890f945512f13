package sqltext_test

import (
	"errors"
	"strings"
	"testing"

	"examen/internal/core/sqltext"
)

var schema = sqltext.Schema{
	"hive": {"hive_id", "name", "strength", "apiary_id"}, "apiary": {"apiary_id", "name"}, "t": {"a", "b"},
}

var samples = []string{
	"SELECT 1", "SELECT 'ä' FRM x",
	"WITH a AS (TABLE b) SELECT * FROM a ORDER BY 1, lower(x) COLLATE \"C\" NULLS FIRST LIMIT 3",
	"SELECT DISTINCT ON (a) a, b FROM t ORDER BY a, c DESC", "VALUES (1), (2) ORDER BY column1",
	"/* /* */ */ -- x\nSELECT $$;$$; SELECT E'\\''",
	"SELECT name AS 'a b' FROM t WHERE a LIKE x% AND b => 'O'Neill' ORDER a LIMIT 5, 10",
	"SELECT TOP 5 count * FROM t JOIN u WHERE a IN 1, 2 AND 1 < b < 3 && c BETWEEN 1, 2",
	"SELECT a / 0, (SELECT b) FROM t WHERE a IS 3 AND d + 5 days > 1,000 AND e NOT NULL f",
	"WITH a (SELECT 1) SELECT sum(x) OVER PARTITION BY y; z FROM a JOIN ON b WHERE EXISTS (c)",
	"CREATE FUNCTION f() RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT 1; SELECT 2; END; SELECT f()",
}

func FuzzReadQuery(f *testing.F) {
	for _, s := range samples {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		q, err := sqltext.ReadQuery(text)
		var place sqltext.Place
		var syntax *sqltext.SyntaxError
		var notAllowed *sqltext.NotAllowed
		switch {
		case errors.As(err, &syntax):
			place = syntax.Place
			if mistake := sqltext.DiagnoseSyntax(text, syntax.Message, place.Offset(text), nil); mistake != nil {
				if mistake.Offset < 0 || mistake.Offset > len(text) {
					t.Errorf("a mistake at %d of %d", mistake.Offset, len(text))
				}
				if _, err := sqltext.ReadQuery(mistake.Mended); mistake.Mended != "" &&
					errors.As(err, new(*sqltext.SyntaxError)) &&
					!strings.HasPrefix(err.Error(), "there is no parameter") {
					t.Errorf("mended to what cannot be read: %q", mistake.Mended)
				}
			}
			if mended, at := sqltext.Mend(text, nil); at < 0 && mended != text {
				t.Errorf("changed without saying so: %q", mended)
			}
		case errors.As(err, &notAllowed):
			place = notAllowed.Place
		case err != nil:
			t.Fatalf("another error: %v", err)
		default:
			if used := q.Uses(); len(
				q.Broken(sqltext.Constructs, nil),
			)+len(q.Broken(nil, sqltext.Constructs)) != len(sqltext.Constructs) {
				t.Errorf("each construct is either used or not: %v", used)
			}
			q.Features(schema)
			q.Volatile()
			q.Origins(measured)
			for _, ranked := range [][]int{nil, {0, 1, 2, 3}} {
				if o, err := q.Ordering(ranked); err == nil {
					for _, sql := range []string{o.SQL, o.Ask} {
						if _, err := sqltext.ReadQuery(sql); err != nil && sql != "" {
							t.Errorf("rewritten to what is no query: %s: %v", sql, err)
						}
					}
				}
			}
			for _, place := range append(q.Divisions(), q.ScalarSubqueries()...) {
				if place < 0 || place >= len(text) {
					t.Errorf("a place at %d of %d", place, len(text))
				}
			}
			if !strings.Contains(text, q.Text) {
				t.Errorf("the query's text is none of %q: %q", text, q.Text)
			}
			return
		}
		if n := strings.Count(text, "\n") + 1; place.Line < 1 || place.Line > n || place.Column < 1 {
			t.Errorf("line %d of %d, column %d", place.Line, n, place.Column)
		}
	})
}

// Whatever nests, and whatever stands beside each other, no call ends the process.
func FuzzNesting(f *testing.F) {
	f.Add([]byte{1, 9, 20, 70}, uint16(300))
	f.Add([]byte{40, 16, 5}, uint16(2000))
	f.Fuzz(func(t *testing.T, kinds []byte, levels uint16) {
		var before, after string
		for i := range int(levels) {
			if len(kinds) == 0 || len(before)+len(after) > 50_000 {
				break
			}
			n := nested[int(kinds[i%len(kinds)])%len(nested)]
			before, after = before+n[0]+n[1], n[3]+n[4]+after
		}
		everything(before + "1" + after)
	})
}
