package exam

import (
	"context"
	"time"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// What a learner is told of hidden rows is one thing: that an answer which is right on the rows they see is wrong on others. Asked often enough with queries
// made for it, that too tells what the rows are. So such attempts are counted, and slowed when they are many; instructors see the number. When an answer
// comes says nothing: it is told at a time that follows from what the visible rows took.

// After so many attempts at an exercise within an hour that were wrong on hidden rows alone, each next waits so long after the last of them.
const (
	freeHiddenOnly = 20
	hiddenOnlyWait = 2 * time.Minute
)

// mayAskAgain is the problem of a learner who has had many attempts that were wrong on hidden rows alone, and has just had one.
func (c *check) mayAskAgain(ctx context.Context) error {
	if c.who.Role == account.Instructor || len(c.paper.Variants) <= len("{}") {
		return nil
	}
	row, err := c.records.HiddenOnly(ctx, query.HiddenOnlyParams{AccountID: c.who.ID, ExerciseID: c.exercise.ID})
	if err != nil || row.Attempts < freeHiddenOnly {
		return err
	}
	wait := hiddenOnlyWait - time.Duration(max(0, row.SecondsAgo)*float64(time.Second))
	if wait <= 0 {
		return nil
	}
	seconds := int(wait.Seconds()) + 1
	p := problem.New(429, "slow-down", "Too many attempts that were right on these rows only",
		"%d attempts within an hour gave the right rows here and wrong ones on others. Look for what the task says of all possible rows, and submit again in %d seconds. Queries can be run meanwhile.", row.Attempts, seconds)
	p.RetryAfter = seconds
	return p
}

// A submission that is checked on hidden rows is answered at least evenStep after it came. Most are checked by then.
const (
	evenStep = 40 * time.Millisecond
	quick    = 50 * time.Millisecond
)

// even waits for the time at which a submission is answered that was checked on hidden rows.
func (c *check) even(begun time.Time) {
	time.Sleep(toldAfter(c.visible, time.Since(begun)) - time.Since(begun))
}

// toldAfter is how long after it came a submission is answered whose visible rows took so long, and that has been checked by now. It follows from the visible
// rows alone, as long as the hidden ones fit in; a query that is quick everywhere is told at most 100 ms late. Where they do not fit in it is the next of
// steps that grow; those that took much longer are counted like those that were wrong.
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
