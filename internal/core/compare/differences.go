package compare

import (
	"errors"

	"examen/internal/core/result"
)

// A Side is one side's rows, and the digest that was made of them.
type Side struct {
	Digest *Digest
	// Rows yields the rows from first to last, each time it is called. A row may be used until yield returns. The
	// reference's rows may carry the cells of order keys behind those of its columns. Both sides may be read at the
	// same time.
	Rows func(yield func(result.Row) error) error
	// Of the reference's side: what is kept of its rows from one attempt to the next that is read the same way. May be
	// nil.
	Sample *Sample
}

// A Verdict tells whether an attempt is right.
type Verdict int

const (
	Wrong Verdict = iota
	Right
	Open // it cannot be told within the bounds: the attempt is better not judged than judged wrong
)

// A Difference says how an attempt differs from what is expected.
type Difference struct {
	Findings []Finding
	Facts    Facts
}

// Differing returns how many rows are missing, or too many if those are more: how far the attempt is from what is
// expected. Of results that are too large to pair it may be fewer than there are. It is nil where the rows say nothing,
// as where columns are missing.
func (d *Difference) Differing() *int64 {
	f := &d.Facts
	rows := max(f.MissingCount, f.ExtraCount, f.Got-f.Want, f.Want-f.Got)
	if rows == 0 && !f.SameSet {
		return nil
	}
	return &rows
}

// Facts are what the rows say, for finding out the cause.
type Facts struct {
	Columns        []result.Column // of the attempt
	Missing, Extra []result.Row    // at most factRows of each; the cells stand as in the attempt's columns
	Present        []result.Row    // rows of the attempt that are right, at most factRows
	MissingCount   int64
	ExtraCount     int64
	Got, Want      int64
	Sorted         bool          // the reference answer has an ORDER BY
	SameSet        bool          // but for repeated rows both sides hold the same
	Leading        bool          // the first rows of the attempt are those expected; what is too much follows
	Pairs          []CellPair    // values that differ in rows that otherwise agree, at most factRows
	Expected       []result.Type // of the expected columns, as they stand in the attempt's columns
}

// A CellPair is a cell of the attempt beside the one that is expected.
type CellPair struct {
	Column        int // of the attempt, from 0
	Got, Expected []byte
}

const factRows = 1000

// Bounds up to which a side's rows are held in memory to say how they differ. Beyond them rows are picked by their
// values, those of both sides alike, and findings say how many were looked at.
const (
	PairRows  = 100_000
	PairBytes = 16 << 20
)

var errTooMany = errors.New("too many rows to hold")

// gather reads a side's rows into memory.
func gather(rows func(func(result.Row) error) error) ([]result.Row, error) {
	var kept []result.Row
	var copier result.Copier
	size := 0
	err := rows(func(row result.Row) error {
		if size += row.Size(); len(kept) == PairRows || size > PairBytes {
			return errTooMany
		}
		kept = append(kept, copier.Copy(row))
		return nil
	})
	return kept, err
}

// Differences says how the attempt's rows differ from the reference's. It decides anew, by the rows themselves, whether
// the sides match: where floats round to different sides of a boundary they may, although their digests differ.
// Findings come causes first. An error is one of reading the rows.
func (p *Plan) Differences(reference, attempt Side) (Verdict, *Difference, error) {
	if reference.Digest.wide {
		return p.ofWide(reference, attempt)
	}
	if reference.Digest.Rows <= PairRows && attempt.Digest.Rows <= PairRows {
		ref, err := gather(reference.Rows)
		if err == nil {
			var att []result.Row
			if att, err = gather(attempt.Rows); err == nil {
				verdict, difference := p.ofRows(ref, att)
				return verdict, difference, nil
			}
		}
		if !errors.Is(err, errTooMany) {
			return Wrong, nil, err
		}
	}
	return p.ofMany(reference, attempt)
}

