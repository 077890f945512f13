package compare

import (
	"bytes"

	"examen/internal/core/result"
)

// A Digest stands for all rows of one side, in constant memory but for the sizes of the reference's tie groups (four bytes each).
type Digest struct {
	Rows     int64
	sum      result.Fingerprint // whatever the order
	sequence result.Fingerprint // of rows (OrderStrict) or of tie groups (OrderAuto)
	groups   []uint32           // how many rows tie, group by group; of the reference side
	once     map[result.Fingerprint]struct{}
}

// A Digester reads the rows of one side.
type Digester struct {
	digest   Digest
	order    Order
	cells    []int
	readings []result.Reading
	buffer   []byte

	keys        []int // of the reference side
	keyReadings []result.Reading
	key, before []byte // the order key of this row and of the one before

	groups []uint32 // still to come, on the attempt's side
	left   uint32   // rows missing from the tie group at hand
	tied   result.Fingerprint
}

// Reference returns a digester for the rows that the reference answer gives.
func (p *Plan) Reference() *Digester {
	return &Digester{order: p.order(), cells: p.refCells, readings: p.refReadings, keys: p.reference.Keys, keyReadings: p.keyReadings,
		digest: Digest{once: p.onceSet()}}
}

// Attempt returns a digester for the attempt's rows, which are to be held against the reference's.
func (p *Plan) Attempt(reference *Digest) *Digester {
	return &Digester{order: p.order(), cells: p.attCells, readings: p.attReadings, groups: reference.groups,
		digest: Digest{once: p.onceSet()}}
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
	f := result.Of(d.buffer)
	d.digest.Rows++
	if d.digest.once != nil {
		if _, seen := d.digest.once[f]; seen {
			return
		}
		d.digest.once[f] = struct{}{}
	}
	d.digest.sum = d.digest.sum.Plus(f)
	switch {
	case d.order == OrderStrict:
		d.digest.sequence = d.digest.sequence.Then(f)
	case d.order == OrderAuto && d.keys != nil:
		d.addOrdering(row, f)
	case d.order == OrderAuto:
		d.addOrdered(f)
	}
}

// addOrdering finds the reference's tie groups from its order keys.
func (d *Digester) addOrdering(row result.Row, f result.Fingerprint) {
	d.key = result.AppendKey(d.key[:0], row, d.keys, d.keyReadings)
	if len(d.digest.groups) > 0 && bytes.Equal(d.key, d.before) {
		d.digest.groups[len(d.digest.groups)-1]++
		d.tied = d.tied.Plus(f)
	} else {
		if len(d.digest.groups) > 0 {
			d.closeGroup()
		}
		d.digest.groups = append(d.digest.groups, 1)
		d.tied = f
	}
	d.key, d.before = d.before, d.key
}

// addOrdered puts the attempt's rows into groups of the reference's sizes.
func (d *Digester) addOrdered(f result.Fingerprint) {
	if d.left == 0 {
		if len(d.groups) == 0 {
			return // more rows than the reference has; the count tells
		}
		d.left, d.groups = d.groups[0], d.groups[1:]
	}
	d.tied = d.tied.Plus(f)
	if d.left--; d.left == 0 {
		d.closeGroup()
	}
}

func (d *Digester) closeGroup() {
	d.digest.sequence = d.digest.sequence.Then(d.tied)
	d.tied = result.Fingerprint{}
}

// Digest ends the reading.
func (d *Digester) Digest() *Digest {
	if len(d.digest.groups) > 0 {
		d.closeGroup()
	}
	return &d.digest
}

// Match tells whether the attempt's rows are right.
func (p *Plan) Match(reference, attempt *Digest) bool {
	if reference.sum != attempt.sum {
		return false
	}
	if p.policy.Once {
		return len(reference.once) == len(attempt.once)
	}
	return reference.Rows == attempt.Rows && reference.sequence == attempt.sequence
}
