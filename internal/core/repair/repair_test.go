package repair_test

import (
	"slices"
	"strings"
	"testing"

	"examen/internal/core/repair"
	"examen/internal/core/sqltext"
)

var schema = sqltext.Schema{
	"apiary":     {"apiary_id", "name", "district", "altitude", "opened"},
	"hive":       {"hive_id", "apiary_id", "code", "colour", "queen_year"},
	"inspection": {"inspection_id", "hive_id", "inspected_on", "weight", "remark"},
}

// Each wrong query has an edit of the given kind, in the given clause, that makes it the accepted answer.
func TestTowards(t *testing.T) {
	for _, c := range []struct {
		wrong, accepted string
		kind            repair.Kind
		clause          string
		change          string // "was -> is", as it is in the learner's own text
	}{
		{
			"SELECT code FROM hive WHERE queen_year > 2023", "SELECT code FROM hive WHERE queen_year >= 2023",
			repair.Bound, "WHERE", "> -> >=",
		},
		{
			"select h.code from hive h where h.colour = 'red'", "SELECT code FROM hive WHERE colour = 'blue'",
			repair.Value, "WHERE", "'red' -> 'blue'",
		},
		{
			"SELECT code FROM hive", "SELECT code FROM hive WHERE colour = 'blue'",
			repair.ConditionMissing, "WHERE", " -> WHERE colour = 'blue'",
		},
		{
			"select code from hive -- all\norder by code", "SELECT code FROM hive WHERE colour = 'blue' ORDER BY code",
			repair.ConditionMissing, "WHERE", " -> WHERE colour = 'blue'",
		},
		{
			"SELECT code FROM hive /* all */", "SELECT code FROM hive WHERE colour = 'blue'",
			repair.ConditionMissing, "WHERE", " -> WHERE colour = 'blue'",
		},
		{
			"SELECT -- each once\ncolour FROM hive", "SELECT DISTINCT colour FROM hive",
			repair.DistinctMissing, "SELECT", " -> DISTINCT ",
		},
		{
			"SELECT code FROM hive WHERE colour = 'blue' AND queen_year = 2024",
			"SELECT code FROM hive WHERE colour = 'blue'", repair.ConditionExtra, "WHERE", "AND queen_year = 2024 -> ",
		},
		{
			"SELECT name FROM apiary WHERE name = '%um%'", "SELECT name FROM apiary WHERE name LIKE '%um%'",
			repair.Wildcard, "WHERE", "= -> LIKE",
		},
		{
			"SELECT code FROM hive WHERE colour = ''", "SELECT code FROM hive WHERE colour IS NULL",
			repair.Null, "WHERE", "= '' -> IS NULL",
		},
		{
			"SELECT code FROM hive WHERE queen_year > 0", "SELECT code FROM hive WHERE queen_year IS NOT NULL",
			repair.NullTest, "WHERE", "> 0 -> IS NOT NULL",
		},
		{
			"SELECT code FROM hive WHERE NOT queen_year < 2023", "SELECT code FROM hive WHERE queen_year >= 2024",
			repair.Value, "WHERE", "NOT queen_year < 2023 -> queen_year >= 2024",
		},
		{
			"SELECT code FROM hive WHERE queen_year > 20", "SELECT code FROM hive WHERE queen_year >= 2024",
			repair.Value, "WHERE", "> 20 -> >= 2024",
		},
		{
			"SELECT code FROM hive WHERE colour = 'blue' OR colour = 'red'",
			"SELECT code FROM hive WHERE colour = 'blue'", repair.AlternativeExtra, "WHERE", "OR colour = 'red' -> ",
		},
		{
			"SELECT code FROM hive WHERE colour = 'blue'",
			"SELECT code FROM hive WHERE colour = 'blue' OR colour = 'red'", repair.AlternativeLacks, "WHERE",
			" -> OR colour = 'red'",
		},
		{
			"SELECT name FROM apiary a WHERE EXISTS (SELECT 1 FROM hive h WHERE h.apiary_id = a.apiary_id)",
			"SELECT name FROM apiary WHERE NOT EXISTS (SELECT FROM hive WHERE hive.apiary_id = apiary.apiary_id)",
			repair.Negation, "WHERE", " -> NOT ",
		},
		{
			"SELECT name FROM apiary RIGHT JOIN hive USING (apiary_id)",
			"SELECT name FROM apiary LEFT JOIN hive USING (apiary_id)", repair.JoinSide, "FROM", "RIGHT -> LEFT",
		},
		{
			"SELECT colour, queen_year FROM hive WHERE hive_id > 3",
			"SELECT colour, count(*) FROM hive GROUP BY colour HAVING count(hive_id) > 3",
			repair.NotGrouped, "GROUP BY", "",
		},
		{
			"SELECT hive_id FROM hive", "SELECT count(*) FROM hive", repair.AggregateMissing, "SELECT",
			"hive_id -> count(*)",
		},
		{
			"SELECT a.name, h.code FROM apiary a JOIN hive h ON h.hive_id = a.apiary_id",
			"SELECT apiary.name, hive.code FROM apiary JOIN hive USING (apiary_id)", repair.JoinKey, "ON",
			"hive_id -> apiary_id",
		},
		{
			"SELECT name, code FROM apiary, hive",
			"SELECT name, code FROM apiary a JOIN hive h ON a.apiary_id = h.apiary_id", repair.JoinMissing, "WHERE",
			" -> WHERE apiary.apiary_id = hive.apiary_id",
		},
		{
			"SELECT name, code FROM apiary JOIN hive USING (apiary_id)",
			"SELECT name, code FROM apiary LEFT JOIN hive USING (apiary_id)", repair.JoinInner, "FROM", " -> LEFT ",
		},
		{
			"SELECT name, code FROM apiary LEFT JOIN hive USING (apiary_id)",
			"SELECT name, code FROM apiary JOIN hive USING (apiary_id)", repair.JoinOuter, "FROM", "LEFT -> ",
		},
		{
			"SELECT name, count(*) FROM apiary JOIN hive USING (apiary_id) GROUP BY name",
			"SELECT name, count(*) FROM apiary JOIN hive USING (apiary_id) GROUP BY name, apiary.apiary_id",
			repair.GroupMissing, "GROUP BY", " -> , apiary.apiary_id",
		},
		{
			"SELECT colour, sum(queen_year) FROM hive GROUP BY colour",
			"SELECT colour, avg(queen_year) FROM hive GROUP BY colour", repair.Aggregate, "SELECT", "sum -> avg",
		},
		{
			"SELECT colour, count(*) FROM hive GROUP BY colour",
			"SELECT colour, count(DISTINCT queen_year) FROM hive GROUP BY 1", repair.CountDistinct, "SELECT",
			"* -> DISTINCT queen_year",
		},
		{
			"SELECT code FROM hive ORDER BY queen_year", "SELECT code FROM hive ORDER BY queen_year DESC",
			repair.Direction, "ORDER BY", " -> DESC",
		},
		{
			"SELECT code FROM hive", "SELECT code FROM hive ORDER BY code", repair.NotSorted, "ORDER BY",
			" -> ORDER BY code",
		},
		{
			"SELECT code, lead(queen_year) OVER (ORDER BY code) FROM hive",
			"SELECT code, lag(queen_year) OVER (ORDER BY code) FROM hive", repair.Function, "SELECT", "lead -> lag",
		},
		{
			"SELECT code, rank() OVER (ORDER BY queen_year) FROM hive",
			"SELECT code, rank() OVER (PARTITION BY colour ORDER BY queen_year) FROM hive", repair.Window, "SELECT",
			" -> PARTITION BY colour",
		},
		{
			"SELECT queen_year, code FROM hive", "SELECT code, queen_year FROM hive", repair.OutputOrder, "SELECT",
			"queen_year, code -> code, queen_year",
		},
		{
			"SELECT code FROM hive WHERE colour = 'red' OR colour = 'blue' AND queen_year = 2024",
			"SELECT code FROM hive WHERE (colour = 'red' OR colour = 'blue') AND queen_year = 2024", repair.AndOr,
			"WHERE", "",
		},
		{
			"SELECT name FROM apiary WHERE apiary_id NOT IN (SELECT apiary_id FROM hive WHERE colour = 'red')",
			"SELECT name FROM apiary WHERE apiary_id NOT IN (SELECT h.apiary_id FROM hive h WHERE h.colour = 'blue')",
			repair.Value, "WHERE", "'red' -> 'blue'",
		},
		{
			"WITH n AS (SELECT apiary_id, max(code) AS m FROM hive GROUP BY apiary_id) SELECT m FROM n",
			"WITH k AS (SELECT apiary_id, min(code) AS m FROM hive GROUP BY apiary_id) SELECT m FROM k",
			repair.Aggregate, "SELECT", "max -> min",
		},
		{
			"SELECT colour, count(*) FROM hive WHERE queen_year > 3 GROUP BY colour",
			"SELECT colour, count(*) FROM hive GROUP BY colour HAVING max(queen_year) > 3", repair.WhereHaving, "WHERE",
			"",
		},
		{
			"SELECT name FROM apiary a LEFT JOIN hive h ON h.apiary_id = a.apiary_id WHERE h.colour = 'red'",
			"SELECT name FROM apiary LEFT JOIN hive ON hive.apiary_id = apiary.apiary_id AND hive.colour = 'red'",
			repair.OnWhere, "WHERE", "WHERE -> AND",
		},
		{
			"SELECT code FROM hive UNION SELECT name FROM apiary", "SELECT code FROM hive UNION ALL SELECT name " +
				"FROM apiary",
			repair.All, "UNION", " -> ALL",
		},
	} {
		q, accepted := read(t, c.wrong), read(t, c.accepted)
		found := false
		for _, e := range repair.Towards(q, accepted, schema) {
			if change := e.Change.Was + " -> " + e.Change.Is; !alike(e.SQL(), c.accepted) {
				continue
			} else if found = true; e.Kind != c.kind || e.Clause != c.clause ||
				c.change != "" && (change != c.change || e.Start < 0) {
				t.Errorf("%s\n gets %s in %s: %q at %d\n want %s in %s: %q",
					c.wrong, e.Kind, e.Clause, change, e.Start, c.kind, c.clause, c.change)
			}
			break
		}
		if !found {
			t.Errorf("%s\n is not made\n %s", c.wrong, c.accepted)
			for _, e := range repair.Towards(q, accepted, schema) {
				t.Log(e.Kind, e.Clause, e.SQL())
			}
		}
	}
}

