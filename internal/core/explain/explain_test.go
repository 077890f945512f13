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
		{
			compare.Finding{Kind: compare.ColumnsMissing, Got: 1, Want: 2, Names: []string{"valley"}},
			"The result has 1 column; the task asks for 2: “valley” is missing.",
		},
		{
			compare.Finding{Kind: compare.ColumnsExtra, Got: 3, Want: 1, Given: []string{"a", "b"}},
			"The result has 3 columns; the task asks for only 1: “a” and “b” are not needed.",
		},
		{
			compare.Finding{
				Kind:   compare.ColumnNames,
				Places: []int{2},
				Names:  []string{"n"},
				Given:  []string{"count"},
			},
			"Column 2 has to be called “n”; here it is called “count”. AS gives a column its name.",
		},
		{compare.Finding{Kind: compare.RowsMissing, Count: 1, Want: 9}, "1 row of the 9 expected is missing."},
		{
			compare.Finding{Kind: compare.RowsExtra, Count: 12, Got: 20, Want: 8},
			"Your result has 20 rows; 12 of them should not be there (8 expected).",
		},
		{
			compare.Finding{Kind: compare.RowsRepeated, Count: 2, Got: 6, Want: 4},
			"2 rows come too often: every row is an expected one, but your result has 6 rows where 4 are expected.",
		},
		{
			compare.Finding{Kind: compare.RowOrder, Count: 1},
			"The rows are right, but not their order: the first row belongs further down.",
		},
		{
			compare.Finding{Kind: compare.RowOrder, Count: 4},
			"The rows are right, but not their order: up to row 3 they stand as asked for, row 4 does not.",
		},
		{
			compare.Finding{Kind: compare.ValuesDiffer, Places: []int{2}, Given: []string{"kg"}, Count: 1},
			"In column 2 (“kg”), 1 row has another value than expected; the other columns of that row agree.",
		},
		{compare.Finding{Kind: compare.ResultEmpty, Want: 1}, "The result is empty; 1 row is expected."},
	} {
		if got := explain.Difference(c.finding, explain.ToldRows).Sentence; got != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.finding.Kind, got, c.want)
		}
	}
}

// Every kind has a sentence of its own.
func TestEveryKindIsWorded(t *testing.T) {
	seen := map[string]compare.Kind{}
	for _, kind := range []compare.Kind{
		compare.ColumnsMissing, compare.ColumnsExtra, compare.ColumnsSwapped, compare.ColumnNames, compare.ColumnType,
		compare.ResultEmpty, compare.RowsMissing, compare.RowsExtra, compare.RowsRepeated, compare.DuplicatesRemoved,
		compare.RowOrder, compare.RowOrderReversed, compare.RowOrderKey, compare.RowOrderPartly, compare.RowsMultiplied,
		compare.ValuesDiffer, compare.ValuesFactor, compare.ValuesRounded, compare.ValuesCase, compare.ValuesSpaces,
		compare.ValuesNull, compare.ValuesDay, compare.TooLargeToPair,
	} {
		s := explain.Difference(
			compare.Finding{
				Kind:     kind,
				Places:   []int{1},
				Names:    []string{"a"},
				Given:    []string{"b", "c"},
				Count:    2,
				Got:      3,
				Want:     4,
				Times:    3,
				Rounding: &compare.Rounding{Attempt: true, Decimals: 2},
			},
			explain.ToldRows,
		).Sentence
		if other, there := seen[s]; there || s == "The result is not the expected one." {
			t.Errorf("%s says the same as %s: %s", kind, other, s)
		}
		seen[s] = kind
	}
}

func TestExpectedCellsAreShownOnlyWhereAllowed(t *testing.T) {
	f := compare.Finding{
		Kind:    compare.RowsMissing,
		Count:   1,
		Want:    1,
		Reveals: true,
		Columns: []string{"secret"},
		Rows:    []result.Row{{[]byte("42")}},
	}
	if got := explain.Difference(f, explain.ToldNumbers); got.Rows != nil || got.Columns != nil {
		t.Errorf("got %+v", got)
	}
	if got := explain.Difference(f, explain.ToldRows); *got.Rows[0][0] != "42" {
		t.Errorf("got %+v", got)
	}
}

func TestLongCellsAreCutBetweenCharacters(t *testing.T) {
	f := compare.Finding{Kind: compare.RowsExtra, Rows: []result.Row{{[]byte(strings.Repeat("ä", 300)), nil}}}
	cells := explain.Difference(f, explain.ToldRows).Rows[0]
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

// Where nothing of the expected result may be told, no number of its rows or columns, no name and no type is.
func TestNothingIsToldOfTheExpectedResult(t *testing.T) {
	for _, kind := range []compare.Kind{
		compare.ColumnsMissing, compare.ColumnsExtra, compare.ColumnNames, compare.ColumnType, compare.ResultEmpty,
		compare.RowsMissing, compare.RowsExtra, compare.RowsRepeated, compare.RowsMultiplied, compare.DuplicatesRemoved,
		compare.ValuesDiffer, compare.ValuesFactor, compare.ValuesRounded, compare.ValuesNull, compare.ValuesDay,
		compare.TooLargeToPair,
	} {
		f := explain.Difference(
			compare.Finding{Kind: kind, Places: []int{1}, Names: []string{"secret"}, Given: []string{
				"own", "type",
			}, Count: 77, Got: 88, Want: 99, Times: 66,
				Rounding: &compare.Rounding{Attempt: true, Decimals: 55},
				Reveals:  true, Rows: []result.Row{{[]byte("secret")}}},
			explain.ToldNothing,
		)
		for _, told := range []string{"secret", "55", "66", "77", "99"} {
			if strings.Contains(f.Sentence, told) || f.Rows != nil {
				t.Errorf("%s tells %s: %+v", kind, told, f)
			}
		}
	}
}

func TestWordsForRounding(t *testing.T) {
	for rounding, want := range map[compare.Rounding]string{
		{Attempt: true, Decimals: 1}: "2 rows are rounded to 1 decimal, and more are expected.",
		{Attempt: true, Cut: true}:   "2 rows are without the decimals that are expected: they are cut off.",
		{Decimals: 2}: "2 rows have more decimals than expected: the values are to be rounded to 2 " +
			"decimals.",
	} {
		got := explain.Difference(compare.Finding{
			Kind: compare.ValuesRounded, Places: []int{3}, Given: []string{"kg"}, Count: 2, Rounding: &rounding,
		}, explain.ToldRows).Sentence
		if !strings.HasSuffix(got, want) {
			t.Errorf("%+v: got %q, want %q", rounding, got, want)
		}
	}
}