// ofRows compares two sides in memory.
func (p *Plan) ofRows(reference, attempt []result.Row) (Verdict, *Difference) {
	d := p.diff(p.window(reference, attempt), attempt)
	if p.policy.Columns == ByContent && len(p.attempt) > 1 && d.differs() {
		var pairs []int
		if p.reference.Window != nil {
			pairs = p.windowPairing(reference, attempt)
		} else {
			pairs, _ = p.pairing(
				inMemory(d.reference), inMemory(attempt), memoryPasses(len(attempt), len(p.attempt)),
				func(trial *Plan) bool { return !trial.diff(d.tied, attempt).differs() },
			)
		}
		if pairs == nil {
			pairs = p.bestPairing(d.reference, attempt)
		}
		p.pair(pairs)
		d = p.diff(p.window(reference, attempt), attempt)
	}
	if !d.differs() {
		return d.orderFindings()
	}
	return Wrong, d.difference()
}

// difference describes sides that do not hold the same rows.
func (d *diff) difference() *Difference {
	out := &Difference{Facts: d.facts()}
	if d.policy.Columns == ByPosition && len(d.reference) == len(d.attempt) && len(d.Plan.attempt) > 1 {
		trial := *d.Plan
		if pairs, _ := trial.pairing(
			inMemory(d.reference), inMemory(d.attempt), memoryPasses(len(d.attempt), len(d.Plan.attempt)),
			func(trial *Plan) bool { return !trial.diff(d.tied, d.attempt).differs() },
		); pairs != nil {
			out.Findings = []Finding{d.swapped(pairs)}
			return out
		}
	}
	if out.Findings = d.typeFindings(); out.Findings == nil {
		out.Findings = d.rowFindings(&out.Facts)
	}
	return out
}

// A tied is the reference's rows with the number of each one's tie group.
type tied struct {
	rows   []result.Row
	groups []int
}

// window picks the reference's rows that count, with their tie groups. Of a tie that is cut it picks those which the
// attempt has, as far as there are such.
func (p *Plan) window(reference, attempt []result.Row) tied {
	all := tied{reference, p.tieGroups(reference, p.reference.Keys)}
	w := p.reference.Window
	if w == nil {
		return all
	}
	refKeys, attKeys := keys(reference, p.refCells, p.refReadings), keys(attempt, p.attCells, p.attReadings)
	spare := map[string]int{} // what the attempt has beside the ties that are whole
	for _, k := range attKeys {
		spare[k]++
	}
	all.each(func(from, to int) {
		for i := from; i < to && w.within(int64(from), int64(to)) == int64(to-from); i++ {
			spare[refKeys[i]]--
		}
	})
	var out tied
	all.each(func(from, to int) {
		take := int(w.within(int64(from), int64(to)))
		if p.order() == OrderStrict {
			from = max(from, int(w.Skip))
			to = from + take
		}
		here := map[string]int{} // what the attempt has at the tie's places
		if p.order() == OrderAuto && take < to-from {
			for i := len(out.rows); i < min(len(out.rows)+take, len(attKeys)); i++ {
				here[attKeys[i]]++
			}
		}
		taken := make([]bool, to-from)
		left := take
		for _, wanted := range []func(k string) bool{
			func(k string) bool { return here[k] > 0 },
			func(k string) bool { return spare[k] > 0 },
			func(string) bool { return true },
		} {
			for i := from; i < to && left > 0; i++ {
				if k := refKeys[i]; !taken[i-from] && wanted(k) {
					here[k]--
					spare[k]--
					taken[i-from] = true
					left--
				}
			}
		}
		for i := from; i < to; i++ {
			if taken[i-from] {
				out.rows, out.groups = append(out.rows, reference[i]), append(out.groups, all.groups[from])
			}
		}
	})
	return out
}

// each calls f with the bounds of every tie group.
func (t tied) each(f func(from, to int)) {
	for from := 0; from < len(t.groups); {
		to := from + 1
		for to < len(t.groups) && t.groups[to] == t.groups[from] {
			to++
		}
		f(from, to)
		from = to
	}
}

// tieGroups gives each row of the reference the number of its tie group on the given keys.
func (p *Plan) tieGroups(reference []result.Row, on []int) []int {
	groups := make([]int, len(reference))
	if p.order() == OrderStrict {
		return identity(len(reference))
	}
	for i := 1; i < len(reference); i++ {
		groups[i] = groups[i-1]
		for k := range on {
			if !same(&p.keyReadings[k], &p.keyReadings[k], reference[i-1][on[k]], reference[i][on[k]]) {
				groups[i]++
				break
			}
		}
	}
	return groups
}
