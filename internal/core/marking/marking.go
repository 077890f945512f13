// Package marking says which attempts may be made, which of them counts, and what it is worth.
//
// A paper is open for a [Span]. [Rules] say what becomes of attempts after the due time, which one counts and what part
// of the points an answer is worth that is not quite right; [Rules.Counting] applies them to a learner's attempts.
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
type Span struct {
	Opens, Due time.Time
	Grace      time.Duration // after the due time, in which attempts are still accepted
}

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

// Closes is when nothing is accepted any more; zero for never.
func (s Span) Closes() time.Time {
	if s.Due.IsZero() {
		return s.Due
	}
	return s.Due.Add(s.Grace)
}

// At returns the state at a time. At the due time itself the paper is late or closed, and at the end of the grace
// period closed.
func (s Span) At(now time.Time) State {
	switch {
	case !s.Opens.IsZero() && now.Before(s.Opens):
		return Upcoming
	case s.Due.IsZero() || now.Before(s.Due):
		return Open
	case now.Before(s.Closes()):
		return Overdue
	}
	return Closed
}

// Choose returns the number of the span that holds for somebody for whom a paper is set several times: one that is
// open, of these the one that is due last; then one that is closed, which may still be read; then one that opens. It is
// -1 where there is none.
func Choose(now time.Time, spans []Span) int {
	best := -1
	rank := map[State]int{Open: 0, Overdue: 1, Closed: 2, Upcoming: 3}
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
	Overdue  State = "overdue" // attempts are still accepted, in the grace period
	Closed   State = "closed"
)
