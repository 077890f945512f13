package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"examen/internal/core/compare"
	"examen/internal/core/definition"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/panics"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// byState decides on statements by what they leave.
func (a *attempt) byState(ctx context.Context, text string) (*Verdict, error) {
	v := &a.verdict
	statements, err := sqltext.ReadStatements(text)
	v.Unread = err != nil
	if err == nil {
		err = a.decideState(ctx, text, statements)
	}
	if err == nil {
		return v, nil
	}
	var answer *AnswerError
	if errors.As(err, &answer) {
		return nil, err
	}
	fault := FaultOf(err, text, nil)
	if fault == nil {
		return nil, err
	}
	a.grader.Explain(ctx, fault, text, a.task.Database)
	v.Fault, v.Outcome, v.Findings = fault, fault.Outcome(), nil
	v.Unread = v.Unread || v.Outcome == marking.Rejected
	return v, nil
}

func (a *attempt) decideState(ctx context.Context, text string, statements []sqltext.Statement) error {
	if refusal := sqltext.BeyondBy(text, statements); refusal != nil && !a.answersGoBeyond() {
		return refusal
	}
	v := &a.verdict
	c := &stateComparison{attempt: a, database: a.task.Database, text: text, statements: statements, learner: a.learner}
	right, err := c.run(ctx)
	if c.own != nil {
		v.Elapsed = c.own.done.Elapsed
		if c.own.last != nil {
			v.Rows = c.own.last.count
		}
	}
	if err != nil {
		return err
	}
	v.Fingerprint, v.Differing = &c.fingerprint, &c.differing
	if !right {
		v.Findings = c.findings
	} else if right, err = a.stateOnHidden(ctx, text, statements); err != nil {
		return err
	} else if !right {
		v.HiddenOnly = true
		v.Findings = append(v.Findings, explain.HiddenState())
	}
	broken := sqltext.BrokenBy(statements, a.task.Rules.Require, a.task.Rules.Forbid)
	v.Findings = append(v.Findings, explain.BrokenByStatements(broken, right)...)
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

// answersGoBeyond tells whether one of the accepted answers uses more than the database's tables.
func (a *attempt) answersGoBeyond() bool {
	return slices.ContainsFunc(a.task.Accepted, func(sql string) bool {
		statements, err := sqltext.ReadStatements(sql)
		return err == nil && sqltext.BeyondBy(sql, statements) != nil
	})
}

// stateOnHidden tells whether statements that are right on the visible rows are right on hidden rows, too.
func (a *attempt) stateOnHidden(ctx context.Context, text string, statements []sqltext.Statement) (bool, error) {
	var all errgroup.Group
	var wrong atomic.Bool
	for _, database := range a.task.Hidden {
		a.verdict.Hidden = true
		all.Go(panics.Caught(func() error {
			c := &stateComparison{attempt: a, database: database, text: text, statements: statements, verdictOnly: true}
			right, err := c.run(ctx)
			if isFault(err) {
				right, err = false, nil
			}
			if !right {
				wrong.Store(true)
			}
			return err
		}))
	}
	err := all.Wait()
	var answer *AnswerError
	var stopped *practice.Stopped
	if errors.As(err, &stopped) && !errors.As(err, &answer) {
		a.verdict.HiddenOnly = true
		return false, &practice.Stopped{Limit: stopped.Limit,
			Detail: fmt.Sprintf("What is left is right with the rows you "+
				"can see, but with others the statements reached a limit (%s).", stopped.Limit)}
	}
	return !wrong.Load(), err
}

// A stateComparison is one run of statements in a copy of one database, compared with what the accepted answers leave
// there.
type stateComparison struct {
	attempt     *attempt
	database    string
	text        string
	statements  []sqltext.Statement
	learner     int64
	verdictOnly bool // how it differs is not looked at

	own         *performed
	findings    []explain.Finding // from what the reference answer leaves
	fingerprint result.Fingerprint
	differing   int64
}

// run tells whether the statements leave what one of the accepted answers leaves.
func (c *stateComparison) run(ctx context.Context) (right bool, err error) {
	g, task := c.attempt.grader, c.attempt.task
	var expected []*expectedState
	for _, sql := range task.Accepted {
		e, err := g.answers.expectedState(ctx, g, sql, c.database, task.Rules)
		if err != nil {
			return false, &AnswerError{sql, err}
		}
		expected = append(expected, e)
	}
	c.own, err = g.perform(ctx, c.database, c.statements, c.learner)
	defer c.own.drop()
	if err != nil {
		if at := len(c.own.done.Steps); c.own.left == nil && at < len(c.statements) {
			if fault := StatementFault(err, c.text, c.statements[at]); fault != nil {
				return false, fault
			}
		}
		return false, err
	}
	for i, e := range expected {
		w := &stateWords{comparison: c, expected: e}
		right, err := w.compare(ctx)
		if err != nil || right {
			if right {
				c.findings, c.differing, c.fingerprint = nil, 0, w.fingerprint
			}
			return right, err
		}
		if i == 0 {
			c.findings, c.differing, c.fingerprint = w.findings, w.differing, w.fingerprint
		}
	}
	return false, nil
}

// stateWords compares what statements leave with what one accepted answer leaves, and says how they differ.
type stateWords struct {
	comparison  *stateComparison
	expected    *expectedState
	findings    []explain.Finding
	spoilt      map[string]bool // tables whose definition is wrong: their rows are not looked at
	fingerprint result.Fingerprint
	differing   int64
}

func (w *stateWords) compare(ctx context.Context) (right bool, err error) {
	c, e := w.comparison, w.expected
	own, rules := c.own, c.attempt.task.Rules
	w.spoilt = map[string]bool{}
	if err := w.definitions(ctx, rules); err != nil {
		return false, err
	}
	wanted, touched := e.comparedTables(), own.changedTables()
	if own.done.Undone && len(touched) == 0 {
		w.findings = append(w.findings, explain.NotCommitted())
		return false, nil
	}
	if err := w.rows(ctx, wanted); err != nil {
		return false, err
	}
	if len(touched) == 0 && !own.left.Defined && len(w.findings) > 0 {
		w.findings = []explain.Finding{explain.NothingChanged()}
		return false, nil
	}
	for _, t := range own.left.Tables {
		changed := slices.Contains(touched, t.Name) || t.Rewritten && !t.Altered // of that it was told already
		if !changed || slices.Contains(wanted, t.Name) || w.spoilt[t.Name] {
			continue
		}
		if err := w.untouchable(ctx, t.Name); err != nil {
			return false, err
		}
	}
	if rules.Last && len(w.findings) == 0 {
		if err := w.last(rules); err != nil {
			return false, err
		}
	}
	if len(w.findings) == 0 {
		if err := w.conditions(ctx); err != nil {
			return false, err
		}
	}
	for n := 0; n < len(e.probes) && len(w.findings) == 0; n++ {
		if err := w.probe(ctx, e.probes[n], n < len(rules.Accepts)); err != nil {
			return false, err
		}
	}
	if own.done.Undone && len(w.findings) > 0 { // what is left may be right without it
		w.findings = slices.Insert(w.findings, 0, explain.NotCommitted())
	}
	return len(w.findings) == 0, nil
}

// told says how much of what is expected a learner is told.
func (w *stateWords) told() explain.Told {
	switch w.comparison.attempt.task.Rules.Show {
	case pack.ShowNothing:
		return explain.ToldNothing
	case pack.ShowCount:
		return explain.ToldNumbers
	}
	return explain.ToldRows
}

// whole tells whether a learner may be told the statements that the check tries.
func (w *stateWords) whole() bool { return w.comparison.attempt.task.Rules.Show == pack.ShowRows }

// rowPolicy compares the rows of a table: they stand in no order, and its columns are told by their place.
func (w *stateWords) rowPolicy() compare.Policy {
	policy := w.comparison.attempt.task.Rules.Policy
	policy.Order, policy.Columns, policy.Names = compare.OrderAny, compare.ByPosition, false
	return policy
}

// definitions compares what is defined.
func (w *stateWords) definitions(ctx context.Context, rules pack.Checking) error {
	got, err := w.expressions(ctx)
	if err != nil {
		return err
	}
	counts := definition.Rules{
		Names: rules.Definitions.Names, Order: rules.Definitions.Order, Indexes: rules.Definitions.Indexes,
		Tried: len(rules.Accepts)+len(rules.Refuses) > 0,
	}
	for _, f := range definition.Compare(w.expected.left.Database, got, counts) {
		w.findings = append(w.findings, explain.Definition(f, w.whole()))
		switch f.Kind {
		case definition.TableMissing, definition.TableExtra, definition.ColumnMissing, definition.ColumnType:
			w.spoilt[f.Table] = true
		}
	}
	for _, o := range w.expected.left.Database.Others { // a view that is not there has no rows
		if w.comparison.own.table(o.Name) == nil {
			w.spoilt[o.Name] = true
		}
	}
	return nil
}

// rows compares the rows of the tables and views that the accepted answer changed.
func (w *stateWords) rows(ctx context.Context, wanted []string) error {
	c := w.comparison
	var names []string
	for _, name := range wanted {
		if !w.spoilt[name] && c.own.table(name) != nil {
			names = append(names, name)
		}
	}
	sources, err := c.attempt.grader.readTables(ctx, c.own, w.expected.left, names, w.expected.masks)
	if isReported(err) && len(w.findings) > 0 { // what is defined otherwise cannot be read so
		return nil
	} else if isReported(err) && len(names) > 1 { // it is known of each what is wrong with it
		for _, name := range names {
			if err := w.rows(ctx, []string{name}); err != nil {
				return err
			}
		}
		return nil
	} else if isReported(err) {
		w.findings = append(w.findings, explain.Unreadable(kindOf(c.own.left, names[0]), names[0], err))
		return nil
	} else if err != nil {
		return err
	}
	for i, name := range names {
		if err := w.table(name, w.expected.tables[name], sources[i]); err != nil {
			return err
		}
	}
	return nil
}

func isReported(err error) bool {
	var reported *practice.DatabaseError
	return errors.As(err, &reported)
}

// table compares the rows of one table.
func (w *stateWords) table(name string, want, got *rowSource) error {
	c := w.comparison
	policy := w.rowPolicy()
	if w.expected.table(name).Query {
		policy.Names = c.attempt.task.Rules.Policy.Names
	}
	right, difference, digest, err := match(c.attempt.grader.answers.seed, policy, want, got)
	if err != nil {
		return err
	}
	w.fingerprint = w.fingerprint.Plus(c.attempt.grader.answers.seed.Of([]byte(name)))
	if digest != nil {
		w.fingerprint = w.fingerprint.Plus(digest.Fingerprint())
	}
	if right {
		return nil
	}
	if difference == nil {
		difference = &compare.Difference{}
	}
	if d := difference.Differing(); d != nil {
		w.differing += *d
	}
	if c.verdictOnly {
		w.findings = append(w.findings, explain.HiddenState())
		return nil
	}
	w.findings = append(w.findings, w.tableFindings(name, difference)...)
	return nil
}

// tableFindings says how the rows of a table differ, what causes it first.
func (w *stateWords) tableFindings(name string, difference *compare.Difference) []explain.Finding {
	own, wanted := w.comparison.own.table(name), w.expected.table(name)
	var all []explain.Finding
	switch did, should := own.Change, wanted.Change; {
	case own.View || wanted.View:
	case !own.Made && !own.Altered && did.Added+did.Changed+did.Removed == 0:
		return []explain.Finding{explain.Untouched(name)}
	default:
		for _, change := range sqltext.ChangesRows(w.comparison.statements) {
			if change.Table == name && change.All && !w.takesAll(change) {
				all = append(all, explain.NoCondition(name, change.Verb))
				break
			}
		}
		if len(all) == 0 && (did.Changed > should.Changed || did.Removed > should.Removed) {
			all = append(all, explain.TooManyChanged(
				name, did.Changed, should.Changed, did.Removed, should.Removed, w.told(),
			))
		}
	}
	kind := kindOf(w.comparison.own.left, name)
	for _, f := range difference.Findings {
		all = append(all, explain.InTable(kind, name, f, w.told()))
	}
	if len(all) == 0 {
		all = append(all, explain.TableDiffers(kind, name))
	}
	return all
}

// kindOf says what is called so: a table or a view.
func kindOf(left *practice.Left, name string) string {
	i := slices.IndexFunc(left.Tables, func(t practice.LeftTable) bool { return t.Name == name && t.Query })
	switch {
	case i < 0:
		return "table"
	case left.Tables[i].View:
		return "view"
	}
	return "materialized view"
}

// takesAll tells whether the accepted answer does the same to every row of the table.
func (w *stateWords) takesAll(change sqltext.Change) bool {
	return slices.ContainsFunc(sqltext.ChangesRows(w.expected.statements), func(c sqltext.Change) bool {
		return c.Table == change.Table && c.All
	})
}

// untouchable compares a table that the accepted answer leaves as it is.
func (w *stateWords) untouchable(ctx context.Context, name string) error {
	c := w.comparison
	g := c.attempt.grader
	t := c.own.table(name)
	if t.Made {
		return nil // it was said that it should not be there
	}
	plain := masks{ignore: c.attempt.task.Rules.Ignore}.query(w.expected.left, t, t.Columns, 0)
	before := &practice.Collector{MostRows: keepRows, MostBytes: keepBytes}
	ran, err := g.practice.Run(ctx, checkingRun(c.database, plain), before)
	if isReported(err) { // it has other columns now, of which it was said that they should not be there
		w.findings = append(w.findings, explain.Spoilt(name, t.Change.Added, t.Change.Changed, t.Change.Removed))
		return nil
	} else if err != nil {
		return err
	}
	want := &rowSource{columns: before.Columns, rows: before.Rows, count: ran.Rows, over: before.Over}
	want.again = func(yield func(result.Row) error) error {
		_, err := g.practice.Run(ctx, checkingRun(c.database, plain), practice.Each(yield))
		return err
	}
	got, err := g.read(ctx, c.own.copied.Database, c.database, []string{plain})
	if isReported(err) {
		w.findings = append(w.findings, explain.Spoilt(name, t.Change.Added, t.Change.Changed, t.Change.Removed))
		return nil
	} else if err != nil {
		return err
	}
	policy := w.rowPolicy()
	right, difference, _, err := match(g.answers.seed, policy, want, got[0])
	if err != nil || right { // it is as it was: what was done was undone
		return err
	}
	if d := difference.Differing(); d != nil {
		w.differing += *d
	}
	w.findings = append(w.findings, explain.Spoilt(name, t.Change.Added, t.Change.Changed, t.Change.Removed))
	return nil
}

// last compares what the last queries show.
func (w *stateWords) last(rules pack.Checking) error {
	want, got := w.expected.last, w.comparison.own.last
	if want == nil {
		return nil
	}
	if got == nil {
		w.findings = append(w.findings, explain.NoLastQuery())
		return nil
	}
	policy := rules.Policy
	if policy.Order == compare.OrderAuto {
		policy.Order = compare.OrderAny
	}
	differences, err := w.shown(policy, want, got, w.expected.masks, w.expected.unsteady)
	for _, f := range differences {
		finding := explain.Difference(f, w.told())
		finding.Sentence = "The last query: " + finding.Sentence
		w.findings = append(w.findings, finding)
	}
	return err
}

// shown compares what two queries show, apart from what does not count; nil for no difference.
func (w *stateWords) shown(
	policy compare.Policy, want, got *rowSource, m masks, unsteady []int,
) ([]compare.Finding, error) {
	if want.over || got.over {
		return nil, &practice.Stopped{Limit: practice.LimitRows, Detail: "A query shows more rows than can be " +
			"compared where statements change something."}
	}
	own := unsteady
	if policy.Columns != compare.ByPosition { // they may stand elsewhere
		own = nil
		for _, at := range unsteady {
			own = append(own, slices.IndexFunc(got.columns, func(c result.Column) bool {
				return c.Name == want.columns[at].Name
			}))
		}
	}
	right, difference, _, err := match(
		w.comparison.attempt.grader.answers.seed, policy, m.cover(want, unsteady), m.cover(got, own),
	)
	if err != nil || right {
		return nil, err
	}
	return difference.Findings, nil
}
