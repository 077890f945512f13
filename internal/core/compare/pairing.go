package compare

import (
	"cmp"
	"encoding/binary"
	"math"
	"math/bits"
	"slices"
	"strconv"

	"examen/internal/core/result"
)

// runningPasses is how often the rows may be read to pair columns by content where the query has to be run again for
// it.
const runningPasses = 12

// memoryPasses is how often so many rows may be read in memory for it: some hundreds of times, but no more than some
// ten million cells.
func memoryPasses(rows, columns int) int {
	return min(400, max(8, 40_000_000/max(1, rows*columns)))
}

// A reading of all rows of one side.
type source func(yield func(result.Row) error) error

func inMemory(rows []result.Row) source {
	return func(yield func(result.Row) error) error {
		for _, row := range rows {
			if err := yield(row); err != nil {
				return err
			}
		}
		return nil
	}
}

// pairing looks for the pairing of columns under which both sides hold the same rows, in any order: for each of the
// reference's columns it gives the attempt's; nil if there is none. right tells for a whole pairing whether it is one.
// settled tells that there can be no other: nothing had to be tried, nor was given up.
//
// Columns are told apart by colour refinement (Weisfeiler and Leman 1968; for permuting rows and columns of a table it
// is the partition refinement of McKay, "Practical graph isomorphism", 1981): a column's colour says which values it
// holds, a row's which values stand under which colours, then a column's again in rows of which colours, until no more
// columns are told apart. Columns that are still alike are paired by trial, which settles others. That takes a few
// passes over the rows, not one for each order of the columns.
func (p *Plan) pairing(reference, attempt source, passes int, right func(*Plan) bool) (pairs []int, settled bool) {
	m := &matching{plan: p, sources: [2]source{reference, attempt}, passes: passes}
	m.columns = [2][]result.Column{p.reference.Columns, p.attempt}
	inexact := p.anyInexact()
	var start [2][]colour
	for side, columns := range m.columns {
		for _, c := range columns {
			m.cells[side] = append(m.cells[side], p.colouring(c, inexact))
			start[side] = append(start[side], p.reference.Seed.Of([]byte(m.cells[side][len(m.cells[side])-1].class)))
		}
	}
	var found []int
	m.search(start, func(pairs []int) bool {
		trial := *p
		trial.pair(pairs)
		if !right(&trial) {
			return false
		}
		found = pairs
		return true
	})
	return found, !m.tried && m.passes > 0 && (found != nil || !inexact)
}

// anyInexact tells whether numbers on either side are not exact, however the columns are paired.
func (p *Plan) anyInexact() bool {
	return p.inexact() ||
		slices.ContainsFunc(slices.Concat(p.reference.Columns, p.attempt), func(c result.Column) bool {
			reading, _ := result.Pair(c.Type, c.Type, result.Options{Precision: c.Precision})
			return reading.Inexact()
		})
}

type colour = result.Fingerprint

// matching is a search for a pairing.
type matching struct {
	plan    *Plan
	sources [2]source
	columns [2][]result.Column
	cells   [2][]colouring
	passes  int // still allowed
	tried   bool
}

// A colouring brings the cells of one column to a form that is the same on both sides, whichever column it is paired
// with.
type colouring struct {
	class   string // columns of different classes are never paired
	reading result.Reading
	coarse  bool
}

// colouring of a type; inexact says that there are floats on either side, so that numbers must not be told apart by
// their last digits.
func (p *Plan) colouring(column result.Column, inexact bool) colouring {
	t, options := column.Type, p.options()
	options.Precision, options.Equal = column.Precision, column.Equal
	reading, _ := result.Pair(t, t, options)
	reading.Tag = ""
	c := colouring{class: string(t.Family()), reading: reading}
	switch t.Family() {
	case result.Number, result.Float:
		c.class, c.coarse = "number", inexact && p.policy.Decimals == nil
	case result.Nested, result.JSON:
		c.coarse = reading.Inexact()
	case result.Exact, result.Unknown, result.Geometry:
		c.class += strconv.Itoa(int(t.OID))
	case result.Instant:
		if p.policy.Strict {
			c.class += strconv.Itoa(int(t.OID))
		}
	}
	return c
}

