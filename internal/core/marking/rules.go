package marking

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
)

// Rules say how marks come of the attempts at a paper that is set for a course, and what learners are told of them. In
// the zero value the best attempt counts, nothing is accepted after the due time, and everything is told at once.
type Rules struct {
	Counts Counts `json:"counts,omitempty"`
	Late   Late   `json:"late,omitzero"`
	// Attempts is how many are allowed at each exercise that sets no limit of its own; 0 is no limit.
	Attempts int  `json:"attempts,omitempty"`
	Tell     Tell `json:"tell,omitempty"`
	// Answers shows learners the accepted answers, once nobody can submit any more and marks are told.
	Answers bool `json:"answers,omitempty"`
	// Partial gives, by the kind of a finding, the percentage of the points that an answer is worth which has no
	// finding of another kind. Of several the lowest holds.
	Partial map[string]int `json:"partial,omitempty"`
	Exam    *Exam          `json:"exam,omitempty"` // nil for a paper that is not an examination
}

// Counts says which of several attempts counts.
type Counts string

// Which attempt counts.
const (
	Best  Counts = ""      // the one with the best mark, of equal ones the first; without a mark the latest
	Last  Counts = "last"  // the last by the due time; a later one where its mark, less the deduction, is better
	First Counts = "first" // the first
)

// Tell says when learners are told outcomes, marks and findings.
type Tell string

// When learners are told.
const (
	AtOnce   Tell = ""
	AfterDue Tell = "after-due" // once the learner cannot submit any more
	Released Tell = "released"  // when an instructor releases them
)

// Late says what becomes of an attempt after the due time. The zero value: it is not accepted.
type Late struct {
	// Minutes is how long after the due time attempts are accepted.
	Minutes int `json:"minutes"`
	// PerHour is the percentage of the mark that is taken off for each hour begun.
	PerHour int `json:"per_hour,omitempty"`
	// Steps are in place of PerHour, in order; the last ends with the grace period.
	Steps []Step `json:"steps,omitempty"`
}

// A Step takes a percentage off the mark of an attempt that comes less than so many minutes after the due time.
type Step struct {
	Minutes int `json:"minutes"`
	Percent int `json:"percent"`
}

// Grace returns how long after the due time attempts are accepted.
func (l Late) Grace() time.Duration { return time.Duration(l.Minutes) * time.Minute }

// Percent returns what is taken off the mark of an attempt that comes so long after the due time: 0 to 100.
func (l Late) Percent(after time.Duration) int {
	if after < 0 {
		return 0
	}
	for _, s := range l.Steps {
		if after < time.Duration(s.Minutes)*time.Minute {
			return s.Percent
		}
	}
	if len(l.Steps) > 0 {
		return l.Steps[len(l.Steps)-1].Percent
	}
	hours := int(min(after/time.Hour, math.MaxInt32)) + 1
	return min(l.PerHour*hours, 100)
}

// An Exam is an examination: a fixed time from each learner's own start, within the time for which the paper is set.
type Exam struct {
	Minutes int  `json:"minutes"`
	Shuffle bool `json:"shuffle,omitempty"` // every learner has the exercises in an order of their own
}

// Bounds of what rules may say.
const (
	mostMinutes  = 366 * 24 * 60
	mostAttempts = 1000
	longestExam  = 24 * 60
)

// Check returns what is wrong with rules for a paper that is set for the span, in a sentence; nil if nothing is.
// Finding kinds are those that Partial may name.
func (r Rules) Check(span Span, kinds []string) error {
	switch {
	case !slices.Contains([]Counts{Best, Last, First}, r.Counts):
		return fmt.Errorf("best, last or first attempt is expected to count, not %.40q", r.Counts)
	case !slices.Contains([]Tell{AtOnce, AfterDue, Released}, r.Tell):
		return fmt.Errorf("marks are told at-once, after-due or when released, not %.40q", r.Tell)
	case r.Attempts < 0 || r.Attempts > mostAttempts:
		return fmt.Errorf("the attempts are %d: 1 to %d are expected, or 0 for no limit", r.Attempts, mostAttempts)
	case span.Due.IsZero() && r.Tell == AfterDue:
		return fmt.Errorf("marks cannot be told after the due time, because the paper has none: set one")
	case span.Due.IsZero() && r.Answers:
		return fmt.Errorf("accepted answers are shown after the due time, and the paper has none: set one")
	case span.Due.IsZero() && r.Late.Minutes != 0:
		return fmt.Errorf("a grace period follows the due time, and the paper has none: set one")
	}
	for kind, share := range r.Partial {
		if !slices.Contains(kinds, kind) {
			return fmt.Errorf("there is no finding %.40q for which part of the points could be given", kind)
		}
		if share < 0 || share > 100 {
			return fmt.Errorf("the share for %s is %d %%: 0 to 100 are expected", kind, share)
		}
	}
	if err := r.Late.check(); err != nil {
		return err
	}
	return r.checkExam(span)
}

