package grading

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// Kinds of notes on exercises whose answers change something.
const (
	noteChangesNothing = "answer-changes-nothing"
	noteNotCommitted   = "answer-not-committed"
	noteNotCounted     = "values-not-counted"
	noteIgnored        = "ignored-column-unknown"
	noteProbe          = "probe-fails"
	noteNotTried       = "not-tried"
)

// Shown is what the last query of statements shows, and what they have left.
type Shown struct {
	Left    practice.Changes
	Columns []result.Column
	Rows    []result.Row // the first of them
	Count   int64
	Elapsed time.Duration // of all statements
}

// TryStatements runs statements in a fresh copy of a database, and tells what the last query of them shows, and what
// they leave. The error is the statements' [Fault] where it is theirs.
func (g *Grader) TryStatements(ctx context.Context, text, database string) (*Shown, error) {
	statements, err := sqltext.ReadStatements(text)
	if err != nil {
		return nil, err
	}
	p, err := g.perform(ctx, database, statements, 0)
	defer p.drop()
	if err != nil {
		return nil, statementError(err, []*performed{p}, text, statements)
	}
	shown := &Shown{Elapsed: p.done.Elapsed}
	if p.last != nil {
		shown.Columns, shown.Rows, shown.Count = p.last.columns, p.last.rows, p.last.count
	}
	shown.Left, err = g.copies.Changes(ctx, *p.copied, database)
	return shown, err
}

// state inspects an exercise whose answers change something.
func (i *inspector) state(ctx context.Context, e *pack.Exercise) error {
	for n, sql := range e.Accepted() {
		statements, err := sqltext.ReadStatements(sql)
		if err != nil {
			i.note(e, SeverityError, NoteDoesNotRun, "%s cannot be read: %s", answerNumber(n), err)
			return nil
		}
		for _, rule := range sqltext.BrokenBy(statements, e.Checking.Require, e.Checking.Forbid) {
			word := "forbids"
			if rule.Required {
				word = "requires"
			}
			i.note(e, SeverityError, noteBreaksRule, "%s breaks the check's own rule: it %s %s.",
				answerNumber(n), word, rule.Construct)
		}
	}
	if statements, err := sqltext.ReadStatements(e.Reference); err == nil && len(e.Checking.Accepts) == 0 {
		used := sqltext.UsesOf(statements)
		if used["trigger"] || used["create-function"] {
			i.note(e, SeverityWarning, noteNotTried, "The reference answer makes a trigger or a function, and "+
				"nothing tries what it does: write statements under accepts.")
		}
	}
	for _, at := range i.places(e) {
		if runs, err := i.stateOn(ctx, e, at); err != nil || !runs {
			return err
		}
	}
	return i.strong(ctx, e)
}

// stateStrength finds the strength of an exercise whose answers change something: each mutation runs in copies of its
// own. Its answers are known to run.
func (i *inspector) stateStrength(ctx context.Context, e *pack.Exercise) (*Strength, error) {
	s := &Strength{}
	limited, stop := context.WithTimeoutCause(ctx, longestStrength, errTooLong)
	defer stop()
	var err error
	if s.Crude, err = i.crude(ctx, e); err != nil {
		return nil, err
	}
	for n, sql := range e.Accepted() {
		task := i.everywhere(e)
		task.Accepted = []string{sql}
		task.Rules.Require, task.Rules.Forbid = e.Checking.Require, e.Checking.Forbid
		for _, m := range mutation.MakeChanges(sql, i.tables()) {
			if m.Same != "" || i.isAcceptedText(e, m.SQL) {
				s.Same++
				continue
			}
			v, err := i.grader.Grade(limited, task, 0, m.SQL)
			switch {
			case limited.Err() != nil && ctx.Err() == nil:
				s.Mutations++
				s.Undecided++
			case err != nil:
				return nil, err
			case v.Fault != nil && (strings.HasPrefix(v.Fault.Code, "42") || v.Fault.Code == "0A000"):
				// the database does not read it
			case v.Outcome == marking.Correct && i.onlyIgnored(limited, task, m.SQL):
				s.Same++
			case v.Outcome == marking.Correct:
				s.Mutations++
				s.Survivors = append(s.Survivors, Survivor{n, m.Operator, m.Edit, i.survives(ctx, e, m)})
			default:
				s.Mutations++
				s.Told++
			}
		}
	}
	return s, nil
}

// onlyIgnored tells whether an answer that is right would be wrong if all columns counted: it differs in nothing that
// does.
func (i *inspector) onlyIgnored(ctx context.Context, task Task, sql string) bool {
	if len(task.Rules.Ignore) == 0 {
		return false
	}
	task.Rules.Ignore = nil
	v, err := i.grader.Grade(ctx, task, 0, sql)
	return err == nil && v.Outcome != marking.Correct
}

// isAcceptedText tells whether a text is one of the exercise's accepted answers, written in the same way or another.
func (i *inspector) isAcceptedText(e *pack.Exercise, sql string) bool {
	written, err := sqltext.Rewritten(sql)
	return err == nil && slices.ContainsFunc(e.Checking.Also, func(accepted string) bool {
		again, err := sqltext.Rewritten(accepted)
		return err == nil && again == written
	})
}

