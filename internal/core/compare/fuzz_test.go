package compare_test

import (
	"bytes"
	"math/bits"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// The verdict, with and without order, is that of the slow and obvious comparison. A text stands for a result set: a
// line a row, its first character the order key.
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

// With LIMIT, OFFSET and repeated rows that may count once, the verdict is that of going through every choice that
// LIMIT may make of ties. A row is a letter, and stands in the tie of another letter: rows that look alike may tie with
// different ones.
func FuzzWindow(f *testing.F) {
	f.Add("AaBbCb", "ab", uint8(0), uint8(2), uint8(0))
	f.Add("AaAaBbCbDc", "abbc", uint8(1), uint8(3), uint8(1))
	f.Add("AaBaAbCb", "aab", uint8(2), uint8(2), uint8(3))
	f.Fuzz(func(t *testing.T, rows, attempt string, skip, take, how uint8) {
		a := resultSet{
			Columns: []result.Column{
				{Name: "t", Type: result.Type{OID: 25}}, {Name: "*key", Type: result.Type{OID: 25}},
			},
		}
		for i := 0; i+1 < min(len(rows), 14); i += 2 {
			a.Rows = append(a.Rows, result.Row{[]byte{'a' + rows[i+1]%4}, []byte{'A' + rows[i]%4}})
		}
		slices.SortStableFunc(a.Rows, func(x, y result.Row) int { return bytes.Compare(x[1], y[1]) })
		b := resultSet{Columns: a.Columns[:1]}
		for i := range min(len(attempt), 7) {
			b.Rows = append(b.Rows, result.Row{[]byte{'a' + attempt[i]%4}})
		}
		from, to := min(int(skip%8), len(a.Rows)), min(int(skip%8)+int(take%8), len(a.Rows))
		a.Window = &compare.Window{Skip: int64(skip % 8), Take: int64(take % 8)}
		policy := compare.Policy{Once: how&1 > 0}
		if how&2 > 0 {
			policy.Order = compare.OrderAny
		}
		want := false
		for choice := range 1 << len(a.Rows) { // the rows that come
			var chosen []result.Row
			right := true
			for i, j := 0, 0; i < len(a.Rows); i = j { // ties
				for j = i; j < len(a.Rows) && a.Rows[j][1][0] == a.Rows[i][1][0]; j++ {
					if choice>>j&1 > 0 {
						chosen = append(chosen, a.Rows[j])
					}
				}
				right = right && bits.OnesCount(uint(choice>>i&(1<<(j-i)-1))) == max(0, min(j, to)-max(i, from))
			}
			want = want || right && arranged(chosen, b.Rows, policy)
		}
		if got, findings := verdict(policy, a, []int{1}, true, b); got != want {
			t.Errorf(
				"%s of %s, from %d to %d, %+v: got %v %v, want %v", b.Rows, a.Rows, from, to, policy, got, findings,
				want,
			)
		}
	})
}

// arranged tells whether rows are these ones, in the order of their keys where it counts, once each where they count
// once.
func arranged(chosen, rows []result.Row, policy compare.Policy) bool {
	var want, got []string // what comes, with its key in front
	for _, row := range chosen {
		if !policy.Once || !slices.ContainsFunc(want, func(s string) bool { return s[1:] == string(row[0]) }) {
			want = append(want, string(row[1])+string(row[0]))
		}
	}
	for _, row := range rows {
		if !policy.Once || !slices.Contains(got, string(row[0])) {
			got = append(got, string(row[0]))
		}
	}
	if len(want) != len(got) {
		return false
	}
	if policy.Order == compare.OrderAny {
		for i := range want {
			want[i] = " " + want[i][1:]
		}
	}
	for len(want) > 0 { // the next row is one of the first tie
		i := slices.IndexFunc(want, func(s string) bool { return s == want[0][:1]+got[0] })
		if i < 0 {
			return false
		}
		want, got = slices.Delete(want, i, i+1), got[1:]
	}
	return true
}
