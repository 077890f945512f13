package grading

import (
	"context"

	"examen/internal/core/compare"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// Expected is as much of an expected result as an exercise shows.
type Expected struct {
	// Ordered tells that the order of rows matters.
	Ordered bool
	Columns []result.Column
	// Count is the number of rows; nil where it is not shown.
	Count *int64
	Rows  []result.Row
}

// sampleRows is how many rows `show: sample` shows.
const sampleRows = 3

// Expect returns what an exercise shows of what its reference answer gives on a database.
func (g *Grader) Expect(ctx context.Context, reference, database string, rules pack.Checking) (Expected, error) {
	if sqltext.Changes(reference) { // there are no rows to be shown
		return Expected{}, nil
	}
	a, err := g.answers.get(ctx, reference, database)
	if err != nil {
		return Expected{}, err
	}
	order := rules.Policy.Order
	e := Expected{Ordered: order == compare.OrderStrict || order == compare.OrderAuto && a.Ordered}
	if rules.Show == pack.ShowNothing {
		return e, nil
	}
	e.Columns = a.Columns
	rows := a.rows
	if a.Window != nil && rows != nil {
		rows = rows[min(int(a.Window.Skip), len(rows)):]
		rows = rows[:a.count]
	}
	shown := 0
	switch rules.Show {
	case pack.ShowSample:
		shown = min(sampleRows, len(rows))
	case pack.ShowRows:
		shown = len(rows)
	case pack.ShowCount:
	default:
		return e, nil
	}
	e.Count = &a.count
	for _, row := range rows[:shown] {
		e.Rows = append(e.Rows, row[:len(a.Columns)])
	}
	return e, nil
}
