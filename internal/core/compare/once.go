package compare

import "examen/internal/core/result"

// once is a comparison where repeated rows count once, with a reference of which LIMIT and OFFSET let rows through.
// They cut at most two ties: one where the rows begin, and one where they end.
type once struct {
	reference   *Digest
	rows        []result.Fingerprint // of the attempt, each where it first comes
	first, last cut                  // a cut that is not there takes no row
}

// onceFits tells whether an attempt has what a right choice out of each cut tie would give.
func onceFits(reference, attempt *Digest) bool {
	o := once{reference: reference, rows: attempt.firsts}
	for _, c := range reference.cuts {
		if c.group == 0 {
			o.first = c
		} else {
			o.last = c
		}
	}
	for f := range reference.once {
		if _, has := attempt.once[f]; !has {
			return false
		}
	}
	if room(o.last, o.rows) < o.last.take {
		return false
	}
	if reference.ranks == nil {
		return o.inAnyOrder()
	}
	// The rows begin with some that the first cut lets through: at least those that can come from nowhere else.
	for n := 0; ; n++ {
		if o.begins(n) && o.goesOn(n) {
			return true
		}
		if n == len(o.rows) || int64(n) == o.first.take || o.first.members[o.rows[n]] == 0 {
			return false
		}
	}
}

// room is how many rows of a cut tie are alike to one of these.
func room(c cut, rows []result.Fingerprint) (n int64) {
	for _, f := range rows {
		n += int64(c.members[f])
	}
	return n
}

// inAnyOrder tells whether every row that is in no whole tie can come from a cut one, with as many as each lets
// through.
func (o *once) inAnyOrder() bool {
	var either, first, last int64
	for _, f := range o.rows {
		if _, whole := o.reference.once[f]; whole {
			continue
		}
		switch inFirst, inLast := o.first.members[f] > 0, o.last.members[f] > 0; {
		case inFirst && inLast:
			either++
		case inFirst:
			first++
		case inLast:
			last++
		default:
			return false
		}
	}
	return first <= o.first.take && last <= o.last.take && first+last+either <= o.first.take+o.last.take &&
		room(o.first, o.rows) >= o.first.take
}

// begins tells whether the first n rows can be all that the first cut lets through.
func (o *once) begins(n int) bool {
	return int64(n) <= o.first.take && room(o.first, o.rows[:n]) >= o.first.take
}

// goesOn tells whether the rows after the first n are those of the whole ties, in order, and then some that the last
// cut lets through.
func (o *once) goesOn(n int) bool {
	rank, ended := 0, int64(0)
	for _, f := range o.rows[n:] {
		r, whole := o.reference.ranks[f]
		switch {
		case whole && ended == 0 && r >= rank:
			rank = r
		case !whole && o.last.members[f] > 0:
			ended++
		default:
			return false
		}
	}
	return ended <= o.last.take
}
