package grading

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"examen/internal/core/compare"
	"examen/internal/core/dataset"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A Note is something wrong or doubtful in a paper.
type Note struct {
	Severity Severity    `json:"severity"`
	Kind     string      `json:"kind"`
	Paper    string      `json:"paper,omitempty"`
	Exercise string      `json:"exercise,omitempty"`
	File     string      `json:"file,omitempty"`
	Line     int         `json:"line,omitempty"`
	Sentence string      `json:"sentence"`
	Columns  []string    `json:"columns,omitempty"`
	Rows     [][]*string `json:"rows,omitempty"`
	// Edit is the wrong answer that the note is about: what it has in place of what.
	Edit *mutation.Edit `json:"edit,omitempty"`
}

// Severity distinguishes errors, which make marks wrong or an exercise useless, from doubts and from information.
type Severity string

// The severities of notes.
const (
	SeverityError   Severity = "error"
	SeverityWarning Severity = "warning"
	SeverityNote    Severity = "note"
)

// Kinds of notes that an inspection makes.
const (
	NoteDoesNotRun    = "answer-does-not-run"
	noteContradictory = "rules-contradict"
	noteBreaksRule    = "answer-breaks-rule"
	noteTieCut        = "tie-cut"
	noteLimitNoOrder  = "limit-without-order"
	noteUndecided     = "order-undecided"
	noteChanging      = "result-changes"
	noteUnstable      = "result-unstable"
	noteEmpty         = "result-empty"
	noteSurvives      = "wrong-answer-passes"
	noteDisagrees     = "also-disagrees"
	noteType          = "type-by-text"
	noteDigits        = "digits-count"
	noteExample       = "example-does-not-run"
)

// An Inspection says which paper to inspect, on which build of its dataset.
type Inspection struct {
	Paper    *pack.Paper
	Database string
	// Variants are the databases of the dataset's variants, by name.
	Variants map[string]string
	// Tables are what the build holds.
	Tables *dataset.Catalogue
	// Known keeps the strengths of exercises on the build and its variants; nil where they are not kept.
	Known Strengths
	// Quick leaves out the strengths that are not known.
	Quick bool
	// Step is called before each exercise with its title, and before the examples with "".
	Step func(exercise string)
}

// Strengths are kept somewhere, so that they need not be found again.
type Strengths interface {
	// Get returns an exercise's strength; nil where it is not known.
	Get(ctx context.Context, e *pack.Exercise) (*Strength, error)
	Keep(ctx context.Context, e *pack.Exercise, found *Strength) error
}

// An Inspected is what an inspection found.
type Inspected struct {
	Notes []Note
	// Strengths are those of the exercises whose answers run, by slug.
	Strengths map[string]*Strength
}

// Inspect runs a paper's examples and the answers of its exercises, notes what is wrong or doubtful, and finds the
// exercises' strengths. An error means that they could not be inspected.
func (g *Grader) Inspect(ctx context.Context, of Inspection) (*Inspected, error) {
	i := &inspector{grader: g, Inspection: of, strengths: map[string]*Strength{}}
	i.Step("")
	if err := i.examples(ctx); err != nil {
		return nil, err
	}
	for _, e := range i.Paper.Exercises() {
		i.Step(e.Title)
		if err := i.exercise(ctx, e); err != nil {
			return nil, err
		}
	}
	return &Inspected{i.notes, i.strengths}, nil
}

// inspector is the state of an inspection.
type inspector struct {
	grader *Grader
	Inspection
	notes     []Note
	strengths map[string]*Strength
	// unsound tells of the exercise at hand that an answer does not run somewhere, or is not decided, or empty on the
	// build: it has no strength to speak of.
	unsound bool
}

func (i *inspector) note(e *pack.Exercise, severity Severity, kind, sentence string, args ...any) *Note {
	if len(args) > 0 {
		sentence = fmt.Sprintf(sentence, args...)
	}
	n := Note{Severity: severity, Kind: kind, Paper: i.Paper.Slug, File: i.Paper.Path, Sentence: sentence}
	if e != nil {
		n.Exercise, n.Line = e.Slug, e.Line
	}
	i.notes = append(i.notes, n)
	return &i.notes[len(i.notes)-1]
}

