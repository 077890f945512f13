package library

import (
	"context"
	"maps"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/grading"
	"examen/internal/practice"
	"examen/internal/problem"
)

// How much is shown of what an accepted answer gives while it is written.
const (
	triedRows  = 200
	triedBytes = 1 << 20
	triedCell  = 2000 // bytes
	longestTry = 100_000
)

// Tried is what came of an accepted answer that was run while it was written. It is in nobody's history.
type Tried struct {
	Columns   []result.Column
	Rows      [][]*string
	RowCount  int64
	Truncated bool // only the first rows are here
	Elapsed   time.Duration
	Error     *problem.Problem
	// Ordered tells that it orders its rows, Constructs what it uses, as rules name it: a check may require these.
	Ordered    bool
	Constructs []string
	// Left is what an answer that changes something left in a fresh copy; nil for any other.
	Left *practice.Changes
}

// Try runs a query on the dataset that a paper's text is about.
func (a *Authoring) Try(ctx context.Context, who account.Account, paper, sql string) (*Tried, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if len(sql) > longestTry {
		return nil, problem.New(413, "too-long", "The query is too long",
			"It has %d bytes; at most %d are taken.", len(sql), longestTry)
	}
	d, err := a.draft(ctx, paper)
	if err != nil {
		return nil, err
	}
	t := &Tried{Constructs: []string{}}
	q, err := a.grader.Read(sql)
	if sqltext.Changes(sql) {
		statements, _ := sqltext.ReadStatements(sql) // it was read
		t.Constructs = slices.Sorted(maps.Keys(sqltext.UsesOf(statements)))
		var shown *grading.Shown
		shown, err = a.grader.TryStatements(ctx, sql, d.database)
		if shown != nil {
			t.RowCount, t.Columns, t.Truncated = shown.Count, shown.Columns, int64(len(shown.Rows)) < shown.Count
			t.Elapsed, t.Left = shown.Elapsed, &shown.Left
			for _, row := range shown.Rows {
				t.Rows = append(t.Rows, explain.Cells(row, triedCell))
			}
		}
	} else if err == nil {
		t.Ordered = q.Ordered()
		for used := range q.Uses() {
			t.Constructs = append(t.Constructs, used)
		}
		slices.Sort(t.Constructs)
		rows := &practice.Collector{MostRows: triedRows, MostBytes: triedBytes}
		var ran practice.Execution
		ran, err = a.practice.Run(ctx, practice.Run{Learner: who.ID, Database: d.database, SQL: q.Text}, rows)
		t.RowCount, t.Elapsed, t.Columns, t.Truncated = ran.Rows, ran.Elapsed, rows.Columns, rows.Over
		for _, row := range rows.Rows {
			t.Rows = append(t.Rows, explain.Cells(row, triedCell))
		}
	}
	fault := grading.FaultOf(err, sql, q)
	if fault == nil {
		return t, err
	}
	a.grader.Explain(ctx, fault, sql, d.database)
	t.Error = FaultProblem(fault)
	return t, nil
}
