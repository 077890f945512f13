package work

import (
	"context"
	"encoding/json"
	"log/slog"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/core/panics"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A cause is looked for once its attempt is stored and told: the verdict waits for nothing, and is not changed.

// causeWithin is how long after its attempt a cause is given up.
var causeWithin = 2500 * time.Millisecond

// mostExamples is how many examples are looked for at once.
const mostExamples = 2

// causes are those that are being looked for.
type causes struct {
	log  *slog.Logger
	most int // how many are looked for at once
	mu   sync.Mutex
	free int // of those
	// Those that wait, the latest last, which is the first to have its turn: where more are wanted than can be looked
	// for, some are found in time rather than all too late.
	waiting []chan struct{}
	begun   map[int64]chan struct{} // by attempt; closed when it has ended
	// examples that were found, by what their attempts are of, and their texts
	examples     *lru.Cache[string, *grading.Example]
	exampleSlots chan struct{}
}

func newCauses(most int, log *slog.Logger) *causes {
	examples, _ := lru.New[string, *grading.Example](examplesKept) // fails only for a size below one
	return &causes{
		log: log, most: most, free: most, begun: map[int64]chan struct{}{},
		examples: examples, exampleSlots: make(chan struct{}, mostExamples),
	}
}

// begin looks for one unless that has begun, and returns what is closed in the end.
func (c *causes) begin(attempt int64, find func(context.Context)) chan struct{} {
	c.mu.Lock()
	defer c.mu.Unlock()
	if done, begun := c.begun[attempt]; begun {
		return done
	}
	done := make(chan struct{})
	c.begun[attempt] = done
	go func() {
		ctx, stop := context.WithTimeout(context.Background(), causeWithin)
		defer func() {
			stop()
			if wrong := recover(); wrong != nil { // a verdict without its cause is better than no service
				c.log.Error("looking for a cause went wrong", "attempt", attempt, "error", panics.Of(wrong))
			}
			c.mu.Lock()
			delete(c.begun, attempt)
			c.mu.Unlock()
			close(done)
		}()
		if c.turn(ctx) {
			defer c.end()
			find(ctx)
		}
	}()
	return done
}

// turn waits for a turn to look for a cause; false where none came in time.
func (c *causes) turn(ctx context.Context) bool {
	mine := make(chan struct{})
	c.mu.Lock()
	c.waiting = append(c.waiting, mine)
	c.give()
	c.mu.Unlock()
	select {
	case <-mine:
		return true
	case <-ctx.Done():
	}
	c.mu.Lock()
	at := slices.Index(c.waiting, mine)
	if at >= 0 {
		c.waiting = slices.Delete(c.waiting, at, at+1)
	}
	c.mu.Unlock()
	if at < 0 { // it came just now
		c.end()
	}
	return false
}

// end ends a turn.
func (c *causes) end() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.free++
	c.give()
}

// manyWait is how many may wait for each that is looked for at once, before half of them are left to submissions.
const manyWait = 4

// give gives turns to those that wait.
func (c *causes) give() {
	for last := len(c.waiting) - 1; last >= 0; last-- {
		left := 0
		if last >= manyWait*c.most {
			left = c.most / 2
		}
		if c.free <= left {
			return
		}
		c.free--
		close(c.waiting[last])
		c.waiting = c.waiting[:last]
	}
}

// CausesWanted returns how many causes are looked for just now, and how many wait for their turn.
func CausesWanted(w *Work) (looking, waiting int) {
	w.causes.mu.Lock()
	defer w.causes.mu.Unlock()
	waiting = len(w.causes.waiting)
	return len(w.causes.begun) - waiting, waiting
}

// An explained is an attempt whose cause is looked for.
type explained struct {
	id       int64
	sql      string
	who      account.Account
	reading  *course.Reading
	exercise *library.Exercise
}

// task is what a submission is compared with, and where.
func task(r *course.Reading, e *library.Exercise) grading.Task {
	return grading.Task{
		Accepted: e.Accepted(), Rules: e.Checking, Database: r.Database, Hidden: r.Hidden(&e.Checking),
	}
}

// explain begins to look for the cause of an attempt that has been stored.
func (w *Work) explain(who account.Account, r *course.Reading, e *library.Exercise, attempt *Attempt) {
	id, err := strconv.ParseInt(attempt.ID, 10, 64)
	if err != nil || w.causes.most <= 0 {
		return
	}
	a := explained{id: id, sql: attempt.SQL, who: who, reading: r, exercise: e}
	w.causes.begin(id, func(ctx context.Context) { w.findCause(ctx, a) })
}

