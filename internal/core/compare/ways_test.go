package compare_test

import (
	"fmt"
	"testing"

	"examen/internal/core/compare"
)

// Where every row differs, or the only column, it is told in which way: by a constant, a factor, letters, spaces, a
// row.
func TestHowValuesDiffer(t *testing.T) {
	for _, c := range []struct {
		name, reference, attempt string
		keys                     []int
		want                     string
	}{
		{
			name:      "one column, a constant",
			reference: "n:i | 1 | 2 | 3 | 7",
			attempt:   "n:i | 9 | 5 | 4 | 3",
			want:      "values-constant 2",
		},
		{
			name:      "one column, a factor",
			reference: "n:n | 1 | 2 | 3",
			attempt:   "n:n | 3000 | 1000 | 2000",
			want:      "values-factor 1000",
		},
		{
			name:      "one column, letter case",
			reference: "n:t | Amber | Basil",
			attempt:   "n:t | BASIL | AMBER",
			want:      "values-case ",
		},
		{
			name:      "one column, some right",
			reference: "n:t | Amber | Basil | x",
			attempt:   "n:t | x | BASIL | AMBER",
			want:      "values-case ",
		},
		{
			name:      "one column, nothing to tell",
			reference: "n:t | Amber | Basil",
			attempt:   "n:t | Clover | Elder",
			want:      "rows-extra ",
		},
		{
			name:      "every row, one column in capitals",
			reference: "n:t k:i | a 1 | b 2",
			attempt:   "n:t k:i | A 10 | B 25",
			want:      "values-case ",
		},
		{
			name:      "a constant beside a column that agrees",
			reference: "n:t k:i | a 1 | b 2 | c 5",
			attempt:   "n:t k:i | a 11 | b 12 | c 15",
			want:      "values-constant 10",
		},
		{
			name:      "less by a constant",
			reference: "n:t k:n | a 1.5 | b 2 | c 5",
			attempt:   "n:t k:n | a 1.25 | b 1.75 | c 4.75",
			want:      "values-constant -0.25",
		},
		{
			name:      "the value of the row before",
			reference: "n:t k:i | a 3 | b 9 | c 5 | d 8",
			attempt:   "n:t k:i | a ~ | b 3 | c 9 | d 5",
			keys:      []int{0},
			want:      "values-shifted before",
		},
		{
			name:      "the value of the row after",
			reference: "n:t k:i | a 3 | b 9 | c 5 | d 8",
			attempt:   "n:t k:i | a 9 | b 5 | c 8 | d ~",
			keys:      []int{0},
			want:      "values-shifted behind",
		},
		{
			name:      "some other value",
			reference: "n:t k:i | a 3 | b 9 | c 5 | d 8",
			attempt:   "n:t k:i | a 9 | b 5 | c 9 | d 1",
			keys:      []int{0},
			want:      "values-differ ",
		},
	} {
		right, findings := verdict(compare.Policy{}, set(c.reference), c.keys, c.keys != nil, set(c.attempt))
		if got := said(findings[0]); right || got != c.want {
			t.Errorf("%s: got %q, want %q", c.name, got, c.want)
		}
	}
}

// said is a finding's kind, and in which way it is one.
func said(f compare.Finding) string {
	if r := f.Rounding; r != nil {
		side, way := "reference", "rounded"
		if r.Attempt {
			side = "attempt"
		}
		if r.Cut {
			way = "cut"
		}
		return fmt.Sprint(f.Kind, " ", side, " ", way, " ", r.Decimals)
	}
	return fmt.Sprint(f.Kind, " ", f.What)
}