// stateOn inspects such an exercise in one place. runs is false if its answer does not run there.
func (i *inspector) stateOn(ctx context.Context, e *pack.Exercise, at place) (runs bool, err error) {
	build := at.name == ""
	ref, err := i.grader.answers.expectedState(ctx, i.grader, e.Reference, at.database, e.Checking)
	if err != nil {
		return false, i.doesNotRun(e, 0, at, err)
	}
	if ref.done.Undone {
		i.note(e, SeverityError, noteNotCommitted, "The reference answer begins a transaction and does not end it.")
	}
	severity := SeverityWarning
	if build {
		severity = SeverityError
	}
	if nothing, err := i.leavesNothing(ctx, e, at); err != nil {
		return true, err
	} else if nothing {
		i.note(e, severity, noteChangesNothing,
			"The reference answer leaves everything as it was%s: whoever does nothing "+
				"would be right.", at.in())
	}
	if build {
		i.notCounted(e, ref)
	}
	for n, tried := range ref.probes {
		switch accepts := n < len(e.Checking.Accepts); {
		case accepts && !tried.taken:
			i.note(e, SeverityError, noteProbe,
				"accepts: %s: after the reference answer, the database does not take it%s: %s",
				sqltext.Shorten(tried.sql, 80), at.in(), tried.message)
		case !accepts && tried.taken:
			i.note(e, SeverityError, noteProbe, "refuses: %s: after the reference answer, the database takes it%s.",
				sqltext.Shorten(tried.sql, 80), at.in())
		}
	}
	for n, sql := range e.Checking.Also {
		v, err := i.grader.Grade(ctx, i.alone(e, at), 0, sql)
		if err != nil {
			return true, err
		}
		if v.Fault != nil {
			return true, i.doesNotRun(e, n+1, at, v.Fault)
		}
		if v.Outcome != marking.Correct {
			i.note(e, SeverityError, noteDisagrees, "%s leaves something else than the reference answer%s: %s",
				answerNumber(n+1), at.in(), firstSentence(v.Findings))
		}
	}
	return true, nil
}

func firstSentence(findings []explain.Finding) string {
	if len(findings) == 0 {
		return ""
	}
	return findings[0].Sentence
}

// alone is the task of an exercise in one place, with its reference answer alone, and without rules for the text.
func (i *inspector) alone(e *pack.Exercise, at place) Task {
	rules := e.Checking
	rules.Require, rules.Forbid, rules.Also = nil, nil, nil
	return Task{Accepted: []string{e.Reference}, Rules: rules, Database: at.database}
}

// doingNothing are statements that leave everything as it was.
const doingNothing = "SELECT 1"

func (i *inspector) leavesNothing(ctx context.Context, e *pack.Exercise, at place) (bool, error) {
	task := i.alone(e, at)
	task.Rules.Last = false
	v, err := i.grader.Grade(ctx, task, 0, doingNothing)
	if err != nil {
		return false, err
	}
	return v.Outcome == marking.Correct, nil
}

// notCounted tells which values do not count, as they differ from one run to the next, or come from a sequence.
func (i *inspector) notCounted(e *pack.Exercise, ref *expectedState) {
	for _, column := range slices.Sorted(maps.Keys(ref.masks.changing)) {
		i.note(e, SeverityNote, noteNotCounted,
			"The values that the reference answer writes to %s differ from one run to "+
				"the next: they do not count.", column)
	}
	for _, name := range e.Checking.Ignore {
		known := slices.ContainsFunc(ref.comparedTables(), func(table string) bool {
			t := ref.table(table)
			return slices.ContainsFunc(t.Columns, func(c string) bool { return t.Name+"."+c == name })
		})
		if !known {
			i.note(e, SeverityWarning, noteIgnored,
				"ignore names %s, which is no column of a table that the reference "+
					"answer changes.", name)
		}
	}
}

// everywhere is the task of an exercise in all places, with its reference answer alone, and without rules for the text.
func (i *inspector) everywhere(e *pack.Exercise) Task {
	places := i.places(e)
	task := i.alone(e, places[0])
	for _, at := range places[1:] {
		task.Hidden = append(task.Hidden, at.database)
	}
	return task
}

// crude tries what those do who do not care: nothing at all, remove every row of a table, and leave out a condition.
func (i *inspector) crude(ctx context.Context, e *pack.Exercise) ([]Crude, error) {
	task := i.everywhere(e)
	ref, err := i.grader.answers.expectedState(ctx, i.grader, e.Reference, task.Database, e.Checking)
	if err != nil {
		return nil, err
	}
	all := []Crude{{Does: "does nothing", SQL: doingNothing}}
	for _, name := range ref.changedTables() {
		if t := ref.table(name); !t.Made {
			all = append(all, Crude{Does: "removes every row of " + name, SQL: "DELETE FROM " + t.Qualified})
		}
	}
	for _, whole := range sqltext.WithoutConditions(e.Reference) {
		done := "changes every row of "
		if whole.Verb == "DELETE" {
			done = "removes every row of "
		}
		if !slices.ContainsFunc(all, func(c Crude) bool { return c.Does == done+whole.Table }) {
			all = append(all, Crude{Does: done + whole.Table, SQL: whole.Text})
		}
	}
	for n := range all {
		v, err := i.grader.Grade(ctx, task, 0, all[n].SQL)
		if err != nil {
			return nil, err
		}
		all[n].Outcome, all[n].Says = v.Outcome, firstSentence(v.Findings)
		if v.Fault != nil {
			all[n].Says = v.Fault.Title
		}
	}
	return all, nil
}
