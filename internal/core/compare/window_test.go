package compare_test

import (
	"fmt"
	"testing"

	"examen/internal/core/compare"
)

// A reference with LIMIT and OFFSET: its rows are given through the end of the tie, and any choice among rows that tie
// there is right.
func TestTiesThatLimitCuts(t *testing.T) {
	const strong = "n:t s:i | A 9 | B 8 | C 8 | D 8 | E 7 | F 7"
	const hidden = "n:t *k:i | A 9 | B 8 | C 8 | A 8 | E 7 | A 7"
	for _, c := range []struct {
		name       string
		policy     compare.Policy
		reference  string
		keys       []int
		skip, take int64
		attempt    string
		want       string // "" is right, otherwise kind and count
	}{
		{
			name:      "the reference's own choice",
			reference: strong,
			keys:      []int{1},
			take:      2,
			attempt:   "n:t s:i | A 9 | B 8",
		},
		{name: "another choice", reference: strong, keys: []int{1}, take: 2, attempt: "n:t s:i | A 9 | D 8"},
		{name: "two of three", reference: strong, keys: []int{1}, take: 3, attempt: "n:t s:i | A 9 | D 8 | B 8"},
		{
			name:      "the same row twice",
			reference: strong,
			keys:      []int{1},
			take:      3,
			attempt:   "n:t s:i | A 9 | D 8 | D 8",
			want:      "values-differ 1",
		},
		{
			name:      "a row that does not tie",
			reference: strong,
			keys:      []int{1},
			take:      2,
			attempt:   "n:t s:i | A 9 | E 7",
			want:      "rows-extra 1",
		},
		{
			name:      "not in order",
			reference: strong,
			keys:      []int{1},
			take:      2,
			attempt:   "n:t s:i | C 8 | A 9",
			want:      "row-order-reversed 1",
		},
		{name: "too few", reference: strong, keys: []int{1}, take: 2, attempt: "n:t s:i | A 9", want: "rows-missing 1"},
		{
			name:      "too many",
			reference: strong,
			keys:      []int{1},
			take:      2,
			attempt:   "n:t s:i | A 9 | B 8 | C 8",
			want:      "rows-extra 1",
		},
		{
			name:      "the limit falls between ties",
			reference: strong,
			keys:      []int{1},
			take:      4,
			attempt:   "n:t s:i | A 9 | D 8 | C 8 | B 8",
		},
		{
			name:      "cut at both ends",
			reference: strong,
			keys:      []int{1},
			skip:      2,
			take:      3,
			attempt:   "n:t s:i | B 8 | D 8 | F 7",
		},
		{
			name:      "cut at both ends, in any order",
			policy:    compare.Policy{Order: compare.OrderAny},
			reference: strong,
			keys:      []int{1},
			skip:      2,
			take:      3,
			attempt:   "n:t s:i | F 7 | C 8 | B 8",
		},
		{
			name:      "cut at both ends, too many of one",
			policy:    compare.Policy{Order: compare.OrderAny},
			reference: strong,
			keys:      []int{1},
			skip:      2,
			take:      3,
			attempt:   "n:t s:i | F 7 | E 7 | B 8",
			want:      "rows-extra 1",
		},
		{name: "both ends in one tie", reference: strong, keys: []int{1}, skip: 2, take: 1, attempt: "n:t s:i | D 8"},
		{name: "only skipped", reference: strong, keys: []int{1}, skip: 4, take: -1, attempt: "n:t s:i | F 7 | E 7"},
		{name: "skipped through a tie", reference: strong, keys: []int{1}, skip: 5, take: -1, attempt: "n:t s:i | E 7"},
		{name: "without an order any rows do", reference: strong, take: 2, attempt: "n:t s:i | F 7 | C 8"},
		{
			name:      "without an order, but not among them",
			reference: strong,
			take:      2,
			attempt:   "n:t s:i | F 7 | X 8",
			want:      "rows-extra 1",
		},
		{name: "nothing is taken", reference: strong, keys: []int{1}, take: 0, attempt: "n:t s:i"},
		{name: "rows look alike across ties", reference: hidden, keys: []int{1}, take: 3, attempt: "n:t | A | A | C"},
		{
			name:      "rows look alike, any order",
			policy:    compare.Policy{Order: compare.OrderAny},
			reference: hidden,
			keys:      []int{1},
			skip:      2,
			take:      3,
			attempt:   "n:t | A | B | A",
		},
		{
			name:      "rows look alike, three are too many",
			policy:    compare.Policy{Order: compare.OrderAny},
			reference: hidden,
			keys:      []int{1},
			skip:      3,
			take:      2,
			attempt:   "n:t | C | C",
			want:      "rows-repeated 1",
		},
		{
			name:      "strict is the reference's own",
			policy:    compare.Policy{Order: compare.OrderStrict},
			reference: strong,
			keys:      []int{1},
			take:      2,
			attempt:   "n:t s:i | A 9 | C 8",
			want:      "values-differ 1",
		},
		{
			name:      "columns as they come",
			policy:    compare.Policy{Columns: compare.ByContent},
			reference: strong,
			keys:      []int{1},
			take:      2,
			attempt:   "s:i n:t | 9 A | 8 D",
		},
		{
			name:      "columns as they come, alike in type",
			policy:    compare.Policy{Columns: compare.ByContent},
			reference: "a:i b:i | 9 1 | 8 2 | 8 3",
			keys:      []int{0},
			take:      2,
			attempt:   "x:i y:i | 1 9 | 3 8",
		},
		{
			name:      "columns as they come, no such row",
			policy:    compare.Policy{Columns: compare.ByContent},
			reference: "a:i b:i | 9 1 | 8 2 | 8 3",
			keys:      []int{0},
			take:      2,
			attempt:   "x:i y:i | 1 9 | 8 3",
			want:      "rows-extra 1",
		},
		{
			name:      "columns as they come, without an order",
			policy:    compare.Policy{Columns: compare.ByContent},
			reference: strong,
			take:      3,
			attempt:   "s:i n:t | 7 F | 8 D | 9 A",
		},
		{
			name:      "once, a right choice",
			policy:    compare.Policy{Once: true},
			reference: "n:t s:i | A 9 | A 9 | B 8 | C 8",
			keys:      []int{1},
			take:      3,
			attempt:   "n:t s:i | A 9 | C 8",
		},
		{
			name:      "once, not in order",
			policy:    compare.Policy{Once: true},
			reference: "n:t s:i | A 9 | A 9 | B 8 | C 8",
			keys:      []int{1},
			take:      3,
			attempt:   "n:t s:i | C 8 | A 9",
			want:      "row-order-reversed 1",
		},
		{
			name:      "once, in any order",
			policy:    compare.Policy{Once: true, Order: compare.OrderAny},
			reference: "n:t s:i | A 9 | A 9 | B 8 | C 8",
			keys:      []int{1},
			take:      3,
			attempt:   "n:t s:i | C 8 | A 9",
		},
		{
			name:      "once, without an order",
			policy:    compare.Policy{Once: true},
			reference: "n:t s:i | A 9 | A 9 | B 8 | C 8",
			take:      3,
			attempt:   "n:t s:i | C 8 | A 9",
		},
		{
			name:      "once, ties as they come",
			policy:    compare.Policy{Once: true},
			reference: strong,
			keys:      []int{1},
			take:      4,
			attempt:   "n:t s:i | A 9 | D 8 | D 8 | B 8 | C 8 | A 9",
		},
		{
			name:      "once, not cut, not in order",
			policy:    compare.Policy{Once: true},
			reference: strong,
			keys:      []int{1},
			take:      4,
			attempt:   "n:t s:i | D 8 | B 8 | A 9 | C 8",
			want:      "row-order 1",
		},
		{
			name:      "once, cut at both ends",
			policy:    compare.Policy{Once: true},
			reference: strong,
			keys:      []int{1},
			skip:      2,
			take:      3,
			attempt:   "n:t s:i | D 8 | B 8 | B 8 | F 7",
		},
		{
			name:      "once, cut at both ends, not in order",
			policy:    compare.Policy{Once: true},
			reference: strong,
			keys:      []int{1},
			skip:      2,
			take:      3,
			attempt:   "n:t s:i | F 7 | D 8 | B 8",
			want:      "row-order-reversed 1",
		},
		{
			name:      "once, strictly",
			policy:    compare.Policy{Once: true, Order: compare.OrderStrict},
			reference: "n:t | A | B | A | C | D",
			keys:      []int{0},
			take:      4,
			attempt:   "n:t | A | B | C",
		},
		{
			name:      "once, strictly, otherwise",
			policy:    compare.Policy{Once: true, Order: compare.OrderStrict},
			reference: "n:t | A | B | A | C | D",
			keys:      []int{0},
			take:      4,
			attempt:   "n:t | B | A | C",
			want:      "row-order 1",
		},
		{
			name:      "once, not all",
			policy:    compare.Policy{Once: true},
			reference: "n:t s:i | A 9 | A 9 | B 8 | C 8",
			keys:      []int{1},
			take:      3,
			attempt:   "n:t s:i | A 9",
			want:      "rows-missing 1",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			reference := set(c.reference)
			reference.Window = &compare.Window{Skip: c.skip, Take: c.take}
			right, findings := verdict(c.policy, reference, c.keys, c.keys != nil, set(c.attempt))
			got := ""
			if !right {
				got = fmt.Sprint(findings[0].Kind, " ", findings[0].Count)
			}
			if got != c.want {
				t.Errorf("got %q, want %q", got, c.want)
			}
		})
	}
}

