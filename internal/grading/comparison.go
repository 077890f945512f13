package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"examen/internal/core/compare"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A comparison is one run of a query on one database, compared with the results of the accepted answers there. It is
// the sink of the query's rows.
type comparison struct {
	grader   *Grader
	accepted []string // the reference answer first
	rules    pack.Checking
	database string
	query    *sqltext.Query

	learner     int64 // 0: nobody's
	checking    bool  // it runs on a checking seat
	verdictOnly bool  // how the rows differ is not looked at
	behind      bool  // it may wait for others; more rows than the answer has end it with errMoreRows
	plan        int   // by which the server works out the result; see [practice.Run]
	// what columns the query will give, where that is known; else those of the reference answer
	expected   []result.Column
	held       []*held // one for each accepted answer
	rows       practice.Collector
	unheld     *unheld // where the columns are not those of the reference answer
	seen       int64
	ran        practice.Execution
	difference *compare.Difference // from what the reference answer gives
}

// held is the comparison with one accepted answer.
type held struct {
	answer *answer
	// ready are the digests of the answer's rows that were made ready for the run, by how they are read.
	ready map[string]*compare.Digest

	plan     *compare.Plan
	columns  []compare.Finding // why there is no plan
	digest   *compare.Digest   // of the answer's rows
	digester *compare.Digester // of the query's
}

// unready ends a run whose columns require the answer's rows to be read in a way that was not prepared. They are
// prepared, and the query runs again.
type unready struct{ columns []result.Column }

func (*unready) Error() string { return "the accepted answer's rows are to be read in another way" }

// enoughMore is how many rows more than the answer's end a run: to throw its session away has its price, too.
const enoughMore = 10_000

// errMoreRows ends a run whose result has more rows than an answer's.
var errMoreRows = errors.New("the result has more rows than the answer's")

// run runs the query and tells whether its result counts as right. If not, difference is set, unless only the verdict
// is asked for.
func (c *comparison) run(ctx context.Context) (right bool, err error) {
	c.rows.MostRows, c.rows.MostBytes = keepRows, keepBytes
	for _, sql := range c.accepted {
		found, err := c.grader.answers.get(ctx, sql, c.database)
		if err != nil {
			return false, &AnswerError{sql, err}
		}
		c.held = append(c.held, &held{answer: found, ready: map[string]*compare.Digest{}})
	}
	columns := c.expected
	if columns == nil {
		columns = c.held[0].answer.Columns
	}
	if err := c.makeReady(ctx, columns); err != nil {
		return false, err
	}
	c.ran, err = c.grader.practice.Run(ctx, c.order(), c)
	var other *unready
	if errors.As(err, &other) {
		if err := c.makeReady(ctx, other.columns); err != nil {
			return false, err
		}
		c.ran, err = c.grader.practice.Run(ctx, c.order(), c)
	}
	if err != nil {
		return false, err
	}
	for i, h := range c.held {
		right, difference, err := c.compare(ctx, h)
		if err != nil || right {
			c.difference = nil
			return right, err
		}
		if i == 0 {
			c.difference = difference
		}
	}
	return false, nil
}

func (c *comparison) order() practice.Run {
	return practice.Run{
		Learner:  c.learner,
		Database: c.database,
		Checking: c.checking,
		SQL:      c.query.Text,
		Large:    c.held[0].answer.count >= largeRows,
		Floats:   c.rules.Policy.Columns == compare.ByPosition, // pairing reads texts
		Plan:     c.plan,
		Behind:   c.behind,
	}
}

// makeReady prepares the digests of large answers, read for comparison with a result of these columns. Those of small
// answers are computed from memory when needed.
func (c *comparison) makeReady(ctx context.Context, columns []result.Column) error {
	if !slices.ContainsFunc(c.held, func(h *held) bool { return !h.answer.kept }) {
		return nil
	}
	columns = c.precise(columns)
	for _, h := range c.held {
		plan, _ := compare.NewPlan(c.rules.Policy, h.answer.Reference, columns)
		if plan == nil || h.answer.kept {
			continue
		}
		digest, err := c.grader.answers.digest(ctx, h.answer, plan, c.rules.Policy)
		if err != nil {
			return &AnswerError{h.answer.sql, err}
		}
		h.ready[h.answer.readingKey(plan, c.rules.Policy)] = digest
	}
	return nil
}

// precise returns the query's columns with how exact their numbers are.
func (c *comparison) precise(columns []result.Column) []result.Column {
	columns = slices.Clone(columns)
	precise(columns, c.query, c.held[0].answer)
	return columns
}

// Begin makes the plans, now that the columns of both sides are known.
func (c *comparison) Begin(columns []result.Column) error {
	if err := c.rows.Begin(c.precise(columns)); err != nil {
		return err
	}
	c.unheld, c.seen = nil, 0
	for i, h := range c.held {
		h.digest, h.digester = nil, nil
		h.plan, h.columns = compare.NewPlan(c.rules.Policy, h.answer.Reference, c.rows.Columns)
		if h.plan == nil {
			if i == 0 {
				c.unheld = newUnheld(c.rows.Columns, h.answer.Seed)
			}
			continue
		}
		h.digest = h.ready[h.answer.readingKey(h.plan, c.rules.Policy)]
		if h.digest == nil && !h.answer.kept {
			return &unready{columns}
		}
		if h.digest == nil { // of rows that are in memory: nothing is asked of a server
			digest, err := c.grader.answers.digest(context.Background(), h.answer, h.plan, c.rules.Policy)
			if err != nil {
				return err
			}
			h.digest = digest
		}
		h.digester = h.plan.Attempt(h.digest)
	}
	return nil
}

