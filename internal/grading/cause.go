package grading

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/mutation"
	"examen/internal/core/repair"
	"examen/internal/core/sqltext"
)

// Bounds of trying what is wrong with an attempt: how many edits of it are run, how many while others wait for a seat,
// and for how long in all.
const (
	mostTried    = 60
	mostPairs    = 20 // of these, kept for two edits together
	mostInDemand = 12
)

var triedWithin = 2 * time.Second

// Cause finds what makes a query's result differ from the accepted one: it runs edits of the query, until one, or two
// together, are right wherever the query is checked. Where none are, a likely cause is one whose edit brings the result
// nearer. It is nil where nothing is found; whole tells that nothing was left untried, so that trying again finds the
// same. The query is one that was decided to be incorrect.
func (g *Grader) Cause(ctx context.Context, task Task, sql string) (cause *explain.Cause, whole bool, err error) {
	limited, stop := context.WithTimeout(ctx, triedWithin)
	defer stop()
	t := &trial{
		attempt: attempt{grader: g, task: task}, text: sql, schema: g.Schema(limited, task.Database),
		tried: map[string]bool{},
	}
	if g.byState(task.Accepted[0]) {
		cause = t.findInStatements(limited)
	} else {
		cause = t.find(limited, sql)
	}
	if t.saidAlready(cause) {
		cause = nil
	}
	if t.cut || limited.Err() != nil {
		return cause, false, ctx.Err()
	}
	return cause, true, nil
}

// A trial tries edits of a query.
type trial struct {
	attempt
	text            string // that is edited
	query, accepted *sqltext.Query
	at              int // where the query begins in the submitted text
	schema          sqltext.Schema
	patterns        []explain.LikelyCause // that the text and the rows point to
	difference      *compare.Difference   // of the query itself; nil where it is right on the visible rows
	from            float64               // how far it is from the expected result
	tried           map[string]bool       // texts
	kept            int                   // how many edits are left for what is tried later
	cut             bool                  // others have waited for a seat: less is tried
	nearer          []outcome
}

// An outcome is how far an edit is from the expected result.
type outcome struct {
	edit     repair.Edit
	said     explain.Finding // of the pattern that the edit is of; else empty
	distance float64
}

// find finds the cause of a query's difference.
func (t *trial) find(ctx context.Context, sql string) *explain.Cause {
	var wrong, unread error
	if tokens := sqltext.Tokens(sql); len(tokens) > 0 { // a line's end or a comment there keeps no edits apart
		sql = sql[:tokens[len(tokens)-1].End]
	}
	t.query, wrong = t.grader.Read(sql)
	t.accepted, unread = t.grader.Read(t.task.Accepted[0])
	if wrong != nil || unread != nil {
		return nil
	}
	t.text, t.at = t.query.Text, strings.Index(sql, t.query.Text)
	c := t.comparison(t.task.Database, t.query)
	c.checking, c.behind = true, true
	right, err := c.run(ctx)
	if err != nil {
		return nil // it ran when it was decided on; now there is nothing to be told
	}
	t.difference, t.from = c.difference, distance(right, c.difference)
	if d := c.difference; d != nil {
		t.patterns = explain.Likely(t.query.Features(t.schema), d.Findings, d.Facts, t.schema, t.accepted)
	}
	towards := worded(repair.Towards(t.query, t.accepted, t.schema))
	of := func(kinds ...repair.Kind) (all []outcome) {
		for _, o := range towards {
			if slices.Contains(kinds, o.edit.Kind) {
				all = append(all, o)
			}
		}
		return all
	}
	single := slices.DeleteFunc(slices.Clone(towards), func(o outcome) bool {
		return o.edit.Kind == repair.Clause || o.edit.Kind == repair.Condition
	})
	t.kept = mostPairs
	for _, edits := range [][]outcome{single, t.ofPatterns(), of(repair.Condition), worded(t.around(c))} {
		if proven := t.try(ctx, edits, t.run); proven != nil {
			return proven
		}
	}
	clauses := of(repair.Clause)
	t.kept = len(clauses)
	if proven := t.pairs(ctx, single, t.run); proven != nil {
		return proven
	}
	t.kept = 0
	if proven := t.try(ctx, clauses, t.run); proven != nil {
		return proven
	}
	return t.nearest()
}

