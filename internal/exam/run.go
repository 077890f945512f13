package exam

import (
	"context"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
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

// A RunRequest says what to run, and on what: an exercise's or paper's dataset, or a dataset by name.
type RunRequest struct {
	SQL, Paper, Exercise, Dataset string
}

// A Run is a query that was run to look at its rows.
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
}

// Run runs a query and keeps it in the history.
func (s *Service) Run(ctx context.Context, who account.Account, request RunRequest) (*Run, error) {
	if err := checkQuery(request.SQL); err != nil {
		return nil, err
	}
	if err := s.accounts.AdmitText(who, len(request.SQL)); err != nil {
		return nil, err
	}
	run := &Run{SQL: request.SQL, Paper: request.Paper, Outcome: marking.Done}
	entry := query.CreateRunParams{AccountID: who.ID, Sql: request.SQL}
	database, err := s.place(ctx, who, request, run, &entry)
	if err != nil {
		return nil, err
	}
	q, err := s.readQuery(request.SQL)
	if err == nil {
		collect := &collector{rows: shownRows, bytes: shownBytes}
		var ran practice.Execution
		ran, err = s.practice.Run(ctx, practice.Run{Learner: who.ID, Database: database, SQL: q.Text}, collect)
		run.RowCount, run.Elapsed = ran.Rows, ran.Elapsed
		run.Columns, run.Truncated = collect.columns, collect.over
		for _, row := range collect.kept {
			run.Rows = append(run.Rows, explain.Cells(row, shownCell))
		}
	}
	if err != nil {
		if run.Outcome, run.Error = ended(err, request.SQL, q); run.Error == nil {
			return nil, err
		}
		s.inPlainWords(ctx, run.Error, err, request.SQL, run.Dataset)
	}
	entry.Outcome, entry.RowCount, entry.ElapsedMs = string(run.Outcome), run.RowCount, milliseconds(run.Elapsed)
	entry.Error = run.Error.Stored()
	stored, err := s.records.CreateRun(ctx, entry)
	if err != nil {
		return nil, err
	}
	run.ID, run.At = strconv.FormatInt(stored.ID, 10), stored.At
	return run, nil
}

// place finds the database to run on, and notes what the run is for.
func (s *Service) place(ctx context.Context, who account.Account, request RunRequest, run *Run, entry *query.CreateRunParams) (database string, err error) {
	switch {
	case request.Paper != "" && request.Exercise != "":
		p, e, err := s.exercise(ctx, who, request.Paper, request.Exercise)
		if err != nil {
			return "", err
		}
		run.Exercise, run.Dataset = e.Slug, p.Dataset
		entry.ExerciseID, entry.PaperID, entry.BuildID = &e.ID, &p.ID, p.BuildID
		return p.Database, nil
	case request.Paper != "":
		p, err := s.paper(ctx, who, request.Paper)
		if err != nil {
			return "", err
		}
		run.Dataset = p.Dataset
		entry.PaperID, entry.BuildID = &p.ID, p.BuildID
		return p.Database, nil
	case request.Dataset != "":
		found, err := s.dataset(ctx, who, request.Dataset)
		if err != nil {
			return "", err
		}
		run.Dataset, entry.BuildID = request.Dataset, found.Build.ID
		return found.Build.Database, nil
	}
	return "", problem.New(422, "run-on-what", "No paper or dataset given", "Name a paper, an exercise of it, or a dataset.")
}

// ended says how a query ended that did not run through; no problem means that the fault is not the query's.
func ended(err error, written string, q *sqltext.Query) (marking.Outcome, *problem.Problem) {
	p := ofQuery(err)
	if p == nil {
		return "", nil
	}
	if p.Place != nil && q != nil { // the place is in the query without what stands before its first word
		place := sqltext.PlaceIn(written, q.Text, *p.Place)
		p.Place = &place
	}
	switch p.Type {
	case "examen:not-a-query":
		return marking.Rejected, p
	case "examen:limit":
		return marking.Stopped, p
	}
	return marking.Failed, p
}

func milliseconds(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// dataset finds a dataset that the account may read.
func (s *Service) dataset(ctx context.Context, who account.Account, name string) (query.CurrentBuildRow, error) {
	if !records.IsText(name) {
		name = ""
	}
	found, err := s.records.CurrentBuild(ctx, name)
	none := problem.New(404, "no-dataset", "There is no such dataset", "No dataset is called %q.", name)
	if records.Missing(err) {
		return found, none
	} else if err != nil || who.Role == account.Instructor {
		return found, err
	}
	own, err := s.records.LearnerDatasets(ctx, who.ID)
	if err != nil {
		return found, err
	}
	for _, n := range own {
		if n == name {
			return found, nil
		}
	}
	return found, none
}
