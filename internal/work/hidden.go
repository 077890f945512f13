package work

import (
	"context"
	"time"

	"examen/internal/account"
	"examen/internal/course"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// What a learner is told of hidden rows is one thing: that an answer which is right on the rows they see is wrong on
// others. Asked often enough with queries made for it, that too tells what the rows are. So such attempts are counted,
// and slowed when they are many; instructors see the number. When an answer comes says nothing: it is told at a time
// that follows from what the visible rows took.

// After so many attempts at an exercise within an hour that were wrong on hidden rows alone, each next waits so long
// after the last of them.
const (
	freeHiddenOnly = 20
	hiddenOnlyWait = 2 * time.Minute
)

// mayAskAgain returns a problem for a learner who has had many attempts that were wrong on hidden rows alone, the last
// of them just now. Whoever is told nothing of their attempts has nothing to ask by them.
func (w *Work) mayAskAgain(ctx context.Context, r *course.Reading, who account.Account, e *library.Exercise) error {
	if r.Course == nil || !r.Told || len(r.Hidden(&e.Checking)) == 0 {
		return nil
	}
	row, err := w.records.HiddenOnly(ctx, query.HiddenOnlyParams{
		AccountID: who.ID, ExerciseID: e.ID, AtLeast: freeHiddenOnly,
	})
	if err != nil || row.Attempts < freeHiddenOnly {
		return err
	}
	wait := hiddenOnlyWait - time.Duration(max(0, row.SecondsAgo)*float64(time.Second))
	if wait <= 0 {
		return nil
	}
	seconds := int(wait.Seconds()) + 1
	p := problem.New(429, "slow-down", "Too many attempts that were right on these rows only",
		"%d attempts within an hour gave the right rows here and wrong ones on others. Look for what the task says of "+
			"all possible rows, and submit again in %d seconds. Queries can be run meanwhile.", row.Attempts, seconds)
	p.RetryAfter = seconds
	return p
}

// A submission that is checked on hidden rows is answered at least evenStep after it came. Most are checked by then.
const (
	evenStep = 40 * time.Millisecond
	quick    = 50 * time.Millisecond
)

// toldAfter returns how long after its arrival a submission is answered, given the time that its visible rows took and
// the time that has passed. While checking the hidden rows fits in, the answer depends on the visible rows alone; a
// query that is quick everywhere is delayed by at most 100 ms. Where it does not fit in, the answer waits for the next
// of a series of growing steps. Attempts that took much longer on hidden rows are counted like those that were wrong
// there.
func toldAfter(visible, now time.Duration) time.Duration {
	at := evenStep
	if visible < quick {
		for at < 2*visible+evenStep/2 {
			at += evenStep
		}
	} else {
		for at < 4*visible {
			at *= 2
		}
	}
	for at < now {
		at += max(evenStep, at/2)
	}
	return at
}
