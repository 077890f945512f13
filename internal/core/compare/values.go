package compare

import (
	"bytes"
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"examen/internal/core/result"
)

// valueFindings pairs missing with extra rows by the columns that agree. It returns nil where they cannot be paired so,
// which is where no column agrees and there are several rows.
func (d *diff) valueFindings(facts *Facts) []Finding {
	var agreeing, differ []int // compared places
	for i := range d.refCells {
		if d.agrees(i) {
			agreeing = append(agreeing, i)
		} else {
			differ = append(differ, i)
		}
	}
	var partner []int
	switch {
	case len(differ) == 0:
		return nil
	case len(agreeing) > 0:
		partner = d.partners(agreeing)
	case len(d.missing) == 1 && len(d.reference) == 1:
		partner = d.missing
	}
	if partner == nil {
		return nil
	}
	var findings []Finding
	for _, i := range differ {
		findings = append(findings, d.valueFinding(i, partner, facts))
	}
	return findings
}

// agrees tells whether the missing and the extra rows hold the same values at a place.
func (d *diff) agrees(place int) bool {
	waiting := map[string]int{}
	for _, m := range d.missing {
		waiting[string(result.AppendCell(nil, d.reference[m][d.refCells[place]], &d.refReadings[place]))]++
	}
	for _, e := range d.extra {
		k := string(result.AppendCell(nil, d.attempt[e][d.attCells[place]], &d.attReadings[place]))
		if waiting[k]--; waiting[k] < 0 {
			return false
		}
	}
	return true
}

// partners gives each extra row the missing row that agrees with it at the given places; nil if one has none.
func (d *diff) partners(places []int) []int {
	key := func(row result.Row, cells []int, readings []result.Reading) string {
		var b []byte
		for _, i := range places {
			b = result.AppendCell(b, row[cells[i]], &readings[i])
		}
		return string(b)
	}
	waiting := map[string][]int{}
	for _, m := range d.missing {
		k := key(d.reference[m], d.refCells, d.refReadings)
		waiting[k] = append(waiting[k], m)
	}
	partner := make([]int, len(d.extra))
	for n, e := range d.extra {
		k := key(d.attempt[e], d.attCells, d.attReadings)
		if len(waiting[k]) == 0 {
			return nil
		}
		partner[n], waiting[k] = waiting[k][0], waiting[k][1:]
	}
	return partner
}

// valueFinding says how the values at a place differ.
func (d *diff) valueFinding(place int, partner []int, facts *Facts) Finding {
	cell := d.attCells[place]
	name := d.Plan.attempt[cell].Name
	f := Finding{
		Kind:    ValuesDiffer,
		Places:  []int{cell + 1},
		Given:   []string{name},
		Got:     int64(len(d.attempt)),
		Want:    int64(len(d.reference)),
		Reveals: true,
	}
	f.Columns = append(names(d.Plan.attempt), "expected")
	var pairs []CellPair
	if f.What = d.shifted(place, partner); f.What != "" {
		f.Kind = ValuesShifted
	}
	for n, e := range d.extra {
		expected := d.reference[partner[n]][d.refCells[place]]
		if same(&d.refReadings[place], &d.attReadings[place], expected, d.attempt[e][cell]) {
			continue
		}
		pairs = append(pairs, CellPair{cell, d.attempt[e][cell], expected})
		if f.Count++; f.Count <= EvidenceRows {
			f.Rows = append(f.Rows, append(slices.Clone(d.attempt[e]), expected))
		}
	}
	facts.Pairs = append(facts.Pairs, pairs[:min(len(pairs), factRows)]...)
	if f.Kind == ValuesDiffer {
		f.way(d.refReadings[place], pairs)
	}
	return f
}

// way says in which way all of the values differ, if there is one.
func (f *Finding) way(reading result.Reading, pairs []CellPair) bool {
	for _, way := range []func(result.Reading, []CellPair) (Kind, string){nulls, factor} {
		if kind, what := way(reading, pairs); kind != "" {
			f.Kind, f.What = kind, what
			return true
		}
	}
	if f.Rounding = rounded(reading, pairs); f.Rounding != nil {
		f.Kind = ValuesRounded
		return true
	}
	for _, way := range []func(result.Reading, []CellPair) (Kind, string){constant, letters} {
		if kind, what := way(reading, pairs); kind != "" {
			f.Kind, f.What = kind, what
			return true
		}
	}
	if off := days(reading, pairs); off != 0 {
		f.Kind, f.What, f.Times = ValuesDay, "late", int64(off)
		if off < 0 {
			f.What, f.Times = "early", int64(-off)
		}
		return true
	}
	return false
}