// withRows adds rows to a note as evidence.
func (n *Note) withRows(columns []result.Column, rows []result.Row) {
	for _, c := range columns {
		n.Columns = append(n.Columns, c.Name)
	}
	for _, row := range rows[:min(len(rows), compare.EvidenceRows)] {
		n.Rows = append(n.Rows, explain.Cells(row, longestEvidence))
	}
}

// longestEvidence is how much of a cell is shown as evidence, in bytes.
const longestEvidence = 200

// examples runs the paper's examples.
func (i *inspector) examples(ctx context.Context) error {
	for _, section := range i.Paper.Sections {
		blocks := section.Blocks
		if section.Exercise != nil {
			blocks = section.Exercise.Blocks
		}
		for _, block := range blocks {
			if block.Kind != "example" {
				continue
			}
			if err := i.example(ctx, section.Exercise, block); err != nil {
				return err
			}
		}
	}
	return nil
}

func (i *inspector) example(ctx context.Context, e *pack.Exercise, block pack.Block) error {
	q, err := i.grader.Read(block.Text)
	switch {
	case err == nil:
		_, err = i.grader.practice.Run(ctx, checkingRun(i.Database, q.Text), &practice.Collector{})
	case i.Paper.Changes || e != nil && e.Checking.Changes:
		_, err = i.grader.TryStatements(ctx, block.Text, i.Database)
	}
	fault := FaultOf(err, block.Text, q)
	if fault == nil {
		return err
	}
	first, _, _ := strings.Cut(block.Text, "\n")
	note := i.note(
		e, SeverityError, noteExample, "The example %q does not run: %s", sqltext.Shorten(first, 60), fault.Short(),
	)
	if note.Line = block.Line; fault.Place != nil && block.Line > 0 {
		note.Line += fault.Place.Line - 1
	}
	return nil
}

// exercise inspects one exercise.
func (i *inspector) exercise(ctx context.Context, e *pack.Exercise) error {
	for _, c := range sqltext.Contradictions(e.Checking.Require, e.Checking.Forbid) {
		i.note(e, SeverityError, noteContradictory, "The check contradicts itself: it %s.", c)
	}
	i.unsound = false
	if e.ByState() {
		return i.state(ctx, e)
	}
	for n, sql := range e.Accepted() {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			i.note(e, SeverityError, NoteDoesNotRun, "%s cannot be read: %s", answerNumber(n), err)
			return nil
		}
		for _, rule := range q.Broken(e.Checking.Require, e.Checking.Forbid) {
			word := "forbids"
			if rule.Required {
				word = "requires"
			}
			i.note(e, SeverityError, noteBreaksRule, "%s breaks the check's own rule: it %s %s.",
				answerNumber(n), word, rule.Construct)
		}
		for _, what := range q.Volatile() {
			i.unsound = true
			i.note(e, SeverityError, noteChanging, "%s uses %s: its result changes from one day, or one call, to "+
				"the next.",
				answerNumber(n), what)
		}
	}
	for _, place := range i.places(e) {
		if runs, err := i.on(ctx, e, place); err != nil || !runs {
			return err
		}
	}
	if i.unsound {
		return nil
	}
	return i.strong(ctx, e)
}

// A place is where an exercise's answers run: the build itself, which has no name, or a variant.
type place struct{ name, database string }

// places lists where an exercise is checked, the build first.
func (i *inspector) places(e *pack.Exercise) []place {
	all := []place{{"", i.Database}}
	for _, name := range slices.Sorted(maps.Keys(i.Variants)) {
		if e.Checking.OnVariant(name) {
			all = append(all, place{name, i.Variants[name]})
		}
	}
	return all
}

// in names the variant for a message; "" for the build.
func (p place) in() string {
	if p.name == "" {
		return ""
	}
	return " on the variant " + p.name
}

