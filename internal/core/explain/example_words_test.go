package explain_test

import (
	"testing"

	"examen/internal/core/explain"
)

func TestExample(t *testing.T) {
	for _, c := range []struct {
		madeUp        bool
		tables        []explain.Count
		got, expected int
		want          string
	}{
		{
			false, []explain.Count{{"hive", 2}, {"apiary", 1}, {"grade", 0}}, 1, 2,
			"With just these 2 rows of hive and this 1 row of apiary, your query gives 1 row; 2 are expected.",
		},
		{
			true, []explain.Count{{"hive", 1}}, 0, 1,
			"With just this 1 row of hive, which is made up, your query gives 0 rows; 1 is expected.",
		},
		{
			true, []explain.Count{{"hive", 1}, {"apiary", 1}}, 2, 2,
			"With just this 1 row of hive and this 1 row of apiary, which are made up, your query gives 2 rows, but " +
				"not as expected.",
		},
		{false, []explain.Count{{"hive", 0}}, 1, 0, "With no rows at all, your query gives 1 row; 0 are expected."},
	} {
		if got := explain.Example(c.madeUp, c.tables, c.got, c.expected); got != c.want {
			t.Errorf("got  %s\nwant %s", got, c.want)
		}
	}
}
