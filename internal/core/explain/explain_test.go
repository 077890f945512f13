package explain_test

import (
	"strings"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

func TestSentences(t *testing.T) {
	for _, c := range []struct {
		finding compare.Finding
		want    string
	}{
		{compare.Finding{Kind: compare.ColumnsMissing, Got: 1, Want: 2, Names: []string{"valley"}}, "The result has 1 column, but 2 are asked for: “valley” is missing."},
		{compare.Finding{Kind: compare.ColumnsExtra, Got: 3, Want: 1, Given: []string{"a", "b"}}, "The result has 3 columns, but only 1 is asked for: “a” and “b” are not needed."},
		{compare.Finding{Kind: compare.ColumnNames, Places: []int{2}, Names: []string{"n"}, Given: []string{"count"}}, "Column 2 has to be called “n”; here it is called “count”. AS gives a column its name."},
		{compare.Finding{Kind: compare.RowsMissing, Count: 1, Want: 9}, "1 row of the 9 expected is missing."},
		{compare.Finding{Kind: compare.RowsExtra, Count: 12, Got: 20, Want: 8}, "12 rows of the 20 in the result should not be there (8 are expected)."},
		{compare.Finding{Kind: compare.RowsRepeated, Count: 2, Got: 6, Want: 4}, "2 rows come too often: every row is one that is expected, but there are 6 in the result where 4 are expected."},
		{compare.Finding{Kind: compare.RowOrder, Count: 1}, "The rows are right, but not their order: the row that stands first should come later."},
		{compare.Finding{Kind: compare.RowOrder, Count: 4}, "The rows are right, but not their order: up to row 3 they stand as asked for, row 4 does not."},
		{compare.Finding{Kind: compare.ValuesDiffer, Places: []int{2}, Given: []string{"kg"}, Count: 1}, "In column 2 (“kg”), 1 row has another value than expected; the other columns of that row agree."},
		{compare.Finding{Kind: compare.ResultEmpty, Want: 1}, "The result is empty; 1 row is expected."},
	} {
		if got := explain.Difference(c.finding, true).Sentence; got != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.finding.Kind, got, c.want)
		}
	}
}

// Every kind has a sentence of its own.
func TestEveryKindIsWorded(t *testing.T) {
	seen := map[string]compare.Kind{}
	for _, kind := range []compare.Kind{compare.ColumnsMissing, compare.ColumnsExtra, compare.ColumnsSwapped, compare.ColumnNames, compare.ColumnType, compare.ResultEmpty,
		compare.RowsMissing, compare.RowsExtra, compare.RowsRepeated, compare.DuplicatesRemoved, compare.RowOrder, compare.RowOrderReversed, compare.ValuesDiffer, compare.TooLargeToPair} {
		s := explain.Difference(compare.Finding{Kind: kind, Places: []int{1}, Names: []string{"a"}, Given: []string{"b", "c"}, Count: 2, Got: 3, Want: 4}, true).Sentence
		if other, there := seen[s]; there || s == "The result is not the expected one." {
			t.Errorf("%s says the same as %s: %s", kind, other, s)
		}
		seen[s] = kind
	}
}

func TestExpectedCellsAreShownOnlyWhereAllowed(t *testing.T) {
	f := compare.Finding{Kind: compare.RowsMissing, Count: 1, Want: 1, Reveals: true, Columns: []string{"secret"}, Rows: []result.Row{{[]byte("42")}}}
	if got := explain.Difference(f, false); got.Rows != nil || got.Columns != nil {
		t.Errorf("got %+v", got)
	}
	if got := explain.Difference(f, true); *got.Rows[0][0] != "42" {
		t.Errorf("got %+v", got)
	}
}

func TestLongCellsAreCutBetweenCharacters(t *testing.T) {
	f := compare.Finding{Kind: compare.RowsExtra, Rows: []result.Row{{[]byte(strings.Repeat("ä", 300)), nil}}}
	cells := explain.Difference(f, true).Rows[0]
	if *cells[0] != strings.Repeat("ä", 100)+"…" || cells[1] != nil {
		t.Errorf("got %q", *cells[0])
	}
}

func TestRulesSayThatRowsAreRight(t *testing.T) {
	broken := []sqltext.Rule{{Construct: "join", Required: true}, {Construct: "table:hive"}}
	got := explain.Broken(broken, true)
	if got[0].Sentence != "The task is to be solved with a join, and the query has none. The rows are right." ||
		got[1].Sentence != "The task is to be solved without the table hive, and the query has it." {
		t.Errorf("got %+v", got)
	}
}
