package compare

import (
	"cmp"
	"math"
	"slices"
	"strconv"

	"examen/internal/core/result"
)

// Differences says how the attempt's rows differ from the reference's. It decides anew, by the rows themselves, whether the
// sides match: where floats round to different sides of a boundary they may, although their digests differ. Findings come
// causes first.
//
// The reference's rows may carry the cells of order keys behind those of its columns.
func (p *Plan) Differences(reference, attempt []result.Row) (match bool, findings []Finding) {
	if p.policy.Columns == ByContent {
		if pairs := p.pairing(reference, attempt); pairs != nil {
			p.pair(pairs)
		}
	}
	d := p.diff(reference, attempt)
	d.forgiveNear()
	if len(d.missing) == 0 && len(d.extra) == 0 {
		return d.orderFindings()
	}
	if p.policy.Columns == ByPosition && len(reference) == len(attempt) && len(p.attempt) > 1 {
		if pairs := p.pairing(reference, attempt); pairs != nil {
			return false, []Finding{p.swapped(pairs)}
		}
	}
	if findings := p.typeFindings(); findings != nil {
		return false, findings
	}
	return false, d.rowFindings()
}

// A diff holds both sides' rows by their keys.
type diff struct {
	*Plan
	reference, attempt []result.Row
	refKeys, attKeys   []string
	missing            []int // rows of the reference that the attempt lacks
	extra              []int // rows of the attempt that the reference lacks
}

func (p *Plan) diff(reference, attempt []result.Row) *diff {
	d := &diff{Plan: p, reference: reference, attempt: attempt,
		refKeys: keys(reference, p.refCells, p.refReadings), attKeys: keys(attempt, p.attCells, p.attReadings)}
	if p.policy.Once {
		d.missing, d.extra = absent(d.refKeys, d.attKeys), absent(d.attKeys, d.refKeys)
		return d
	}
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
	return d
}

// absent returns the places of the keys in a, each once, that b does not have.
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