// findInStatements finds the cause of a difference in what statements leave.
func (t *trial) findInStatements(ctx context.Context) *explain.Cause {
	v := t.leave(ctx, t.text)
	if v == nil || v.Outcome != marking.Incorrect || v.Differing == nil {
		return nil
	}
	t.from = float64(*v.Differing)
	towards := worded(repair.ChangesTowards(t.text, t.task.Accepted[0], t.schema))
	whole := func(o outcome) bool {
		return o.edit.Kind == repair.Clause || o.edit.Kind == repair.Condition || o.edit.Kind == repair.Statement
	}
	single := slices.DeleteFunc(slices.Clone(towards), whole)
	if proven := t.try(ctx, single, t.runStatements); proven != nil {
		return proven
	}
	if proven := t.pairs(ctx, single, t.runStatements); proven != nil {
		return proven
	}
	coarse := slices.DeleteFunc(slices.Clone(towards), func(o outcome) bool { return !whole(o) })
	if proven := t.try(ctx, coarse, t.runStatements); proven != nil {
		return proven
	}
	if proven := t.pairs(ctx, towards, t.runStatements); proven != nil {
		return proven
	}
	return t.nearest()
}

// leave decides on statements that are tried; nil where they cannot be.
func (t *trial) leave(ctx context.Context, sql string) *Verdict {
	a := &attempt{grader: t.grader, task: t.task}
	v, err := a.byState(ctx, sql)
	if err != nil || v.Fault != nil {
		return nil
	}
	return v
}

// runStatements runs edited statements in fresh copies, as run does a query.
func (t *trial) runStatements(ctx context.Context, sql string) (right bool, far float64) {
	if !t.may(ctx, sql) {
		return false, t.from
	}
	v := t.leave(ctx, sql)
	switch {
	case v == nil || v.Differing == nil:
		return false, t.from
	case v.Outcome != marking.Incorrect: // the check's rules are not looked at
		return true, 0
	case v.HiddenOnly:
		return false, min(t.from, asRightAsSeen)
	case *v.Differing == 0: // something other than rows differs
		return false, t.from
	}
	return false, float64(*v.Differing)
}

// asRightAsSeen is how far from right something is that differs on hidden rows alone.
const asRightAsSeen = 0.25

// saidAlready tells that the difference says all that the cause does.
func (t *trial) saidAlready(cause *explain.Cause) bool {
	if cause == nil || len(cause.Steps) != 1 || t.difference == nil {
		return false
	}
	says := map[string]compare.Kind{
		"cause-output-missing": compare.ColumnsMissing, "cause-output-extra": compare.ColumnsExtra,
		"cause-output-order": compare.ColumnsSwapped,
	}[cause.Steps[0].Kind]
	return says != "" && t.difference.Findings[0].Kind == says
}

func worded(edits []repair.Edit) (all []outcome) {
	for _, e := range edits {
		all = append(all, outcome{edit: e})
	}
	return all
}

// ofPatterns are the edits of the patterns' causes: first of those that name one mistake, then of those that leave open
// what it is.
func (t *trial) ofPatterns() (all []outcome) {
	var vague []outcome
	written := repair.NewWriter(t.query)
	for _, cause := range t.patterns {
		for _, sql := range cause.Edits(t.query.Edits(t.schema)) {
			o := outcome{edit: written.Edit("", sql), said: cause.Finding}
			if cause.Vague() {
				vague = append(vague, o)
			} else {
				all = append(all, o)
			}
		}
	}
	return append(all, vague...)
}

// around are edits as the strength analysis makes them.
func (t *trial) around(c *comparison) []repair.Edit {
	if t.task.Tables == nil {
		return nil
	}
	reference, policy := c.held[0].answer, t.task.Rules.Policy
	return repair.Around(t.query, t.task.Tables, mutation.Rules{
		Ordered: reference.Ordered && policy.Order != compare.OrderAny, Once: policy.Once, Names: policy.Names,
	})
}

