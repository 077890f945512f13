package work

import (
	"cmp"
	"context"
	"errors"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// interrupted is what the history says of a run in a copy that the service did not live to see the end of.
var interrupted = problem.New(503, "interrupted", "The service ended in the middle of the run",
	"What was committed until then is in your copy, and the rest is not: look before you run it again.")

// runInCopy runs statements in the account's copy, which is made where it has none, and keeps them in the history: from
// before they begin, so that whatever happens their text is there. unread is why there are no statements.
func (w *Work) runInCopy(
	ctx context.Context, who account.Account, at place, own *query.Copy, statements []sqltext.Statement,
	request RunRequest, run *Run, entry query.CreateRunParams, unread error,
) (*Run, error) {
	if unread != nil {
		fault := grading.FaultOf(unread, request.SQL, nil)
		if fault == nil {
			return nil, unread
		}
		w.grader.Explain(ctx, fault, request.SQL, at.database)
		run.Outcome, run.Error = fault.Outcome(), library.FaultProblem(fault)
		return w.noteRun(ctx, run, entry)
	}
	entry.InCopy, entry.Outcome, entry.Error = true, string(marking.Stopped), interrupted.Stored()
	if _, err := w.noteRun(ctx, run, entry); err != nil {
		return nil, err
	}
	replaced := false
	if own == nil {
		var err error
		if own, replaced, err = w.copies.make(ctx, who, at); err != nil {
			return nil, errors.Join(err, w.notBegun(ctx, run, err))
		}
	}
	shown := room{rows: shownRows * 2, bytes: shownBytes}
	var collected []*practice.Collector
	done, err := w.practice.Copies().Perform(ctx, practice.Script{
		Learner: who.ID, Database: own.Database, Build: at.database, Window: request.Window, Statements: statements,
	}, func(int) practice.Sink {
		c := &practice.Collector{MostRows: min(shownRows, shown.rows), MostBytes: shown.bytes}
		if n := len(collected); n > 0 {
			shown.take(collected[n-1])
			c.MostRows, c.MostBytes = min(shownRows, shown.rows), shown.bytes
		}
		collected = append(collected, c)
		return c
	})
	ctx = context.WithoutCancel(ctx)
	run.Elapsed, run.RolledBack = done.Elapsed, done.Undone
	for i, step := range done.Steps {
		run.add(request.SQL, statements[i], step, collected[i])
	}
	w.copies.forget(own.Database) // a function that a query calls may have changed something, too
	err = w.endRun(ctx, who, at, own, statements, request, run, done, err)
	if err == nil && run.Copy != nil {
		run.Copy.Replaced = replaced
	}
	return run, err
}

// notBegun keeps in the history that a run had no copy to run in.
func (w *Work) notBegun(ctx context.Context, run *Run, why error) error {
	var p *problem.Problem
	if !errors.As(why, &p) {
		p = cmp.Or(practice.Problem(why), interrupted)
	}
	id, _ := strconv.ParseInt(run.ID, 10, 64) // its own
	return w.records.EndRun(context.WithoutCancel(ctx), query.EndRunParams{
		ID: id, Outcome: string(marking.Stopped), Error: p.Stored(), InCopy: true,
	})
}

// endRun says what became of a run in a copy, and keeps it in the history.
func (w *Work) endRun(
	ctx context.Context, who account.Account, at place, own *query.Copy, statements []sqltext.Statement,
	request RunRequest, run *Run, done practice.Performance, err error,
) error {
	wrong := w.stopped(ctx, at, statements, request.SQL, done, err)
	switch {
	case wrong != nil:
		run.Outcome, run.Error = wrong.outcome, wrong.problem
	case errors.Is(err, practice.ErrGone):
		run.Outcome, run.Error = marking.Stopped, copyGone(at.dataset)
	case err != nil: // the server's own trouble, or the caller has gone
		run.Outcome, run.Error = marking.Stopped, cmp.Or(practice.Problem(err), interrupted)
	}
	id, _ := strconv.ParseInt(run.ID, 10, 64) // its own
	ended := query.EndRunParams{
		ID: id, Outcome: string(run.Outcome), RowCount: run.RowCount, ElapsedMs: milliseconds(run.Elapsed),
		Error: run.Error.Stored(), InCopy: true,
	}
	if failed := w.records.EndRun(ctx, ended); failed != nil {
		return failed
	}
	if errors.Is(err, practice.ErrGone) {
		_ = w.copies.drop(ctx, own.Database)
		return copyGone(at.dataset)
	}
	if err != nil && wrong == nil {
		return err
	}
	used, failed := w.records.UseCopy(
		ctx, query.UseCopyParams{Database: own.Database, Bytes: max(done.Bytes, own.Bytes)},
	)
	switch {
	case records.Missing(failed): // it was reset meanwhile
		used = time.Now()
	case failed != nil:
		return failed
	}
	own.UsedAt = used
	copied := w.copies.describe(own, at.dataset, 0)
	if found, err := w.library.Readable(ctx, who, at.dataset); err == nil {
		copied.Build = found.Number
	}
	run.Copy = &copied
	return w.copies.look(ctx, run.Copy, own, at, request.Window)
}

// noteRun keeps a run in the history.
func (w *Work) noteRun(ctx context.Context, run *Run, entry query.CreateRunParams) (*Run, error) {
	if entry.Outcome == "" {
		entry.Outcome, entry.Error = string(run.Outcome), run.Error.Stored()
	}
	stored, err := w.records.CreateRun(ctx, entry)
	if err != nil {
		return nil, err
	}
	run.ID, run.At = strconv.FormatInt(stored.ID, 10), stored.At
	return run, nil
}

// ended is why a run was not done to its end.
type ended struct {
	outcome marking.Outcome
	problem *problem.Problem
}

// stopped says why a run in a copy was not done to its end; nil where it was, or where that is not its own doing.
func (w *Work) stopped(
	ctx context.Context, at place, statements []sqltext.Statement, written string, done practice.Performance, err error,
) *ended {
	if err == nil {
		return nil
	}
	if errors.Is(err, practice.ErrLost) {
		p := *interrupted
		p.Type, p.Title = "examen:lost", "The practice server was lost in the middle of the run"
		return &ended{marking.Stopped, &p}
	}
	statement := statements[min(len(done.Steps), len(statements)-1)]
	fault := grading.StatementFault(err, written, statement)
	if fault == nil {
		return nil
	}
	w.grader.Explain(ctx, fault, written, at.database)
	p := library.FaultProblem(fault)
	return &ended{fault.Outcome(), p}
}

// room is how much of the rows of a run's statements is still shown.
type room struct{ rows, bytes int }

func (r *room) take(c *practice.Collector) {
	r.rows -= len(c.Rows)
	for _, row := range c.Rows {
		r.bytes -= row.Size()
	}
}

// add adds what a statement has done to a run.
func (run *Run) add(written string, s sqltext.Statement, step practice.Step, c *practice.Collector) {
	d := Done{
		Place: sqltext.PlaceAt(written, s.Start), Words: explain.Done(step.Tag, s.Makes, step.Notices),
		Columns: c.Columns, RowCount: step.Rows, Truncated: c.Over, Notices: step.Notices, Elapsed: step.Elapsed,
	}
	for _, row := range c.Rows {
		d.Rows = append(d.Rows, explain.Cells(row, shownCell))
	}
	run.Statements = append(run.Statements, d)
	if len(c.Columns) > 0 {
		run.Columns, run.Rows, run.RowCount, run.Truncated = d.Columns, d.Rows, d.RowCount, d.Truncated
	}
}
