package compare_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// many is a result set that is too large to be held in memory: a key, a number, a float and a text of few values.
func many(rows int) resultSet {
	s := resultSet{Columns: set("id:i grade:i share:f kind:t").Columns}
	for i := range rows {
		s.Rows = append(
			s.Rows,
			result.Row{
				fmt.Append(nil, i), fmt.Append(nil, i%7), fmt.Append(nil, float64(i)/8),
				[]byte([]string{"log", "box", "skep"}[i%3]),
			},
		)
	}
	return s
}

func (s resultSet) with(change func(rows []result.Row) []result.Row) resultSet {
	return resultSet{Columns: s.Columns, Rows: change(slices.Clone(s.Rows))}
}

// Above the bounds of memory the verdict is exact all the same, and findings say how many rows were looked at.
func TestLargeSides(t *testing.T) {
	reference := many(compare.PairRows + 50_000)
	swap := func(rows []result.Row, i int, cell int, value string) {
		rows[i] = slices.Clone(rows[i])
		rows[i][cell] = []byte(value)
	}
	r := rand.New(rand.NewPCG(5, 6))
	for _, c := range []struct {
		name   string
		policy compare.Policy
		keys   []int
		change func(rows []result.Row) []result.Row
		want   string // "" is right, otherwise kind and count
		looked bool   // the finding is of some rows only
	}{
		{name: "the same", change: func(rows []result.Row) []result.Row { return rows }},
		{name: "in another order", change: func(rows []result.Row) []result.Row {
			r.Shuffle(len(rows), func(i, j int) { rows[i], rows[j] = rows[j], rows[i] })
			return rows
		}},
		{name: "two values differ", want: "values-differ 2", change: func(rows []result.Row) []result.Row {
			swap(rows, 70_000, 1, "99")
			swap(rows, 120_001, 1, "98")
			return rows
		}},
		{
			name:   "three rows missing",
			want:   "rows-missing 3",
			change: func(rows []result.Row) []result.Row { return slices.Delete(rows, 110_000, 110_003) },
		},
		{
			name:   "a row twice",
			want:   "rows-repeated 1",
			change: func(rows []result.Row) []result.Row { return append(rows, rows[3]) },
		},
		{name: "every value doubled", want: "values-factor", looked: true,
			change: func(rows []result.Row) []result.Row {
				for i := range rows {
					swap(rows, i, 2, fmt.Sprint(float64(i)/4))
				}
				return rows
			}},
		{
			name:   "half of the rows",
			want:   "rows-missing",
			looked: true,
			change: func(rows []result.Row) []result.Row { return rows[:len(rows)/2] },
		},
		{name: "floats with noise in a few rows", change: func(rows []result.Row) []result.Row {
			for i := 1000; i < 100_000; i += 997 {
				swap(rows, i, 2, fmt.Sprint(float64(i)/8*(1+4e-13)))
			}
			return rows
		}},
		{name: "floats with noise, and one that differs", want: "values-differ 1",
			change: func(rows []result.Row) []result.Row {
				for i := 1000; i < 100_000; i += 997 {
					swap(rows, i, 2, fmt.Sprint(float64(i)/8*(1+4e-13)))
				}
				swap(rows, 7, 2, "0.7")
				return rows
			}},
		{name: "in order", keys: []int{0}, change: func(rows []result.Row) []result.Row { return rows }},
		{name: "in order, with noise", keys: []int{0}, change: func(rows []result.Row) []result.Row {
			swap(rows, 80_000, 2, fmt.Sprint(float64(80_000)/8*(1+4e-13)))
			return rows
		}},
		{name: "two rows out of order", keys: []int{0}, want: "row-order 90001",
			change: func(rows []result.Row) []result.Row {
				rows[90_000], rows[90_001] = rows[90_001], rows[90_000]
				return rows
			}},
		{name: "nothing", want: "result-empty 0", change: func([]result.Row) []result.Row { return nil }},
		{name: "columns in any order", policy: compare.Policy{
			Columns: compare.ByContent,
		}, change: func(rows []result.Row) []result.Row {
			for i, row := range rows {
				rows[i] = result.Row{row[2], row[0], row[3], row[1]}
			}
			return rows
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			attempt := reference.with(c.change)
			if c.policy.Columns == compare.ByContent {
				attempt.Columns = []result.Column{
					reference.Columns[2], reference.Columns[0], reference.Columns[3], reference.Columns[1],
				}
			}
			right, findings := verdict(c.policy, reference, c.keys, c.keys != nil, attempt)
			switch {
			case right != (c.want == ""):
				t.Fatalf("right is %v: %+v", right, findings)
			case right:
			case c.looked && (string(findings[0].Kind) != c.want || findings[0].Looked == 0 ||
				findings[0].Looked > 10_000):
				t.Errorf("got %s, %d looked at", findings[0].Kind, findings[0].Looked)
			case !c.looked && fmt.Sprint(findings[0].Kind, " ", findings[0].Count) != c.want:
				t.Errorf("got %s %d, want %s", findings[0].Kind, findings[0].Count, c.want)
			}
		})
	}
}