// append appends a cell's form. Inexact numbers keep four digits of their product with a number that has nothing to do
// with ten, so that values people write do not lie at the bounds of rounding; within arrays and the like they are left
// out.
func (c colouring) append(dst, cell []byte) []byte {
	switch {
	case cell == nil || !c.coarse:
		return result.AppendCell(dst, cell, &c.reading)
	case c.class != "number":
		dst, _, _ = c.reading.Inexactly(dst, cell)
		return dst
	}
	f, err := strconv.ParseFloat(string(cell), 64)
	if err != nil || math.IsInf(f, 0) || math.IsNaN(f) {
		return append(append(dst, 1), cell...)
	}
	return strconv.AppendFloat(append(dst, 2), f*math.Pi/3, 'e', 3, 64)
}

// search refines the colours, and pairs by trial what they leave open. It tells whether a pairing was accepted.
func (m *matching) search(colours [2][]colour, accept func(pairs []int) bool) bool {
	colours, ok := m.refine(colours)
	if !ok {
		return false
	}
	byColour := map[colour][]int{}
	for c, k := range colours[1] {
		byColour[k] = append(byColour[k], c)
	}
	pairs := make([]int, len(colours[0]))
	open := -1 // the column with the fewest candidates, of those with several
	for i, k := range colours[0] {
		pairs[i] = byColour[k][0]
		if n := len(byColour[k]); n > 1 && (open < 0 || n < len(byColour[colours[0][open]])) {
			open = i
		}
	}
	if open < 0 {
		return accept(pairs)
	}
	m.tried = true
	for _, candidate := range byColour[colours[0][open]] {
		trial := [2][]colour{slices.Clone(colours[0]), slices.Clone(colours[1])}
		settled := m.plan.reference.Seed.Of(append([]byte("settled"), strconv.Itoa(open)...))
		trial[0][open], trial[1][candidate] = settled, settled
		if m.search(trial, accept) {
			return true
		}
		if m.passes <= 0 {
			return false
		}
	}
	return false
}

// refine refines the colours until no more columns are told apart. ok is false where the two sides' colours are not the
// same.
func (m *matching) refine(colours [2][]colour) (_ [2][]colour, ok bool) {
	kinds := 0
	for {
		if !sameColours(colours) {
			return colours, false
		}
		now := distinct(colours[0])
		if now == kinds || now == len(colours[0]) && kinds > 0 || m.passes <= 0 {
			return colours, true
		}
		kinds = now
		m.passes--
		for side := range colours {
			next, err := m.pass(side, colours[side])
			if err != nil {
				return colours, false
			}
			colours[side] = next
		}
	}
}

// pass reads one side's rows and refines its columns' colours.
func (m *matching) pass(side int, colours []colour) ([]colour, error) {
	sums := make([]colour, len(colours))
	prints := make([]colour, len(colours))
	cells := m.cells[side]
	var b []byte
	hash := func(k colour, more []byte) colour {
		b = binary.LittleEndian.AppendUint64(binary.LittleEndian.AppendUint64(b[:0], k.Hi), k.Lo)
		return m.plan.reference.Seed.Of(append(b, more...))
	}
	var seen map[colour]bool
	if m.plan.policy.Once {
		seen = map[colour]bool{}
	}
	var cell []byte
	err := m.sources[side](func(row result.Row) error {
		var whole colour
		for c := range colours {
			cell = cells[c].append(cell[:0], row[c])
			prints[c] = hash(colours[c], cell)
			whole = whole.Plus(prints[c])
		}
		if seen != nil {
			if seen[whole] {
				return nil
			}
			seen[whole] = true
		}
		for c := range colours {
			var other [16]byte
			binary.LittleEndian.PutUint64(other[:8], prints[c].Hi)
			binary.LittleEndian.PutUint64(other[8:], prints[c].Lo)
			sums[c] = sums[c].Plus(hash(whole, other[:]))
		}
		return nil
	})
	for c := range sums {
		sums[c] = m.plan.reference.Seed.Then(colours[c], sums[c])
	}
	return sums, err
}

