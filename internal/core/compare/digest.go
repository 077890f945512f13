package compare

import (
	"bytes"
	"maps"

	"examen/internal/core/result"
)

// A Digest stands for all rows of one side. It takes constant memory but for the sizes of the reference's tie groups
// (four bytes each), the rows of ties that a LIMIT cuts through, and, where repeated rows count once, a fingerprint for
// each distinct row.
type Digest struct {
	Rows     int64              // those that count
	sum      result.Fingerprint // whatever the order; without the rows of cut ties where the order matters
	sequence result.Fingerprint // of rows (OrderStrict) or of tie groups (OrderAuto)
	parts    []result.Fingerprint
	groups   []uint32 // how many rows tie, group by group, as far as they count; of the reference side
	cuts     []cut
	wide     bool // a cut tie has too many rows to be kept
	once     map[result.Fingerprint]struct{}
	// where any order will do and a tie may be cut: every row but those of cut ties
	all map[result.Fingerprint]int32

	// Where repeated rows count once, in order, and a tie may be cut: the tie group in which each row of the reference
	// first is one of those that count, and the attempt's rows as each first comes.
	ranks  map[result.Fingerprint]int
	firsts []result.Fingerprint
}

// A cut is a tie of which only some rows count, whichever.
type cut struct {
	group   int   // number of its tie group
	take    int64 // rows that count
	members map[result.Fingerprint]int32
}

const (
	widestCut = 200_000 // rows of a cut tie that are kept, as fingerprints
	// A side of many rows is also summed in parts, by fingerprint, so that a few rows that differ are found among few.
	partedFrom = 16_384
	mostParts  = 16_384
)

// A Digester reads the rows of one side.
type Digester struct {
	digest   Digest
	seed     result.Seed
	order    Order
	cells    []int
	readings []result.Reading
	buffer   []byte

	// The reference's side.
	plan     *Plan
	keys     []int
	key      []byte // the order key of the current row
	before   []byte // and of the one before
	last     result.Row
	window   *Window
	position int64 // rows read
	open     int64 // rows of the current tie group
	members  map[result.Fingerprint]int32
	only     map[result.Fingerprint]bool // where there is one: the rows that count as members, and whether they came

	// The attempt's side.
	expected []uint32 // tie groups still to come
	firsts   bool     // the rows are kept as each first comes
	cuts     []cut    // of the reference
	group    int      // the current group
	left     uint32   // rows missing from it
	within   *cut     // the current cut tie
	instead  map[result.Fingerprint]result.Fingerprint

	tied result.Fingerprint // sum of the current group
}

// Reference returns a digester for the rows that the reference answer gives; rows is how many they are, about.
func (p *Plan) Reference(rows int64) *Digester {
	d := &Digester{
		plan:     p,
		seed:     p.reference.Seed,
		order:    p.counting(),
		cells:    p.refCells,
		readings: p.refReadings,
		keys:     p.reference.Keys,
		window:   p.reference.Window,
		digest:   Digest{once: p.onceSet()},
	}
	if p.counting() != p.order() {
		d.digest.ranks = map[result.Fingerprint]int{}
	}
	if d.window != nil {
		d.members = map[result.Fingerprint]int32{}
		if d.order == OrderAny {
			d.digest.all = map[result.Fingerprint]int32{}
		}
	} else if rows >= partedFrom {
		n := 256
		for n < mostParts && int64(n)*64 < rows {
			n *= 2
		}
		d.digest.parts = make([]result.Fingerprint, n)
	}
	return d
}

// Attempt returns a digester for the attempt's rows, which are compared with the reference's.
func (p *Plan) Attempt(reference *Digest) *Digester {
	d := &Digester{
		seed:     p.reference.Seed,
		order:    p.counting(),
		cells:    p.attCells,
		readings: p.attReadings,
		expected: reference.groups,
		group:    -1,
		cuts:     reference.cuts,
		digest:   Digest{once: p.onceSet(), parts: make([]result.Fingerprint, len(reference.parts))},
	}
	d.firsts = p.policy.Once && p.reference.Window != nil
	if len(d.cuts) > 0 && d.order == OrderAny {
		d.digest.all = map[result.Fingerprint]int32{}
	}
	return d
}

// counting is the order in which rows are told apart as they are read. Where repeated rows count once and LIMIT may cut
// a tie, the order of what is left is looked at when all have come.
func (p *Plan) counting() Order {
	if p.policy.Once && p.reference.Window != nil && p.order() == OrderAuto {
		return OrderAny
	}
	return p.order()
}

func (p *Plan) onceSet() map[result.Fingerprint]struct{} {
	if !p.policy.Once {
		return nil
	}
	return map[result.Fingerprint]struct{}{}
}

