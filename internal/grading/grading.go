// Package grading decides what a query is worth. It runs the query where learners' SQL runs, compares its rows with the
// results of the exercise's accepted answers, and says in words how they differ and what in the query causes the
// difference. It inspects exercises by the same means.
//
// Everything that a decision depends on is given in the [Task]: the accepted answers, the rules, the databases. The
// result of an accepted answer is computed once for each database and kept, within bounds (answers.go). It is ready
// before the learner's query runs, so that the query is charged only for its own time; what reads the query's rows only
// computes.
//
// The words here: an accepted answer counts as right, and the first of a task is its reference answer; a comparison
// (comparison.go) is one run of a query compared with all accepted answers on one database; a cause (cause.go) is the
// part of the query that makes its result differ; a [Fault] is why a query gave no result.
package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/errgroup"

	"examen/internal/core/compare"
	"examen/internal/core/dataset"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/panics"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A server runs queries: a practice server, or a scratch copy of a dataset on one.
type server interface {
	Run(ctx context.Context, run practice.Run, sink practice.Sink) (practice.Execution, error)
	Relations(ctx context.Context, database string) (sqltext.Relations, error)
	OwnCollations(ctx context.Context, database string) (bool, error)
	Equal(ctx context.Context, database string, texts []string, column result.Column) (map[string]string, error)
}

// A Grader decides on one practice server. It is safe for concurrent use.
type Grader struct {
	practice server
	copies   *practice.Copies // nil where there are none: then no answer may change anything
	answers  *answers
	// queries as they were read: what is run is often submitted next
	queries *lru.Cache[string, *sqltext.Query]
	changes *lru.Cache[string, bool] // whether an accepted answer changes something
	waiting func() int               // how many runs wait for a seat
}

// How many queries are kept as they were read, and how long, in bytes, the text of one may be.
const (
	queriesKept  = 1000
	longestQuery = 4 << 10
)

// New returns a grader on a practice server. Results are fingerprinted with the seed, which has to stay the same for
// stored fingerprints to be comparable.
func New(server *practice.Servers, seed result.Seed) *Grader {
	g := on(server, seed)
	g.waiting = server.Operation().Waiting
	copies := server.Copies()
	g.copies = &copies
	return g
}

// on returns a grader on whatever runs queries.
func on(server server, seed result.Seed) *Grader {
	queries, _ := lru.New[string, *sqltext.Query](queriesKept) // fails only for a size below one
	changes, _ := lru.New[string, bool](queriesKept)
	return &Grader{
		practice: server, answers: newAnswers(server, seed), queries: queries, changes: changes,
		waiting: func() int { return 0 },
	}
}

// Lookups tell how often what the grader keeps was at hand, by what it is.
func (g *Grader) Lookups() map[string]Lookups {
	return map[string]Lookups{
		"accepted answers": g.answers.kept.lookups(), "digests": g.answers.digests.lookups(),
		"states": g.answers.states.lookups(),
	}
}

// A Task says what a query is compared with, and where.
type Task struct {
	// Accepted are the texts of the answers that count as right, the reference answer first.
	Accepted []string
	// Rules are those of the exercise's check. Its further answers, variants and attempts are not looked at: what is
	// accepted, and where, is said here.
	Rules pack.Checking
	// Database is the one whose rows the learner sees.
	Database string
	// Hidden are databases with other rows, of which a learner is told nothing but that a query is wrong on one.
	Hidden []string
	// Tables are those of the dataset; nil where they are not known: then fewer causes are tried.
	Tables *dataset.Catalogue
}

// A Verdict is the decision on a query.
type Verdict struct {
	Outcome  marking.Outcome
	Findings []explain.Finding
	// Fault is why there is no result; nil where there is one.
	Fault *Fault
	// Rows and Elapsed are those of the run on the database that the learner sees.
	Rows    int64
	Elapsed time.Duration
	// Unread tells that the query could not be read, or is not allowed at all: nothing of the task was tried.
	Unread bool
	// Hidden tells that hidden rows were, or would have been, looked at; HiddenOnly that what is wrong shows on them
	// alone, or that they took much longer than those that the learner sees.
	Hidden, HiddenOnly bool
	// Fingerprint stands for the result: attempts at one exercise, on one build, that give the same rows have the same.
	// Nil without a result.
	Fingerprint *result.Fingerprint
	// Differing is how many rows are missing, or too many if those are more. Nil where nothing could be compared.
	Differing *int64
}

