// Package marking says which attempts may be made, and what they are worth.
package marking

import "time"

// An Outcome is what came of an attempt, or of a run.
type Outcome string

const (
	Correct   Outcome = "correct"
	Incorrect Outcome = "incorrect" // rows differ
	Rejected  Outcome = "rejected"  // a rule, or a statement that is not allowed
	Failed    Outcome = "failed"    // the database reported an error
	Stopped   Outcome = "stopped"   // a time or size limit
	Done      Outcome = "done"      // a run that ended well
)

// A State is where a paper stands between its opening and its due time.
type State string

const (
	Upcoming State = "upcoming"
	Open     State = "open"
	Closed   State = "closed"
)

// At returns a paper's state at a time. A zero opens or due is no bound; at the due time itself the paper is closed.
func At(now, opens, due time.Time) State {
	switch {
	case !opens.IsZero() && now.Before(opens):
		return Upcoming
	case !due.IsZero() && !now.Before(due):
		return Closed
	}
	return Open
}

// Mark returns what one attempt is worth. Of several attempts the one with the best mark counts.
func Mark(outcome Outcome, points float64) float64 {
	if outcome == Correct {
		return points
	}
	return 0
}
