package compare

import (
	"cmp"
	"math"
	"slices"
	"strconv"

	"examen/internal/core/result"
)

// A diff holds both sides' rows by their keys.
type diff struct {
	*Plan
	tied
	reference, attempt []result.Row
	refKeys, attKeys   []string
	missing            []int // rows of the reference that the attempt lacks
	extra              []int // rows of the attempt that the reference lacks
}

func (d *diff) differs() bool { return len(d.missing) > 0 || len(d.extra) > 0 }

func (p *Plan) diff(reference tied, attempt []result.Row) *diff {
	d := &diff{Plan: p, tied: reference, reference: reference.rows, attempt: attempt,
		refKeys: keys(reference.rows, p.refCells, p.refReadings), attKeys: keys(attempt, p.attCells, p.attReadings)}
	if p.policy.Once {
		d.missing, d.extra = absent(d.refKeys, d.attKeys), absent(d.attKeys, d.refKeys)
	} else {
		d.count()
	}
	d.forgiveNear()
	return d
}

// count finds the rows of which one side has more copies than the other.
func (d *diff) count() {
	surplus := map[string]int{} // copies in the reference less copies in the attempt
	for _, k := range d.refKeys {
		surplus[k]++
	}
	for i, k := range d.attKeys {
		if surplus[k]--; surplus[k] < 0 {
			d.extra = append(d.extra, i)
		}
	}
	for i := len(d.refKeys) - 1; i >= 0; i-- { // from the end, so that the copies named are the later ones
		if k := d.refKeys[i]; surplus[k] > 0 {
			surplus[k]--
			d.missing = append(d.missing, i)
		}
	}
	slices.Reverse(d.missing)
}

// absent returns the places in a of the keys that b does not have, each key once.
func absent(a, b []string) []int {
	seen := map[string]bool{}
	for _, k := range b {
		seen[k] = true
	}
	var places []int
	for i, k := range a {
		if !seen[k] {
			seen[k] = true
			places = append(places, i)
		}
	}
	return places
}

func keys(rows []result.Row, cells []int, readings []result.Reading) []string {
	s := make([]string, len(rows))
	var b []byte
	for i, row := range rows {
		b = result.AppendKey(b[:0], row, cells, readings)
		s[i] = string(b)
	}
	return s
}

// forgiveNear removes pairs of a missing and an extra row that differ only in numbers that agree to the digits that
// count. Afterwards each of these rows has the key of its partner.
func (d *diff) forgiveNear() {
	if len(d.missing) == 0 || len(d.extra) == 0 || !d.inexact() || len(d.missing) != len(d.extra) && !d.policy.Once {
		return
	}
	partners := map[string][]waiting{} // by what is exact
	for _, m := range d.missing {
		k, first := inexactly(d.reference[m], d.refCells, d.refReadings)
		partners[k] = append(partners[k], waiting{m, first})
	}
	for _, rows := range partners {
		slices.SortFunc(rows, func(a, b waiting) int { return cmp.Compare(a.number, b.number) })
	}
	paired := map[int]bool{}
	var extra []int
	for _, e := range d.extra {
		k, value := inexactly(d.attempt[e], d.attCells, d.attReadings)
		rows := partners[k]
		reach := 0.0
		for _, r := range d.attReadings {
			reach = max(reach, r.Reach(value))
		}
		from, _ := slices.BinarySearchFunc(
			rows, value-reach, func(w waiting, x float64) int { return cmp.Compare(w.number, x) },
		)
		found := false
		for _, w := range rows[from:] {
			if w.number > value+reach || found {
				break
			}
			if !paired[w.place] && d.near(d.reference[w.place], d.attempt[e]) {
				d.attKeys[e] = d.refKeys[w.place]
				paired[w.place], found = true, true
			}
		}
		if !found {
			extra = append(extra, e)
		}
	}
	d.missing = slices.DeleteFunc(d.missing, func(m int) bool { return paired[m] })
	d.extra = extra
}

// waiting is a missing row, with the first of its numbers that are not exact.
type waiting struct {
	place  int
	number float64
}

// number parses a number; anything else gives zero.
func number(cell []byte) float64 {
	x, err := strconv.ParseFloat(string(cell), 64)
	if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
		return 0
	}
	return x
}

// inexactly returns a row's key without its inexact numbers, and the first of these.
func inexactly(row result.Row, cells []int, readings []result.Reading) (key string, first float64) {
	var b []byte
	any := false
	for i, cell := range cells {
		if !readings[i].Inexact() || row[cell] == nil {
			b = result.AppendCell(b, row[cell], &readings[i])
			continue
		}
		var number float64
		var found bool
		if b, number, found = readings[i].Inexactly(b, row[cell]); found && !any {
			first, any = number, true
		}
	}
	return string(b), first
}