// A runner runs an edited text and tells whether it is right everywhere, and how far from it on the visible rows.
type runner func(ctx context.Context, sql string) (right bool, far float64)

// try runs edits in turn, and returns the first that is right everywhere.
func (t *trial) try(ctx context.Context, edits []outcome, run runner) *explain.Cause {
	for _, o := range edits {
		right, far := run(ctx, o.edit.SQL())
		if right {
			return &explain.Cause{Proven: true, Steps: []explain.Step{t.step(o)}}
		}
		if far < t.from {
			o.distance = far
			t.nearer = append(t.nearer, o)
		}
	}
	return nil
}

// step words an edit, as a pattern does if one says more.
func (t *trial) step(o outcome) explain.Step {
	for _, p := range t.patterns {
		if o.said.Kind == "" && p.SaysMore(o.edit) {
			o.said = p.Finding
		}
	}
	return explain.StepOf(o.edit, o.said, t.at)
}

// may tells whether a text is still to be tried, and counts it.
func (t *trial) may(ctx context.Context, sql string) bool {
	most := mostTried
	if t.cut = t.cut || t.grader.waiting() > 0; t.cut {
		most = mostInDemand
	}
	if t.tried[sql] || len(t.tried) >= most-t.kept*most/mostTried || ctx.Err() != nil {
		return false
	}
	t.tried[sql] = true
	return true
}

// run is the runner of queries.
func (t *trial) run(ctx context.Context, sql string) (right bool, far float64) {
	if !t.may(ctx, sql) {
		return false, t.from
	}
	q, err := sqltext.ReadQuery(sql)
	if err != nil {
		return false, t.from
	}
	c := t.comparison(t.task.Database, q)
	c.checking, c.behind = true, true
	if right, err = c.run(ctx); err != nil {
		return false, t.from
	}
	if !right {
		return false, distance(false, c.difference)
	}
	for _, database := range t.task.Hidden {
		hidden := t.comparison(database, q)
		hidden.checking, hidden.behind, hidden.verdictOnly, hidden.expected = true, true, true, c.rows.Columns
		if right, err := hidden.run(ctx); err != nil || !right {
			return false, min(t.from, asRightAsSeen)
		}
	}
	return true, 0
}

// mostPaired is how many edits are tried together with each other.
const mostPaired = 8

// pairs tries two edits together: of those that brought the result nearer, and of those towards the accepted answer.
func (t *trial) pairs(ctx context.Context, towards []outcome, run runner) *explain.Cause {
	slices.SortStableFunc(t.nearer, func(a, b outcome) int { return cmp.Compare(a.distance, b.distance) })
	some := slices.Clone(t.nearer[:min(len(t.nearer), mostPaired)])
	for _, o := range towards {
		same := func(other outcome) bool { return other.edit.SQL() == o.edit.SQL() }
		if len(some) < 2*mostPaired && !slices.ContainsFunc(some, same) {
			some = append(some, o)
		}
	}
	for i := 1; i < len(some); i++ {
		for _, first := range some[:i] {
			sql, ok := first.edit.With(some[i].edit, t.text)
			if !ok {
				continue
			}
			if right, _ := run(ctx, sql); right {
				return &explain.Cause{Proven: true, Steps: []explain.Step{t.step(first), t.step(some[i])}}
			}
		}
	}
	return nil
}

// nearest is the likely cause: the first of the patterns that brings the result nearer, or else the edit that brings it
// nearest.
func (t *trial) nearest() *explain.Cause {
	for _, p := range t.patterns {
		for _, o := range t.nearer {
			if o.said.Kind == p.Finding.Kind || p.SaysMore(o.edit) {
				return &explain.Cause{Steps: []explain.Step{explain.StepOf(o.edit, p.Finding, t.at)}}
			}
		}
	}
	if len(t.nearer) == 0 {
		return nil
	}
	return &explain.Cause{Steps: []explain.Step{t.step(t.nearer[0])}}
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
