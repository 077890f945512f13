package grading

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/dataset"
	"examen/internal/core/marking"
	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A Strength says how far an exercise's data tell wrong answers from right ones: how many mutations of its accepted
// answers they tell apart. Mutations that mean the same as the answer are not among them, nor those that the database
// refuses to read.
type Strength struct {
	Mutations int `json:"mutations"` // that were tried
	Told      int `json:"told"`      // apart, by the rows or by the check's rules
	Same      int `json:"same"`      // mean the same as the answer, besides
	// Undecided took too long to be told apart.
	Undecided int `json:"undecided,omitempty"`
	// Of is how many there are, where only a sample of them was tried; 0 where all were.
	Of        int        `json:"of,omitempty"`
	Survivors []Survivor `json:"survivors,omitempty"`
	// Crude are the wrong answers that are tried of every exercise whose answer changes something.
	Crude []Crude `json:"crude,omitempty"`
}

// A Crude is an answer that does too little or too much, such as one without a condition.
type Crude struct {
	Does    string          `json:"does"` // as in "an answer that does nothing"
	SQL     string          `json:"sql"`
	Outcome marking.Outcome `json:"outcome"`
	Says    string          `json:"says,omitempty"` // what its learner would be told first
}

// A Survivor is a wrong answer that would be marked right.
type Survivor struct {
	Answer   int               `json:"answer"` // the accepted answer that it was made from; 0 is the reference answer
	Operator mutation.Operator `json:"operator"`
	Edit     mutation.Edit     `json:"edit"`
	Sentence string            `json:"sentence"`
}

// SQL is the wrong answer.
func (s Survivor) SQL() string { return s.Edit.Before + s.Edit.Is + s.Edit.After }

// Sentence says a strength in words.
func (s *Strength) Sentence() string {
	if s.Mutations == 0 {
		return "There are no mutations of its answer to tell apart."
	}
	text := fmt.Sprintf("%d of %d mutations are told apart", s.Told, s.Mutations)
	if s.Mutations == 1 {
		text = fmt.Sprintf("%d of 1 mutation is told apart", s.Told)
	}
	switch n := len(s.Survivors); {
	case n == 1:
		text += "; 1 survives"
	case n > 1:
		text += fmt.Sprintf("; %d survive", n)
	}
	if s.Undecided > 0 {
		text += fmt.Sprintf("; %d took too long", s.Undecided)
	}
	if s.Of > 0 {
		text += fmt.Sprintf(" (a sample of %d: the tables are large)", s.Of)
	}
	return text + "."
}

// Bounds of what the mutations of one exercise may take.
const (
	// rowsRead is how many rows of tables all runs of mutations may read, about; beyond it they are sampled.
	rowsRead = 30_000_000
	// leastTried is how many are tried however large the tables are.
	leastTried = 12
	// longestStrength is how long all may run; longestMutation, below, how long one may.
	longestStrength = 40 * time.Second
)

var longestMutation = 3 * time.Second

// strength finds an exercise's strength in all places where it is checked. Its answers are known to run there.
func (i *inspector) strength(ctx context.Context, e *pack.Exercise) (*Strength, error) {
	if e.ByState() {
		return i.stateStrength(ctx, e)
	}
	s := &Strength{}
	limited, stop := context.WithTimeoutCause(ctx, longestStrength, errTooLong)
	defer stop()
	for n, sql := range e.Accepted() {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			return nil, err
		}
		ref, err := i.grader.answers.get(ctx, sql, i.Database)
		if err != nil {
			return nil, err
		}
		policy := e.Checking.Policy
		made := mutation.Make(q, i.tables(), mutation.Rules{
			Ordered: ref.Ordered && policy.Order != compare.OrderAny, Once: policy.Once, Names: policy.Names,
		})
		var tried []mutation.Mutation
		for _, m := range made {
			if m.Same != "" || i.isAccepted(e, m.SQL) {
				s.Same++
			} else {
				tried = append(tried, m)
			}
		}
		all := len(tried)
		if tried = i.sample(tried, q); len(tried) < all {
			s.Of += all - len(tried)
		}
		for _, m := range tried {
			if err := i.try(limited, e, n, m, s); err != nil {
				return nil, err
			}
		}
	}
	if s.Of > 0 {
		s.Of += s.Mutations
	}
	return s, nil
}

// knownStrength is the exercise's strength as it is kept, or as it is found now; nil where there is no time for that.
func (i *inspector) knownStrength(ctx context.Context, e *pack.Exercise) (*Strength, error) {
	if i.Known == nil {
		return i.strength(ctx, e)
	}
	s, err := i.Known.Get(ctx, e)
	if err != nil || s != nil || i.Quick {
		return s, err
	}
	if s, err = i.strength(ctx, e); err != nil {
		return nil, err
	}
	return s, i.Known.Keep(ctx, e, s)
}

// errTooLong ends mutations that take too long.
var errTooLong = errors.New("the mutations take too long")

