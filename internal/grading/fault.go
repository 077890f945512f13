package grading

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A Fault is why a query gave no result, by its own doing.
type Fault struct {
	Kind FaultKind
	// Title is what the database says of it, or what is wrong in a few words; Detail what it means and what to do.
	Title, Detail string
	// Hint is what the database adds; "" for nothing.
	Hint string
	// Place is where in the query; nil where that is not known.
	Place *sqltext.Place
	// Mended is the corrected text, as an offer; "" for none.
	Mended string
	// Code is the SQLSTATE of an error that the database reported, or would have.
	Code string
}

// A FaultKind is the kind of a fault.
type FaultKind int

// The kinds of faults.
const (
	// Unreadable: it is not SQL.
	Unreadable FaultKind = iota
	// NotAllowed: it is no query, or one that is not allowed here.
	NotAllowed
	// Reported: the database reported an error.
	Reported
	// Limited: it reached a limit.
	Limited
)

func (f *Fault) Error() string { return f.Title + ": " + f.Detail }

// Outcome returns the outcome of a query with the fault.
func (f *Fault) Outcome() marking.Outcome {
	switch f.Kind {
	case NotAllowed:
		return marking.Rejected
	case Limited:
		return marking.Stopped
	}
	return marking.Failed
}

// Writes tells that a query failed because a function that it calls would have changed something.
func (f *Fault) Writes() bool {
	return f.Code == readOnly || f.Code == noPrivilege && ofSequences.MatchString(f.Title)
}

// SQLSTATEs of what is not allowed to who runs it.
const (
	readOnly    = "25006"
	noPrivilege = "42501"
)

var ofSequences = regexp.MustCompile(`function (nextval|setval|currval|lastval)$`)

// Short describes the fault in as few words as possible.
func (f *Fault) Short() string {
	if f.Kind == Limited || f.Kind == NotAllowed {
		return f.Detail
	}
	return f.Title
}

// syntaxError is the SQLSTATE of text that cannot be parsed.
const syntaxError = "42601"

// FaultOf returns the fault behind an error; nil if the error is not the query's. Places refer to the text as written;
// q is the query parsed from it, nil if it could not be.
func FaultOf(err error, written string, q *sqltext.Query) *Fault {
	var fault *Fault
	var syntax *sqltext.SyntaxError
	var notAllowed *sqltext.NotAllowed
	var reported *practice.DatabaseError
	var stopped *practice.Stopped
	switch {
	case errors.As(err, &fault):
		return fault
	case errors.As(err, &syntax):
		fault = &Fault{Kind: Unreadable, Title: syntax.Message, Place: &syntax.Place, Code: syntaxError}
		fault.Detail = "The query cannot be read: look at the marked place and just before it."
	case errors.As(err, &notAllowed):
		fault = &Fault{Kind: NotAllowed, Title: notAllowed.Title, Detail: notAllowed.Detail, Place: &notAllowed.Place}
	case errors.As(err, &reported):
		fault = &Fault{Kind: Reported, Title: reported.Message, Place: reported.Place, Code: reported.Code}
		fault.Detail = "The database reported this error (SQLSTATE " + reported.Code + ")."
		fault.Hint = strings.TrimSpace(reported.Detail + " " + reported.Hint)
	case errors.Is(err, practice.ErrNoCopies):
		return &Fault{Kind: NotAllowed, Title: "The dataset cannot be changed",
			Detail: "No copies can be made of it: it is too large for them, or was built by an earlier version of " +
				"Examen. Build it again, or have --limit-copy raised."}
	case errors.As(err, &stopped):
		return &Fault{Kind: Limited, Title: "The query was stopped", Detail: stopped.Detail}
	default:
		return nil
	}
	if fault.Place != nil && q != nil { // the place is in the query without what stands before its first word
		place := sqltext.PlaceIn(written, q.Text, *fault.Place)
		fault.Place = &place
	}
	return fault
}

// StatementFault returns the fault behind the error of one of several statements, as FaultOf does of a query's.
func StatementFault(err error, written string, statement sqltext.Statement) *Fault {
	fault := FaultOf(err, statement.Text, nil)
	if fault == nil {
		return nil
	}
	var blocked *practice.Blocked
	if errors.As(err, &blocked) {
		fault.Title, fault.Code = "The statement waited for yourself", ""
		fault.Detail = fmt.Sprintf("It needs what is not yet committed in another window of yours, for %d seconds "+
			"now: "+
			"end the transaction there by COMMIT or ROLLBACK, and run this again.",
			int(time.Since(blocked.Since).Seconds()))
	}
	offset := statement.Start
	if fault.Place != nil {
		offset += fault.Place.Offset(statement.Text)
	}
	place := sqltext.PlaceAt(written, offset)
	fault.Place = &place
	return fault
}

// Explain adds to a fault what it means and what to do, using the tables of the database on which the query ran.
func (g *Grader) Explain(ctx context.Context, f *Fault, sql, database string) {
	if f.Code == "" {
		return
	}
	e := explain.QueryError{Code: f.Code, SQL: sql, Message: f.Title, Offset: -1}
	if f.Place != nil {
		e.Offset = f.Place.Offset(sql)
	}
	plain := explain.Query(e, g.Schema(ctx, database))
	if plain.Sentence != "" {
		f.Detail = plain.Sentence
	}
	if f.Mended = plain.Mended; plain.Offset >= 0 {
		place := sqltext.PlaceAt(sql, plain.Offset)
		f.Place = &place
	}
}

// Schema returns the tables and columns of a database; nil if they cannot be read: then less is explained.
func (g *Grader) Schema(ctx context.Context, database string) sqltext.Schema {
	relations, err := g.practice.Relations(ctx, database)
	if err != nil {
		return nil
	}
	return relations.Schema()
}

// ServersFault tells whether an error is the practice server's and temporary, and no query's fault.
func ServersFault(err error) bool {
	return slices.ContainsFunc([]error{
		practice.ErrUnavailable, practice.ErrBusy, practice.ErrGone,
		practice.ErrFull, practice.ErrStalled, practice.ErrTrouble,
	}, func(fault error) bool { return errors.Is(err, fault) })
}