func answerNumber(n int) string {
	if n == 0 {
		return "The reference answer"
	}
	return fmt.Sprintf("The answer %d under also", n)
}

// on inspects an exercise in one place. runs is false if its answer does not run there.
func (i *inspector) on(ctx context.Context, e *pack.Exercise, at place) (runs bool, err error) {
	ref, err := i.grader.answers.get(ctx, e.Reference, at.database)
	if err != nil {
		return false, i.doesNotRun(e, 0, at, err)
	}
	build := at.name == ""
	q, _ := sqltext.ReadQuery(e.Reference) // it was read before
	switch {
	case ref.count == 0 && build:
		i.note(
			e, SeverityError, noteEmpty,
			"The reference answer's result is empty: every query without rows would be right.",
		)
	case ref.count == 0:
		i.note(e, SeverityWarning, noteEmpty, "The reference answer's result is empty%s.", at.in())
	}
	if build {
		i.order(e, ref)
		i.types(e, ref)
	}
	i.unsound = i.unsound || build && ref.count == 0
	for _, look := range []func() (bool, error){
		func() (bool, error) { return i.stable(ctx, e, q, at) },
		func() (bool, error) { return i.also(ctx, e, at) },
	} {
		fine, err := look()
		if err != nil {
			return true, err
		}
		i.unsound = i.unsound || !fine
	}
	return true, nil
}

// doesNotRun notes an answer that fails or reaches a limit. It returns any error that is not the answer's.
func (i *inspector) doesNotRun(e *pack.Exercise, n int, at place, err error) error {
	fault := FaultOf(err, "", nil)
	if fault == nil {
		return err
	}
	note := i.note(e, SeverityError, NoteDoesNotRun, "%s does not run%s: %s", answerNumber(n), at.in(), fault.Short())
	if fault.Place != nil && n == 0 && note.Line > 0 {
		note.Line += fault.Place.Line - 1
	}
	return nil
}

// order checks that the order, and what LIMIT cuts off, is determined.
func (i *inspector) order(e *pack.Exercise, ref *answer) {
	plan, _ := compare.NewPlan(compare.Policy{Decimals: e.Checking.Policy.Decimals}, ref.Reference, ref.Columns)
	if plan == nil || !ref.kept {
		return
	}
	if ref.Window != nil {
		cut := plan.Cut(ref.rows)
		switch {
		case cut == nil:
		case !ref.Ordered:
			i.note(e, SeverityWarning, noteLimitNoOrder,
				"LIMIT without ORDER BY: which rows come is not decided, and any choice of them counts as right.")
		default:
			i.note(e, SeverityWarning, noteTieCut, "LIMIT cuts through rows that tie: of these %d any choice counts "+
				"as "+
				"right. Order by a further column, or take the ties in with FETCH FIRST ... WITH TIES.", len(cut)).
				withRows(ref.Columns, cut)
		}
	}
	if e.Checking.Policy.Order != compare.OrderStrict {
		return
	}
	if !ref.Ordered {
		i.note(
			e, SeverityError, noteUndecided,
			"The check wants the strict order, but the reference answer has no ORDER BY.",
		)
	} else if ties := plan.Ties(ref.rows); ties != nil {
		i.note(e, SeverityError, noteUndecided,
			"The check wants the strict order, but the reference answer's ORDER BY leaves these rows in any order.").
			withRows(ref.Columns, ties)
	}
}

// types notes the columns that are not compared exactly.
func (i *inspector) types(e *pack.Exercise, ref *answer) {
	for _, c := range ref.Columns {
		switch p := c.Precision; {
		case c.Type.Name == "numeric" && p.Real:
			i.note(e, SeverityNote, noteDigits,
				"The column %s comes of numbers of type real: 6 significant digits of it count.", c.Name)
		case c.Type.Name == "numeric" && p.Quotient && e.Checking.Policy.Decimals == nil:
			i.note(e, SeverityNote, noteDigits, "The column %s comes of a division, an average or a float: 12 "+
				"significant "+
				"digits of it count. Where fewer are asked for, say so with decimals.", c.Name)
		}
		if !c.Type.Known() {
			i.note(e, SeverityWarning, noteType,
				"The column %s is of type %s, whose values are compared by their text.", c.Name, c.Type.Name)
		}
	}
}