// forgiveNear takes out the pairs of a missing and an extra row that differ only in floats which are the same to the
// digits that count. Afterwards each such row of the attempt has its partner's key.
func (d *diff) forgiveNear() {
	if len(d.missing) == 0 || len(d.missing) != len(d.extra) ||
		!slices.ContainsFunc(d.refReadings, func(r result.Reading) bool { return r.Family == result.Float && r.Decimals == nil }) {
		return
	}
	first := slices.IndexFunc(d.refReadings, func(r result.Reading) bool { return r.Family == result.Float })
	partners := map[string][]waiting{} // by the cells that are not floats
	for _, m := range d.missing {
		k := withoutFloats(d.reference[m], d.refCells, d.refReadings)
		partners[k] = append(partners[k], waiting{m, number(d.reference[m][d.refCells[first]])})
	}
	for _, rows := range partners {
		slices.SortFunc(rows, func(a, b waiting) int { return cmp.Compare(a.number, b.number) })
	}
	paired := map[int]bool{}
	var extra []int
	for _, e := range d.extra {
		rows := partners[withoutFloats(d.attempt[e], d.attCells, d.attReadings)]
		value := number(d.attempt[e][d.attCells[first]])
		margin := math.Abs(value) * 1e-11
		from, _ := slices.BinarySearchFunc(rows, value-margin, func(w waiting, x float64) int { return cmp.Compare(w.number, x) })
		found := false
		for _, w := range rows[from:] {
			if w.number > value+margin || found {
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

// waiting is a missing row, with the number in its first float column.
type waiting struct {
	place  int
	number float64
}

// number reads a float cell; what is no number comes as zero.
func number(cell []byte) float64 {
	x, err := strconv.ParseFloat(string(cell), 64)
	if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
		return 0
	}
	return x
}

// withoutFloats is a row's key with the finite floats left out.
func withoutFloats(row result.Row, cells []int, readings []result.Reading) string {
	var b []byte
	for i, cell := range cells {
		if readings[i].Family == result.Float && row[cell] != nil {
			b = append(b, 0xff)
		} else {
			b = result.AppendCell(b, row[cell], readings[i])
		}
	}
	return string(b)
}

func (d *diff) near(reference, attempt result.Row) bool {
	for i := range d.refCells {
		a, b := reference[d.refCells[i]], attempt[d.attCells[i]]
		if d.refReadings[i].Family == result.Float && a != nil && b != nil && !d.refReadings[i].Near(a, b) {
			if string(d.refReadings[i].Append(nil, a)) != string(d.attReadings[i].Append(nil, b)) {
				return false
			}
		}
	}
	return true
}

// orderFindings is for sides that hold the same rows.
func (d *diff) orderFindings() (match bool, findings []Finding) {
	if d.order() == OrderAny {
		return true, nil
	}
	groups := d.tieGroups()
	place := d.misplaced(d.attKeys, groups)
	if place < 0 {
		return true, nil
	}
	f := Finding{Kind: RowOrder, Count: int64(place) + 1, Got: int64(len(d.attempt)), Want: int64(len(d.reference))}
	reversed := slices.Clone(d.attKeys)
	slices.Reverse(reversed)
	if d.misplaced(reversed, groups) < 0 {
		f.Kind = RowOrderReversed
	}
	f.Columns = append([]string{"row"}, names(d.Plan.attempt)...)
	for i := place; i < len(d.attempt) && len(f.Rows) < EvidenceRows; i++ {
		f.Rows = append(f.Rows, append(result.Row{[]byte(strconv.Itoa(i + 1))}, d.attempt[i]...))
	}
	return false, []Finding{f}
}

// tieGroups gives each row of the reference the number of its tie group.
func (d *diff) tieGroups() []int {
	groups := make([]int, len(d.reference))
	var before string
	for i, row := range d.reference {
		if d.order() == OrderStrict {
			groups[i] = i
			continue
		}
		key := string(result.AppendKey(nil, row, d.Plan.reference.Keys, d.keyReadings))
		if i > 0 {
			groups[i] = groups[i-1]
			if key != before {
				groups[i]++
			}
		}
		before = key
	}
	return groups
}

// misplaced returns the first place in the attempt's keys whose row belongs to another tie group, or -1.
func (d *diff) misplaced(attKeys []string, groups []int) int {
	for start := 0; start < len(groups); {
		end := start
		left := map[string]int{}
		for ; end < len(groups) && groups[end] == groups[start]; end++ {
			left[d.refKeys[end]]++
		}
		for i := start; i < end; i++ {
			if left[attKeys[i]]--; left[attKeys[i]] < 0 {
				return i
			}
		}
		start = end
	}
	return -1
}

// rowFindings is for sides that do not hold the same rows.
func (d *diff) rowFindings() []Finding {
	got, want := int64(len(d.attempt)), int64(len(d.reference))
	if got == 0 {
		return []Finding{{Kind: ResultEmpty, Want: want}}
	}
	if len(d.missing) == len(d.extra) {
		if findings := d.valueFindings(); findings != nil {
			return findings
		}
	}
	var findings []Finding
	if len(d.extra) > 0 {
		f := Finding{Kind: RowsExtra, Count: int64(len(d.extra)), Got: got, Want: want, Columns: names(d.Plan.attempt)}
		if len(absent(at(d.attKeys, d.extra), d.refKeys)) == 0 {
			f.Kind = RowsRepeated
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

func at(keys []string, places []int) []string {
	s := make([]string, len(places))
	for i, place := range places {
		s[i] = keys[place]
	}
	return s
}

func evidence(rows []result.Row, places []int, columns int) []result.Row {
	var e []result.Row
	for _, place := range places[:min(len(places), EvidenceRows)] {
		e = append(e, rows[place][:columns])
	}
	return e
}

// valueFindings pairs missing with extra rows by the columns that agree. It returns nil where they cannot be paired so, which
// is where no column agrees.
func (d *diff) valueFindings() []Finding {
	var same, differ []int // compared places
	for i := range d.refCells {
		refs, atts := map[string]int{}, 0
		for _, m := range d.missing {
			refs[string(result.AppendCell(nil, d.reference[m][d.refCells[i]], d.refReadings[i]))]++
		}
		for _, e := range d.extra {
			k := string(result.AppendCell(nil, d.attempt[e][d.attCells[i]], d.attReadings[i]))
			if refs[k]--; refs[k] < 0 {
				atts++
			}
		}
		if atts == 0 {
			same = append(same, i)
		} else {
			differ = append(differ, i)
		}
	}
	if len(same) == 0 || len(differ) == 0 {
		return nil
	}
	partner := d.partners(same)
	if partner == nil {
		return nil
	}
	var findings []Finding
	for _, i := range differ {
		findings = append(findings, d.valueFinding(i, partner))
	}
	return findings
}

// partners gives each extra row the missing row that agrees with it at the given places; nil if one has none.
func (d *diff) partners(same []int) []int {
	key := func(row result.Row, cells []int, readings []result.Reading) string {
		var b []byte
		for _, i := range same {
			b = result.AppendCell(b, row[cells[i]], readings[i])
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

func (d *diff) valueFinding(place int, partner []int) Finding {
	cell := d.attCells[place]
	name := d.Plan.attempt[cell].Name
	f := Finding{Kind: ValuesDiffer, Places: []int{cell + 1}, Given: []string{name}, Got: int64(len(d.attempt)), Want: int64(len(d.reference)), Reveals: true}
	f.Columns = append(names(d.Plan.attempt), name+" (expected)")
	for n, e := range d.extra {
		expected := d.reference[partner[n]][d.refCells[place]]
		a := result.AppendCell(nil, d.attempt[e][cell], d.attReadings[place])
		b := result.AppendCell(nil, expected, d.refReadings[place])
		if string(a) == string(b) {
			continue
		}
		if f.Count++; f.Count <= EvidenceRows {
			f.Rows = append(f.Rows, append(slices.Clone(d.attempt[e]), expected))
		}
	}
	return f
}

// Undecided tells whether differing digests leave it open that the sides match, so that only [Plan.Differences] decides: where floats
// may round to different sides of a boundary, and where columns are paired by content.
func (p *Plan) Undecided(reference, attempt *Digest) bool {
	if reference.Rows != attempt.Rows && !p.policy.Once {
		return false
	}
	return p.policy.Columns == ByContent && len(p.attempt) > 1 ||
		slices.ContainsFunc(p.refReadings, func(r result.Reading) bool { return r.Family == result.Float && r.Decimals == nil })
}

// TooLarge is the finding for sides of which too many rows differ, or too large ones, to keep them all for pairing.
func TooLarge(reference, attempt *Digest) []Finding {
	return []Finding{{Kind: TooLargeToPair, Got: attempt.Rows, Want: reference.Rows}}
}
