package exam

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"examen/internal/account"
	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Attempt is a submission that was checked.
type Attempt struct {
	ID                       string
	At                       time.Time
	Learner, Paper, Exercise string
	SQL                      string
	Outcome                  marking.Outcome
	Mark, Points             float64
	RowCount                 int64
	ElapsedMS                float64
	Findings                 []explain.Finding
	Error                    *problem.Problem
	Build                    int
}

// A Submission is a query that is handed in.
type Submission struct {
	Paper, Exercise string
	SQL             string
	Key             string // made by who sends it, anew for each: what is sent again with the same one is the same submission; "" for none
}

// longestKey is in bytes.
const longestKey = 64

// Submit checks a query against the exercise's reference answer and stores the attempt; only then is it returned. Once begun it is
// finished also when the caller goes away. A submission that was stored already is not checked again: its attempt is returned.
func (s *Service) Submit(ctx context.Context, who account.Account, submission Submission) (*Attempt, error) {
	begun := time.Now()
	sql := submission.SQL
	if err := checkQuery(sql); err != nil {
		return nil, err
	}
	if len(submission.Key) > longestKey || !records.IsText(submission.Key) {
		return nil, problem.New(422, "key", "Invalid submission key", "It has %d bytes; at most %d are expected.", len(submission.Key), longestKey)
	}
	if submission.Key != "" {
		if earlier, err := s.submitted(ctx, who, submission); err != nil || earlier != nil {
			return earlier, err
		}
	}
	p, e, err := s.exercise(ctx, who, submission.Paper, submission.Exercise)
	if err != nil {
		return nil, err
	}
	if who.Role != account.Instructor && p.State == marking.Closed {
		return nil, problem.New(403, "past-due", "The paper is closed", "It was due on %s. Queries can still be run, not submitted; the draft is kept.", p.Due.UTC().Format("2 January 2006 at 15:04 UTC"))
	}
	if err := s.accounts.AdmitText(who, len(sql)); err != nil {
		return nil, err
	}
	c := &check{Service: s, who: who, paper: p, exercise: e, sql: sql, key: submission.Key, received: begun}
	if err := json.Unmarshal(e.Checking, &c.rules); err != nil {
		return nil, fmt.Errorf("exercise %s: %w", e.Slug, err)
	}
	if err := c.attemptsLeft(ctx, s.records.Queries); err != nil {
		return nil, err
	}
	if err := c.mayAskAgain(ctx); err != nil {
		return nil, err
	}
	ctx = context.WithoutCancel(ctx)
	if err := c.decide(ctx); err != nil {
		return nil, err
	}
	attempt, err := c.store(ctx)
	if c.hidden {
		c.even(begun)
	}
	return attempt, err
}

// submitted finds the attempt that a submission has become already; nil where there is none.
func (s *Service) submitted(ctx context.Context, who account.Account, submission Submission) (*Attempt, error) {
	row, err := s.records.AttemptByKey(ctx, query.AttemptByKeyParams{AccountID: who.ID, ClientKey: submission.Key})
	switch {
	case records.Missing(err):
		return nil, nil
	case err != nil:
		return nil, err
	case row.Sql != submission.SQL || row.Paper != submission.Paper:
		return nil, problem.New(409, "key-used", "The submission key was used before", "It belongs to the attempt of %s, which had another text: make a new key for each submission.", row.At.UTC().Format("2 January 2006 at 15:04 UTC"))
	}
	a := &Attempt{ID: strconv.FormatInt(row.ID, 10), At: row.At, Learner: who.Name, Paper: row.Paper, Exercise: row.Exercise, SQL: row.Sql, Outcome: marking.Outcome(row.Outcome),
		Mark: row.Mark, Points: row.Points, RowCount: row.RowCount, ElapsedMS: row.ElapsedMs, Build: int(row.BuildNumber)}
	a.Findings, a.Error = stored(row.Findings, row.Error)
	return a, nil
}