func sorted(colours []colour) []colour {
	s := slices.Clone(colours)
	slices.SortFunc(s, func(a, b colour) int { return cmp.Or(cmp.Compare(a.Hi, b.Hi), cmp.Compare(a.Lo, b.Lo)) })
	return s
}

func sameColours(colours [2][]colour) bool {
	return slices.Equal(sorted(colours[0]), sorted(colours[1]))
}

func distinct(colours []colour) int { return len(slices.Compact(sorted(colours))) }

// alikeRows bounds how many values of a column are looked at for [Plan.bestPairing].
const alikeRows = 2000

// bestPairing pairs the columns where no pairing makes the sides the same: so that as many values as can be are in the
// right column, first in rows that hold the same values in any columns, then in any rows.
func (p *Plan) bestPairing(reference, attempt []result.Row) []int {
	inexact := p.anyInexact()
	every := uint64(max(len(reference), len(attempt))/alikeRows + 1)
	ref, att := p.valuesOf(
		reference, p.reference.Columns, inexact, every,
	), p.valuesOf(attempt, p.attempt, inexact, every)
	costs := make([][]int, len(ref))
	for i := range ref {
		costs[i] = make([]int, len(att))
		for j := range att {
			costs[i][j] = -4*overlap(ref[i].inRows, att[j].inRows) - 2*overlap(ref[i].all, att[j].all)
			if i == j {
				costs[i][j]-- // of two as good, the one at its place
			}
		}
	}
	return assign(costs)
}

// values are a column's values with their numbers: all, and those in rows of the same values.
type values struct{ all, inRows map[uint64]int }

func overlap(a, b map[uint64]int) int {
	n := 0
	for v, count := range a {
		n += min(count, b[v])
	}
	return n
}

// valuesOf looks at one value in every so many, the same ones on both sides.
func (p *Plan) valuesOf(rows []result.Row, columns []result.Column, inexact bool, every uint64) []values {
	all := make([]values, len(columns))
	colourings := make([]colouring, len(columns))
	for c := range columns {
		all[c] = values{map[uint64]int{}, map[uint64]int{}}
		colourings[c] = p.colouring(columns[c], inexact)
	}
	var b []byte
	prints := make([]uint64, len(columns))
	for _, row := range rows {
		whole := uint64(0)
		for c := range columns {
			b = colourings[c].append(append(b[:0], colourings[c].class...), row[c])
			prints[c] = p.reference.Seed.Sum64(b)
			whole += prints[c]
			if prints[c]%every == 0 {
				all[c].all[prints[c]]++
			}
		}
		for c := range columns {
			if whole%every == 0 {
				all[c].inRows[whole^bits.RotateLeft64(prints[c], 17)]++
			}
		}
	}
	return all
}

// assign gives each row of a square matrix a column of its own so that the sum of costs is least: the Hungarian method
// (Kuhn 1955) with shortest augmenting paths (Jonker and Volgenant 1987), in the third power of the matrix's size.
func assign(costs [][]int) []int {
	n := len(costs)
	const none = math.MaxInt
	u, v := make([]int, n+1), make([]int, n+1) // potentials
	row, way := make([]int, n+1), make([]int, n+1)
	for i := 1; i <= n; i++ {
		row[0] = i
		least, used := make([]int, n+1), make([]bool, n+1)
		for j := range least {
			least[j] = none
		}
		at := 0
		for row[at] != 0 {
			used[at] = true
			next, delta := 0, none
			for j := 1; j <= n; j++ {
				if used[j] {
					continue
				}
				if c := costs[row[at]-1][j-1] - u[row[at]] - v[j]; c < least[j] {
					least[j], way[j] = c, at
				}
				if least[j] < delta {
					delta, next = least[j], j
				}
			}
			for j := 0; j <= n; j++ {
				if used[j] {
					u[row[j]] += delta
					v[j] -= delta
				} else if least[j] != none {
					least[j] -= delta
				}
			}
			at = next
		}
		for at != 0 {
			row[at] = row[way[at]]
			at = way[at]
		}
	}
	pairs := make([]int, n)
	for j := 1; j <= n; j++ {
		pairs[row[j]-1] = j - 1
	}
	return pairs
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
