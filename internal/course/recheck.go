package course

import (
	"context"
	"encoding/json"
	"fmt"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A MarkChange is how a learner would stand on an exercise after a recheck, and how they stand now.
type MarkChange struct {
	Course      string          `json:"course"`
	Learner     string          `json:"learner"`
	DisplayName string          `json:"display_name"`
	Exercise    string          `json:"exercise"`
	Number      int             `json:"number"`
	Was         marking.Outcome `json:"was"`
	Is          marking.Outcome `json:"is"`
	MarkWas     marking.Points  `json:"mark_was"`
	MarkIs      marking.Points  `json:"mark_is"`
	// what was found this time in the attempt that counts; "" where it is correct
	Why string `json:"why"`

	attempt int64 // the one that counts now
}

// Rechecks gives access to what rechecking attempts changes of marks.
type Rechecks struct{ *Courses }

// Rechecks returns it.
func (c *Courses) Rechecks() Rechecks { return Rechecks{c} }

// Instructed returns the numbers of the courses in which the account may have attempts checked again: one, or with ""
// all that it instructs.
func (r Rechecks) Instructed(ctx context.Context, who account.Account, course string) ([]int64, error) {
	if course == "" {
		if ids := who.In(account.Instruct); len(ids) > 0 {
			return ids, nil
		}
		return nil, who.May(account.Instruct)
	}
	row, err := r.instructed(ctx, who, course)
	return []int64{row.ID}, err
}

// A Rechecked is one paper as it is set, with all attempts that were checked again.
type Rechecked struct {
	set      query.CoursePaper
	slug     string
	attempts []query.RecheckedAttemptsRow
	spans    map[int64]marking.Span
	rules    marking.Rules
}

// Load reads what checking attempts at a paper again came to, for each course: of those up to a number, on the versions
// and the build that hold now. exercise is nil for all.
func (r Rechecks) Load(
	ctx context.Context, q *query.Queries, paper int64, exercise *int64, courses []int64, upTo int64,
) (
	all []Rechecked, err error,
) {
	sets, err := q.SetsOfPaper(ctx, query.SetsOfPaperParams{PaperID: paper, Courses: courses})
	if err != nil {
		return nil, err
	}
	for _, row := range sets {
		one := Rechecked{slug: row.Course, set: query.CoursePaper{
			ID: row.ID, CourseID: row.CourseID, PaperID: row.PaperID, OpensAt: row.OpensAt, DueAt: row.DueAt,
			Rules: row.Rules,
		}}
		if err := json.Unmarshal(row.Rules, &one.rules); err != nil {
			return nil, err
		}
		if one.spans, err = spansOf(ctx, q, one.set, one.rules, nil); err != nil {
			return nil, err
		}
		one.attempts, err = q.RecheckedAttempts(ctx, query.RecheckedAttemptsParams{
			SetID: row.ID, ExerciseID: exercise, UpTo: upTo,
		})
		if err != nil {
			return nil, err
		}
		all = append(all, one)
	}
	return all, nil
}

// Changes lists whose marks or outcomes would change, and how many attempts were checked again.
func (r *Rechecked) Changes() (changes []MarkChange, attempts int) {
	for rest := r.attempts; len(rest) > 0; {
		n := 1
		for n < len(rest) && rest[n].AccountID == rest[0].AccountID && rest[n].ExerciseID == rest[0].ExerciseID {
			n++
		}
		if change, some := r.change(rest[:n]); some {
			changes = append(changes, change)
		}
		for _, row := range rest[:n] {
			if row.Rechecked {
				attempts++
			}
		}
		rest = rest[n:]
	}
	return changes, attempts
}

// change compares how one learner stands on one exercise with how they would stand.
func (r *Rechecked) change(rows []query.RecheckedAttemptsRow) (MarkChange, bool) {
	var before, after []marking.Attempt
	for _, row := range rows {
		was := marking.Attempt{
			Received: row.ReceivedAt, Outcome: marking.Outcome(row.Outcome), Kinds: row.Kinds,
			Points: marking.PointsOf(row.Points), Counted: row.Counted,
		}
		before, after = append(before, was), append(after, again(was, row))
	}
	span := r.spans[rows[0].AccountID]
	countedWas, markWas := r.rules.Counting(span, before)
	countsNow, markIs := r.rules.Counting(span, after)
	c := MarkChange{
		Course: r.slug, Learner: rows[0].Name, DisplayName: rows[0].DisplayName,
		Exercise: rows[0].Exercise, Number: int(rows[0].Number),
		Was: before[countedWas].Outcome, Is: after[countsNow].Outcome, MarkWas: markWas, MarkIs: markIs,
		Why: rows[countsNow].Why, attempt: rows[countsNow].ID,
	}
	return c, c.Was != c.Is || markWas.Cmp(markIs) != 0
}

// again is an attempt as it was checked again, or as it was.
func again(was marking.Attempt, row query.RecheckedAttemptsRow) marking.Attempt {
	if !row.Rechecked {
		return was
	}
	return marking.Attempt{
		Received: was.Received, Outcome: marking.Outcome(row.NewOutcome), Kinds: row.NewKinds,
		Points: marking.PointsOf(row.NewPoints), Counted: row.NewCounted,
	}
}

// Apply makes what checking the attempts again came to their checks, and has all marks follow. The same transaction has
// locked the sets: see Lock.
func (r Rechecks) Apply(ctx context.Context, t *records.Transaction, all []Rechecked) error {
	for _, one := range all {
		var params query.ApplyRecheckParams
		for _, row := range one.attempts {
			if !row.Rechecked {
				continue
			}
			attempt := again(marking.Attempt{Received: row.ReceivedAt}, row)
			worth := one.rules.Worth(attempt, one.spans[row.AccountID].After(row.ReceivedAt))
			params.Attempts, params.Marks = append(params.Attempts, row.ID), append(params.Marks, worth.String())
		}
		if len(params.Attempts) == 0 {
			continue
		}
		if _, err := t.ApplyRecheck(ctx, params); err != nil {
			return err
		}
		if err := t.DropRecheckResults(ctx, params.Attempts); err != nil {
			return err
		}
		if err := r.standAgain(ctx, t, one.set.ID); err != nil {
			return err
		}
		changes, _ := one.Changes()
		var review query.ReviewRecheckParams
		for _, c := range changes {
			review.Attempts = append(review.Attempts, c.attempt)
			review.Reasons = append(review.Reasons, fmt.Sprintf(
				"It was %s with %s and is %s with %s of the points.", c.Was, c.MarkWas, c.Is, c.MarkIs))
		}
		if err := t.ReviewRecheck(ctx, review); err != nil {
			return err
		}
	}
	return nil
}

// Lock holds up submissions for a paper in some courses until the transaction ends.
func (r Rechecks) Lock(ctx context.Context, t *records.Transaction, paper int64, courses []int64) error {
	sets, err := t.SetsOfPaper(ctx, query.SetsOfPaperParams{PaperID: paper, Courses: courses})
	for _, set := range sets {
		if err == nil {
			err = t.LockSet(ctx, set.ID)
		}
	}
	return err
}
