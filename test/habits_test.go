package test

import (
	"strings"
	"testing"

	"examen/internal/client"
	"examen/test/whole"
)

// What learners bring from other database systems is named, with PostgreSQL's form; the text that is offered in its
// place runs, and gives what was meant.
func TestHabitsOfOtherSystems(t *testing.T) {
	t.Parallel()
	_, robin := whole.Newcomer(t)
	run := func(sql string) client.Run {
		t.Helper()
		r, err := client.Read[client.Run](robin.Run(ctx, client.RunRequest{Paper: "first-look", Sql: sql}))
		if err != nil {
			t.Fatal(sql, err)
		}
		return r
	}
	for _, c := range []struct{ sql, says, first string }{
		{"SELECT NVL(mites, 0) FROM inspection WHERE mites IS NULL LIMIT 1", "COALESCE(value, other)", "0"},
		{"SELECT IFNULL(NULL, 7)", "COALESCE(value, other)", "7"},
		{"SELECT ISNULL(NULL, 7)", "COALESCE(value, other)", "7"},
		{"SELECT ISNULL(1)", "value IS NULL", "f"},
		{"SELECT NVL2(1, 'a', 'b')", "CASE WHEN value IS NOT NULL", "a"},
		{"SELECT DECODE(2, 1, 'one', 2, 'two', 'many')", "CASE value WHEN", "two"},
		{"SELECT LEN(name) FROM hive WHERE name = 'Amber'", "length(text)", "5"},
		{"SELECT YEAR('2026-05-01'::date)", "EXTRACT(year FROM day)", "2026"},
		{"SELECT DATEDIFF('2026-05-03', '2026-05-01')", "a subtraction of dates", "2"},
		{"SELECT DATEDIFF(day, '2026-05-01', '2026-05-03')", "a subtraction of dates", "2"},
		{"SELECT DATEADD(day, 7, '2026-05-01'::date)::date", "an addition", "2026-05-08"},
		{"SELECT DATEADD(month, -1, '2026-05-01'::date)::date", "an addition", "2026-04-01"},
		{"SELECT ADD_MONTHS('2026-05-01'::date, 2)::date", "an addition", "2026-07-01"},
		{"SELECT DATEPART(month, '2026-05-01'::date)", "EXTRACT(year FROM day)", "5"},
		{"SELECT DATE_FORMAT('2026-05-01'::date, '%Y-%m')", "to_char", "2026-05"},
		{"SELECT FORMAT('2026-05-01'::date, 'yyyy-MM')", "to_char", "2026-05"},
		{"SELECT CHARINDEX('b', 'abc')", "position(part IN text)", "2"},
		{"SELECT INSTR('abc', 'b')", "position(part IN text)", "2"},
		{"SELECT MID('abcdef', 2, 3)", "substring(text, start, length)", "bcd"},
		{"SELECT UCASE('a')", "upper(text)", "A"},
		{"SELECT GROUP_CONCAT(name) FROM apiary WHERE name = 'Bell Meadow'", "string_agg", "Bell Meadow"},
		{"SELECT IIF(1 > 0, 'yes', 'no')", "CASE WHEN condition", "yes"},
		{"SELECT IF(1 > 0, 'yes', 'no')", "CASE WHEN condition", "yes"},
		{"SELECT CONVERT(varchar(10), 12)", "a cast", "12"},
		{"SELECT CONVERT('12', SIGNED)", "a cast", "12"},
		{"SELECT CAST('12' AS SIGNED)", "write integer", "12"},
		{"SELECT CAST('2026-05-01' AS DATETIME)", "write timestamp", "2026-05-01 00:00:00"},
		{"SELECT 1 FROM DUAL", "DUAL", "1"},
		{"SELECT SYSDATE IS NOT NULL", "now()", "t"},
		{"SELECT name FROM hive WHERE name = 'Amber' MINUS SELECT 'x'", "EXCEPT", "Amber"},
		{"SELECT 'a' + name + '!' FROM hive WHERE name = 'Amber'", "||", "aAmber!"},
		{"SELECT name FROM hive WHERE strength > 0 && name = 'Amber'", "AND", "Amber"},
		{"SELECT name FROM hive WHERE (strength < 0) || (name = 'Amber')", "OR", "Amber"},
		{"SELECT name FROM hive WHERE name == 'Amber'", "=", "Amber"},
		{"SELECT name FROM hive WHERE name REGEXP '^Amb'", "~", "Amber"},
		{"SELECT name FROM hive # all of them\nWHERE name = 'Amber'", "--", "Amber"},
		{"SELECT `name` FROM hive WHERE name = 'Amber'", "Back quotes", "Amber"},
		{"SELECT [name] FROM hive WHERE name = 'Amber'", "square brackets", "Amber"},
		{"SELECT TOP 1 name FROM hive WHERE name = 'Amber'", "LIMIT", "Amber"},
		{"SELECT name FROM hive WHERE name = 'Amber' LIMIT 0, 5", "OFFSET", "Amber"},
		{"SELECT '2026-05-01' + '7 days'", "say which, as in DATE", "2026-05-08 00:00:00"},
		{"SELECT '2026-05-01'::text + '7 days'", "cast that, as in value::date + INTERVAL", ""},
		{"SELECT '{\"a\": 1}'::json = '1'", "->> takes the value", ""},
		{"SELECT '{\"a\": 1}'::jsonb = 'red'", "->> takes the value", ""},
		{"SELECT ARRAY['a'] = 'red'", "value = ANY (array)", ""},
		{"SELECT name, rank() OVER (ORDER BY strength) AS place FROM hive WHERE place < 3", "window function's", ""},
		{"USE apiary; SELECT name FROM hive WHERE name = 'Amber'", "USE is another database's", "Amber"},
		{"SELECT name FROM hive WHERE name = 'Amber'\nGO", "GO is another program's", "Amber"},
		{"SHOW TABLES", "examen dataset show", ""},
		{"DESCRIBE hive", "examen dataset show", ""},
		{"DESC hive;", "examen dataset show", ""},
		{"SELECT name FROM hive WHERE ROWNUM <= 5", "LIMIT n", ""},
		{"SELECT * FROM hive h, apiary a WHERE h.apiary_id = a.apiary_id (+)", "LEFT JOIN", ""},
	} {
		wrong := run(c.sql)
		refused := wrong.Outcome == client.Failed || wrong.Outcome == client.Rejected
		if !refused || !strings.Contains(wrong.Error.Detail, c.says) {
			t.Errorf("%s is %s: %s %s", c.sql, wrong.Outcome, wrong.Error.Title, wrong.Error.Detail)
			continue
		}
		if c.first == "" {
			continue
		}
		if wrong.Error.Mended == "" {
			t.Errorf("%s: nothing is offered; %s", c.sql, wrong.Error.Detail)
			continue
		}
		right := run(wrong.Error.Mended)
		if right.Outcome != client.Done || len(right.Rows) == 0 || right.Rows[0][0] == nil ||
			*right.Rows[0][0] != c.first {
			t.Errorf("%s\nis mended to %s\nwhich gives %+v", c.sql, wrong.Error.Mended, right)
		}
	}
}
