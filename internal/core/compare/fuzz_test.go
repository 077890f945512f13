package compare_test

import (
	"slices"
	"strings"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// The verdict, with and without order, is that of the slow and obvious comparison. A text stands for a result set: a line a row, its
// first character the order key.
func FuzzVerdict(f *testing.F) {
	f.Add("a\nb\nb", "b\na\nb")
	f.Add("a1\na2\nb", "a2\na1\nb")
	f.Add("", "\n")
	f.Fuzz(func(t *testing.T, reference, attempt string) {
		text := func(s string) (rows []string) {
			rows = strings.Split(s, "\n")
			return rows[:min(len(rows), 200)]
		}
		ref, att := text(reference), text(attempt)
		key := func(s string) string { return s[:min(len(s), 1)] }
		slices.SortStableFunc(ref, func(a, b string) int { return strings.Compare(key(a), key(b)) })

		sorted := func(s []string) []string { s = slices.Clone(s); slices.Sort(s); return s }
		sameRows := slices.Equal(sorted(ref), sorted(att))
		sameOrder := sameRows && slices.EqualFunc(ref, att, func(a, b string) bool { return key(a) == key(b) })

		columns := []result.Column{{Name: "t", Type: result.Type{OID: 25}}}
		a := resultSet{Columns: append(columns[:1:1], result.Column{Name: "*key", Type: result.Type{OID: 25}})}
		for _, s := range ref {
			a.Rows = append(a.Rows, result.Row{[]byte(s), []byte(key(s))})
		}
		b := resultSet{Columns: columns}
		for _, s := range att {
			b.Rows = append(b.Rows, result.Row{[]byte(s)})
		}
		if got, _ := verdict(compare.Policy{}, a, nil, false, b); got != sameRows {
			t.Errorf("unordered: got %v, want %v", got, sameRows)
		}
		if got, _ := verdict(compare.Policy{}, a, []int{1}, true, b); got != sameOrder {
			t.Errorf("ordered: got %v, want %v", got, sameOrder)
		}
	})
}
