package compare

import (
	"errors"
	"strconv"
	"sync"

	"golang.org/x/sync/errgroup"

	"examen/internal/core/panics"
	"examen/internal/core/result"
)

// ofMany compares two sides of which at least one is too large to be held in memory. It reads each a few times more.
func (p *Plan) ofMany(reference, attempt Side) (Verdict, *Difference, error) {
	tooLarge := TooLarge(reference.Digest, attempt.Digest)
	if p.reference.Window != nil {
		if p.Undecided(reference.Digest, attempt.Digest) {
			return Open, nil, nil
		}
		return Wrong, tooLarge, nil
	}
	if p.policy.Columns == ByContent && len(p.attempt) > 1 && reference.Digest.Rows == attempt.Digest.Rows {
		paired, settled, err := p.pairMany(&reference, &attempt)
		switch {
		case err != nil:
			return Wrong, nil, err
		case paired && p.Match(reference.Digest, attempt.Digest):
			return Right, nil, nil
		case !settled: // there may be a pairing that was not tried
			return Open, nil, nil
		case !paired:
			return Wrong, tooLarge, nil
		}
	}
	switch {
	case attempt.Digest.Rows == 0:
		tooLarge.Findings = []Finding{{Kind: ResultEmpty, Want: reference.Digest.Rows}}
		return Wrong, tooLarge, nil
	case (reference.Digest.Rows == attempt.Digest.Rows || p.policy.Once) &&
		reference.Digest.sum == attempt.Digest.sum && len(reference.Digest.once) == len(attempt.Digest.once) &&
		p.order() != OrderAny:
		return p.orderOfMany(reference, attempt)
	}
	picked := p.picker(reference.Digest, attempt.Digest)
	if len(picked.picks) == 0 {
		return p.judge(picked, reference, attempt, tooLarge)
	}
	known := picked.take(reference.Sample)
	var both errgroup.Group // at the same time: each waits for its own server process
	for side, s := range []Side{reference, attempt} {
		if side == 1 || !known {
			both.Go(panics.Caught(func() error { return picked.read(side, s) }))
		}
	}
	if err := both.Wait(); err != nil {
		return Wrong, nil, err
	}
	picked.leave(reference.Sample)
	return p.judge(picked, reference, attempt, tooLarge)
}

// A Sample holds the reference's rows that were picked by their columns' values, so that the next attempt which differs
// in many rows does not have the reference read again. It belongs to one reading of one reference; see [Plan.Readings].
// It is for concurrent use.
type Sample struct {
	mu    sync.Mutex
	mask  uint64
	picks []pick // with the reference's rows alone
}

// take uses a sample if it was picked in the same way.
func (k *picker) take(s *Sample) bool {
	if s == nil || k.parts != nil || k.policy.Columns != ByPosition {
		return false
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.picks) != len(k.picks) || s.mask != k.picks[0].mask {
		return false
	}
	for i, c := range k.picks {
		c.rows[0], c.bytes[0], c.over[0] = s.picks[i].rows[0], s.picks[i].bytes[0], s.picks[i].over[0]
	}
	return true
}