// isAccepted tells whether a text is one of the exercise's accepted answers, written in the same way or another.
func (i *inspector) isAccepted(e *pack.Exercise, sql string) bool {
	if len(e.Checking.Also) == 0 {
		return false // a mutation is not the answer that it was made from
	}
	same := func(text string) string {
		q, err := sqltext.ReadQuery(text)
		if err != nil {
			return text
		}
		written, _ := sqltext.WriteTree(q.Tree())
		return written
	}
	for _, accepted := range e.Accepted() {
		if same(accepted) == same(sql) {
			return true
		}
	}
	return false
}

// sample takes as many mutations as may be run on tables of this size, evenly.
func (i *inspector) sample(all []mutation.Mutation, q *sqltext.Query) []mutation.Mutation {
	rows := int64(1)
	for used := range q.Uses() {
		if name, is := strings.CutPrefix(used, "table:"); is {
			if n, known := i.tables().RowsOf(name); known && n > 0 {
				rows += n
			}
		}
	}
	most := max(int(rowsRead/rows), leastTried)
	if len(all) <= most {
		return all
	}
	var some []mutation.Mutation
	for n := range most {
		some = append(some, all[n*len(all)/most])
	}
	return some
}

// try runs a mutation wherever the exercise is checked, until a place tells it from the answer, and counts it.
func (i *inspector) try(ctx context.Context, e *pack.Exercise, answer int, m mutation.Mutation, s *Strength) error {
	q, err := sqltext.ReadQuery(m.SQL)
	if err != nil {
		return nil // it is no query
	}
	if len(q.Broken(e.Checking.Require, e.Checking.Forbid)) > 0 {
		s.Mutations++
		s.Told++
		return nil
	}
	for _, at := range i.places(e) {
		is, err := i.told(ctx, e, answer, q, at)
		switch {
		case err != nil:
			return err
		case is == refused:
			return nil
		case is == apart:
			s.Mutations++
			s.Told++
			return nil
		case is == undecided:
			s.Mutations++
			s.Undecided++
			return nil
		}
	}
	s.Mutations++
	s.Survivors = append(s.Survivors, Survivor{answer, m.Operator, m.Edit, i.survives(ctx, e, m)})
	return nil
}

// What a place says of a mutation.
type telling int

const (
	alike     telling = iota
	apart             // it gives another result, or none
	undecided         // it took too long
	refused           // it is no query that the database reads
)

// told runs a mutation of an answer in one place and compares its result with the answer's.
func (i *inspector) told(
	ctx context.Context, e *pack.Exercise, answer int, q *sqltext.Query, at place,
) (telling, error) {
	c := i.comparison(e, at.database, q)
	c.accepted = e.Accepted()[answer : answer+1]
	c.verdictOnly, c.behind = true, true
	limited, stop := context.WithTimeoutCause(ctx, longestMutation, errTooLong)
	defer stop()
	if limited.Err() != nil {
		return undecided, nil // the time for all is over
	}
	right, err := c.run(limited)
	var reported *practice.DatabaseError
	var stopped *practice.Stopped
	switch {
	case err == nil && right:
		return alike, nil
	case err == nil, errors.Is(err, errMoreRows):
		return apart, nil
	case errors.As(err, &reported) && (strings.HasPrefix(reported.Code, "42") || reported.Code == "0A000"):
		return refused, nil // for its names or types, or because PostgreSQL cannot do that at all
	case errors.As(err, &reported):
		return apart, nil
	case errors.As(err, &stopped) && stopped.Limit != practice.LimitTime:
		return apart, nil
	case errors.As(err, &stopped), errors.Is(err, errTooLong):
		return undecided, nil
	}
	return alike, err
}

// survives says of a mutation that it would be marked right, and why, as far as that is known.
func (i *inspector) survives(ctx context.Context, e *pack.Exercise, m mutation.Mutation) string {
	text := fmt.Sprintf("An answer that %s would pass", m.Says)
	for _, why := range m.Why {
		if why.SQL == "" || i.nowhere(ctx, e, why.SQL) {
			return text + ": " + why.Sentence + "."
		}
	}
	return text + "."
}

// nowhere tells that a query gives no rows in any place.
func (i *inspector) nowhere(ctx context.Context, e *pack.Exercise, sql string) bool {
	ctx, stop := context.WithTimeoutCause(ctx, longestMutation, errTooLong)
	defer stop()
	for _, at := range i.places(e) {
		rows := &practice.Collector{MostRows: 1, MostBytes: 100}
		run := checkingRun(at.database, sql)
		run.Behind = true
		if _, err := i.grader.practice.Run(ctx, run, rows); err != nil || len(rows.Rows) > 0 {
			return false
		}
	}
	return true
}

// tables are those of the inspection's dataset; none where they are not known.
func (of Inspection) tables() *dataset.Catalogue {
	if of.Tables == nil {
		return &dataset.Catalogue{}
	}
	return of.Tables
}
