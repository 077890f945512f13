// Package compare decides whether a result set is the one that a reference answer gives, and says how it differs.
//
// A comparison has two sides, the reference's and the attempt's. Each side is read once, row by row, into a [Digest],
// which needs little memory; two digests made under one [Plan] tell whether the sides match. Only where they do not are the
// rows themselves looked at again, by [Plan.Differences].
package compare

import (
	"examen/internal/core/result"
)

// A Policy says what counts as the same. Its zero value is the default: order as the reference answer orders,
// columns by position, names ignored, repeated rows counted.
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

// A Reference is the reference side's shape: its columns and how its rows are ordered.
type Reference struct {
	Columns []result.Column // without those added for ordering
	Keys    []int           // cells of a row on which it is ordered, the most significant first; may lie beyond Columns
	Ordered bool            // there is a top-level ORDER BY
}

// A Plan compares an attempt's rows with a reference's under a policy. It holds no rows.
type Plan struct {
	policy    Policy
	reference Reference
	attempt   []result.Column

	refCells, attCells       []int // cell of each side at each compared place
	refReadings, attReadings []result.Reading
	keyReadings              []result.Reading // of reference.Keys
}

// NewPlan pairs the columns of the two sides. Where that is not possible the findings say why, and there is no plan: the
// attempt is incorrect whatever its rows are.
//
// cells and types of reference.Keys beyond reference.Columns are given by keyTypes, which has one type for each key.
func NewPlan(policy Policy, reference Reference, keyTypes []result.Type, attempt []result.Column) (*Plan, []Finding) {
	p := &Plan{policy: policy, reference: reference, attempt: attempt}
	if findings := p.columnsMissingOrExtra(); findings != nil {
		return nil, findings
	}
	pairs := identity(len(attempt))
	if policy.Columns == ByName {
		var findings []Finding
		if pairs, findings = p.pairByName(); findings != nil {
			return nil, findings
		}
	}
	p.pair(pairs)
	for _, t := range keyTypes {
		reading, _ := result.Pair(t, t, result.Options{})
		p.keyReadings = append(p.keyReadings, reading)
	}
	return p, nil
}

// pair sets which of the attempt's columns stands at each of the reference's places.
func (p *Plan) pair(attCells []int) {
	options := result.Options{Decimals: p.policy.Decimals, Fold: p.policy.Fold, Trim: p.policy.Trim, StrictTime: p.policy.Strict}
	p.refCells, p.attCells = identity(len(attCells)), attCells
	p.refReadings, p.attReadings = nil, nil
	for i, cell := range attCells {
		ref, att := result.Pair(p.reference.Columns[i].Type, p.attempt[cell].Type, options)
		p.refReadings = append(p.refReadings, ref)
		p.attReadings = append(p.attReadings, att)
	}
}

// Readings identifies how the reference side is read. A reference digest can be used again by any plan with the same policy,
// reference and Readings.
func (p *Plan) Readings() string {
	var b []byte
	for _, r := range p.refReadings {
		b = append(b, r.Family...)
		b = append(b, '/')
		b = append(b, r.Tag...)
		b = append(b, ' ')
	}
	return string(b)
}

// order is the order to hold the attempt to, OrderAuto resolved.
func (p *Plan) order() Order {
	switch {
	case p.policy.Once, p.policy.Order == OrderAny, p.policy.Order == OrderAuto && !p.reference.Ordered:
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