// A check is one submission being checked.
type check struct {
	*Service
	who      account.Account
	paper    *Paper
	exercise query.Exercise
	sql      string
	rules    pack.Checking
	key      string
	received time.Time

	hidden     bool          // it was, or would have been, checked on hidden rows
	hiddenOnly bool          // what is wrong with it shows on hidden rows alone
	visible    time.Duration // that the rows took which the learner sees
	free       bool          // it cannot be read as SQL, or is not allowed as it is: it uses up none of the attempts that the exercise allows
	outcome    marking.Outcome
	findings   []explain.Finding
	problem    *problem.Problem
	ran        practice.Execution
	columns    []result.Column // of the attempt's result
}

func (c *check) attemptsLeft(ctx context.Context, q *query.Queries) error {
	if c.rules.Attempts == 0 {
		return nil
	}
	n, err := q.CountAttempts(ctx, query.CountAttemptsParams{AccountID: c.who.ID, ExerciseID: c.exercise.ID})
	if err == nil && int(n) >= c.rules.Attempts {
		return problem.New(403, "no-attempts-left", "No attempts are left", "This exercise allows %d, and all are used. Queries can still be run.", c.rules.Attempts)
	}
	return err
}

// decide finds the outcome and its findings. An error means that nothing could be decided.
func (c *check) decide(ctx context.Context) error {
	q, err := c.readQuery(c.sql)
	if c.free = err != nil; !c.free {
		err = c.onRows(ctx, q)
	}
	if err == nil {
		return nil
	}
	var reference *referenceError
	if errors.As(err, &reference) {
		c.log.Error("the reference answer cannot be run", "paper", c.paper.Slug, "exercise", c.exercise.Slug, "error", reference.err)
		if serversFault(err) {
			return err
		}
		return problem.New(500, "reference-fails", "The attempt cannot be checked", "The exercise's reference answer does not run. Tell your instructor; the draft is kept.")
	}
	if c.outcome, c.problem = ended(err, c.sql, q); c.problem == nil {
		return err
	}
	c.free = c.free || c.outcome == marking.Rejected
	c.inPlainWords(ctx, c.problem, err, c.sql, c.paper.Dataset)
	return nil
}

// serversFault tells whether an error of the practice server passes, and is no query's.
func serversFault(err error) bool {
	return slices.ContainsFunc([]error{practice.ErrUnavailable, practice.ErrBusy, practice.ErrGone, practice.ErrFull, practice.ErrStalled, practice.ErrTrouble},
		func(fault error) bool { return errors.Is(err, fault) })
}

// onRows checks a query that can be run: its rows on what the learner sees, then on variants, then the rules.
func (c *check) onRows(ctx context.Context, q *sqltext.Query) error {
	if refusal := q.Beyond(); refusal != nil && !c.answersLookBeyond() {
		return refusal
	}
	v := c.viewing(c.paper.Database, false)
	right, err := v.verdict(ctx, q)
	c.ran, c.columns, c.visible = v.ran, v.collect.columns, v.ran.Elapsed
	if err != nil {
		return err
	}
	if !right {
		c.findings = v.words(v.difference)
	} else {
		c.findings = append(c.findings, v.byLuck()...)
		seen, err := c.onVariants(ctx, q)
		if err != nil {
			return err
		}
		if !seen {
			right, c.hiddenOnly = false, true
			c.findings = append(c.findings, explain.Hidden())
		}
	}
	broken := q.Broken(c.rules.Require, c.rules.Forbid)
	c.findings = append(c.findings, explain.Broken(broken, right)...)
	switch {
	case !right:
		c.outcome = marking.Incorrect
	case len(broken) > 0:
		c.outcome = marking.Rejected
	default:
		c.outcome = marking.Correct
	}
	return nil
}

// byLuck tells of a right answer where it leaves to the database what the task asks for.
func (v *viewing) byLuck() []explain.Finding {
	reference := v.sides[0].reference
	ordered := v.rules.Policy.Order == compare.OrderStrict || v.rules.Policy.Order == compare.OrderAuto && reference.Ordered
	switch luck := v.query.ByLuck(); {
	case luck == sqltext.OrderBy && ordered && v.ran.Rows > 1:
		return []explain.Finding{explain.OrderByLuck()}
	case luck == "LIMIT" && (reference.Window == nil || reference.Ordered):
		return []explain.Finding{explain.LimitByLuck()}
	}
	return nil
}

