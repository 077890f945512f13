package compare

import "examen/internal/core/result"

// Cut tells which rows of the reference tie at a place where LIMIT or OFFSET cuts through them, so that which of them count is not decided.
// The rows are all that the reference gives, through the end of the tie.
func (p *Plan) Cut(rows []result.Row) []result.Row {
	w := p.reference.Window
	if w == nil {
		return nil
	}
	keys := p.refKeysOf(rows)
	var cut []result.Row
	tied{groups: p.tieGroups(rows, p.reference.Keys)}.each(func(from, to int) {
		if take := w.within(int64(from), int64(to)); take > 0 && take < int64(to-from) && varied(keys[from:to]) {
			for _, row := range rows[from:to] {
				cut = append(cut, row[:len(p.reference.Columns)])
			}
		}
	})
	return cut
}

// Ties returns rows of the reference that tie on its order keys although they differ.
func (p *Plan) Ties(rows []result.Row) []result.Row {
	loose := *p
	loose.policy.Order = OrderAuto
	keys := p.refKeysOf(rows)
	var ties []result.Row
	tied{groups: loose.tieGroups(rows, p.reference.Keys)}.each(func(from, to int) {
		if varied(keys[from:to]) {
			for _, row := range rows[from:to] {
				ties = append(ties, row[:len(p.reference.Columns)])
			}
		}
	})
	return ties
}

func (p *Plan) refKeysOf(rows []result.Row) []string { return keys(rows, p.refCells, p.refReadings) }

// varied tells whether some rows differ: of rows that are alike it does not matter which count.
func varied(keys []string) bool {
	for _, k := range keys {
		if k != keys[0] {
			return true
		}
	}
	return false
}