// Add reads a row. The row may be reused by the caller afterwards.
func (d *Digester) Add(row result.Row) {
	d.buffer = result.AppendKey(d.buffer[:0], row, d.cells, d.readings)
	f := d.seed.Of(d.buffer)
	if other, has := d.instead[f]; has {
		f = other
	}
	if d.window != nil {
		d.addWindowed(row, f)
		return
	}
	d.digest.Rows++
	if _, seen := d.digest.once[f]; seen {
		return
	}
	switch {
	case d.order == OrderAny:
		if d.digest.all != nil {
			d.digest.all[f]++
		}
		if d.firsts {
			d.digest.firsts = append(d.digest.firsts, f)
		}
		d.digest.add(f)
	case d.order == OrderStrict:
		d.digest.add(f)
		d.digest.sequence = d.seed.Then(d.digest.sequence, f)
	case d.plan != nil:
		d.digest.add(f)
		if ties := d.tiesWithLast(row); ties && len(d.digest.groups) > 0 {
			d.digest.groups[len(d.digest.groups)-1]++
			d.tied = d.tied.Plus(f)
			return
		}
		d.close()
		d.digest.groups = append(d.digest.groups, 1)
		d.tied = f
	default:
		d.addOrdered(f)
	}
}

// add counts a row whatever the order.
func (g *Digest) add(f result.Fingerprint) {
	if g.once != nil {
		if _, seen := g.once[f]; seen {
			return
		}
		g.once[f] = struct{}{}
	}
	g.sum = g.sum.Plus(f)
	if len(g.parts) > 0 {
		part := &g.parts[f.Lo&uint64(len(g.parts)-1)]
		*part = part.Plus(f)
	}
}

// tiesWithLast tells whether a row of the reference has the same order keys as the one before, and notes them.
func (d *Digester) tiesWithLast(row result.Row) bool {
	d.key, d.before = result.AppendKey(d.before[:0], row, d.keys, d.plan.keyReadings), d.key
	ties := bytes.Equal(d.key, d.before)
	if d.plan.nearKeys {
		ties = ties || d.last != nil && d.plan.nearKey(d.last, row)
		d.last = row.Clone()
	}
	return ties
}

// nearKey tells whether two rows of the reference have the same order keys as far as floats count.
func (p *Plan) nearKey(a, b result.Row) bool {
	for i, k := range p.reference.Keys {
		if !same(&p.keyReadings[i], &p.keyReadings[i], a[k], b[k]) {
			return false
		}
	}
	return true
}

// same tells whether two cells have the same meaning.
func same(ra, rb *result.Reading, a, b []byte) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	return string(ra.Append(nil, a)) == string(rb.Append(nil, b)) || ra.Tag == rb.Tag && ra.Near(a, b)
}

// addWindowed reads a row of a reference with LIMIT or OFFSET.
func (d *Digester) addWindowed(row result.Row, f result.Fingerprint) {
	w := d.window
	if d.order == OrderStrict {
		if d.position >= w.Skip && (w.Take < 0 || d.position < w.Skip+w.Take) {
			d.digest.Rows++
			if _, seen := d.digest.once[f]; !seen {
				d.digest.add(f)
				d.digest.sequence = d.seed.Then(d.digest.sequence, f)
			}
		}
		d.position++
		return
	}
	if ties := d.tiesWithLast(row); d.position > 0 && !ties {
		d.endWindowed()
	}
	d.position++
	d.open++
	if d.only != nil {
		if _, wanted := d.only[f]; !wanted {
			return
		}
		d.only[f] = true
	}
	if d.members[f] > 0 || len(d.members) < widestCut {
		d.members[f]++
	} else {
		d.digest.wide = true
	}
}

// endWindowed ends a tie group of a reference with LIMIT or OFFSET: all of its rows count, some, or none.
func (d *Digester) endWindowed() {
	size, take := d.open, d.window.within(d.position-d.open, d.position)
	d.open = 0
	switch {
	case take == 0:
	case take == size:
		d.tied = result.Fingerprint{}
		for f, n := range d.members {
			for range n {
				d.digest.add(f)
				d.tied = d.tied.Plus(f)
			}
			if d.digest.all != nil {
				d.digest.all[f] += n
			}
			if _, ranked := d.digest.ranks[f]; d.digest.ranks != nil && !ranked {
				d.digest.ranks[f] = len(d.digest.groups)
			}
		}
		if d.order != OrderAny {
			d.digest.sequence = d.seed.Then(d.digest.sequence, d.tied)
		}
		d.digest.groups = append(d.digest.groups, uint32(size))
	default:
		d.digest.cuts = append(
			d.digest.cuts, cut{group: len(d.digest.groups), take: take, members: maps.Clone(d.members)},
		)
		d.digest.groups = append(d.digest.groups, uint32(take))
	}
	d.digest.Rows += take
	clear(d.members)
}

// within returns how many of the rows from one place to another, counted from 0, the window lets through.
func (w *Window) within(from, to int64) int64 {
	if w.Take >= 0 {
		to = min(to, w.Skip+w.Take)
	}
	return max(0, to-max(from, w.Skip))
}