// answersLookBeyond tells whether one of the exercise's own answers uses more than the rows.
func (c *check) answersLookBeyond() bool {
	return slices.ContainsFunc(append([]string{c.exercise.Reference}, c.rules.Also...), func(sql string) bool {
		q, err := c.readQuery(sql)
		return err == nil && q.Beyond() != nil
	})
}

// onVariants tells whether the query is right on every hidden variant too. Nothing else of them is told.
func (c *check) onVariants(ctx context.Context, q *sqltext.Query) (right bool, err error) {
	var variants map[string]string
	if err := json.Unmarshal(c.paper.Variants, &variants); err != nil {
		return false, err
	}
	var all errgroup.Group
	verdicts := make(chan bool, len(variants))
	var slow atomic.Bool
	for name, database := range variants {
		if c.rules.Variants != nil && !slices.Contains(*c.rules.Variants, name) {
			continue
		}
		c.hidden = true
		all.Go(func() error {
			v := c.viewing(database, true)
			right, err := v.verdict(ctx, q)
			if v.ran.Elapsed > max(8*c.visible, time.Second) {
				slow.Store(true)
			}
			var reference *referenceError
			var stopped *practice.Stopped
			if err != nil && !errors.As(err, &reference) && !errors.As(err, &stopped) && ofQuery(err) != nil {
				right, err = false, nil // a database error on hidden rows
			}
			verdicts <- right
			return err
		})
	}
	if err := all.Wait(); err != nil {
		var reference *referenceError
		var stopped *practice.Stopped
		if errors.As(err, &stopped) && !errors.As(err, &reference) {
			c.hiddenOnly = true
			return false, &practice.Stopped{Limit: stopped.Limit, Detail: fmt.Sprintf("The result is right on the rows you can see, but on others the query is too slow or its result too large: it reached a limit (%s).", stopped.Limit)}
		}
		return false, err
	}
	c.hiddenOnly = slow.Load()
	close(verdicts)
	for v := range verdicts {
		if !v {
			return false, nil
		}
	}
	return true, nil
}

// A viewing is the comparison on one database. It is the sink of the attempt's rows.
type viewing struct {
	*check
	database string
	variant  bool     // hidden: how the rows differ is not looked at
	checking bool     // it runs on a checking seat
	planner  []string // settings to run it under

	query      *sqltext.Query
	sides      []*side // one for each answer that counts as right, the reference answer first
	collect    collector
	ran        practice.Execution
	difference *compare.Difference // from the reference answer
	ctx        context.Context
}

// A side is one answer that counts as right.
type side struct {
	reference *reference
	plan      *compare.Plan
	columns   []compare.Finding // why there is no plan
	digest    *compare.Digest
	digester  *compare.Digester
}

// A referenceError is the error of running a reference answer.
type referenceError struct{ err error }

func (e *referenceError) Error() string { return "reference answer: " + e.err.Error() }
func (e *referenceError) Unwrap() error { return e.err }

func (c *check) viewing(database string, variant bool) *viewing {
	return &viewing{check: c, database: database, variant: variant, checking: variant, collect: collector{rows: keepRows, bytes: keepBytes}}
}

// verdict runs the query and tells whether its result is one that counts as right; else there is a difference, save on a variant.
func (v *viewing) verdict(ctx context.Context, q *sqltext.Query) (right bool, err error) {
	for _, sql := range append([]string{v.exercise.Reference}, v.rules.Also...) {
		ref, err := v.references.get(ctx, sql, v.database)
		if err != nil {
			return false, &referenceError{err}
		}
		v.sides = append(v.sides, &side{reference: ref})
	}
	v.ctx, v.query = ctx, q
	if v.checking { // then no reference answer has to be run while the attempt holds a seat for checking
		columns := v.columns // as they were seen already, but for an instructor's check
		if columns == nil {
			columns = v.sides[0].reference.Columns
		}
		if err := v.Columns(columns); err != nil {
			return false, err
		}
	}
	v.ran, err = v.practice.Run(ctx, v.run(), v)
	if err != nil {
		return false, err
	}
	for i, side := range v.sides {
		right, difference, err := v.compare(side)
		if err != nil || right {
			v.difference = nil
			return right, err
		}
		if i == 0 {
			v.difference = difference
		}
	}
	return false, nil
}

