package compare

import (
	"slices"

	"examen/internal/core/result"
)

// A Kind identifies what a finding says.
type Kind string

const (
	ColumnsMissing    Kind = "columns-missing"
	ColumnsExtra      Kind = "columns-extra"
	ColumnsSwapped    Kind = "columns-swapped"
	ColumnNames       Kind = "column-names"
	ColumnType        Kind = "column-type"
	ResultEmpty       Kind = "result-empty"
	RowsMissing       Kind = "rows-missing"
	RowsExtra         Kind = "rows-extra"
	RowsRepeated      Kind = "rows-repeated"
	RowsMultiplied    Kind = "rows-multiplied"
	DuplicatesRemoved Kind = "duplicates-removed"
	RowOrder          Kind = "row-order"
	RowOrderReversed  Kind = "row-order-reversed"
	RowOrderKey       Kind = "row-order-key"
	RowOrderPartly    Kind = "row-order-partly"
	ValuesDiffer      Kind = "values-differ"
	ValuesFactor      Kind = "values-factor"
	ValuesRounded     Kind = "values-rounded"
	ValuesCase        Kind = "values-case"
	ValuesSpaces      Kind = "values-spaces"
	ValuesNull        Kind = "values-null"
	ValuesDay         Kind = "values-day"
	ValuesConstant    Kind = "values-constant"
	ValuesShifted     Kind = "values-shifted"
	TooLargeToPair    Kind = "too-large-to-pair"
)

// Kinds lists all kinds.
func Kinds() []Kind {
	return []Kind{
		ColumnsMissing, ColumnsExtra, ColumnsSwapped, ColumnNames, ColumnType, ResultEmpty, RowsMissing, RowsExtra,
		RowsRepeated, RowsMultiplied, DuplicatesRemoved, RowOrder, RowOrderReversed, RowOrderKey, RowOrderPartly,
		ValuesDiffer, ValuesFactor, ValuesRounded, ValuesCase, ValuesSpaces, ValuesNull, ValuesDay, ValuesConstant,
		ValuesShifted, TooLargeToPair,
	}
}

// EvidenceRows is the most rows that a finding shows.
const EvidenceRows = 5

// A Finding is one difference. Which fields it uses depends on its kind; package explain puts it into words.
type Finding struct {
	Kind   Kind
	Places []int    // columns of the attempt concerned, from 1
	Names  []string // the names of the reference's columns concerned
	Given  []string // names or types as the attempt has them, beside Names
	Count  int64    // rows concerned
	Got    int64    // rows of the attempt
	Want   int64    // rows of the reference
	Times  int64    // how often every row comes; days
	What   string   // the factor, the way round
	Looked int64    // rows of the attempt that were looked at, where they were too many to look at all

	Rounding *Rounding // of ValuesRounded

	Columns []string // of the evidence
	// evidence: the attempt's own rows, but for those missing and for the expected values of ValuesDiffer
	Rows []result.Row
	// Reveals tells that the evidence holds cells of the expected result.
	Reveals bool
}

// A Rounding is how the numbers of one side come of the other's.
type Rounding struct {
	// Attempt tells that it is the attempt whose numbers have fewer decimals, and not the reference.
	Attempt bool
	// Cut tells that the further decimals are cut off, and not rounded.
	Cut      bool
	Decimals int
}

func (p *Plan) columnsMissingOrExtra() []Finding {
	want, got := names(p.reference.Columns), names(p.attempt)
	if len(want) == len(got) {
		return nil
	}
	f := Finding{Kind: ColumnsMissing, Got: int64(len(got)), Want: int64(len(want))}
	if len(got) < len(want) {
		f.Names = without(want, got)
		if len(f.Names) != len(want)-len(got) {
			f.Names = nil // named otherwise: which ones are missing cannot be told
		}
	} else {
		f.Kind = ColumnsExtra
		f.Given = without(got, want)
		if len(f.Given) != len(got)-len(want) {
			f.Given = nil
		}
	}
	return []Finding{f}
}

func (p *Plan) pairByName() ([]int, []Finding) {
	got := names(p.attempt)
	pairs := make([]int, len(got))
	for i, column := range p.reference.Columns {
		at := slices.Index(got, column.Name)
		if at < 0 {
			want := names(p.reference.Columns)
			return nil, []Finding{
				{Kind: ColumnNames, Names: without(want, got), Given: without(names(p.attempt), want)},
			}
		}
		pairs[i], got[at] = at, "\x00" // taken
	}
	return pairs, nil
}

// typeFindings names the paired columns whose types cannot be compared.
func (p *Plan) typeFindings() []Finding {
	var findings []Finding
	for i, cell := range p.attCells {
		if !result.Comparable(p.refReadings[i], p.attReadings[i]) {
			findings = append(findings, Finding{Kind: ColumnType, Places: []int{cell + 1},
				Names: []string{p.reference.Columns[i].Type.Name}, Given: []string{
					p.attempt[cell].Name, p.attempt[cell].Type.Name,
				}})
		}
	}
	return findings
}

func names(columns []result.Column) []string {
	s := make([]string, len(columns))
	for i, c := range columns {
		s[i] = c.Name
	}
	return s
}

// without returns the strings of a that b lacks, counting repeated ones.
func without(a, b []string) []string {
	b = slices.Clone(b)
	var rest []string
	for _, s := range a {
		if at := slices.Index(b, s); at >= 0 {
			b = slices.Delete(b, at, at+1)
		} else {
			rest = append(rest, s)
		}
	}
	return rest
}