// Some edits are the query's own right form, which is not the accepted answer's: what is read by an outer join, or by a
// subquery, or stands where the accepted answer has another value.
func TestTowardsInItsOwnForm(t *testing.T) {
	for _, c := range []struct {
		wrong, accepted string
		kind            repair.Kind
		edited          string
	}{
		{
			"SELECT name FROM apiary WHERE EXISTS (SELECT 1 FROM hive WHERE hive.apiary_id = apiary_id)",
			"SELECT name FROM apiary WHERE apiary_id IN (SELECT apiary_id FROM hive)", repair.Itself,
			"SELECT name FROM apiary WHERE EXISTS (SELECT 1 FROM hive WHERE hive.apiary_id = apiary. apiary_id)",
		},
		{
			"SELECT a.name FROM apiary a LEFT JOIN hive h ON h.apiary_id = a.apiary_id WHERE h.colour IS NULL",
			"SELECT name FROM apiary WHERE apiary_id NOT IN (SELECT apiary_id FROM hive)", repair.OtherColumn,
			"SELECT a.name FROM apiary a LEFT JOIN hive h ON h.apiary_id = a.apiary_id WHERE h.apiary_id IS NULL",
		},
		{
			"SELECT name FROM apiary", "SELECT a.name FROM apiary a JOIN hive h ON h.apiary_id = a.apiary_id",
			repair.TableMissing, "SELECT name FROM apiary JOIN hive ON hive.apiary_id = apiary.apiary_id",
		},
		{
			"SELECT max(code), colour FROM hive GROUP BY colour ORDER BY colour",
			"SELECT code, colour FROM hive ORDER BY code", repair.OrderKey,
			"SELECT max(code), colour FROM hive GROUP BY colour ORDER BY max(code)",
		},
	} {
		q, accepted := read(t, c.wrong), read(t, c.accepted)
		var made []string
		for _, e := range repair.Towards(q, accepted, schema) {
			made = append(made, string(e.Kind)+": "+e.SQL())
		}
		if !slices.Contains(made, string(c.kind)+": "+c.edited) {
			t.Errorf("%s\n gets %s", c.wrong, strings.Join(made, "\n      "))
		}
	}
}