func (l Late) check() error {
	switch {
	case l.Minutes < 0 || l.Minutes > mostMinutes:
		return fmt.Errorf("the grace period is %d minutes: 0 to %d (a year) are expected", l.Minutes, mostMinutes)
	case l.PerHour < 0 || l.PerHour > 100:
		return fmt.Errorf("the deduction is %d %% an hour: 0 to 100 are expected", l.PerHour)
	case l.PerHour > 0 && len(l.Steps) > 0:
		return fmt.Errorf("a deduction is either per hour or in steps, not both")
	case l.Minutes == 0 && (l.PerHour > 0 || len(l.Steps) > 0):
		return fmt.Errorf("a deduction needs a grace period: without one nothing is accepted after the due time")
	}
	for i, s := range l.Steps {
		switch {
		case s.Percent < 0 || s.Percent > 100:
			return fmt.Errorf("a step takes %d %% off: 0 to 100 are expected", s.Percent)
		case s.Minutes <= 0 || i > 0 && s.Minutes <= l.Steps[i-1].Minutes:
			return fmt.Errorf("the steps of the deduction have to be in order of time, each later than the one before")
		case i > 0 && s.Percent < l.Steps[i-1].Percent:
			return fmt.Errorf("a later step of the deduction takes less off than the one before: give them in order")
		case i == len(l.Steps)-1 && s.Minutes != l.Minutes:
			return fmt.Errorf("the last step of the deduction has to end with the grace period")
		}
	}
	return nil
}

func (r Rules) checkExam(span Span) error {
	switch {
	case r.Exam == nil:
		return nil
	case r.Exam.Minutes < 1 || r.Exam.Minutes > longestExam:
		return fmt.Errorf("the examination lasts %d minutes: 1 to %d are expected", r.Exam.Minutes, longestExam)
	case span.Opens.IsZero() || span.Due.IsZero():
		return fmt.Errorf("an examination needs a time from which and a time until which it can be taken")
	case r.Late.Minutes > 0:
		return fmt.Errorf("an examination has no grace period: it ends with each learner's own time")
	}
	return nil
}

// An Attempt is what marks are computed from: an attempt with the check that holds.
type Attempt struct {
	Received time.Time
	Outcome  Outcome
	Kinds    []string // of its findings
	Points   Points   // of the exercise
	// Counted tells that it uses up one of the attempts allowed: it could be read as a query.
	Counted bool
}

// Worth returns what an attempt is worth when it comes so long after the due time; a negative time is before it.
func (r Rules) Worth(a Attempt, after time.Duration) Points {
	share := 0
	switch a.Outcome {
	case Correct:
		share = 100
	case Incorrect:
		share = r.share(a.Kinds)
	}
	return a.Points.Percent(share).Percent(100 - r.Late.Percent(after))
}

// causes are how the kinds begin of what says where a difference comes from; they are no differences of their own.
const causes = "cause-"

// share returns the percentage of the points that an incorrect answer with such findings is worth.
func (r Rules) share(kinds []string) int {
	if len(kinds) == 0 || len(r.Partial) == 0 {
		return 0
	}
	lowest, findings := 100, 0
	for _, kind := range kinds {
		if !strings.HasPrefix(kind, causes) {
			lowest, findings = min(lowest, r.Partial[kind]), findings+1
		}
	}
	if findings == 0 {
		return 0
	}
	return lowest
}

// After returns how long after the due time something came; negative before it, and without a due time.
func (s Span) After(received time.Time) time.Duration {
	if s.Due.IsZero() {
		return -1
	}
	return received.Sub(s.Due)
}

// Counting returns the number of the attempt that counts, and its mark, of a learner's attempts at an exercise in the
// order in which they were received. It is -1 where there is none. While no attempt could be read, the latest counts.
func (r Rules) Counting(span Span, attempts []Attempt) (counts int, mark Points) {
	counts = -1
	for i, a := range attempts {
		worth := r.Worth(a, span.After(a.Received))
		if counts < 0 || r.replaces(a, span, worth, attempts[counts], mark) {
			counts, mark = i, worth
		}
	}
	return counts, mark
}

// replaces tells whether an attempt counts in place of an earlier one. The records say the same in SQL as an attempt
// is stored (CreateAttempt): both are tested against each other.
func (r Rules) replaces(a Attempt, span Span, worth Points, before Attempt, mark Points) bool {
	switch {
	case !before.Counted, r.Counts == Best && mark.None():
		return true
	case !a.Counted || r.Counts == First:
		return false
	case r.Counts == Last && span.After(a.Received) < 0:
		return true
	}
	return worth.Cmp(mark) > 0
}