// An AnswerError means that an accepted answer could not be run.
type AnswerError struct {
	Answer string
	Err    error
}

func (e *AnswerError) Error() string { return "accepted answer: " + e.Err.Error() }
func (e *AnswerError) Unwrap() error { return e.Err }

// Read parses a query. Parsing takes longer than most queries run, so the last ones are kept. The error is a
// *sqltext.SyntaxError or a *sqltext.NotAllowed.
func (g *Grader) Read(text string) (*sqltext.Query, error) {
	if q, ok := g.queries.Get(text); ok {
		return q, nil
	}
	q, err := sqltext.ReadQuery(text)
	if err == nil && len(text) <= longestQuery {
		g.queries.Add(text, q)
	}
	return q, err
}

// byState tells whether an answer is checked by what it leaves.
func (g *Grader) byState(answer string) bool {
	changes, ok := g.changes.Get(answer)
	if !ok {
		changes = sqltext.Changes(answer)
		g.changes.Add(answer, changes)
	}
	return changes
}

// Prepare computes the result of an accepted answer on a database ahead of time. The error is the answer's [Fault] if
// it does not run, or an error of the practice server.
func (g *Grader) Prepare(ctx context.Context, sql, database string) error {
	if sqltext.Changes(sql) {
		_, err := g.answers.expectedState(ctx, g, sql, database, pack.Checking{})
		if fault := FaultOf(err, sql, nil); fault != nil {
			return fault
		}
		return err
	}
	_, err := g.answers.get(ctx, sql, database)
	if fault := FaultOf(err, sql, nil); fault != nil {
		return fault
	}
	return err
}

// Grade decides on a learner's query. An error means that nothing could be decided: an *[AnswerError], or an error of
// the practice server that is not the query's fault.
func (g *Grader) Grade(ctx context.Context, task Task, learner int64, sql string) (*Verdict, error) {
	a := &attempt{grader: g, task: task, learner: learner}
	if g.byState(task.Accepted[0]) {
		return a.byState(ctx, sql)
	}
	q, err := g.Read(sql)
	a.verdict.Unread = err != nil
	if err == nil {
		err = a.decide(ctx, q)
	}
	if err == nil {
		return &a.verdict, nil
	}
	var answer *AnswerError
	if errors.As(err, &answer) {
		return nil, err
	}
	fault := FaultOf(err, sql, q)
	if fault == nil {
		return nil, err
	}
	g.Explain(ctx, fault, sql, task.Database)
	a.verdict.Fault, a.verdict.Outcome, a.verdict.Findings = fault, fault.Outcome(), nil
	a.verdict.Unread = a.verdict.Unread || a.verdict.Outcome == marking.Rejected
	return &a.verdict, nil
}

// attempt is a query on which a decision is being made.
type attempt struct {
	grader  *Grader
	task    Task
	learner int64
	verdict Verdict
}

// decide decides on a query that can be run: by its rows on the visible data, then on hidden rows, then by the rules.
func (a *attempt) decide(ctx context.Context, q *sqltext.Query) error {
	if refusal := q.Beyond(); refusal != nil && !a.answersLookBeyond() {
		return refusal
	}
	c := a.comparison(a.task.Database, q)
	c.learner = a.learner
	right, err := c.run(ctx)
	v := &a.verdict
	v.Rows, v.Elapsed = c.ran.Rows, c.ran.Elapsed
	if err != nil {
		return err
	}
	v.Fingerprint = c.fingerprint()
	if !right {
		v.Findings = c.words(ctx)
		v.Differing = c.difference.Differing()
	} else {
		v.Differing = new(int64)
		v.Findings = append(v.Findings, c.byLuck()...)
		everywhere, err := a.onHidden(ctx, c)
		if err != nil {
			return err
		}
		if !everywhere {
			right, v.HiddenOnly = false, true
			v.Findings = append(v.Findings, explain.Hidden())
		}
	}
	broken := q.Broken(a.task.Rules.Require, a.task.Rules.Forbid)
	v.Findings = append(v.Findings, explain.Broken(broken, right)...)
	switch {
	case !right:
		v.Outcome = marking.Incorrect
	case len(broken) > 0:
		v.Outcome = marking.Rejected
	default:
		v.Outcome = marking.Correct
	}
	return nil
}

