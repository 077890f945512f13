package grading

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

// cause tries the likely causes in turn, and returns the first whose edit brings the result nearer to the expected one;
// nil if none does.
func (c *comparison) cause(ctx context.Context, schema sqltext.Schema) *explain.Finding {
	accepted, err := sqltext.ReadQuery(c.accepted[0])
	if err != nil {
		return nil
	}
	ctx, stop := context.WithTimeout(ctx, triedWithin)
	defer stop()
	d := c.difference
	from, tried := distance(false, d), 0
	for _, cause := range explain.Likely(c.query.Features(schema), d.Findings, d.Facts, schema, accepted) {
		if cause.Certain {
			return &cause.Finding
		}
		for _, sql := range cause.Edits(c.query.Edits(schema)) {
			if tried++; tried > mostTried || ctx.Err() != nil {
				return nil
			}
			edited, err := sqltext.ReadQuery(sql)
			if err != nil {
				continue
			}
			trial := &comparison{ // with the reference answer, and no other
				grader: c.grader, accepted: c.accepted[:1], rules: c.rules,
				database: c.database, query: edited, learner: c.learner,
			}
			right, err := trial.run(ctx)
			if err == nil && distance(right, trial.difference) < from {
				return &cause.Finding
			}
		}
	}
	return nil
}

// The distances of results whose rows cannot be compared one by one.
const (
	otherColumns = 1e15 // and more for each column too many or too few
	manyRows     = 1e12
)

// distance says how far a result is from the expected one: zero if it is right, otherwise about the number of rows that
// differ or are out of place.
func distance(right bool, d *compare.Difference) float64 {
	switch {
	case right || d == nil:
		return 0
	case len(d.Findings) == 0:
		return otherColumns
	}
	first := d.Findings[0]
	apart := max(float64(first.Got-first.Want), float64(first.Want-first.Got))
	switch first.Kind {
	case compare.ColumnsMissing, compare.ColumnsExtra:
		return otherColumns * (1 + apart)
	case compare.ColumnNames, compare.ColumnType, compare.ColumnsSwapped:
		return otherColumns
	case compare.TooLargeToPair:
		return manyRows + apart
	case compare.RowOrder, compare.RowOrderReversed, compare.RowOrderKey, compare.RowOrderPartly:
		return 0.5
	case compare.ResultEmpty: // any right row is nearer
		return float64(2 * first.Want)
	}
	if first.Looked > 0 {
		return manyRows + apart
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
