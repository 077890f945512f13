package sqltext_test

import (
	"slices"
	"testing"

	"examen/internal/core/sqltext"
)

// Whatever a query is, each of its edits is a query, too, and another text.
func FuzzEdits(f *testing.F) {
	for _, s := range samples {
		f.Add(s, "SELECT 1")
	}
	f.Add("SELECT a, count(*) FROM t LEFT JOIN hive ON a = hive_id, apiary WHERE b = NULL OR name = '%x%' AND a NOT "+
		"IN (SELECT apiary_id FROM hive) GROUP BY a ORDER BY 2 DESC NULLS FIRST LIMIT 3",
		"SELECT a FROM t JOIN hive USING (name) WHERE a / 2 > 3 GROUP BY a HAVING count(b) > 1")
	f.Add(
		"SELECT DISTINCT ON (a) count(DISTINCT b) x FROM t WHERE x = \"y\" AND b >= 3 AND a BETWEEN 1 AND 5",
		"SELECT name FROM hive WHERE strength > ALL (SELECT 1) AND name LIKE 'x'",
	)
	f.Fuzz(func(t *testing.T, text, other string) {
		q, err := sqltext.ReadQuery(text)
		if err != nil {
			return
		}
		e := q.Edits(schema)
		all := [][]string{
			e.NullTests(),
			e.NotInWithoutNulls(),
			e.Wildcards(),
			e.ColumnForText(),
			e.ColumnForAlias(),
			e.JoinConditions(),
			e.ConditionsInOn(),
			e.Joins(true),
			e.Joins(false),
			e.Counts(true, true),
			e.Counts(true, false),
			e.Counts(false, false),
			e.CountsOfColumn(true),
			e.CountsOfColumn(false),
			e.NumericDivision(),
			e.FurtherGroups(),
			e.FewerGroups(),
			e.Having(
				"count", "",
			),
			e.Having("sum", "a"),
			e.Distinct(true),
			e.Distinct(false),
			e.WithoutGroups(),
			e.OrBeforeAnd(),
			e.Limit(5),
			e.WithoutConditions(),
			e.Directions(),
			e.NullsElsewhere(),
		}
		for _, c := range q.Features(schema).Comparisons {
			all = append(all, e.Bound(c))
		}
		if o, err := sqltext.ReadQuery(other); err == nil {
			all = append(all, e.WithConditionsOf(o))
		}
		for _, edited := range slices.Concat(all...) {
			if _, err := sqltext.ReadQuery(edited); err != nil {
				t.Errorf("%s\nbecomes what is no query: %s: %v", text, edited, err)
			}
			if edited == q.Text {
				t.Errorf("%s is an edit of itself", q.Text)
			}
		}
	})
}