// everyRow is for results of which no row is right, or no row of a single column: it tells in which way one column's
// values differ from the expected ones, where they do so alike in all rows. Rows are compared as they
// stand; those of a single column by the order of their values, too.
func (d *diff) everyRow(facts *Facts) *Finding {
	single := len(d.refCells) == 1
	if !single && (len(d.extra) < len(d.attempt) || len(d.missing) < len(d.reference)) || len(d.extra) < 2 {
		return nil
	}
	if len(d.attempt) != len(d.reference) {
		return nil
	}
	var best *Finding
	var of []CellPair
	for place, cell := range d.attCells {
		got, want := make([][]byte, len(d.attempt)), make([][]byte, len(d.attempt))
		for i := range d.attempt {
			got[i], want[i] = d.attempt[i][cell], d.reference[i][d.refCells[place]]
		}
		for _, sorted := range []bool{false, true} {
			if sorted && !single {
				break
			}
			if sorted {
				byValue(d.refReadings[place], got)
				byValue(d.refReadings[place], want)
			}
			f := Finding{Kind: ValuesDiffer, Places: []int{cell + 1}, Given: []string{
				d.Plan.attempt[cell].Name,
			}, Count: int64(len(d.extra)), Got: int64(len(d.attempt)), Want: int64(len(d.reference)),
				Reveals: true, Columns: []string{d.Plan.attempt[cell].Name, "expected"}}
			var pairs []CellPair
			for i := range got {
				pairs = append(pairs, CellPair{cell, got[i], want[i]})
				if i < EvidenceRows {
					f.Rows = append(f.Rows, result.Row{got[i], want[i]})
				}
			}
			if best == nil && f.way(d.refReadings[place], pairs) && f.Kind != ValuesNull {
				best, of = &f, pairs
			}
		}
	}
	facts.Pairs = append(facts.Pairs, of[:min(len(of), factRows)]...)
	return best
}

// byValue sorts values: numbers by their size, other values by their text without regard to case and spaces. NULLs come
// last.
func byValue(reading result.Reading, cells [][]byte) {
	slices.SortStableFunc(cells, func(a, b []byte) int {
		switch {
		case a == nil || b == nil:
			return cmp.Compare(map[bool]int{true: 1}[a == nil], map[bool]int{true: 1}[b == nil])
		case reading.Family == result.Number || reading.Family == result.Float:
			return cmp.Compare(number(a), number(b))
		}
		return cmp.Compare(
			strings.ToLower(strings.Join(strings.Fields(string(a)), "")),
			strings.ToLower(strings.Join(strings.Fields(string(b)), "")),
		)
	})
}

// shifted tells that the values at a place are those of the row before ("before") or behind ("behind"), as the expected
// rows stand.
func (d *diff) shifted(place int, partner []int) string {
	if len(d.attempt) != len(d.reference) || len(d.extra) < 3 {
		return ""
	}
	got := make([][]byte, len(d.reference)) // beside each expected row
	for i := range got {
		got[i] = d.reference[i][d.refCells[place]]
	}
	for n, e := range d.extra {
		got[partner[n]] = d.attempt[e][d.attCells[place]]
	}
	r, a := &d.refReadings[place], &d.attReadings[place]
	for _, way := range []struct {
		name string
		by   int
	}{{"before", -1}, {"behind", 1}} {
		holds, differ := true, map[string]bool{}
		for i := range got {
			if at := i + way.by; at >= 0 && at < len(got) {
				expected := d.reference[at][d.refCells[place]]
				holds = holds && same(r, a, expected, got[i])
				differ[string(expected)] = true
			}
		}
		if holds && len(differ) > 2 {
			return way.name
		}
	}
	return ""
}

// constant is for numbers that are all off by the same.
func constant(reading result.Reading, pairs []CellPair) (Kind, string) {
	var off *apd.Decimal
	context := apd.BaseContext.WithPrecision(50)
	values := map[string]bool{}
	for _, n := range decimals(reading, pairs) {
		var by apd.Decimal
		if _, err := context.Sub(&by, n[0], n[1]); err != nil {
			return "", ""
		}
		by.Reduce(&by)
		if off == nil {
			off = &by
		}
		x, _ := by.Float64()
		y, _ := off.Float64()
		if math.Abs(x-y) > 1e-9*math.Abs(y) {
			return "", ""
		}
		values[n[1].String()] = true
	}
	if off == nil || off.IsZero() || len(values) < 3 {
		return "", ""
	}
	x, _ := off.Float64()
	return ValuesConstant, strconv.FormatFloat(x, 'g', 9, 64)
}

// nulls is for values of which one is NULL and the other is not, always the same way.
func nulls(_ result.Reading, pairs []CellPair) (Kind, string) {
	what := ""
	for _, p := range pairs {
		now := "expected"
		switch {
		case p.Got == nil && p.Expected != nil:
			now = "unexpected"
		case p.Got != nil && p.Expected != nil:
			return "", ""
		}
		if what != "" && what != now {
			return "", ""
		}
		what = now
	}
	return ValuesNull, what
}

