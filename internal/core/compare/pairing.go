package compare

import (
	"examen/internal/core/result"
)

// pairingTries bounds the search for a pairing where several columns hold the same values.
const pairingTries = 2000

// pairing looks for the pairing of columns under which both sides hold the same rows, in any order. For each of the
// reference's columns it gives the attempt's; nil if there is none.
func (p *Plan) pairing(reference, attempt []result.Row) []int {
	if len(reference) != len(attempt) && !p.policy.Once {
		return nil
	}
	candidates := p.candidates(reference, attempt)
	pairs := make([]int, 0, len(p.attempt))
	taken := make([]bool, len(p.attempt))
	tries := 0
	trial := *p
	var place func() bool
	place = func() bool {
		if len(pairs) == len(p.attempt) {
			tries++
			trial.pair(append([]int(nil), pairs...))
			d := trial.diff(reference, attempt)
			return len(d.missing) == 0 && len(d.extra) == 0
		}
		for _, c := range candidates[len(pairs)] {
			if taken[c] || tries >= pairingTries {
				continue
			}
			taken[c], pairs = true, append(pairs, c)
			if place() {
				return true
			}
			taken[c], pairs = false, pairs[:len(pairs)-1]
		}
		return false
	}
	if !place() {
		return nil
	}
	return pairs
}

// candidates gives, for each of the reference's columns, the attempt's columns that hold the same values.
func (p *Plan) candidates(reference, attempt []result.Row) [][]int {
	options := result.Options{Decimals: p.policy.Decimals, Fold: p.policy.Fold, Trim: p.policy.Trim, StrictTime: p.policy.Strict}
	type read struct {
		cell    int
		reading result.Reading
	}
	sums := [2]map[read]result.Fingerprint{{}, {}}
	sum := func(side int, rows []result.Row, cell int, reading result.Reading) result.Fingerprint {
		key := read{cell, reading}
		if f, done := sums[side][key]; done {
			return f
		}
		var total result.Fingerprint
		var b []byte
		seen := map[result.Fingerprint]bool{}
		for _, row := range rows {
			b = result.AppendCell(b[:0], row[cell], reading)
			f := result.Of(b)
			if p.policy.Once && seen[f] {
				continue
			}
			if p.policy.Once {
				seen[f] = true
			}
			total = total.Plus(f)
		}
		sums[side][key] = total
		return total
	}
	candidates := make([][]int, len(p.reference.Columns))
	for i, want := range p.reference.Columns {
		for c, got := range p.attempt {
			ra, rb := result.Pair(want.Type, got.Type, options)
			if sum(0, reference, i, ra) == sum(1, attempt, c, rb) {
				candidates[i] = append(candidates[i], c)
			}
		}
	}
	return candidates
}

// swapped is the finding for columns that are right but stand in another order.
func (p *Plan) swapped(pairs []int) Finding {
	f := Finding{Kind: ColumnsSwapped}
	for i, c := range pairs {
		if i != c {
			f.Places = append(f.Places, c+1)
			f.Given = append(f.Given, p.attempt[c].Name)
		}
	}
	return f
}
