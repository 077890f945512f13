package script_test

import (
	"fmt"
	"testing"

	"examen/internal/core/script"
)

func TestInsertsOfOneRowAreRead(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{
			"INSERT INTO hive VALUES (1, 'Amber', -2.50, NULL, true)",
			`INSERT INTO hive VALUES  5: 2"1" 4"Amber" 3"-2.50" 0"" 1"true"`,
		},
		{
			"insert into \"odd (name\".t(a,b)\nvalues\n( 'it''s' , '' )\n",
			"insert into \"odd (name\".t(a,b)\nvalues\n 2: 4\"it's\" 4\"\"",
		},
		{
			"INSERT INTO t OVERRIDING SYSTEM VALUE VALUES (007)",
			`INSERT INTO t OVERRIDING SYSTEM VALUE VALUES  1: 2"007"`,
		},
		{"INSERT INTO t VALUES (1), (2)", ""},
		{"INSERT INTO t VALUES (1 + 2)", ""},
		{"INSERT INTO t VALUES (DEFAULT)", ""},
		{"INSERT INTO t VALUES (1) ON CONFLICT DO NOTHING", ""},
		{"INSERT INTO t VALUES (1) -- one", ""},
		{"INSERT INTO t /* all */ VALUES (1)", ""},
		{`INSERT INTO t VALUES ('a\n')`, ""},
		{"INSERT INTO t VALUES (E'a')", ""},
		{"INSERT INTO t VALUES ('a'\n'b')", ""},
		{"INSERT INTO t VALUES ('a'::text)", ""},
		{"INSERT INTO t VALUES (1e3)", ""},
		{"INSERT INTO t VALUES (-0)", ""},
		{"INSERT INTO t VALUES (- 1)", ""},
		{"INSERT INTO t VALUES (.5)", ""},
		{"INSERT INTO t VALUES ()", ""},
		{"INSERT INTO t VALUES ('a", ""},
		{"INSERT INTO t VALUES (1", ""},
		{"INSERT INTO t VALUES", ""},
		{"INSERT INTO t DEFAULT VALUES", ""},
		{"INSERT INTO t (VALUES (1))", ""},
		{"INSERT INTO t SELECT 1 UNION ALL VALUES (2)", ""},
		{"UPDATE t SET a = 1", ""},
		{"", ""},
	} {
		got := ""
		if insert, ok := script.ReadInsert(c.text); ok {
			got = fmt.Sprintf("%s %d:", insert.Shape.Before, insert.Shape.Values)
			for _, v := range insert.Values {
				got += fmt.Sprintf(" %d%q", v.Kind, v.Text)
			}
		}
		if got != c.want {
			t.Errorf("%q\ngot  %s\nwant %s", c.text, got, c.want)
		}
	}
}