// A hundred columns, all of the same values in another order of rows each, are paired without trying all their orders.
func TestAHundredColumnsArePairedByContent(t *testing.T) {
	const columns, rows = 100, 40
	r := rand.New(rand.NewPCG(7, 8))
	reference := resultSet{}
	for c := range columns {
		reference.Columns = append(
			reference.Columns, result.Column{Name: fmt.Sprint("c", c), Type: result.Type{OID: 23}},
		)
	}
	for range rows {
		reference.Rows = append(reference.Rows, make(result.Row, columns))
	}
	for c := range columns {
		for i, v := range r.Perm(rows) {
			reference.Rows[i][c] = fmt.Append(nil, v%5)
		}
	}
	order := r.Perm(columns)
	shuffled := func() resultSet {
		out := resultSet{Columns: make([]result.Column, columns)}
		for to, from := range order {
			out.Columns[to] = reference.Columns[from]
		}
		for _, row := range reference.Rows {
			other := make(result.Row, columns)
			for to, from := range order {
				other[to] = row[from]
			}
			out.Rows = append(out.Rows, other)
		}
		r.Shuffle(rows, func(i, j int) { out.Rows[i], out.Rows[j] = out.Rows[j], out.Rows[i] })
		return out
	}
	attempt := shuffled()
	if right, findings := verdict(compare.Policy{Columns: compare.ByContent}, reference, nil, false, attempt); !right {
		t.Errorf("got %+v", findings)
	}
	if right, findings := verdict(compare.Policy{}, reference, nil, false, attempt); right ||
		findings[0].Kind != compare.ColumnsSwapped {
		t.Errorf("by position: got %v %+v", right, findings)
	}
	attempt.Rows[3][50] = []byte("77")
	right, findings := verdict(compare.Policy{Columns: compare.ByContent}, reference, nil, false, attempt)
	if right || len(findings) != 1 || findings[0].Kind != compare.ValuesDiffer || findings[0].Count != 1 ||
		findings[0].Places[0] != 51 {
		t.Errorf("one value differs: got %v %+v", right, findings)
	}
}

// Columns that hold the same, and columns that only trial tells apart.
func TestAlikeColumnsArePairedByTrial(t *testing.T) {
	for _, c := range []struct{ reference, attempt string }{
		{"a:i b:i c:i | 1 1 2 | 3 3 4", "x:i y:i z:i | 2 1 1 | 4 3 3"},
		{"a:i b:i | 0 1 | 1 0", "x:i y:i | 1 0 | 0 1"},
		{
			"a:i b:i c:i d:i | 0 1 0 1 | 1 0 1 0 | 0 1 1 0 | 1 0 0 1",
			"x:i y:i z:i w:i | 1 1 0 0 | 0 0 1 1 | 1 0 0 1 | 0 1 1 0",
		},
		{"a:f b:n | 0.1 7 | 0.30000000000000004 8", "x:n y:f | 7 0.1 | 8 0.3"},
		{"a:i b:t | ~ x | 1 ~", "x:t y:i | x ~ | ~ 1"},
	} {
		if right, findings := verdict(
			compare.Policy{Columns: compare.ByContent}, set(c.reference), nil, false, set(c.attempt),
		); !right {
			t.Errorf("%s and %s: %+v", c.reference, c.attempt, findings)
		}
	}
}