// comparison prepares a comparison of a query with the task's accepted answers on one database.
func (a *attempt) comparison(database string, q *sqltext.Query) *comparison {
	return &comparison{
		grader: a.grader, accepted: a.task.Accepted, rules: a.task.Rules, database: database, query: q,
	}
}

// answersLookBeyond tells whether one of the accepted answers uses more than the rows.
func (a *attempt) answersLookBeyond() bool {
	return slices.ContainsFunc(a.task.Accepted, func(sql string) bool {
		q, err := a.grader.Read(sql)
		return err == nil && q.Beyond() != nil
	})
}

// A hidden run is slow that took so many times as long as the visible one, and at least so long.
const (
	slowTimes = 8
	slowLeast = time.Second
)

// onHidden tells whether a query that is right on visible rows is right on hidden rows, too. Nothing else about them is
// revealed.
func (a *attempt) onHidden(ctx context.Context, visible *comparison) (right bool, err error) {
	var all errgroup.Group
	var wrong, slow atomic.Bool
	for _, database := range a.task.Hidden {
		a.verdict.Hidden = true
		all.Go(panics.Caught(func() error {
			c := a.comparison(database, visible.query)
			c.checking, c.verdictOnly, c.expected = true, true, visible.rows.Columns
			right, err := c.run(ctx)
			if c.ran.Elapsed > max(slowTimes*visible.ran.Elapsed, slowLeast) {
				slow.Store(true)
			}
			if isFault(err) { // a database error on hidden rows
				right, err = false, nil
			}
			if !right {
				wrong.Store(true)
			}
			return err
		}))
	}
	if err := all.Wait(); err != nil {
		var answer *AnswerError
		var stopped *practice.Stopped
		if errors.As(err, &stopped) && !errors.As(err, &answer) {
			a.verdict.HiddenOnly = true
			detail := fmt.Sprintf("The result is right on the rows you can see, but on others the query is too slow "+
				"or "+
				"its result too large: it reached a limit (%s).", stopped.Limit)
			return false, &practice.Stopped{Limit: stopped.Limit, Detail: detail}
		}
		return false, err
	}
	a.verdict.HiddenOnly = slow.Load()
	return !wrong.Load(), nil
}

// isFault tells whether an error is the query's own fault, reported by the database.
func isFault(err error) bool {
	var answer *AnswerError
	var stopped *practice.Stopped
	return err != nil && !errors.As(err, &answer) && !errors.As(err, &stopped) && FaultOf(err, "", nil) != nil
}

// byLuck returns findings for a right answer that leaves to the database what the task asks for.
func (c *comparison) byLuck() []explain.Finding {
	reference := c.held[0].answer
	order := c.rules.Policy.Order
	ordered := order == compare.OrderStrict || order == compare.OrderAuto && reference.Ordered
	switch luck := c.query.ByLuck(); {
	case luck == sqltext.OrderBy && ordered && c.ran.Rows > 1:
		return []explain.Finding{explain.OrderByLuck()}
	case luck == "LIMIT" && (reference.Window == nil || reference.Ordered):
		return []explain.Finding{explain.LimitByLuck()}
	}
	return nil
}

// words describes the difference, revealing only as much of the expected result as the rules allow.
func (c *comparison) words(ctx context.Context) []explain.Finding {
	var findings []explain.Finding
	told := map[pack.Show]explain.Told{pack.ShowNothing: explain.ToldNothing, pack.ShowCount: explain.ToldNumbers}
	level, less := told[c.rules.Show]
	if !less {
		level = explain.ToldRows
	}
	for _, f := range c.difference.Findings {
		if f.Kind == compare.ColumnsMissing && c.query.Features(nil).MayLackComma(c.grader.Schema(ctx, c.database)) {
			f.Names = nil // the alias hides which one is missing
		}
		findings = append(findings, explain.Difference(f, level))
	}
	return findings
}
