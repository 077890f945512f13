package exam

import (
	"context"
	"errors"
	"strings"

	"examen/internal/core/dataset"
	"examen/internal/core/explain"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
)

// AsProblem says any error as a problem. One that is nobody's doing has the status 500 and tells nothing of the inside.
func AsProblem(err error) *problem.Problem {
	var p *problem.Problem
	switch {
	case errors.As(err, &p):
		return p
	case errors.Is(err, practice.ErrGone):
		p = problem.New(503, "dataset-gone", "The dataset is being made again",
			"Its database on the practice server was lost or damaged, and is made again from its files. Drafts and history are kept; try again in a moment.")
		p.RetryAfter = 5
	case errors.Is(err, practice.ErrFull):
		p = problem.New(503, "practice-full", "The practice server's disk is full", "Queries cannot be run or checked until there is room. Drafts and history are kept; tell your instructor.")
		p.RetryAfter = 30
	case records.Full(err):
		p = problem.New(503, "records-full", "The records server's disk is full", "Nothing can be kept until there is room, and nothing that was acknowledged is lost. Tell your instructor.")
		p.RetryAfter = 30
	case errors.Is(err, practice.ErrUnavailable):
		p = problem.New(503, "practice-down", "The practice server cannot be reached",
			"Queries cannot be run or checked just now. Drafts and history are kept; try again in a moment.")
		p.RetryAfter = 3
	case errors.Is(err, practice.ErrBusy):
		p = problem.New(503, "busy", "The server is busy", "Too many queries are running just now. Try again in a moment.")
		p.RetryAfter = 5
	case errors.Is(err, practice.ErrStalled):
		p = problem.New(503, "practice-stalled", "The practice server does not keep up", "The query was begun twice and the server did not work on it. Nothing was decided, and drafts are kept; try again in a moment.")
		p.RetryAfter = 10
	case errors.Is(err, practice.ErrTrouble):
		p = problem.New(503, "practice-trouble", "The practice server has trouble", "It reported an error of its own, twice. Nothing was decided, and drafts are kept; try again in a moment, and tell your instructor if it keeps happening.")
		p.RetryAfter = 10
	case records.Unavailable(err):
		p = problem.New(503, "records-down", "The records server cannot be reached",
			"Nothing can be read or kept just now, and nothing that was acknowledged is lost. Try again in a moment.")
		p.RetryAfter = 3
	case errors.Is(err, context.Canceled):
		p = problem.New(499, "cancelled", "The request was cancelled", "The caller went away before the answer was ready.")
	default:
		p = problem.New(500, "fault", "Something went wrong inside Examen", "The log of the service says what. Try again, and tell your instructor if it keeps happening.")
	}
	return p
}

// ofQuery is the problem of a query that cannot be run, ended badly, or was stopped; nil for errors that are not the query's.
func ofQuery(err error) *problem.Problem {
	var syntax *sqltext.SyntaxError
	var notAllowed *sqltext.NotAllowed
	var database *practice.DatabaseError
	var stopped *practice.Stopped
	switch {
	case errors.As(err, &syntax):
		p := problem.New(422, "database-error", syntax.Message, "The query cannot be read: look at the marked place and just before it.")
		p.Place = &syntax.Place
		return p
	case errors.As(err, &notAllowed):
		p := problem.New(422, "not-a-query", notAllowed.Title, notAllowed.Detail)
		p.Place = &notAllowed.Place
		return p
	case errors.As(err, &database):
		p := problem.New(422, "database-error", database.Message, "The database reported this error (SQLSTATE %s).", database.Code)
		p.Hint = strings.TrimSpace(database.Detail + " " + database.Hint)
		p.Place = database.Place
		return p
	case errors.As(err, &stopped):
		return problem.New(422, "limit", "The query was stopped", stopped.Detail)
	}
	return nil
}

// inPlainWords adds to the problem of a query what it means and what to do, read off the dataset's tables.
func (s *Service) inPlainWords(ctx context.Context, p *problem.Problem, err error, sql, dataset string) {
	var syntax *sqltext.SyntaxError
	var database *practice.DatabaseError
	e := explain.QueryError{SQL: sql, Message: p.Title, Offset: -1}
	switch {
	case errors.As(err, &syntax):
		e.Code = "42601"
	case errors.As(err, &database):
		e.Code = database.Code
	default:
		return
	}
	if p.Place != nil {
		e.Offset = p.Place.Offset(sql)
	}
	plain := explain.Query(e, s.schema(ctx, dataset))
	if plain.Sentence != "" {
		p.Detail = plain.Sentence
	}
	if p.Mended = plain.Mended; plain.Offset >= 0 {
		place := sqltext.PlaceAt(sql, plain.Offset)
		p.Place = &place
	}
}

// schema says what tables and columns a dataset has; without them less is explained.
func (s *Service) schema(ctx context.Context, name string) sqltext.Schema {
	row, err := s.records.CurrentBuild(ctx, name)
	if err != nil {
		return nil
	}
	d, err := datasetOf(row.Dataset, row.Build)
	if err != nil {
		return nil
	}
	return schemaOf(d.Catalogue)
}

func schemaOf(catalogue dataset.Catalogue) sqltext.Schema {
	schema := sqltext.Schema{}
	for _, t := range catalogue.Tables {
		for _, c := range t.Columns {
			schema[t.Name] = append(schema[t.Name], c.Name)
		}
	}
	return schema
}