// A query that gives other rows each time it is run is not right because each run is right where another was wrong.
func TestRowsThatChangeFromRunToRunAreNotPutTogether(t *testing.T) {
	whole := many(compare.PairRows + 50_000)
	for _, columns := range [][]int{{0, 1, 3}, {0, 2}} { // without a float, and with one
		reference := resultSet{}
		for _, c := range columns {
			reference.Columns = append(reference.Columns, whole.Columns[c])
		}
		for _, row := range whole.Rows {
			var some result.Row
			for _, c := range columns {
				some = append(some, row[c])
			}
			reference.Rows = append(reference.Rows, some)
		}
		plan, _ := compare.NewPlan(compare.Policy{}, compare.Reference{Columns: reference.Columns}, reference.Columns)
		digest := func(d *compare.Digester, rows []result.Row) *compare.Digest {
			for _, row := range rows {
				d.Add(row)
			}
			return d.Digest()
		}
		runs := 0
		run := func() []result.Row {
			rows := slices.Clone(reference.Rows)
			rows[runs*1000] = slices.Clone(rows[runs*1000])
			rows[runs*1000][1] = []byte("7777")
			runs++
			return rows
		}
		a := digest(plan.Reference(int64(len(reference.Rows))), reference.Rows)
		b := digest(plan.Attempt(a), run())
		verdict, _, err := plan.Differences(side(
			a, reference.Rows,
		), compare.Side{Digest: b, Rows: func(yield func(result.Row) error) error {
			for _, row := range run() {
				if err := yield(row); err != nil {
					return err
				}
			}
			return nil
		}})
		if err != nil || plan.Match(a, b) || verdict == compare.Right {
			t.Errorf("columns %v: verdict %v, %v", columns, verdict, err)
		}
	}
}

// Without floats, columns that hold no expected values show that a large result is wrong, whichever way they are
// paired.
func TestLargeColumnsThatNoPairingFits(t *testing.T) {
	reference := many(compare.PairRows + 50_000)
	without := func(rows []result.Row, grade string) (s resultSet) {
		s.Columns = []result.Column{reference.Columns[1], reference.Columns[0]}
		for _, row := range rows {
			s.Rows = append(s.Rows, result.Row{append([]byte(grade), row[1]...), row[0]})
		}
		return s
	}
	right := without(reference.Rows, "")
	if ok, findings := verdict(
		compare.Policy{Columns: compare.ByContent}, right, nil, false,
		resultSet{Columns: right.Columns, Rows: right.Rows},
	); !ok {
		t.Errorf("got %+v", findings)
	}
	if ok, findings := verdict(
		compare.Policy{Columns: compare.ByContent}, right, nil, false, without(reference.Rows, "9"),
	); ok || findings[0].Kind != compare.TooLargeToPair {
		t.Errorf("got %v %+v", ok, findings)
	}
}