// stable runs the answer under other plans: it has to be right under each.
func (i *inspector) stable(ctx context.Context, e *pack.Exercise, q *sqltext.Query, at place) (bool, error) {
	for plan := 1; plan <= practice.OtherPlans; plan++ {
		c := i.comparison(e, at.database, q)
		c.plan = plan
		right, err := c.run(ctx)
		var stopped *practice.Stopped
		switch {
		case errors.As(err, &stopped): // the other plan takes too long: it says nothing
		case err != nil:
			return false, i.doesNotRun(e, 0, at, err)
		case !right:
			n := i.note(e, SeverityError, noteUnstable, "The reference answer gives other rows%s when the database "+
				"works it "+
				"out in another way: its result is not decided (does a window function, DISTINCT ON, string_agg or "+
				"an inner "+
				"LIMIT depend on an order that leaves ties?).", at.in())
			if c.difference != nil && len(c.difference.Findings) > 0 {
				n.Columns = c.difference.Findings[0].Columns
				for _, row := range c.difference.Findings[0].Rows {
					n.Rows = append(n.Rows, explain.Cells(row, longestEvidence))
				}
			}
			return false, nil
		}
	}
	return true, nil
}

// also notes where further answers have other results than the first. They are meant to: an answer with the same result
// needs no mention.
func (i *inspector) also(ctx context.Context, e *pack.Exercise, at place) (run bool, err error) {
	run = true
	for n, sql := range e.Checking.Also {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			continue // said already
		}
		c := i.comparison(e, at.database, q)
		right, err := c.run(ctx)
		if err != nil {
			if err := i.doesNotRun(e, n+1, at, err); err != nil {
				return false, err
			}
			run = false
			continue
		}
		if right {
			continue
		}
		note := i.note(
			e,
			SeverityNote,
			noteDisagrees,
			"%s has another result than the reference answer%s: either one counts as right.",
			answerNumber(n+1),
			at.in(),
		)
		if c.difference != nil && len(c.difference.Findings) > 0 {
			f := explain.Difference(c.difference.Findings[0], explain.ToldRows)
			note.Sentence += " " + f.Sentence
			note.Columns, note.Rows = f.Columns, f.Rows
		}
	}
	return run, nil
}

// strong finds the exercise's strength, and notes the wrong answers that would pass.
func (i *inspector) strong(ctx context.Context, e *pack.Exercise) error {
	s, err := i.knownStrength(ctx, e)
	if err != nil || s == nil {
		return err
	}
	i.strengths[e.Slug] = s
	for _, crude := range s.Crude {
		// the others are noted as what they are: answers that change nothing, and mutations
		if crude.Outcome == marking.Correct && strings.HasPrefix(crude.SQL, "DELETE FROM ") {
			i.note(e, SeverityWarning, noteSurvives, "An answer that %s would pass.", crude.Does)
		}
	}
	for n, survivor := range s.Survivors {
		if n == mostTold {
			i.note(e, SeverityWarning, noteSurvives, "%d more wrong answers would pass.", len(s.Survivors)-n)
			break
		}
		note := i.note(e, SeverityWarning, noteSurvives, survivor.Sentence)
		note.Edit = &survivor.Edit
	}
	return nil
}

// mostTold is how many wrong answers that would pass are told of one exercise.
const mostTold = 8

// comparison prepares a comparison of a query with the exercise's reference answer alone.
func (i *inspector) comparison(e *pack.Exercise, database string, q *sqltext.Query) *comparison {
	return &comparison{
		grader: i.grader, accepted: []string{e.Reference}, rules: e.Checking,
		database: database, query: q, checking: true,
	}
}
