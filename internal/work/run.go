package work

import (
	"context"
	"errors"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// How much of a run's rows is shown.
const (
	shownRows  = 1000
	shownBytes = 4 << 20
	shownCell  = 20_000 // bytes
)

// A RunRequest says what to run and where: on the dataset of an exercise or a paper, or on a dataset given by name.
type RunRequest struct {
	SQL, Paper, Exercise, Dataset string
	// Window names where it comes from: a transaction that a run leaves open in a copy waits for the next run from
	// there. "" for none.
	Window string
	// Received is when it came; zero for just now.
	Received time.Time
}

// A Run is a query that was run to look at its rows, or statements that were run in the learner's copy.
type Run struct {
	ID                       string
	At                       time.Time
	Paper, Exercise, Dataset string
	SQL                      string
	Outcome                  marking.Outcome
	Columns                  []result.Column
	Rows                     [][]*string
	RowCount                 int64
	Truncated                bool
	Elapsed                  time.Duration
	Error                    *problem.Problem
	// Statements are what ran in the learner's copy, as far as it came; Columns, Rows and their counts are those of the
	// last that gave any. Nil for a query that ran on the dataset itself.
	Statements []Done
	Copy       *Copy // as it is now; nil for a run on the dataset itself
	RolledBack bool  // a transaction was still open at the end, and was rolled back
}

// Done is what a statement of a run has done.
type Done struct {
	Place     sqltext.Place // where it begins
	Words     string        // what was done: "3 rows changed"; "" where rows say it
	Columns   []result.Column
	Rows      [][]*string
	RowCount  int64
	Truncated bool
	Notices   []string // what the server remarked
	Elapsed   time.Duration
}

// Run runs a query and keeps it in the history.
func (w *Work) Run(ctx context.Context, who account.Account, request RunRequest) (*Run, error) {
	if err := checkQuery(request.SQL); err != nil {
		return nil, err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(request.SQL)); err != nil {
		return nil, err
	}
	if request.Received.IsZero() {
		request.Received = time.Now()
	}
	if len(request.Window) > longestKey || !records.IsText(request.Window) {
		return nil, problem.New(422, "window", "Invalid name of a window",
			"It has %d bytes; at most %d are expected.", len(request.Window), longestKey)
	}
	run := &Run{SQL: request.SQL, Paper: request.Paper, Outcome: marking.Done}
	entry := query.CreateRunParams{AccountID: who.ID, Sql: request.SQL, At: request.Received}
	at, err := w.place(ctx, who, request, run, &entry)
	if err != nil {
		return nil, err
	}
	if at.changes {
		found, statements, err := w.copies.needed(ctx, who, at, request)
		if err != nil || statements != nil {
			return w.runInCopy(ctx, who, at, found, statements, request, run, entry, err)
		}
	}
	fault, err := w.run(ctx, who, at.database, run)
	if err != nil {
		return nil, err
	}
	if fault != nil && at.changes && fault.Writes() {
		if statements, err := sqltext.ReadStatements(request.SQL); err == nil {
			return w.runInCopy(ctx, who, at, nil, statements, request, run, entry, nil)
		}
	}
	if fault != nil {
		run.Outcome, run.Error = fault.Outcome(), library.FaultProblem(fault)
	}
	entry.Outcome, entry.RowCount, entry.ElapsedMs = string(run.Outcome), run.RowCount, milliseconds(run.Elapsed)
	entry.Error = run.Error.Stored()
	stored, err := w.records.CreateRun(ctx, entry)
	if err != nil {
		return nil, err
	}
	run.ID, run.At = strconv.FormatInt(stored.ID, 10), stored.At
	return run, nil
}

// run runs the query and collects its rows. An error is never the query's fault.
func (w *Work) run(ctx context.Context, who account.Account, database string, run *Run) (*grading.Fault, error) {
	q, err := w.grader.Read(run.SQL)
	if err == nil {
		rows := &practice.Collector{MostRows: shownRows, MostBytes: shownBytes}
		var ran practice.Execution
		ran, err = w.practice.Run(ctx, practice.Run{Learner: who.ID, Database: database, SQL: q.Text}, rows)
		run.RowCount, run.Elapsed = ran.Rows, ran.Elapsed
		run.Columns, run.Truncated = rows.Columns, rows.Over
		for _, row := range rows.Rows {
			run.Rows = append(run.Rows, explain.Cells(row, shownCell))
		}
	}
	fault := grading.FaultOf(err, run.SQL, q)
	if fault == nil {
		return nil, err
	}
	if run.Truncated = overRows(err); !run.Truncated {
		run.Columns, run.Rows = nil, nil
	}
	w.grader.Explain(ctx, fault, run.SQL, database)
	return fault, nil
}

// overRows tells whether a run was stopped because of how many rows it gave: the first of them are shown.
func overRows(err error) bool {
	var stopped *practice.Stopped
	return errors.As(err, &stopped) && (stopped.Limit == practice.LimitRows || stopped.Limit == practice.LimitBytes)
}

// A place is where a run takes place: on a build.
type place struct {
	dataset  string
	build    int64
	database string
	changes  bool // it may change the dataset, in a copy
}

// place finds the build to run on, and records in run what the run is for.
func (w *Work) place(
	ctx context.Context, who account.Account, request RunRequest, run *Run, entry *query.CreateRunParams,
) (place, error) {
	switch {
	case request.Paper != "" && request.Exercise != "":
		r, e, err := w.courses.ReadExercise(ctx, who, request.Paper, request.Exercise)
		if err != nil {
			return place{}, err
		}
		run.Exercise, run.Dataset = e.Slug, r.Dataset
		entry.ExerciseID, entry.PaperID, entry.CourseID, entry.BuildID = &e.ID, &r.ID, r.Course, r.Build
		return place{r.Dataset, r.Build, r.Database, r.Changes || e.Checking.Changes}, nil
	case request.Paper != "":
		r, err := w.courses.Read(ctx, who, request.Paper)
		if err != nil {
			return place{}, err
		}
		run.Dataset = r.Dataset
		entry.PaperID, entry.CourseID, entry.BuildID = &r.ID, r.Course, r.Build
		return place{r.Dataset, r.Build, r.Database, r.Changes}, nil
	case request.Dataset != "":
		found, err := w.library.Readable(ctx, who, request.Dataset)
		if err != nil {
			return place{}, err
		}
		run.Dataset, entry.BuildID, entry.CourseID = request.Dataset, found.Build, found.Course
		return place{request.Dataset, found.Build, found.Database, found.Changes}, nil
	}
	return place{}, problem.New(422, "run-on-what", "No paper or dataset given",
		"Name a paper, an exercise of it, or a dataset.")
}