func (v *viewing) run() practice.Run {
	return practice.Run{Learner: v.who.ID, Database: v.database, Checking: v.checking, SQL: v.query.Text, Large: v.sides[0].reference.count >= largeRows, Planner: v.planner}
}

// Columns makes the plans, now that both sides' columns are known.
func (v *viewing) Columns(columns []result.Column) error {
	columns = slices.Clone(columns)
	precise(columns, v.query, v.sides[0].reference.relations)
	if err := v.collect.Columns(columns); err != nil {
		return err
	}
	for _, side := range v.sides {
		side.plan, side.columns = compare.NewPlan(v.rules.Policy, side.reference.Reference, columns)
		if side.plan == nil {
			continue
		}
		digest, err := v.references.digest(v.ctx, side.reference, side.plan, v.rules.Policy)
		if err != nil {
			return &referenceError{err}
		}
		side.digest, side.digester = digest, side.plan.Attempt(digest)
	}
	return nil
}

// Row reads a row into every comparison.
func (v *viewing) Row(row result.Row) error {
	for _, side := range v.sides {
		if side.digester != nil {
			side.digester.Add(row)
		}
	}
	return v.collect.Row(row)
}

// compare holds the attempt against one side.
func (v *viewing) compare(side *side) (right bool, difference *compare.Difference, err error) {
	if side.plan == nil {
		return false, &compare.Difference{Findings: side.columns, Facts: compare.Facts{Columns: v.collect.columns}}, nil
	}
	attempt := side.digester.Digest()
	right, difference = side.plan.Match(side.digest, attempt), &compare.Difference{}
	if !right && side.ownEquality(v.collect.columns) {
		if attempt, err = v.withEquality(side, attempt); err != nil {
			return false, nil, err
		}
		right = side.plan.Match(side.digest, attempt)
	}
	if !right {
		if right, difference, err = v.differences(side, attempt); err != nil {
			return false, nil, err
		}
	}
	if names := side.plan.NamesFinding(); names != nil { // last: looking at the rows may have paired the columns otherwise
		if right {
			difference = &compare.Difference{}
		}
		right, difference.Findings = false, append([]compare.Finding{*names}, difference.Findings...)
	}
	return right, difference, nil
}

// differences looks at the rows themselves. A hidden variant's are looked at only where the digests leave it open.
func (v *viewing) differences(side *side, attempt *compare.Digest) (bool, *compare.Difference, error) {
	open := side.plan.Undecided(side.digest, attempt)
	if v.variant && !open {
		return false, nil, nil
	}
	reference := compare.Side{Digest: side.digest, Rows: func(yield func(result.Row) error) error {
		if err := v.references.each(v.ctx, side.reference, yield); err != nil {
			return &referenceError{err}
		}
		return nil
	}}
	if !side.reference.kept {
		reference.Sample = v.references.sample(side.reference, side.plan, v.rules.Policy)
	}
	verdict, difference, err := side.plan.Differences(reference, compare.Side{Digest: attempt, Rows: v.again})
	var stopped *practice.Stopped
	switch {
	case err != nil && errors.As(err, &stopped) && !open: // it is wrong, and the second run took longer than the first
		return false, compare.TooLarge(side.digest, attempt), nil
	case err != nil:
		return false, nil, err
	case verdict == compare.Open:
		return false, nil, &practice.Stopped{Limit: practice.LimitRows, Detail: fmt.Sprintf(
			"The result has %d rows: too many to be compared value by value, so it was not judged. Ask for fewer rows.", attempt.Rows)}
	}
	return verdict == compare.Right, difference, nil
}

// again yields the attempt's rows once more.
func (v *viewing) again(yield func(result.Row) error) error {
	if v.collect.over {
		_, err := v.practice.Run(v.ctx, v.run(), yielding(yield))
		return err
	}
	for _, row := range v.collect.kept {
		if err := yield(row); err != nil {
			return err
		}
	}
	return nil
}