// Row adds a row to every comparison.
func (c *comparison) Row(row result.Row) error {
	if c.seen++; c.behind && !c.rules.Policy.Once && c.seen > c.held[0].answer.count+enoughMore {
		return errMoreRows
	}
	for _, h := range c.held {
		if h.digester != nil {
			h.digester.Add(row)
		}
	}
	if c.unheld != nil {
		c.unheld.add(row)
	}
	return c.rows.Row(row)
}

// fingerprint identifies the result, read as for comparison with the reference answer.
func (c *comparison) fingerprint() *result.Fingerprint {
	f := c.unheld.fingerprint()
	if c.unheld == nil {
		f = c.held[0].digester.Digest().Fingerprint()
	}
	return &f
}

// unheld digests a result whose columns are wrong, so that it is compared with nothing.
type unheld struct {
	seed     result.Seed
	cells    []int
	readings []result.Reading
	sum      result.Fingerprint
	buffer   []byte
}

func newUnheld(columns []result.Column, seed result.Seed) *unheld {
	u := &unheld{seed: seed}
	for i, c := range columns {
		reading, _ := result.Pair(c.Type, c.Type, result.Options{Precision: c.Precision})
		u.cells, u.readings = append(u.cells, i), append(u.readings, reading)
	}
	return u
}

func (u *unheld) add(row result.Row) {
	u.buffer = result.AppendKey(u.buffer[:0], row, u.cells, u.readings)
	u.sum = u.sum.Plus(u.seed.Of(u.buffer))
}

// fingerprint distinguishes results with different numbers of columns even if they have no rows.
func (u *unheld) fingerprint() result.Fingerprint {
	if u == nil {
		return result.Fingerprint{}
	}
	return u.sum.Plus(u.seed.Of([]byte{byte(len(u.cells)), byte(len(u.cells) >> 8)}))
}

// compare compares the query's result with one answer's.
func (c *comparison) compare(ctx context.Context, h *held) (right bool, difference *compare.Difference, err error) {
	if h.plan == nil {
		return false, &compare.Difference{Findings: h.columns, Facts: compare.Facts{Columns: c.rows.Columns}}, nil
	}
	attempt := h.digester.Digest()
	right, difference = h.plan.Match(h.digest, attempt), &compare.Difference{}
	if !right && h.ownEquality(c.rows.Columns) {
		if attempt, err = c.withEquality(ctx, h, attempt); err != nil {
			return false, nil, err
		}
		right = h.plan.Match(h.digest, attempt)
	}
	if !right {
		if right, difference, err = c.differences(ctx, h, attempt); err != nil {
			return false, nil, err
		}
	}
	if names := h.plan.NamesFinding(); names != nil { // last: looking at the rows may have paired the columns otherwise
		if right || difference == nil {
			difference = &compare.Difference{}
		}
		right, difference.Findings = false, append([]compare.Finding{*names}, difference.Findings...)
	}
	return right, difference, nil
}

// differences compares the rows themselves. If only the verdict is asked for, it does so only where the digests leave
// it open.
func (c *comparison) differences(ctx context.Context, h *held, attempt *compare.Digest) (
	right bool, difference *compare.Difference, err error,
) {
	open := h.plan.Undecided(h.digest, attempt)
	if c.verdictOnly && !open {
		return false, nil, nil
	}
	reference := compare.Side{Digest: h.digest, Rows: func(yield func(result.Row) error) error {
		if err := c.grader.answers.each(ctx, h.answer, yield); err != nil {
			return &AnswerError{h.answer.sql, err}
		}
		return nil
	}}
	if !h.answer.kept {
		reference.Sample = c.grader.answers.sample(h.answer, h.plan, c.rules.Policy)
	}
	own := compare.Side{Digest: attempt, Rows: func(yield func(result.Row) error) error { return c.again(ctx, yield) }}
	verdict, difference, err := h.plan.Differences(reference, own)
	var stopped *practice.Stopped
	switch {
	case err != nil && errors.As(err, &stopped) && !open: // it is wrong, and the second run took longer than the first
		return false, compare.TooLarge(h.digest, attempt), nil
	case err != nil:
		return false, nil, err
	case verdict == compare.Open:
		return false, nil, &practice.Stopped{Limit: practice.LimitRows, Detail: fmt.Sprintf(
			"The result has %d rows: too many to be compared value by value, so it was not judged. Ask for fewer rows.",
			attempt.Rows)}
	}
	return verdict == compare.Right, difference, nil
}

// again yields the query's rows once more.
func (c *comparison) again(ctx context.Context, yield func(result.Row) error) error {
	if c.rows.Over {
		_, err := c.grader.practice.Run(ctx, c.order(), practice.Each(yield))
		return err
	}
	for _, row := range c.rows.Rows {
		if err := yield(row); err != nil {
			return err
		}
	}
	return nil
}
