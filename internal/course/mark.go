package course

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// longestReason is the greatest length of a reason, in bytes.
const longestReason = 1000

// Marking gives access to marks set by hand, and to the attempts that need somebody's eye.
type Marking struct{ *Courses }

// Marking returns marks set by hand, and the attempts that need somebody's eye.
func (c *Courses) Marking() Marking { return Marking{c} }

// Marked names a learner's work on an exercise in a course, which has a mark. Course may be "" where the learner is in
// only one that the caller instructs.
type Marked struct{ Course, Paper, Exercise, Learner string }

// A NewMark is a mark set by hand, which replaces the computed one.
type NewMark struct {
	Marked
	// Mark is what counts; nil has the computed mark count again.
	Mark   *marking.Points
	Reason string
	// Last is the number of the last mark by hand that the caller knows of, 0 for none: where there is a later one by
	// now, nothing is set. Nil sets the mark in any case.
	Last *int64
}

// A MarkSet is a mark that was set by hand, or with nil given back to what is computed.
type MarkSet struct {
	ID     int64
	Mark   *marking.Points
	Reason string
	By     string // the name to show
	At     time.Time
	Undone bool // it was taken back
	Undoes bool // it took back the one before that was not
}

// Marks are the marks of a learner's work on an exercise: what is computed, and what was set by hand, the first first.
type Marks struct {
	Computed, Mark, Points marking.Points
	Outcome                marking.Outcome // of the attempt that counts; "" without one
	ByHand                 bool
	Set                    []MarkSet
}

// marked is a learner's work as it stands in the records.
type marked struct {
	records.StandingKey
	paper, exercise string
	paperID         int64
	points          marking.Points
}

// find returns the work that is named, where the account may mark it.
func (m Marking) find(ctx context.Context, who account.Account, of Marked, do account.Action) (marked, error) {
	within := []string{of.Course}
	if of.Course == "" {
		within = who.Slugs()
	}
	if err := who.May(do, within...); err != nil {
		return marked{}, err
	}
	learner, err := m.accounts.ByName(ctx, of.Learner)
	if err != nil && !records.Missing(err) {
		return marked{}, err
	}
	shared := slices.DeleteFunc(within, func(slug string) bool {
		return err != nil || !who.Can(do, slug) || !learner.Can(account.Study, slug)
	})
	switch {
	case len(shared) == 0:
		return marked{}, problem.New(404, "no-learner", "There is no such learner",
			"Nobody in your courses is called %q.", of.Learner)
	case len(shared) > 1:
		return marked{}, problem.New(422, "which-course", "The course is missing",
			"%s is in several of yours: name the one in which the mark is to count.", of.Learner)
	}
	course, err := m.Courses.find(ctx, shared[0])
	if err != nil {
		return marked{}, err
	}
	paper, err := m.paper(ctx, who, of.Paper)
	if err != nil {
		return marked{}, err
	}
	var e *library.Exercise
	if e, err = m.library.Exercise(ctx, paper, of.Exercise); err != nil {
		return marked{}, err
	}
	key := records.StandingKey{Account: learner.ID, Exercise: e.ID, Course: course.ID}
	return marked{key, paper.Slug, e.Slug, paper.ID, e.Points}, nil
}

// Set sets a learner's mark for an exercise in a course, or withdraws it so that the computed mark counts again. Both
// changes are kept, with the reason and the account that made them. What was to be looked at of the work has been.
func (m Marking) Set(ctx context.Context, who account.Account, n NewMark) (*Marks, error) {
	of, err := m.find(ctx, who, n.Marked, account.Instruct)
	if err != nil {
		return nil, err
	}
	n.Reason = strings.TrimSpace(n.Reason)
	if n.Reason == "" || len(n.Reason) > longestReason || !records.IsText(n.Reason) {
		return nil, problem.New(
			422, "reason", "A reason is missing", "Say in up to %d characters why the mark is set.", longestReason,
		)
	}
	if n.Mark != nil && n.Mark.Cmp(of.points) > 0 {
		return nil, problem.New(422, "mark", "The mark is too high", "%s of %s points cannot be given.", n.Mark,
			of.points)
	}
	return m.change(ctx, who, of, n.Last, func(t *records.Transaction, _ []query.MarksSetRow) error {
		made := query.SetMarkParams{
			AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course, Reason: n.Reason, SetBy: who.ID,
		}
		if n.Mark != nil {
			text := n.Mark.String()
			made.Mark = &text
		}
		id, err := t.SetMark(ctx, made)
		if err != nil {
			return err
		}
		return t.ReviewedByMark(ctx, query.ReviewedByMarkParams{
			AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course, DoneBy: &who.ID, MarkID: id,
		})
	})
}