// alike tells that two queries mean the same, however their tables are called: no edit leads from one to the other.
func alike(one, other string) bool {
	a, errA := sqltext.ReadQuery(one)
	b, errB := sqltext.ReadQuery(other)
	return errA == nil && errB == nil && len(repair.Towards(a, b, schema)) == 0
}

func read(t *testing.T, sql string) *sqltext.Query {
	t.Helper()
	q, err := sqltext.ReadQuery(sql)
	if err != nil {
		t.Fatal(sql, err)
	}
	return q
}

func TestTwoEditsTogether(t *testing.T) {
	q := read(t, "SELECT max(code) FROM hive WHERE queen_year > 2023")
	accepted := "SELECT min(code) FROM hive WHERE queen_year >= 2023"
	edits := repair.Towards(q, read(t, accepted), schema)
	for i, e := range edits {
		for _, other := range edits[i+1:] {
			if sql, ok := e.With(other, q.Text); ok && strings.EqualFold(sql, accepted) {
				return
			}
		}
	}
	t.Errorf("none of the pairs of %+v is %s", edits, accepted)
}

// Statements that change something have edits, too.
func TestChangesTowards(t *testing.T) {
	for _, c := range []struct {
		wrong, accepted string
		kind            repair.Kind
		clause          string
	}{
		{
			"UPDATE hive SET colour = 'red' WHERE queen_year > 2024",
			"UPDATE hive SET colour = 'red' WHERE queen_year >= 2024",
			repair.Bound, "WHERE",
		},
		{
			"UPDATE hive SET colour = 'red'",
			"UPDATE hive SET colour = 'red' WHERE code = 'A'", repair.ConditionMissing, "WHERE",
		},
		{
			"UPDATE hive SET colour = 'rot' WHERE code = 'A'",
			"UPDATE hive SET colour = 'red' WHERE code = 'A'", repair.Value,
			"SET",
		},
		{
			"DELETE FROM hive WHERE apiary_id IN (SELECT apiary_id FROM apiary WHERE name = 'x')",
			"DELETE FROM hive WHERE apiary_id IN (SELECT apiary_id FROM apiary WHERE district = 'x')",
			repair.OtherColumn,
			"WHERE",
		},
		{
			"INSERT INTO apiary (apiary_id, name) VALUES (1, 'x')",
			"INSERT INTO apiary (apiary_id, name) VALUES (1, 'y')",
			repair.Value, "VALUES",
		},
		{
			"INSERT INTO apiary VALUES (1, 'x')",
			"INSERT INTO apiary VALUES (1, 'x'), (2, 'y')", repair.RowMissing, "VALUES",
		},
		{
			"INSERT INTO apiary SELECT hive_id, code FROM hive",
			"INSERT INTO apiary SELECT hive_id, code FROM hive WHERE hive_id > 7",
			repair.ConditionMissing, "WHERE",
		},
		{
			"UPDATE hive SET colour = 'red'", "BEGIN; UPDATE hive SET colour = 'red'; COMMIT", repair.Transaction, "",
		},
		{
			"UPDATE hive SET code = 'a' WHERE hive_id = 1",
			"UPDATE hive SET code = 'a' WHERE hive_id = 1; DELETE FROM inspection",
			repair.StatementMissing, "",
		},
		{
			"CREATE TABLE walk (id int PRIMARY KEY, places int)",
			"CREATE TABLE walk (id int PRIMARY KEY, places int NOT NULL)", repair.ConstraintLacks, "CREATE TABLE",
		},
		{
			"CREATE TABLE walk (id int, places int)", "CREATE TABLE walk (id int, places int, UNIQUE (id, places))",
			repair.ConstraintLacks, "CREATE TABLE",
		},
		{
			"CREATE TABLE walk (id int, places int CHECK (places < 30))",
			"CREATE TABLE walk (id int, places int CHECK (places <= 30))", repair.Definition, "CREATE TABLE",
		},
		{
			"CREATE TABLE walk (id int, day text)",
			"CREATE TABLE walk (id int, day date)", repair.Definition, "CREATE TABLE",
		},
		{"CREATE TABLE walk (id int)", "CREATE TABLE walk (id int, day date)", repair.ColumnMissing, "CREATE TABLE"},
		{
			"CREATE VIEW v AS SELECT code FROM hive", "CREATE VIEW v AS SELECT code FROM hive WHERE colour = 'red'",
			repair.ConditionMissing, "WHERE",
		},
	} {
		edits, found := repair.ChangesTowards(c.wrong, c.accepted, schema), false
		for _, e := range edits {
			if len(repair.ChangesTowards(e.SQL(), c.accepted, schema)) > 0 && e.Kind != repair.Transaction {
				continue
			}
			if found = true; e.Kind != c.kind || e.Clause != c.clause {
				t.Errorf("%s\n gets %s in %q, want %s in %q: %s", c.wrong, e.Kind, e.Clause, c.kind, c.clause, e.SQL())
			}
			break
		}
		if !found {
			t.Errorf("%s\n is not made\n %s", c.wrong, c.accepted)
			for _, e := range edits {
				t.Log(e.Kind, e.Clause, e.SQL())
			}
		}
	}
}
