// Package compare decides whether a result set is the one that a reference answer gives, and says how it differs.
//
// A comparison has two sides, the reference's and the attempt's. Each side is read once, row by row, into a [Digest],
// which needs little memory; two digests made under one [Plan] tell whether the sides match. Only where they do not are
// the rows themselves looked at again, by [Plan.Differences].
package compare

import (
	"slices"
	"strings"

	"examen/internal/core/result"
)

// A Policy says what counts as the same. Its zero value is the default: order as the reference answer orders, columns
// by position, names ignored, repeated rows counted.
type Policy struct {
	Order    Order   `json:"order,omitempty"`
	Columns  Pairing `json:"columns,omitempty"`
	Names    bool    `json:"names,omitempty"`    // column names must be the reference's
	Decimals *int    `json:"decimals,omitempty"` // numbers are compared rounded to so many decimals
	Fold     bool    `json:"fold,omitempty"`     // text: case is ignored
	Trim     bool    `json:"trim,omitempty"`     // text: spaces at both ends are ignored
	Strict   bool    `json:"strict,omitempty"`   // time: a date is not a timestamp at midnight
	Once     bool    `json:"once,omitempty"`     // repeated rows count once
}

// Order says how far the order of rows matters.
type Order string

const (
	OrderAuto   Order = ""       // as far as the reference answer's own ORDER BY decides it; ties in any order
	OrderAny    Order = "any"    // not at all
	OrderStrict Order = "strict" // row by row as the reference answer's
)

// Pairing says which columns of the two sides belong together.
type Pairing string

const (
	ByPosition Pairing = ""
	ByName     Pairing = "name"
	ByContent  Pairing = "any" // the pairing under which the sides match, if there is one
)

// A Reference is the reference side's shape: its columns, how its rows are ordered, and which of them count.
type Reference struct {
	Columns []result.Column // without those added for ordering
	// cells of a row on which it is ordered, the most significant first; may lie beyond Columns
	Keys       []int
	KeyColumns []result.Column // one for each key
	Ordered    bool            // there is a top-level ORDER BY
	Window     *Window         // of LIMIT and OFFSET; nil: all rows count
	Seed       result.Seed     // of the rows' fingerprints
}

// A Window is what LIMIT and OFFSET let through of a reference's rows. The reference's rows are then given as far as
// the tie reaches that the window's end may cut through, so that any choice among the tied rows is right; without an
// order all rows tie.
type Window struct {
	Skip, Take int64 // rows; a Take below zero is no limit
}

// Rows is how many of so many rows count.
func (w *Window) Rows(of int64) int64 { return w.within(0, of) }

// A Plan compares an attempt's rows with a reference's under a policy. It holds no rows.
type Plan struct {
	policy    Policy
	reference Reference
	attempt   []result.Column

	refCells, attCells       []int // cell of each side at each compared place
	refReadings, attReadings []result.Reading
	keyReadings              []result.Reading // of reference.Keys
	nearKeys                 bool             // keys may tie although their canonical forms differ
}

// NewPlan pairs the columns of the two sides. Where that is not possible the findings say why, and there is no plan:
// the attempt is incorrect whatever its rows are.
func NewPlan(policy Policy, reference Reference, attempt []result.Column) (*Plan, []Finding) {
	p := &Plan{policy: policy, reference: reference, attempt: attempt}
	if findings := p.columnsMissingOrExtra(); findings != nil {
		return nil, findings
	}
	pairs := identity(len(attempt))
	switch {
	case policy.Columns == ByName:
		var findings []Finding
		if pairs, findings = p.pairByName(); findings != nil {
			return nil, findings
		}
	case policy.Columns == ByContent && policy.Names: // of columns that hold the same, that of the right name
		if named, findings := p.pairByName(); findings == nil {
			pairs = named
		}
	}
	p.pair(pairs)
	for _, c := range reference.KeyColumns {
		reading, _ := result.Pair(c.Type, c.Type, result.Options{Precision: c.Precision})
		p.keyReadings = append(p.keyReadings, reading)
		p.nearKeys = p.nearKeys || reading.Inexact()
	}
	return p, nil
}

func (p *Plan) options() result.Options {
	return result.Options{
		Decimals:   p.policy.Decimals,
		Fold:       p.policy.Fold,
		Trim:       p.policy.Trim,
		StrictTime: p.policy.Strict,
	}
}

// pair sets which of the attempt's columns stands at each of the reference's places.
func (p *Plan) pair(attCells []int) {
	p.refCells, p.attCells = identity(len(attCells)), attCells
	p.refReadings, p.attReadings = nil, nil
	for i, cell := range attCells {
		options := p.options()
		options.Precision = p.reference.Columns[i].Precision.And(p.attempt[cell].Precision)
		options.Equal = equal(p.reference.Columns[i], p.attempt[cell])
		ref, att := result.Pair(p.reference.Columns[i].Type, p.attempt[cell].Type, options)
		p.refReadings = append(p.refReadings, ref)
		p.attReadings = append(p.attReadings, att)
	}
}

// Readings identifies how the reference side is read. A reference digest can be used again by any plan with the same
// policy, reference and Readings.
func (p *Plan) Readings() string {
	var b strings.Builder
	for _, r := range p.refReadings {
		b.WriteString(r.String())
		b.WriteByte(' ')
	}
	return b.String()
}

// inexact tells whether rows may be the same although their fingerprints differ.
func (p *Plan) inexact() bool {
	return slices.ContainsFunc(p.refReadings, result.Reading.Inexact)
}

// order is the order to hold the attempt to, OrderAuto resolved.
func (p *Plan) order() Order {
	switch {
	case p.policy.Order == OrderAny, p.policy.Order == OrderAuto && !p.reference.Ordered:
		return OrderAny
	}
	return p.policy.Order
}

// NamesFinding returns the finding on column names where the policy requires them and they differ, nil otherwise.
func (p *Plan) NamesFinding() *Finding {
	if !p.policy.Names {
		return nil
	}
	var wrong []string
	f := Finding{Kind: ColumnNames}
	for i, cell := range p.attCells {
		if got, want := p.attempt[cell].Name, p.reference.Columns[i].Name; got != want {
			wrong = append(wrong, want)
			f.Places = append(f.Places, cell+1)
			f.Given = append(f.Given, got)
		}
	}
	if wrong == nil {
		return nil
	}
	f.Names = wrong
	return &f
}

func identity(n int) []int {
	s := make([]int, n)
	for i := range s {
		s[i] = i
	}
	return s
}

// equal are the texts that stand for others in a pair of columns. They are the same map where both columns have one.
func equal(reference, attempt result.Column) map[string]string {
	if reference.Equal != nil {
		return reference.Equal
	}
	return attempt.Equal
}