// Past tells that no further row of the reference counts or ties with one that does.
func (d *Digester) Past() bool {
	return d.window != nil && d.window.Take >= 0 && d.position > d.window.Skip+d.window.Take &&
		d.position-d.open >= d.window.Skip+d.window.Take
}

// addOrdered puts the attempt's rows into groups of the reference's sizes.
func (d *Digester) addOrdered(f result.Fingerprint) {
	if d.left == 0 {
		if len(d.expected) == 0 {
			d.digest.add(f) // more rows than the reference has
			return
		}
		d.left, d.expected = d.expected[0], d.expected[1:]
		d.group++
		d.within = nil
		if len(d.cuts) > 0 && d.cuts[0].group == d.group {
			d.digest.cuts = append(
				d.digest.cuts, cut{group: d.group, take: d.cuts[0].take, members: map[result.Fingerprint]int32{}},
			)
			d.within, d.cuts = &d.digest.cuts[len(d.digest.cuts)-1], d.cuts[1:]
		}
	}
	d.left--
	if d.within != nil {
		d.within.members[f]++
		return
	}
	d.digest.add(f)
	d.tied = d.tied.Plus(f)
	if d.left == 0 {
		d.digest.sequence = d.seed.Then(d.digest.sequence, d.tied)
		d.tied = result.Fingerprint{}
	}
}

// close ends a tie group of a reference without LIMIT.
func (d *Digester) close() {
	if len(d.digest.groups) > 0 {
		d.digest.sequence = d.seed.Then(d.digest.sequence, d.tied)
	}
}

// Digest ends the reading.
func (d *Digester) Digest() *Digest {
	switch {
	case d.window != nil && d.order != OrderStrict:
		if d.open > 0 {
			d.endWindowed()
		}
	case d.plan != nil && d.order == OrderAuto:
		d.close()
	}
	return &d.digest
}

// Fingerprint identifies the rows as the plan reads them. Attempts at one exercise with equal results have equal
// fingerprints, whether right or wrong.
func (g *Digest) Fingerprint() result.Fingerprint {
	all := g.sum.Plus(g.sequence)
	for _, c := range g.cuts {
		for f, n := range c.members {
			all = all.Plus(f.Times(uint64(n)))
		}
	}
	for f, n := range g.all {
		all = all.Plus(f.Times(uint64(n)))
	}
	return all
}

// Size returns roughly how many bytes the digest takes in memory.
func (g *Digest) Size() int {
	const entry = 40 // of a map from fingerprints
	size := 256 + 16*(len(g.parts)+len(g.firsts)) + 4*len(g.groups) + entry*(len(g.once)+len(g.all)+len(g.ranks))
	for _, c := range g.cuts {
		size += entry * len(c.members)
	}
	return size
}

// Match tells whether the attempt's rows are right. A no is final only where [Plan.Differences] has looked at the rows.
func (p *Plan) Match(reference, attempt *Digest) bool {
	switch {
	case reference.wide:
		return false
	case p.policy.Once && p.reference.Window != nil && p.order() != OrderStrict:
		return onceFits(reference, attempt)
	case len(reference.cuts) > 0 && p.order() == OrderAny:
		return reference.Rows == attempt.Rows && anyFits(reference, attempt)
	case reference.sum != attempt.sum || len(reference.cuts) != len(attempt.cuts):
		return false
	case p.policy.Once:
		return len(reference.once) == len(attempt.once) && reference.sequence == attempt.sequence
	}
	for i, c := range reference.cuts {
		for f, n := range attempt.cuts[i].members {
			if n > c.members[f] {
				return false
			}
		}
	}
	return reference.Rows == attempt.Rows && reference.sequence == attempt.sequence
}

// anyFits tells whether an attempt's rows, in any order, are those outside the cut ties and a right choice out of each
// of the (at most two) cut ties. A row that is in both may come from either.
func anyFits(reference, attempt *Digest) bool {
	first, second := reference.cuts[0], cut{}
	if len(reference.cuts) > 1 {
		second = reference.cuts[1]
	}
	for f, n := range reference.all {
		if attempt.all[f] < n {
			return false
		}
	}
	var least, most int64 // of the rows from the first cut tie
	for f, n := range attempt.all {
		n -= reference.all[f]
		if n > first.members[f]+second.members[f] {
			return false
		}
		least += int64(max(0, n-second.members[f]))
		most += int64(min(n, first.members[f]))
	}
	return least <= first.take && first.take <= most
}

// Undecided tells whether differing digests leave it open that the sides match, so that only [Plan.Differences]
// decides.
func (p *Plan) Undecided(reference, attempt *Digest) bool {
	if reference.Rows != attempt.Rows && !p.policy.Once {
		return false
	}
	return reference.wide || p.policy.Columns == ByContent && len(p.attempt) > 1 || p.inexact()
}
