package compare_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// A resultSet is a whole one.
type resultSet struct {
	Columns []result.Column
	Rows    []result.Row
	Window  *compare.Window // of a reference with LIMIT: its rows are those up to the end of the tie
}

func side(digest *compare.Digest, rows []result.Row) compare.Side {
	return compare.Side{Digest: digest, Rows: func(yield func(result.Row) error) error {
		for _, row := range rows {
			if err := yield(row); err != nil {
				return err
			}
		}
		return nil
	}}
}

// set reads a result set from "name:type ... | cell cell | ...": i is integer, f double precision, n numeric, t text; ~
// is NULL.
func set(s string) resultSet {
	types := map[string]result.Type{
		"i": {OID: 23, Name: "integer"}, "f": {OID: 701, Name: "double precision"}, "n": {OID: 1700, Name: "numeric"},
		"t": {OID: 25, Name: "text"},
	}
	lines := strings.Split(s, "|")
	var out resultSet
	for _, c := range strings.Fields(lines[0]) {
		name, typ, _ := strings.Cut(c, ":")
		out.Columns = append(out.Columns, result.Column{Name: name, Type: types[typ]})
	}
	for _, line := range lines[1:] {
		var row result.Row
		for _, cell := range strings.Fields(line) {
			if cell == "~" {
				row = append(row, nil)
			} else {
				row = append(row, []byte(cell))
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}

// verdict compares as the service does: digests first, the rows only where they differ.
func verdict(
	policy compare.Policy, reference resultSet, keys []int, ordered bool, attempt resultSet,
) (bool, []compare.Finding) {
	hidden := 0 // columns that are only order keys begin with a star
	for _, c := range reference.Columns {
		if strings.HasPrefix(c.Name, "*") {
			hidden++
		}
	}
	ref := compare.Reference{
		Columns: reference.Columns[:len(reference.Columns)-hidden],
		Keys:    keys,
		Ordered: ordered,
		Window:  reference.Window,
	}
	for _, k := range keys {
		ref.KeyColumns = append(ref.KeyColumns, reference.Columns[k])
	}
	plan, findings := compare.NewPlan(policy, ref, attempt.Columns)
	if plan == nil {
		return false, findings
	}
	digest := func(d *compare.Digester, rows []result.Row) *compare.Digest {
		for _, row := range rows {
			d.Add(row)
		}
		return d.Digest()
	}
	a := digest(plan.Reference(int64(len(reference.Rows))), reference.Rows)
	b := digest(plan.Attempt(a), attempt.Rows)
	right := plan.Match(a, b)
	if !right {
		verdict, difference, err := plan.Differences(side(a, reference.Rows), side(b, attempt.Rows))
		if err != nil || verdict == compare.Open {
			panic(fmt.Sprint("not decided: ", err))
		}
		if right = verdict == compare.Right; right && !plan.Undecided(a, b) {
			panic("the rows match, but their digests do not")
		}
		if !right {
			findings = difference.Findings
		}
	}
	if names := plan.NamesFinding(); names != nil {
		return false, append([]compare.Finding{*names}, findings...)
	}
	return right, findings
}

func TestVerdictsAndFirstFindings(t *testing.T) {
	const hives = "name:t strength:i | Amber 3 | Basil 9 | Clover 3 | Elder ~"
	decimals := 1
	for _, c := range []struct {
		name      string
		policy    compare.Policy
		reference string
		keys      []int // with a top-level ORDER BY
		attempt   string
		want      string // "" is right, otherwise kind and count
	}{
		{name: "the same", reference: hives, attempt: hives},
		{
			name:      "once, in order",
			policy:    compare.Policy{Once: true},
			reference: "k:t | A | A | B | C",
			keys:      []int{0},
			attempt:   "k:t | A | B | B | C | B",
		},
		{
			name:      "once, not in order",
			policy:    compare.Policy{Once: true},
			reference: "k:t | A | A | B | C",
			keys:      []int{0},
			attempt:   "k:t | B | A | A | C",
			want:      "row-order 1",
		},
		{
			name:      "once, ties in any order",
			policy:    compare.Policy{Once: true},
			reference: "k:t s:i | A 1 | A 1 | B 1 | C 2",
			keys:      []int{1},
			attempt:   "k:t s:i | B 1 | A 1 | B 1 | C 2",
		},
		{
			name:      "once, strictly",
			policy:    compare.Policy{Once: true, Order: compare.OrderStrict},
			reference: "k:t | B | A | B | C",
			attempt:   "k:t | B | B | A | C",
		},
		{
			name:      "once, strictly, otherwise",
			policy:    compare.Policy{Once: true, Order: compare.OrderStrict},
			reference: "k:t | B | A | B | C",
			attempt:   "k:t | B | C | A",
			want:      "row-order 2",
		},
		{
			name:      "once, any order",
			policy:    compare.Policy{Once: true, Order: compare.OrderAny},
			reference: "k:t | A | A | B",
			keys:      []int{0},
			attempt:   "k:t | B | A",
		},
		{
			name:      "columns of the same values under their names",
			policy:    compare.Policy{Columns: compare.ByContent, Names: true},
			reference: "a:i b:i c:i | 1 1 5 | 2 2 6",
			attempt:   "b:i c:i a:i | 1 5 1 | 2 6 2",
		},
		{
			name:      "columns of the same values, one misnamed",
			policy:    compare.Policy{Columns: compare.ByContent, Names: true},
			reference: "a:i b:i | 1 1 | 2 2",
			attempt:   "b:i x:i | 1 1 | 2 2",
			want:      "column-names 0",
		},
		{
			name:      "another order where none is asked for",
			reference: hives,
			attempt:   "a:t b:i | Elder ~ | Basil 9 | Clover 3 | Amber 3",
		},
		{
			name:      "numbers of another type",
			reference: hives,
			attempt:   "a:t b:n | Elder ~ | Basil 9.0 | Clover 3.00 | Amber 3",
		},
		{
			name:      "a row missing",
			reference: hives,
			attempt:   "name:t strength:i | Amber 3 | Basil 9 | Elder ~",
			want:      "rows-missing 1",
		},
		{name: "a row too many", reference: hives, attempt: hives + " | Iris 2", want: "rows-extra 1"},
		{
			name:      "NULL is not zero",
			reference: hives,
			attempt:   "name:t strength:i | Amber 3 | Basil 9 | Clover 3 | Elder 0",
			want:      "values-null 1",
		},
		{name: "rows repeated", reference: hives, attempt: hives + " | Amber 3 | Basil 9", want: "rows-repeated 2"},
		{
			name:      "duplicates removed",
			reference: "c:t | red | red | blue",
			attempt:   "c:t | red | blue",
			want:      "duplicates-removed 1",
		},
		{
			name:      "repeats count once",
			policy:    compare.Policy{Once: true},
			reference: "c:t | red | red | blue",
			attempt:   "c:t | blue | red",
		},
		{
			name:      "once, but one is missing",
			policy:    compare.Policy{Once: true},
			reference: "c:t | red | red | blue",
			attempt:   "c:t | red",
			want:      "rows-missing 1",
		},
		{name: "nothing came", reference: hives, attempt: "name:t strength:i", want: "result-empty 0"},
		{name: "both empty", reference: "name:t", attempt: "name:t"},
		{
			name:      "columns swapped",
			reference: hives,
			attempt:   "strength:i name:t | 3 Amber | 9 Basil | 3 Clover | ~ Elder",
			want:      "columns-swapped 0",
		},
		{
			name:      "another type",
			reference: hives,
			attempt:   "name:t strength:t | Amber 3 | Basil 9 | Clover 3 | Elder ~",
			want:      "column-type 0",
		},
		{
			name:      "columns of one type swapped",
			reference: "a:i b:i | 1 2 | 3 4",
			attempt:   "b:i a:i | 2 1 | 4 3",
			want:      "columns-swapped 0",
		},
		{
			name:      "columns paired by name",
			policy:    compare.Policy{Columns: compare.ByName},
			reference: hives,
			attempt:   "strength:i name:t | 3 Amber | 9 Basil | 3 Clover | ~ Elder",
		},
		{
			name:      "paired by name, and one is called otherwise",
			policy:    compare.Policy{Columns: compare.ByName},
			reference: hives,
			attempt:   "power:i name:t | 3 Amber",
			want:      "column-names 0",
		},
		{
			name:      "columns paired by content",
			policy:    compare.Policy{Columns: compare.ByContent},
			reference: "a:i b:i c:i | 1 2 2 | 3 4 4",
			attempt:   "x:i y:i z:i | 2 2 1 | 4 4 3",
		},
		{name: "a column missing", reference: hives, attempt: "name:t | Amber", want: "columns-missing 0"},
		{name: "a column too many", reference: hives, attempt: "name:t strength:i kind:t", want: "columns-extra 0"},
		{
			name:      "names required",
			policy:    compare.Policy{Names: true},
			reference: hives,
			attempt:   strings.Replace(hives, "strength", "power", 1),
			want:      "column-names 0",
		},
		{name: "names required and kept", policy: compare.Policy{Names: true}, reference: hives, attempt: hives},
		{
			name:      "rounded by policy",
			policy:    compare.Policy{Decimals: &decimals},
			reference: "n:n | 2.449",
			attempt:   "n:n | 2.4",
		},
		{
			name:      "floats that round apart",
			reference: "f:f k:i | 2.5000000000049999 1",
			attempt:   "f:f k:i | 2.5000000000050001 1",
		},
		{name: "floats that differ", reference: "f:f k:i | 2.5 1", attempt: "f:f k:i | 2.6 1", want: "values-differ 1"},

		{
			name:      "ties in any order",
			reference: "n:t s:i | B 9 | A 3 | C 3",
			keys:      []int{1},
			attempt:   "n:t s:i | B 9 | C 3 | A 3",
		},
		{
			name:      "not within ties",
			reference: "n:t s:i | B 9 | A 3 | C 3",
			keys:      []int{1},
			attempt:   "n:t s:i | C 3 | B 9 | A 3",
			want:      "row-order 1",
		},
		{
			name:      "the wrong way round",
			reference: "n:t s:i | B 9 | A 5 | C 3 | D 3",
			keys:      []int{1},
			attempt:   "n:t s:i | C 3 | D 3 | A 5 | B 9",
			want:      "row-order-reversed 1",
		},
		{
			name:      "ties on a key that is not in the output",
			reference: "n:t *k:i | B 9 | A 3 | C 3",
			keys:      []int{1},
			attempt:   "n:t | B | C | A",
		},
		{
			name:      "out of order by a key that is not in the output",
			reference: "n:t *k:i | B 9 | A 4 | C 3",
			keys:      []int{1},
			attempt:   "n:t | B | C | A",
			want:      "row-order 2",
		},
		{
			name:      "NULLs tie",
			reference: "n:t s:i | B 9 | A ~ | C ~",
			keys:      []int{1},
			attempt:   "n:t s:i | B 9 | C ~ | A ~",
		},
		{
			name:      "order does not matter by policy",
			policy:    compare.Policy{Order: compare.OrderAny},
			reference: "s:i | 1 | 2",
			keys:      []int{0},
			attempt:   "s:i | 2 | 1",
		},
		{
			name:      "strict order holds for ties too",
			policy:    compare.Policy{Order: compare.OrderStrict},
			reference: "n:t s:i | A 3 | C 3",
			keys:      []int{1},
			attempt:   "n:t s:i | C 3 | A 3",
			want:      "row-order-reversed 1",
		},
		{
			name:      "strict order without ORDER BY",
			policy:    compare.Policy{Order: compare.OrderStrict},
			reference: "s:i | 2 | 1 | 3",
			attempt:   "s:i | 2 | 3 | 1",
			want:      "row-order 2",
		},
		{
			name:      "in order, floats that round apart",
			reference: "f:f k:i | 2.5000000000049999 1 | 1 2",
			keys:      []int{1},
			attempt:   "f:f k:i | 2.5000000000050001 1 | 1 2",
		},
		{
			name:      "more rows than the ordered reference",
			reference: "s:i | 1",
			keys:      []int{0},
			attempt:   "s:i | 1 | 2",
			want:      "rows-extra 1",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			right, findings := verdict(c.policy, set(c.reference), c.keys, c.keys != nil, set(c.attempt))
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

func TestEvidenceIsAtMostFiveRows(t *testing.T) {
	var many strings.Builder
	many.WriteString("n:i")
	for i := range 40 {
		fmt.Fprintf(&many, " | %d", i)
	}
	_, findings := verdict(compare.Policy{}, set("n:i | 100"), nil, false, set(many.String()))
	if len(findings) != 2 || findings[0].Kind != compare.RowsExtra || findings[0].Count != 40 ||
		len(findings[0].Rows) != compare.EvidenceRows {
		t.Errorf("got %+v", findings)
	}
	if findings[1].Kind != compare.RowsMissing || !findings[1].Reveals {
		t.Errorf("the missing row is the expected result's: %+v", findings[1])
	}
}

// What holds for every result set, on random ones.
func TestVerdictsOfRandomSets(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 400 {
		reference := resultSet{Columns: set("a:i b:t c:f").Columns}
		for range 1 + r.IntN(30) {
			row := result.Row{
				fmt.Append(nil, r.IntN(5)), fmt.Append(nil, string(rune('p'+r.IntN(4)))),
				fmt.Append(nil, float64(r.IntN(8))/4),
			}
			if r.IntN(6) == 0 {
				row[r.IntN(3)] = nil
			}
			reference.Rows = append(reference.Rows, row)
		}
		key := func(row result.Row) string { return fmt.Sprint(row[0] == nil, string(row[0])) }
		slices.SortStableFunc(reference.Rows, func(a, b result.Row) int { return strings.Compare(key(a), key(b)) })
		shuffled := func() resultSet {
			rows := slices.Clone(reference.Rows)
			r.Shuffle(len(rows), func(i, j int) { rows[i], rows[j] = rows[j], rows[i] })
			return resultSet{Columns: reference.Columns, Rows: rows}
		}
		withinTies := shuffled()
		slices.SortStableFunc(withinTies.Rows, func(a, b result.Row) int { return strings.Compare(key(a), key(b)) })

		expect := func(what string, want bool, ordered bool, attempt resultSet) {
			t.Helper()
			var keys []int
			if ordered {
				keys = []int{0}
			}
			if right, findings := verdict(compare.Policy{}, reference, keys, ordered, attempt); right != want {
				t.Fatalf("%s: right is %v, want %v, on %q: %+v", what, right, want, reference.Rows, findings)
			} else if !right && len(findings) == 0 {
				t.Fatalf("%s: wrong without a finding", what)
			}
		}
		expect("shuffled, unordered", true, false, shuffled())
		expect("shuffled within ties, ordered", true, true, withinTies)
		if other := shuffled(); !slices.EqualFunc(
			other.Rows, reference.Rows, func(a, b result.Row) bool { return key(a) == key(b) },
		) {
			expect("shuffled across ties, ordered", false, true, other)
		}
		changed := shuffled()
		at, column := r.IntN(len(changed.Rows)), r.IntN(3)
		changed.Rows[at] = slices.Clone(changed.Rows[at])
		changed.Rows[at][column] = [][]byte{[]byte("77"), []byte("zebra"), []byte("9.75")}[column]
		expect("one cell changed", false, false, changed)
		dropped := shuffled()
		expect("one row dropped", false, false, resultSet{Columns: dropped.Columns, Rows: dropped.Rows[1:]})
		repeated := shuffled()
		expect(
			"one row repeated", false, r.IntN(2) == 0,
			resultSet{Columns: repeated.Columns, Rows: append(repeated.Rows, repeated.Rows[0])},
		)
	}
}

// The verdict on any two small sets, which often are the same, is that of sorting both sides' rows and looking at them
// one by one.
func TestVerdictsAreThoseOfTheObviousComparison(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	columns := set("a:i b:t c:n").Columns
	rows := func() (rows []result.Row) {
		for range r.IntN(4) {
			row := result.Row{
				fmt.Append(nil, r.IntN(2)), []byte([]string{"x", "X"}[r.IntN(2)]),
				[]byte([]string{"1", "1.0", "1.50", "1.5"}[r.IntN(4)]),
			}
			if r.IntN(4) == 0 {
				row[r.IntN(3)] = nil
			}
			rows = append(rows, row)
		}
		return rows
	}
	plainly := func(rows []result.Row, fold bool) (lines []string) {
		for _, row := range rows {
			line := ""
			for i, cell := range row {
				s := string(cell)
				if i == 2 && cell != nil {
					s = strings.TrimSuffix(strings.TrimSuffix(s, "0"), ".")
				}
				if fold {
					s = strings.ToLower(s)
				}
				line += fmt.Sprintf("%v %s|", cell == nil, s)
			}
			lines = append(lines, line)
		}
		return lines
	}
	same, different := 0, 0
	for range 20_000 {
		a, b := rows(), rows()
		for _, policy := range []compare.Policy{{}, {Fold: true}, {Once: true}, {Order: compare.OrderStrict}} {
			x, y := plainly(a, policy.Fold), plainly(b, policy.Fold)
			if policy.Order != compare.OrderStrict {
				slices.Sort(x)
				slices.Sort(y)
			}
			if policy.Once {
				x, y = slices.Compact(x), slices.Compact(y)
			}
			want := slices.Equal(x, y)
			if got, _ := verdict(
				policy, resultSet{Columns: columns, Rows: a}, nil, false, resultSet{Columns: columns, Rows: b},
			); got != want {
				t.Fatalf("%+v: got %v, want %v: %q and %q", policy, got, want, a, b)
			}
			if want {
				same++
			} else {
				different++
			}
		}
	}
	if same < 1000 || different < 1000 {
		t.Errorf("%d pairs were the same and %d were not: that tells little", same, different)
	}
}
