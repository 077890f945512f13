package work

import (
	"context"
	"fmt"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/records/query"
)

// examplesKept is how many examples are kept, so that queries can be tried on them.
const examplesKept = 200

// ExampleOf returns the smallest example of what is wrong with one's own attempt; nil where there is none, or none may
// be shown.
func ExampleOf(ctx context.Context, w *Work, who account.Account, attempt int64) (*grading.Example, error) {
	e, _, err := w.exampleOf(ctx, who, attempt)
	return e, err
}

// TryOnExample runs a query on the example of one's own attempt; nil where there is none.
func TryOnExample(
	ctx context.Context, w *Work, who account.Account, attempt int64, sql string,
) (*grading.TriedOnExample, error) {
	if err := checkQuery(sql); err != nil {
		return nil, err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(sql)); err != nil {
		return nil, err
	}
	e, task, err := w.exampleOf(ctx, who, attempt)
	if err != nil || e == nil {
		return nil, err
	}
	return w.grader.OnExample(ctx, task, e, who.ID, sql)
}

func (w *Work) exampleOf(ctx context.Context, who account.Account, attempt int64) (
	found *grading.Example, t grading.Task, err error,
) {
	row, r, e, err := w.toExplain(ctx, who, attempt)
	if err != nil || !r.Told || !showsRows(r, e) || row.Outcome != string(marking.Incorrect) ||
		row.VersionID != e.Version || row.BuildID != r.Build {
		return nil, t, err
	}
	t = task(r, e)
	key := exampleKey(row)
	if known, ok := w.causes.examples.Get(key); ok {
		return known, t, nil
	}
	if t.Tables, err = library.TablesOf(ctx, w.library, r.Build); err != nil {
		return nil, t, err
	}
	select {
	case w.causes.exampleSlots <- struct{}{}:
		defer func() { <-w.causes.exampleSlots }()
	case <-ctx.Done():
		return nil, t, ctx.Err()
	}
	if found, err = w.grader.Example(ctx, t, row.Sql); err != nil || found == nil {
		return nil, t, err // another time there may be one
	}
	w.causes.examples.Add(key, found)
	return found, t, nil
}

func exampleKey(row query.AttemptToExplainRow) string {
	return fmt.Sprint(row.VersionID, " ", row.BuildID, " ", row.Sql)
}

// showsRows tells whether the exercise shows rows that are expected: an example has some.
func showsRows(r *course.Reading, e *library.Exercise) bool {
	return r.Staff || e.Checking.Show != pack.ShowNothing && e.Checking.Show != pack.ShowCount
}