// near tells whether two rows that agree in everything else agree in their inexact numbers, too.
func (d *diff) near(reference, attempt result.Row) bool {
	for i := range d.refCells {
		if d.refReadings[i].Inexact() && !same(
			&d.refReadings[i], &d.attReadings[i], reference[d.refCells[i]], attempt[d.attCells[i]],
		) {
			return false
		}
	}
	return true
}

// facts returns what the rows show, with the attempt's columns as they stand.
func (d *diff) facts() Facts {
	got, want := int64(len(d.attempt)), int64(len(d.reference))
	f := Facts{Columns: d.Plan.attempt, MissingCount: int64(
		len(d.missing),
	), ExtraCount: int64(len(d.extra)), Got: got, Want: want, Sorted: len(
		d.Plan.reference.Keys,
	) > 0,
		Expected: make([]result.Type, len(d.Plan.attempt))}
	for i, cell := range d.attCells {
		f.Expected[cell] = d.Plan.reference.Columns[i].Type
	}
	for _, m := range d.missing[:min(len(d.missing), factRows)] {
		row := make(result.Row, len(d.attCells))
		for i, cell := range d.attCells {
			row[cell] = d.reference[m][d.refCells[i]]
		}
		f.Missing = append(f.Missing, row)
	}
	for _, e := range d.extra[:min(len(d.extra), factRows)] {
		f.Extra = append(f.Extra, d.attempt[e])
	}
	next := 0
	for i, row := range d.attempt {
		if next < len(d.extra) && d.extra[next] == i {
			next++
		} else if len(f.Present) < factRows {
			f.Present = append(f.Present, row)
		}
	}
	f.Leading = len(d.missing) == 0 && len(d.extra) > 0 && d.extra[0] == len(d.reference)
	f.SameSet = len(absent(at(d.attKeys, d.extra), d.refKeys)) == 0 &&
		len(absent(at(d.refKeys, d.missing), d.attKeys)) == 0
	return f
}

func at(keys []string, places []int) []string {
	s := make([]string, len(places))
	for i, place := range places {
		s[i] = keys[place]
	}
	return s
}

// rowFindings returns the findings for sides that do not hold the same rows.
func (d *diff) rowFindings(facts *Facts) []Finding {
	got, want := int64(len(d.attempt)), int64(len(d.reference))
	if got == 0 {
		return []Finding{{Kind: ResultEmpty, Want: want}}
	}
	if len(d.missing) == len(d.extra) {
		if findings := d.valueFindings(facts); findings != nil {
			return findings
		}
		if finding := d.everyRow(facts); finding != nil {
			return []Finding{*finding}
		}
	}
	var findings []Finding
	if len(d.extra) > 0 {
		f := Finding{Kind: RowsExtra, Count: int64(len(d.extra)), Got: got, Want: want, Columns: names(d.Plan.attempt)}
		if len(absent(at(d.attKeys, d.extra), d.refKeys)) == 0 {
			f.Kind = RowsRepeated
			if times := d.multiplied(); times > 1 {
				f.Kind, f.Times = RowsMultiplied, times
			}
		}
		f.Rows = evidence(d.attempt, d.extra, len(d.Plan.attempt))
		findings = append(findings, f)
	}
	if len(d.missing) > 0 {
		f := Finding{Kind: RowsMissing, Count: int64(len(d.missing)), Got: got, Want: want, Reveals: true}
		if len(absent(at(d.refKeys, d.missing), d.attKeys)) == 0 {
			f.Kind = DuplicatesRemoved
		}
		f.Columns = names(d.Plan.reference.Columns)
		f.Rows = evidence(d.reference, d.missing, len(d.Plan.reference.Columns))
		findings = append(findings, f)
	}
	return findings
}

// multiplied returns how many times every expected row occurs; 0 if that differs from row to row, or if there are few
// expected rows.
func (d *diff) multiplied() int64 {
	if len(d.reference) < 2 || len(d.missing) > 0 || len(d.attempt)%len(d.reference) != 0 {
		return 0
	}
	times := len(d.attempt) / len(d.reference)
	count := map[string]int{}
	for _, k := range d.refKeys {
		count[k] += times
	}
	for _, k := range d.attKeys {
		count[k]--
	}
	for _, n := range count {
		if n != 0 {
			return 0
		}
	}
	return int64(times)
}

func evidence(rows []result.Row, places []int, columns int) []result.Row {
	var e []result.Row
	for _, place := range places[:min(len(places), EvidenceRows)] {
		e = append(e, rows[place][:columns])
	}
	return e
}