// Undo takes back the last mark set by hand that was not taken back: what counted before it counts again, and what it
// answered is to be looked at again. Last is as in [NewMark].
func (m Marking) Undo(ctx context.Context, who account.Account, named Marked, last *int64) (*Marks, error) {
	of, err := m.find(ctx, who, named, account.Instruct)
	if err != nil {
		return nil, err
	}
	return m.change(ctx, who, of, last, func(t *records.Transaction, rows []query.MarksSetRow) error {
		stand := standing(rows)
		if len(stand) == 0 {
			return problem.New(409, "no-mark", "There is nothing to undo",
				"No mark of %s for %s/%s was set by hand.", named.Learner, of.paper, of.exercise)
		}
		made := query.SetMarkParams{
			AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course, SetBy: who.ID,
			Undoes: &stand[len(stand)-1].ID,
		}
		if len(stand) > 1 {
			made.Mark, made.Reason = stand[len(stand)-2].Mark, stand[len(stand)-2].Reason
		}
		if _, err := t.SetMark(ctx, made); err != nil {
			return err
		}
		return t.ReopenByMark(ctx, *made.Undoes)
	})
}

// standing are the marks that were set and not taken back.
func standing(rows []query.MarksSetRow) (stand []query.MarksSetRow) {
	for _, row := range rows {
		if row.Undoes == nil {
			stand = append(stand, row)
		} else {
			stand = slices.DeleteFunc(stand, func(other query.MarksSetRow) bool { return other.ID == *row.Undoes })
		}
	}
	return stand
}

// change changes a mark that is set by hand; nobody else does meanwhile.
func (m Marking) change(
	ctx context.Context, who account.Account, of marked, last *int64,
	do func(t *records.Transaction, rows []query.MarksSetRow) error,
) (marks *Marks, err error) {
	defer m.records.StandingsChanged(of.paperID, of.StandingKey) // after the write
	rows := query.MarksSetParams{AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course}
	err = m.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.LockWork(ctx, query.LockWorkParams{
			AccountID: strconv.FormatInt(of.Account, 10), ExerciseID: strconv.FormatInt(of.Exercise, 10),
		}); err != nil {
			return err
		}
		before, err := t.MarksSet(ctx, rows)
		if err != nil {
			return err
		}
		if n := len(before); last != nil && n > 0 && before[n-1].ID != *last {
			return markChanged(before[n-1])
		}
		if err := do(t, before); err != nil {
			return err
		}
		after, err := t.MarksSet(ctx, rows)
		if err != nil {
			return err
		}
		if err := t.StandByHand(ctx, query.StandByHandParams{
			AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course, ByHand: after[len(after)-1].Mark,
		}); err != nil {
			return err
		}
		marks, err = marksOf(ctx, t.Queries, of, after)
		return err
	})
	return marks, err
}

func markChanged(by query.MarksSetRow) error {
	what := "gave the mark back to what is computed"
	if by.Mark != nil {
		what = fmt.Sprintf("set it to %s (%s)", marking.PointsOf(*by.Mark), by.Reason)
	} else if by.Undoes != nil {
		what = "undid what was set"
	}
	return problem.New(409, "mark-changed", "The mark was changed meanwhile",
		"On %s, %s %s. Look at it, and set yours if it is still to be.",
		by.SetAt.UTC().Format("2 January 2006 at 15:04 UTC"), by.DisplayName, what)
}

// Marks returns the marks of a learner's work on an exercise, for who follows the course.
func (m Marking) Marks(ctx context.Context, who account.Account, named Marked) (*Marks, error) {
	of, err := m.find(ctx, who, named, account.Follow)
	if err != nil {
		return nil, err
	}
	rows, err := m.records.MarksSet(ctx, query.MarksSetParams{
		AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course,
	})
	if err != nil {
		return nil, err
	}
	return marksOf(ctx, m.records.Queries, of, rows)
}

func marksOf(ctx context.Context, q *query.Queries, of marked, rows []query.MarksSetRow) (*Marks, error) {
	row, err := q.StandingIn(ctx, query.StandingInParams{
		AccountID: of.Account, ExerciseID: of.Exercise, CourseID: of.Course,
	})
	m := &Marks{Points: of.points}
	if err == nil {
		m.Computed, m.Mark, m.ByHand = marking.PointsOf(row.Computed), markOf(row), row.ByHand != nil
		m.Outcome = marking.Outcome(row.Outcome)
	} else if !records.Missing(err) {
		return nil, err
	}
	undone := map[int64]bool{}
	for _, row := range rows {
		if row.Undoes != nil {
			undone[*row.Undoes] = true
		}
	}
	for _, row := range rows {
		set := MarkSet{
			ID: row.ID, Reason: row.Reason, By: row.DisplayName, At: row.SetAt, Undone: undone[row.ID],
			Undoes: row.Undoes != nil,
		}
		if row.Mark != nil {
			mark := marking.PointsOf(*row.Mark)
			set.Mark = &mark
		}
		m.Set = append(m.Set, set)
	}
	return m, nil
}

// markOf returns the mark that counts: the one set by hand if there is one, otherwise the computed one.
func markOf(s query.Standing) marking.Points {
	if s.ByHand != nil {
		return marking.PointsOf(*s.ByHand)
	}
	return marking.PointsOf(s.Computed)
}