// leave keeps the reference's side for further attempts.
func (k *picker) leave(s *Sample) {
	if s == nil || k.parts != nil || k.policy.Columns != ByPosition {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.mask, s.picks = k.picks[0].mask, nil
	for _, c := range k.picks {
		s.picks = append(
			s.picks, pick{rows: [2][]result.Row{c.rows[0]}, bytes: [2]int{c.bytes[0]}, over: [2]bool{c.over[0]}},
		)
	}
}

// pairMany pairs columns by content, reading the rows again for it, and makes the digests anew under the pairing.
// settled tells that no other pairing could do.
func (p *Plan) pairMany(reference, attempt *Side) (paired, settled bool, err error) {
	read := func(rows func(func(result.Row) error) error) source {
		return func(yield func(result.Row) error) error {
			e := rows(yield)
			err = errors.Join(err, e)
			return e
		}
	}
	pairs, settled := p.pairing(
		read(reference.Rows), read(attempt.Rows), runningPasses, func(*Plan) bool { return true },
	)
	if pairs == nil || err != nil {
		return false, settled, err
	}
	p.pair(pairs)
	for _, side := range []struct {
		*Side
		digester func() *Digester
	}{
		{reference, func() *Digester { return p.Reference(reference.Digest.Rows) }},
		{attempt, func() *Digester { return p.Attempt(reference.Digest) }},
	} {
		d := side.digester()
		if err := side.Rows(func(row result.Row) error { d.Add(row); return nil }); err != nil {
			return false, settled, err
		}
		side.Digest = d.Digest()
	}
	return true, settled, nil
}

// How many rows are picked of each side. Those in parts whose sums differ are all kept if they are no more than
// mostDiffering; they then hold every difference. Else the rows are looked at that hold certain values in one column,
// about as many as pickedRows.
const (
	mostDiffering = 40_000
	pickedRows    = 2_000
	pickedPlaces  = 8
	pickedBytes   = 12 << 20 // of one side
)

// A picker keeps some rows of both sides. Every pick is complete: of each row that it stands for it has all copies, on
// both sides, so that what differs in it differs.
type picker struct {
	*Plan
	parts []bool  // that differ; nil where too many do
	picks []*pick // the one by parts, or those by a column's value
}

// A pick is the rows of both sides that are chosen in one way.
type pick struct {
	place int    // the compared place whose values choose; -1: the whole row's fingerprint
	mask  uint64 // of the fingerprints that choose
	rows  [2][]result.Row
	bytes [2]int
	over  [2]bool // more rows than can be kept: it is not complete

	copiers [2]result.Copier
}

func (p *Plan) picker(reference, attempt *Digest) *picker {
	k := &picker{Plan: p}
	rows := max(reference.Rows, attempt.Rows)
	if n := len(reference.parts); n > 0 {
		k.parts = make([]bool, n)
		differing := 0
		for i := range k.parts {
			if k.parts[i] = reference.parts[i] != attempt.parts[i]; k.parts[i] {
				differing++
			}
		}
		if rows/int64(n)*int64(differing) <= mostDiffering/2 {
			k.picks = []*pick{{place: -1}}
			return k
		}
		k.parts = nil
	}
	if rows <= reference.Rows+reference.Rows/2 { // one way to pick for nearly all attempts
		rows = reference.Rows
	}
	mask := uint64(1)
	for int64(mask)*pickedRows < rows {
		mask *= 2
	}
	// Rounding may part rows that are the same, so where floats are compared a pick by whole rows says nothing.
	for place := -1; place < min(len(p.refCells), pickedPlaces); place++ {
		if place < 0 && !p.inexact() || place >= 0 && !p.refReadings[place].Inexact() {
			k.picks = append(k.picks, &pick{place: place, mask: mask - 1})
		}
	}
	return k
}

// read picks rows of one side.
func (k *picker) read(side int, s Side) error {
	cells, readings := k.refCells, k.refReadings
	if side == 1 {
		cells, readings = k.attCells, k.attReadings
	}
	var b []byte
	return s.Rows(func(row result.Row) error {
		for _, pick := range k.picks {
			switch {
			case pick.over[side]:
				continue
			case pick.place < 0:
				b = result.AppendKey(b[:0], row, cells, readings)
			default:
				b = result.AppendCell(b[:0], row[cells[pick.place]], &readings[pick.place])
			}
			if k.parts != nil && k.parts[k.reference.Seed.Of(b).Lo&uint64(len(k.parts)-1)] || k.parts == nil &&
				k.reference.Seed.Sum64(b)&pick.mask == 0 {
				pick.keep(side, row, k.parts != nil)
			}
		}
		return nil
	})
}

func (c *pick) keep(side int, row result.Row, all bool) {
	most := 2 * pickedRows
	if all {
		most = mostDiffering
	}
	c.bytes[side] += row.Size()
	if c.over[side] = len(c.rows[side]) == most || c.bytes[side] > pickedBytes; !c.over[side] {
		c.rows[side] = append(c.rows[side], c.copiers[side].Copy(row))
	}
}

// judge says what the picked rows tell.
func (p *Plan) judge(k *picker, reference, attempt Side, tooLarge *Difference) (Verdict, *Difference, error) {
	c := p.best(k)
	if c == nil {
		if p.Undecided(reference.Digest, attempt.Digest) {
			return Open, nil, nil
		}
		return Wrong, tooLarge, nil
	}
	d := p.diff(tied{rows: c.rows[0]}, c.rows[1])
	switch {
	case !d.differs() && k.parts != nil && p.inexact(): // every difference may be one of rounding
		return p.ofNear(d, reference, attempt)
	case !d.differs():
		if p.Undecided(reference.Digest, attempt.Digest) {
			return Open, nil, nil
		}
		return Wrong, tooLarge, nil
	}
	out := d.difference()
	for i := range out.Findings {
		f := &out.Findings[i]
		if k.parts == nil {
			f.Looked = int64(len(c.rows[1]))
		}
		f.Got, f.Want = attempt.Digest.Rows, reference.Digest.Rows
	}
	out.Facts.Got, out.Facts.Want = attempt.Digest.Rows, reference.Digest.Rows
	return Wrong, out, nil
}

// best chooses the pick that tells most: one whose column agrees on both sides, so that rows find their partners; nil
// if none is complete. Rounding may part rows that are the same, so where floats are compared a pick by whole rows says
// nothing.
func (p *Plan) best(k *picker) *pick {
	var best *pick
	agreeing := false
	for _, c := range k.picks {
		if c.over[0] || c.over[1] {
			continue
		}
		d := &diff{
			Plan:      p,
			reference: c.rows[0],
			attempt:   c.rows[1],
			missing:   identity(len(c.rows[0])),
			extra:     identity(len(c.rows[1])),
		}
		agrees := c.place >= 0 && len(c.rows[0]) > 0 && len(c.rows[0]) == len(c.rows[1]) && d.agrees(c.place)
		more := best == nil || len(c.rows[0])+len(c.rows[1]) > len(best.rows[0])+len(best.rows[1])
		if agrees && !agreeing || agrees == agreeing && more {
			best, agreeing = c, agrees
		}
	}
	return best
}

// ofNear decides where rows seem to differ only by rounding: all of the attempt's rows are read again, with the
// reference's fingerprints for those, so that a query which gives other rows each time is not put together from the
// right parts of several runs.
func (p *Plan) ofNear(d *diff, reference, attempt Side) (Verdict, *Difference, error) {
	instead := map[result.Fingerprint]result.Fingerprint{}
	for i, row := range d.attempt {
		own := string(result.AppendKey(nil, row, d.attCells, d.attReadings))
		if own != d.attKeys[i] {
			instead[p.reference.Seed.Of([]byte(own))] = p.reference.Seed.Of([]byte(d.attKeys[i]))
		}
	}
	digester := p.Attempt(reference.Digest)
	digester.instead = instead
	if err := attempt.Rows(func(row result.Row) error { digester.Add(row); return nil }); err != nil {
		return Wrong, nil, err
	}
	attempt.Digest = digester.Digest()
	switch {
	case p.Match(reference.Digest, attempt.Digest):
		return Right, nil, nil
	case attempt.Digest.sum != reference.Digest.sum || p.order() == OrderAny:
		return Open, nil, nil
	}
	return p.orderOfMany(reference, attempt)
}

// orderOfMany finds the first tie group that holds other rows than it should, where both sides hold the same.
func (p *Plan) orderOfMany(reference, attempt Side) (Verdict, *Difference, error) {
	var sums []result.Fingerprint // of the reference's tie groups
	groups, left := reference.Digest.groups, uint32(0)
	var sum result.Fingerprint
	var b []byte
	// each calls f with the sum of every group.
	each := func(
		s Side, cells []int, readings []result.Reading, f func(group int, start int64, sum result.Fingerprint) error,
	) error {
		group, row, start := -1, int64(0), int64(0)
		left, sum = 0, result.Fingerprint{}
		seen := map[result.Fingerprint]bool{}
		return s.Rows(func(r result.Row) error {
			b = result.AppendKey(b[:0], r, cells, readings)
			print := p.reference.Seed.Of(b)
			if p.policy.Once {
				if seen[print] {
					row++
					return nil
				}
				seen[print] = true
			}
			if left == 0 {
				group, start, left = group+1, row, 1
				if p.order() == OrderAuto {
					left = groups[group]
				}
			}
			sum = sum.Plus(print)
			row++
			if left--; left > 0 {
				return nil
			}
			whole := sum
			sum = result.Fingerprint{}
			return f(group, start, whole)
		})
	}
	if err := each(
		reference, p.refCells, p.refReadings,
		func(_ int, _ int64, s result.Fingerprint) error { sums = append(sums, s); return nil },
	); err != nil {
		return Wrong, nil, err
	}
	f := Finding{
		Kind:    RowOrder,
		Got:     attempt.Digest.Rows,
		Want:    reference.Digest.Rows,
		Columns: append([]string{"row"}, names(p.attempt)...),
	}
	err := each(attempt, p.attCells, p.attReadings, func(group int, start int64, s result.Fingerprint) error {
		if group >= len(sums) || s != sums[group] {
			f.Count = start + 1
			return errTooMany
		}
		return nil
	})
	if err != nil && !errors.Is(err, errTooMany) {
		return Wrong, nil, err
	}
	if f.Count == 0 { // in this run every row stood where it should
		return Wrong, TooLarge(reference.Digest, attempt.Digest), nil
	}
	row := int64(0)
	err = attempt.Rows(func(r result.Row) error {
		if row++; row >= f.Count && len(f.Rows) < EvidenceRows {
			f.Rows = append(f.Rows, append(result.Row{[]byte(strconv.FormatInt(row, 10))}, r.Clone()...))
		}
		if len(f.Rows) == EvidenceRows {
			return errTooMany
		}
		return nil
	})
	if err != nil && !errors.Is(err, errTooMany) {
		return Wrong, nil, err
	}
	return Wrong, &Difference{
		Findings: []Finding{f},
		Facts:    Facts{Columns: p.attempt, Got: f.Got, Want: f.Want, SameSet: true},
	}, nil
}

// TooLarge is the difference between sides that differ in too many rows, or too large ones, to say which.
func TooLarge(reference, attempt *Digest) *Difference {
	return &Difference{
		Findings: []Finding{{Kind: TooLargeToPair, Got: attempt.Rows, Want: reference.Rows}},
		Facts:    Facts{Got: attempt.Rows, Want: reference.Rows},
	}
}