func TestCutNamesTheRowsThatTie(t *testing.T) {
	for _, c := range []struct {
		skip, take int64
		keys       []int
		want       int
	}{
		{0, 2, []int{1}, 3}, {0, 1, []int{1}, 0}, {0, 4, []int{1}, 0}, {2, 3, []int{1}, 5}, {0, 2, nil, 6},
		{0, -1, []int{1}, 0},
	} {
		reference := set("n:t s:i | A 9 | B 8 | C 8 | D 8 | E 7 | F 7")
		shape := compare.Reference{
			Columns: reference.Columns,
			Keys:    c.keys,
			Ordered: c.keys != nil,
			Window:  &compare.Window{Skip: c.skip, Take: c.take},
		}
		for _, k := range c.keys {
			shape.KeyColumns = append(shape.KeyColumns, reference.Columns[k])
		}
		plan, _ := compare.NewPlan(compare.Policy{}, shape, reference.Columns)
		if cut := plan.Cut(reference.Rows); len(cut) != c.want {
			t.Errorf("OFFSET %d LIMIT %d: %d rows tie, want %d", c.skip, c.take, len(cut), c.want)
		}
	}
}

// Differences of a kind are told apart: how the values of one column differ, and how the rows are ordered instead.
func TestKindsOfDifferences(t *testing.T) {
	for _, c := range []struct {
		name, reference, attempt string
		keys                     []int
		want                     string // kind, and what more there is to it
	}{
		{
			name:      "a thousand times",
			reference: "h:t kg:n | A 1.5 | B 2 | C 7",
			attempt:   "h:t g:n | A 1500 | B 2000 | C 7000",
			want:      "values-factor 1000",
		},
		{
			name:      "one value ten times",
			reference: "h:t kg:n | A 1.5 | B 2",
			attempt:   "h:t g:n | A 1.5 | B 20",
			want:      "values-factor 10",
		},
		{
			name:      "one value, no usual factor",
			reference: "h:t kg:n | A 1.5 | B 2",
			attempt:   "h:t g:n | A 1.5 | B 3",
			want:      "values-differ ",
		},
		{
			name:      "the wrong sign",
			reference: "h:t kg:n | A 1.5 | B 2",
			attempt:   "h:t g:n | A -1.5 | B -2",
			want:      "values-factor -1",
		},
		{
			name:      "rounded",
			reference: "h:t kg:n | A 1.256 | B 2.5",
			attempt:   "h:t kg:n | A 1.26 | B 2.5",
			want:      "values-rounded attempt rounded 2",
		},
		{
			name:      "cut",
			reference: "h:t kg:n | A 1.256 | B 2.5",
			attempt:   "h:t kg:i | A 1 | B 2",
			want:      "values-rounded attempt cut 0",
		},
		{
			name:      "not rounded",
			reference: "h:t kg:n | A 1.3 | B 2.5",
			attempt:   "h:t kg:n | A 1.256 | B 2.5",
			want:      "values-rounded reference rounded 1",
		},
		{
			name:      "capital letters",
			reference: "h:t k:t | A log | B box",
			attempt:   "h:t k:t | A LOG | B Box",
			want:      "values-case ",
		},
		{
			name:      "NULL where a value is",
			reference: "h:t s:i | A 1 | B 2",
			attempt:   "h:t s:i | A ~ | B 2",
			want:      "values-null unexpected",
		},
		{
			name:      "a value where NULL is",
			reference: "h:t s:i | A ~ | B ~",
			attempt:   "h:t s:i | A 0 | B 0",
			want:      "values-null expected",
		},
		{
			name:      "every row three times",
			reference: "h:t | A | B",
			attempt:   "h:t | A | B | A | B | B | A",
			want:      "rows-multiplied ",
		},
		{
			name:      "by another column",
			reference: "n:t s:i | D 9 | A 8 | C 7 | B 6",
			attempt:   "n:t s:i | A 8 | B 6 | C 7 | D 9",
			keys:      []int{1},
			want:      "row-order-key ",
		},
		{
			name:      "by the first key only",
			reference: "k:t s:i | a 9 | a 8 | b 7 | b 6",
			attempt:   "k:t s:i | a 8 | a 9 | b 6 | b 7",
			keys:      []int{0, 1},
			want:      "row-order-partly ",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			right, findings := verdict(compare.Policy{}, set(c.reference), c.keys, c.keys != nil, set(c.attempt))
			if got := said(findings[0]); right || got != c.want {
				t.Errorf("got %q, want %q", got, c.want)
			}
		})
	}
}