// findCause looks for the cause of an attempt, and puts it before the findings of its check.
func (w *Work) findCause(ctx context.Context, a explained) {
	cause, err := w.causeOf(ctx, a)
	if err == nil && cause != nil {
		err = w.tellCause(ctx, a, cause)
	}
	if err != nil && ctx.Err() == nil {
		w.log.Warn("the cause of a difference could not be looked for", "attempt", a.id, "error", err)
	}
}

// causeOf is what is known of a text, or found now; nil for nothing.
func (w *Work) causeOf(ctx context.Context, a explained) (cause *explain.Cause, err error) {
	known, err := w.records.KnownCause(ctx, query.KnownCauseParams{
		VersionID: a.exercise.Version, BuildID: a.reading.Build, Sql: a.sql,
	})
	if err == nil {
		if known != nil {
			err = json.Unmarshal(known, &cause)
		}
		return cause, err
	}
	if !records.Missing(err) {
		return nil, err
	}
	t := task(a.reading, a.exercise)
	if t.Tables, err = library.TablesOf(ctx, w.library, a.reading.Build); err != nil {
		return nil, err
	}
	cause, whole, err := w.grader.Cause(ctx, t, a.sql)
	if err != nil || !whole && (cause == nil || !cause.Proven) {
		return cause, err // another time more may be found
	}
	var text json.RawMessage
	if cause != nil {
		if text, err = json.Marshal(cause); err != nil {
			return nil, err
		}
	}
	return cause, w.records.KeepCause(ctx, query.KeepCauseParams{
		VersionID: a.exercise.Version, BuildID: a.reading.Build, AttemptID: a.id, Sql: a.sql, Cause: text,
	})
}

func (w *Work) tellCause(ctx context.Context, a explained, cause *explain.Cause) error {
	hint := pack.HintEdit
	if !a.reading.Staff {
		number, err := w.records.AttemptNumber(ctx, query.AttemptNumberParams{
			AccountID: a.who.ID, ExerciseID: a.exercise.ID, ID: a.id,
		})
		if err != nil {
			return err
		}
		hint = a.exercise.Checking.Hint(int(number))
	}
	text, err := json.Marshal(cause.Findings(hint, a.sql))
	if err != nil {
		return err
	}
	_, err = w.records.TellCause(ctx, query.TellCauseParams{
		AttemptID: a.id, Sql: a.sql, VersionID: a.exercise.Version, BuildID: a.reading.Build, Cause: text,
	})
	return err
}

// CauseOf returns what is told of the cause of one's own attempt; none where nothing is found, or may be told. It waits
// while the cause is looked for.
func CauseOf(ctx context.Context, w *Work, who account.Account, attempt int64) ([]explain.Finding, error) {
	row, r, e, err := w.toExplain(ctx, who, attempt)
	if err != nil || !r.Told { // how long it takes would tell, too
		return nil, err
	}
	told := causesIn(row.Findings)
	current := row.VersionID == e.Version && row.BuildID == r.Build
	if len(told) == 0 && row.Outcome == string(marking.Incorrect) && current && w.causes.most > 0 {
		a := explained{id: attempt, sql: row.Sql, who: who, reading: r, exercise: e}
		select {
		case <-w.causes.begin(attempt, func(ctx context.Context) { w.findCause(ctx, a) }):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
		if row, _, _, err = w.toExplain(ctx, who, attempt); err != nil {
			return nil, err
		}
		told = causesIn(row.Findings)
	}
	return explain.ToLearner(told), nil
}

// toExplain reads one of an account's own attempts, with the exercise that it is of.
func (w *Work) toExplain(ctx context.Context, who account.Account, attempt int64) (
	row query.AttemptToExplainRow, r *course.Reading, e *library.Exercise, err error,
) {
	row, err = w.records.AttemptToExplain(ctx, query.AttemptToExplainParams{ID: attempt, AccountID: who.ID})
	if records.Missing(err) {
		return row, nil, nil, problem.New(404, "no-attempt", "There is no such attempt",
			"None of your attempts has the number %d.", attempt)
	}
	if err == nil {
		r, e, err = w.courses.ReadExercise(ctx, who, row.Paper, row.Exercise)
	}
	return row, r, e, err
}

// causesIn are the causes among the findings of a check.
func causesIn(findings json.RawMessage) (all []explain.Finding) {
	found, _ := stored(findings, nil)
	for _, f := range found {
		if strings.HasPrefix(f.Kind, explain.CausePrefix) {
			all = append(all, f)
		}
	}
	return all
}
