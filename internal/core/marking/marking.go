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

// Span is the time in which a paper may be worked on. A time that is zero is no bound.
type Span struct{ Opens, Due time.Time }

// SpanOf is the span between two times, of which each may be missing.
func SpanOf(opens, due *time.Time) (s Span) {
	if opens != nil {
		s.Opens = *opens
	}
	if due != nil {
		s.Due = *due
	}
	return s
}

// At returns the state at a time. At the due time itself the paper is closed.
func (s Span) At(now time.Time) State {
	switch {
	case !s.Opens.IsZero() && now.Before(s.Opens):
		return Upcoming
	case !s.Due.IsZero() && !now.Before(s.Due):
		return Closed
	}
	return Open
}

// Choose returns the number of the span that holds for somebody for whom a paper is set several times: one that is
// open, of these the one that is due last; then one that is closed, which may still be read; then one that opens. It is
// -1 where there is none.
func Choose(now time.Time, spans []Span) int {
	best := -1
	rank := map[State]int{Open: 0, Closed: 1, Upcoming: 2}
	later := func(a, b time.Time) bool { return !b.IsZero() && (a.IsZero() || a.After(b)) }
	for i, s := range spans {
		if best < 0 {
			best = i
			continue
		}
		own, other := rank[s.At(now)], rank[spans[best].At(now)]
		if own < other || own == other && later(s.Due, spans[best].Due) {
			best = i
		}
	}
	return best
}

// A State is where a paper stands between its opening and its due time.
type State string

const (
	Upcoming State = "upcoming"
	Open     State = "open"
	Closed   State = "closed"
)

// Mark returns what one attempt is worth. Of several attempts the one with the best mark counts.
func Mark(outcome Outcome, points Points) Points {
	if outcome == Correct {
		return points
	}
	return Points{}
}