// decimals reads the numbers of pairs without NULL; nil if one is none.
func decimals(reading result.Reading, pairs []CellPair) [][2]*apd.Decimal {
	if reading.Tag != "" || reading.Family != result.Number && reading.Family != result.Float {
		return nil
	}
	numbers := make([][2]*apd.Decimal, len(pairs))
	for i, p := range pairs {
		for side, cell := range [2][]byte{p.Got, p.Expected} {
			d, _, err := apd.NewFromString(string(cell))
			if err != nil || d.Form != apd.Finite {
				return nil
			}
			numbers[i][side] = d
		}
	}
	return numbers
}

// factor is for numbers that are all the same multiple of those expected.
func factor(reading result.Reading, pairs []CellPair) (Kind, string) {
	ratio := math.NaN()
	values := map[string]bool{}
	for _, n := range decimals(reading, pairs) {
		got, _ := n[0].Float64()
		want, _ := n[1].Float64()
		if want == 0 || got == 0 {
			if want == got {
				continue
			}
			return "", ""
		}
		if math.IsNaN(ratio) {
			ratio = got / want
		}
		if math.Abs(got/want-ratio) > 1e-9*math.Abs(ratio) {
			return "", ""
		}
		values[n[1].String()] = true
	}
	usual := slices.ContainsFunc([]float64{10, 100, 1000, 60, 3600, 24, 7, 12, -1}, func(x float64) bool {
		return math.Abs(ratio-x) < 1e-9 || math.Abs(ratio*x-1) < 1e-9
	})
	if math.IsNaN(ratio) || math.Abs(ratio-1) < 1e-3 || len(values) < 3 && !(usual && (len(values) > 1 ||
		len(pairs) == 1)) {
		return "", ""
	}
	return ValuesFactor, strconv.FormatFloat(ratio, 'g', 6, 64)
}

// rounded is for numbers that one side gives with fewer decimals than the other; nil where they do not come of each
// other so.
func rounded(reading result.Reading, pairs []CellPair) *Rounding {
	numbers := decimals(reading, pairs)
	if numbers == nil {
		return nil
	}
	fewest := [2]int32{}
	for _, n := range numbers {
		for side := range n {
			d := new(apd.Decimal)
			d.Reduce(n[side])
			fewest[side] = max(fewest[side], -d.Exponent)
		}
	}
	coarse := 0
	if fewest[1] < fewest[0] {
		coarse = 1
	}
	for _, mode := range []apd.Rounder{apd.RoundHalfUp, apd.RoundDown} {
		context := apd.BaseContext.WithPrecision(2000)
		context.Rounding = mode
		// zeros tell nothing
		holds := fewest[0] != fewest[1] && slices.ContainsFunc(
			numbers, func(n [2]*apd.Decimal) bool { return !n[coarse].IsZero() },
		)
		for _, n := range numbers {
			var r apd.Decimal
			_, err := context.Quantize(&r, n[1-coarse], -max(fewest[coarse], 0))
			if err != nil || r.Cmp(n[coarse]) != 0 {
				holds = false
				break
			}
		}
		if holds {
			return &Rounding{
				Attempt: coarse == 0, Cut: mode == apd.RoundDown, Decimals: int(max(fewest[coarse], 0)),
			}
		}
	}
	return nil
}

// letters is for texts that differ only in case, or only in spaces.
func letters(reading result.Reading, pairs []CellPair) (Kind, string) {
	if reading.Family != result.Text || reading.Tag != "" {
		return "", ""
	}
	byCase, bySpaces := true, true
	for _, p := range pairs {
		if p.Got == nil || p.Expected == nil {
			return "", ""
		}
		byCase = byCase && strings.EqualFold(string(p.Got), string(p.Expected))
		bySpaces = bySpaces && bytes.Equal(
			bytes.Join(bytes.Fields(p.Got), nil), bytes.Join(bytes.Fields(p.Expected), nil),
		)
	}
	switch {
	case byCase:
		return ValuesCase, ""
	case bySpaces:
		return ValuesSpaces, ""
	}
	return "", ""
}

// days is by how many days dates and instants are all late, or early where it is below zero; 0 where they are not.
func days(reading result.Reading, pairs []CellPair) int {
	if reading.Family != result.Instant {
		return 0
	}
	off := 0
	for _, p := range pairs {
		now, ok := result.DaysApart(p.Got, p.Expected)
		if !ok || now == 0 || off != 0 && now != off {
			return 0
		}
		off = now
	}
	if len(pairs) < 2 && off != 1 && off != -1 {
		return 0
	}
	return off
}
