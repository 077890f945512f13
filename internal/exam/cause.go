package exam

import (
	"context"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/sqltext"
)

// Bounds of trying what is wrong with an attempt: how many edits of it are run, and for how long in all.
const (
	mostTried   = 16
	triedWithin = 1500 * time.Millisecond
)

// cause is the first of the likely causes of which an edit, tried, brings the result nearer to the expected one; nil where there is none.
func (v *viewing) cause(d *compare.Difference, schema sqltext.Schema) *explain.Finding {
	accepted, err := sqltext.ReadQuery(v.exercise.Reference)
	if err != nil {
		return nil
	}
	ctx, stop := context.WithTimeout(v.ctx, triedWithin)
	defer stop()
	alone := *v.check // held against the reference answer, and no other
	alone.rules.Also = nil
	from, tried := v.distance(false, d), 0
	for _, cause := range explain.Likely(v.query.Traits(schema), d.Findings, d.Facts, schema, accepted) {
		if cause.Certain {
			return &cause.Finding
		}
		for _, sql := range cause.Edits(v.query.Edits(schema)) {
			if tried++; tried > mostTried || ctx.Err() != nil {
				return nil
			}
			edited, err := sqltext.ReadQuery(sql)
			if err != nil {
				continue
			}
			trial := alone.viewing(v.database, false)
			right, err := trial.verdict(ctx, edited)
			if err == nil && trial.distance(right, trial.difference) < from {
				return &cause.Finding
			}
		}
	}
	return nil
}

// The distances of results whose rows cannot be held against each other one by one.
const (
	otherColumns = 1e15 // and more for each column too many or too few
	manyRows     = 1e12
)

// distance is how far a result is from the expected one: zero where it is right, else about how many rows differ, or stand at another place.
func (v *viewing) distance(right bool, d *compare.Difference) float64 {
	switch {
	case right || d == nil:
		return 0
	case len(d.Findings) == 0:
		return otherColumns
	}
	first := d.Findings[0]
	switch first.Kind {
	case compare.ColumnsMissing, compare.ColumnsExtra:
		return otherColumns * (1 + max(float64(first.Got-first.Want), float64(first.Want-first.Got)))
	case compare.ColumnNames, compare.ColumnType, compare.ColumnsSwapped:
		return otherColumns
	case compare.TooLargeToPair:
		return manyRows + max(float64(first.Got-first.Want), float64(first.Want-first.Got))
	case compare.RowOrder, compare.RowOrderReversed, compare.RowOrderKey, compare.RowOrderPartly:
		return 0.5
	}
	if first.Kind == compare.ResultEmpty { // any right row is nearer
		return float64(2 * first.Want)
	}
	if first.Looked > 0 {
		return manyRows + max(float64(first.Got-first.Want), float64(first.Want-first.Got))
	}
	if len(first.Places) == 0 {
		return float64(d.Facts.MissingCount + d.Facts.ExtraCount)
	}
	cells := 0.0 // the rows are there, with other values
	for _, f := range d.Findings {
		cells += float64(f.Count)
	}
	return cells / 2
}