// words says a difference as much as the exercise's rules tell of the expected result, the likely cause first.
func (v *viewing) words(d *compare.Difference) []explain.Finding {
	schema := v.schema(v.ctx, v.paper.Dataset)
	var findings []explain.Finding
	if cause := v.cause(d, schema); cause != nil {
		findings = append(findings, *cause)
	}
	told := map[pack.Show]explain.Told{pack.ShowNothing: explain.ToldNothing, pack.ShowCount: explain.ToldNumbers}
	level, less := told[v.rules.Show]
	if !less {
		level = explain.ToldRows
	}
	for _, f := range d.Findings {
		if len(findings) > 0 && findings[0].Kind == explain.CauseAliasForColumn {
			f.Names = nil // the alias hides which one is missing
		}
		findings = append(findings, explain.Difference(f, level))
	}
	return findings
}

// store keeps the attempt.
func (c *check) store(ctx context.Context) (*Attempt, error) {
	if c.findings == nil {
		c.findings = []explain.Finding{}
	}
	findings, err := json.Marshal(c.findings)
	if err != nil {
		return nil, err
	}
	mark := marking.Mark(c.outcome, c.exercise.Points)
	entry := query.CreateAttemptParams{
		AccountID: c.who.ID, ExerciseID: c.exercise.ID, BuildID: c.paper.BuildID, Sql: c.sql, Outcome: string(c.outcome), Mark: mark,
		Points: c.exercise.Points, RowCount: c.ran.Rows, ElapsedMs: milliseconds(c.ran.Elapsed), Findings: findings, Error: c.problem.Stored(), HiddenOnly: c.hiddenOnly, Counted: !c.free, At: c.received}
	if c.key != "" {
		entry.ClientKey = &c.key
	}
	var stored query.CreateAttemptRow
	if c.rules.Attempts == 0 {
		stored, err = c.records.CreateAttempt(ctx, entry)
	} else {
		err = c.records.Together(ctx, func(q *records.Transaction) error {
			if err := q.LockWork(ctx, query.LockWorkParams{AccountID: strconv.FormatInt(c.who.ID, 10), ExerciseID: strconv.FormatInt(c.exercise.ID, 10)}); err != nil {
				return err
			}
			if err := c.attemptsLeft(ctx, q.Queries); err != nil {
				return err
			}
			stored, err = q.CreateAttempt(ctx, entry)
			return err
		})
	}
	if records.Taken(err) && c.key != "" { // it was sent twice at the same time, and the other was first
		return c.submitted(ctx, c.who, Submission{Paper: c.paper.Slug, Exercise: c.exercise.Slug, SQL: c.sql, Key: c.key})
	}
	if err != nil {
		return nil, err
	}
	return &Attempt{ID: strconv.FormatInt(stored.ID, 10), At: stored.At, Learner: c.who.Name, Paper: c.paper.Slug, Exercise: c.exercise.Slug, SQL: c.sql,
		Outcome: c.outcome, Mark: mark, Points: c.exercise.Points, RowCount: c.ran.Rows, ElapsedMS: entry.ElapsedMs,
		Findings: c.findings, Error: c.problem, Build: int(c.paper.BuildNumber)}, nil
}

// latestAttempt reads an attempt from the records.
func latestAttempt(row query.LatestAttemptsRow, who account.Account, paper, exercise string) *Attempt {
	a := &Attempt{ID: strconv.FormatInt(row.ID, 10), At: row.At, Learner: who.Name, Paper: paper, Exercise: exercise, SQL: row.Sql,
		Outcome: marking.Outcome(row.Outcome), Mark: row.Mark, Points: row.Points, RowCount: row.RowCount, ElapsedMS: row.ElapsedMs, Build: int(row.BuildNumber)}
	a.Findings, a.Error = stored(row.Findings, row.Error)
	return a
}

// stored reads findings and a problem as they were kept.
func stored(findings, wrong json.RawMessage) ([]explain.Finding, *problem.Problem) {
	all := []explain.Finding{}
	_ = json.Unmarshal(findings, &all) // written by store
	if wrong == nil {
		return all, nil
	}
	p := &problem.Problem{}
	_ = json.Unmarshal(wrong, p)
	return all, p
}
