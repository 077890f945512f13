package compare

import "examen/internal/core/result"

// Cut tells which rows of the reference tie at a place where LIMIT or OFFSET cuts through them, so that which of them
// count is not decided. The rows are all that the reference gives, through the end of the tie.
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

// varied tells whether some rows differ. If all are alike, it does not matter which of them count.
func varied(keys []string) bool {
	for _, k := range keys {
		if k != keys[0] {
			return true
		}
	}
	return false
}

// ofWide compares with a reference in which LIMIT or OFFSET cuts through a tie of more rows than are kept. The
// reference is read again to look for the attempt's rows.
func (p *Plan) ofWide(reference, attempt Side) (Verdict, *Difference, error) {
	if attempt.Digest.Rows > widestCut {
		return Open, nil, nil
	}
	only := map[result.Fingerprint]bool{}
	var rows []result.Row
	var prints []result.Fingerprint
	err := attempt.Rows(func(row result.Row) error {
		f := p.reference.Seed.Of(result.AppendKey(nil, row, p.attCells, p.attReadings))
		only[f] = false
		rows, prints = append(rows, row.Clone()), append(prints, f)
		return nil
	})
	if err != nil {
		return Wrong, nil, err
	}
	digester := p.Reference(0)
	digester.only = only
	if err := reference.Rows(func(row result.Row) error { digester.Add(row); return nil }); err != nil {
		return Wrong, nil, err
	}
	again := p.Attempt(digester.Digest())
	for _, row := range rows {
		again.Add(row)
	}
	got, want := int64(len(rows)), reference.Digest.Rows
	switch {
	case p.Match(digester.Digest(), again.Digest()):
		return Right, nil, nil
	case got == want && (p.inexact() || p.policy.Columns == ByContent && len(p.attempt) > 1):
		return Open, nil, nil
	}
	f := Finding{Kind: RowsExtra, Got: got, Want: want, Columns: names(p.attempt)}
	for i, print := range prints {
		if !only[print] {
			if f.Count++; len(f.Rows) < EvidenceRows {
				f.Rows = append(f.Rows, rows[i])
			}
		}
	}
	switch {
	case f.Count > 0:
	case got < want:
		f = Finding{Kind: RowsMissing, Count: want - got, Got: got, Want: want}
	case got > want:
		f.Count = got - want
	default:
		return Wrong, TooLarge(reference.Digest, attempt.Digest), nil
	}
	return Wrong, &Difference{Findings: []Finding{f}, Facts: Facts{Columns: p.attempt, Got: got, Want: want}}, nil
}

// windowPairing looks for the pairing of columns under which the attempt has rows that LIMIT and OFFSET may let
// through; nil if none is found. An attempt's column can only be one that has all of its values, as often.
func (p *Plan) windowPairing(reference, attempt []result.Row) []int {
	n := len(p.attempt)
	fits := make([][]bool, n)
	for i := range fits {
		fits[i] = make([]bool, n)
		for j := range fits[i] {
			fits[i][j] = p.holds(reference, i, attempt, j)
		}
	}
	tries := memoryPasses(len(reference), n)
	pairs, taken := make([]int, n), make([]bool, n)
	var search func(i int) bool
	search = func(i int) bool {
		if i == n {
			tries--
			trial := *p
			trial.pair(pairs)
			return !trial.diff(trial.window(reference, attempt), attempt).differs()
		}
		for j := range n {
			if taken[j] || !fits[i][j] || tries <= 0 {
				continue
			}
			pairs[i], taken[j] = j, true
			if search(i + 1) {
				return true
			}
			taken[j] = false
		}
		return false
	}
	if !search(0) {
		return nil
	}
	return pairs
}

// holds tells whether a column of the reference has all values of one of the attempt.
func (p *Plan) holds(reference []result.Row, i int, attempt []result.Row, j int) bool {
	options := p.options()
	options.Precision = p.reference.Columns[i].Precision.And(p.attempt[j].Precision)
	options.Equal = equal(p.reference.Columns[i], p.attempt[j])
	ref, att := result.Pair(p.reference.Columns[i].Type, p.attempt[j].Type, options)
	if !result.Comparable(ref, att) || ref.Inexact() {
		return result.Comparable(ref, att)
	}
	left := map[string]int{}
	for _, row := range reference {
		left[string(result.AppendCell(nil, row[i], &ref))]++
	}
	for _, row := range attempt {
		k := string(result.AppendCell(nil, row[j], &att))
		if left[k]--; left[k] < 0 {
			return false
		}
	}
	return true
}
