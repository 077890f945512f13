package sqltext_test

import (
	"errors"
	"strings"
	"testing"

	"examen/internal/core/sqltext"
)

var samples = []string{
	"SELECT 1", "SELECT 'ä' FRM x", "WITH a AS (TABLE b) SELECT * FROM a ORDER BY 1, lower(x) COLLATE \"C\" NULLS FIRST LIMIT 3",
	"SELECT DISTINCT ON (a) a, b FROM t ORDER BY a, c DESC", "VALUES (1), (2) ORDER BY column1", "/* /* */ */ -- x\nSELECT $$;$$; SELECT E'\\''",
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
		case errors.As(err, &notAllowed):
			place = notAllowed.Place
		case err != nil:
			t.Fatalf("another error: %v", err)
		default:
			q.Uses()
			if o, err := q.Ordering(); err == nil {
				if _, err := sqltext.ReadQuery(o.SQL); err != nil {
					t.Errorf("rewritten to what is no query: %s: %v", o.SQL, err)
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
