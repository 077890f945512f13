package work

import (
	"context"
	"errors"
	"strings"

	"examen/internal/account"
	"examen/internal/core/plan"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// Plan returns how the database would work out a query. It is not run, and nothing is kept.
func (w *Work) Plan(ctx context.Context, who account.Account, request RunRequest) (plan.Step, error) {
	if err := checkQuery(request.SQL); err != nil {
		return plan.Step{}, err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(request.SQL)); err != nil {
		return plan.Step{}, err
	}
	run := &Run{SQL: request.SQL}
	at, err := w.place(ctx, who, request, run, &query.CreateRunParams{})
	if err != nil {
		return plan.Step{}, err
	}
	q, err := w.grader.Read(run.SQL)
	if err != nil && at.changes && sqltext.Changes(run.SQL) {
		return plan.Step{}, problem.New(422, "plan-of-query", "Only of a query it is told how it would be worked out",
			"Of a statement that changes something, the database tells it itself: write EXPLAIN in front of it, and "+
				"run that.")
	}
	if err != nil {
		return plan.Step{}, w.faultProblem(ctx, err, run.SQL, q, at.database)
	}
	rows := &practice.Collector{MostRows: 1, MostBytes: shownBytes}
	asked := practice.Run{Learner: who.ID, Database: at.database, SQL: plan.Prefix + q.Text}
	_, err = w.practice.Run(ctx, asked, rows)
	var reported *practice.DatabaseError
	if errors.As(err, &reported) && reported.Place != nil {
		reported.Place.Line -= strings.Count(plan.Prefix, "\n")
	}
	if err != nil {
		return plan.Step{}, w.faultProblem(ctx, err, run.SQL, q, at.database)
	}
	if len(rows.Rows) != 1 {
		return plan.Step{}, errors.New("the database gave no plan")
	}
	described, err := w.library.Dataset(ctx, who, run.Dataset)
	if err != nil {
		return plan.Step{}, err
	}
	return plan.Read(rows.Rows[0][0], described.RowsOf)
}

// faultProblem says a query's own fault as a problem; any other error stays.
func (w *Work) faultProblem(ctx context.Context, err error, sql string, q *sqltext.Query, database string) error {
	fault := grading.FaultOf(err, sql, q)
	if fault == nil {
		return err
	}
	w.grader.Explain(ctx, fault, sql, database)
	return library.FaultProblem(fault)
}