// What is picked of a large reference is kept for the next attempt, which is told the same as if it were read again.
func TestASampleSavesReadingTheReferenceAgain(t *testing.T) {
	reference := many(compare.PairRows + 30_000)
	doubled := func(column int) resultSet {
		return reference.with(func(rows []result.Row) []result.Row {
			for i := range rows {
				rows[i] = slices.Clone(rows[i])
				rows[i][column] = append([]byte("1"), rows[i][column]...)
			}
			return rows
		})
	}
	half := reference.with(func(rows []result.Row) []result.Row { return rows[:len(rows)/2] })
	twice := reference.with(func(rows []result.Row) []result.Row { return append(rows, rows...) })
	var digest *compare.Digest
	reads := 0
	sample := &compare.Sample{}
	findings := func(attempt resultSet, sample *compare.Sample) string {
		plan, _ := compare.NewPlan(compare.Policy{}, compare.Reference{Columns: reference.Columns}, attempt.Columns)
		if digest == nil {
			d := plan.Reference(int64(len(reference.Rows)))
			for _, row := range reference.Rows {
				d.Add(row)
			}
			digest = d.Digest()
		}
		d := plan.Attempt(digest)
		for _, row := range attempt.Rows {
			d.Add(row)
		}
		ref := side(digest, reference.Rows)
		rows := ref.Rows
		ref.Rows = func(yield func(result.Row) error) error { reads++; return rows(yield) }
		ref.Sample = sample
		verdict, difference, err := plan.Differences(ref, side(d.Digest(), attempt.Rows))
		if err != nil || verdict != compare.Wrong {
			t.Fatal(verdict, err)
		}
		return fmt.Sprintf("%+v", difference.Findings)
	}
	for _, c := range []struct {
		name    string
		attempt resultSet
		reads   int // of the reference, with the sample
	}{
		{"the first that differs in every row", doubled(1), 1},
		{"another", doubled(2), 0},
		{"once more", doubled(1), 0},
		{"half of the rows", half, 0},
		{"twice the rows are picked otherwise", twice, 1},
		{"and so is what comes then", doubled(2), 1},
	} {
		want := findings(c.attempt, nil)
		reads = 0
		if got := findings(c.attempt, sample); got != want || reads != c.reads {
			t.Errorf("%s: %d reads, want %d\n got %.300s\nwant %.300s", c.name, reads, c.reads, got, want)
		}
	}
}

// Rows of nothing but floats are not picked by their values, which rounding may part: what differs is not told, and
// with as many rows on both sides not even that anything does.
func TestManyRowsOfFloats(t *testing.T) {
	floats := func(rows int, shift float64) resultSet {
		s := resultSet{Columns: set("share:f").Columns}
		for i := range rows {
			s.Rows = append(s.Rows, result.Row{fmt.Append(nil, float64(i)+shift)})
		}
		return s
	}
	const rows = compare.PairRows + 30_000
	reference := floats(rows, 0)
	for want, attempt := range map[compare.Verdict]resultSet{
		compare.Open: floats(rows, 0.25), compare.Wrong: floats(rows/2, 0.25),
	} {
		plan, _ := compare.NewPlan(compare.Policy{}, compare.Reference{Columns: reference.Columns}, attempt.Columns)
		digest := func(d *compare.Digester, rows []result.Row) *compare.Digest {
			for _, row := range rows {
				d.Add(row)
			}
			return d.Digest()
		}
		right := side(digest(plan.Reference(rows), reference.Rows), reference.Rows)
		right.Sample = &compare.Sample{}
		own := side(digest(plan.Attempt(right.Digest), attempt.Rows), attempt.Rows)
		if got, _, err := plan.Differences(right, own); got != want || err != nil {
			t.Errorf("got %v, want %v: %v", got, want, err)
		}
	}
}

// LIMIT without an order lets any rows of a large table through: those of the attempt are looked for among all of them.
func TestAChoiceOfVeryManyRowsThatTie(t *testing.T) {
	reference := set("n:i t:t")
	for i := range 250_000 {
		reference.Rows = append(reference.Rows, result.Row{fmt.Append(nil, i), []byte("x")})
	}
	reference.Window = &compare.Window{Take: 3}
	for attempt, want := range map[string]string{
		"n:i t:t | 7 x | 249999 x | 123456 x": "", "n:i t:t | 7 x | 250000 x | 123456 x": "rows-extra 1",
		"n:i t:t | 7 x | 7 x | 123456 x": "too-large-to-pair 0",
		"n:i t:t | 7 x | 8 x":            "rows-missing 1", "n:i t:t | 7 x | 8 x | 9 x | 10 x": "rows-extra 1",
	} {
		right, findings := verdict(compare.Policy{}, reference, nil, false, set(attempt))
		got := ""
		if !right {
			got = fmt.Sprint(findings[0].Kind, " ", findings[0].Count)
		}
		if got != want {
			t.Errorf("%s: got %q, want %q", attempt, got, want)
		}
	}
}
