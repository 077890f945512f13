package course

import (
	"context"
	"slices"
	"strings"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// longestReason is the greatest length of a reason, in bytes.
const longestReason = 1000

// A NewMark is a mark set by hand, which replaces the computed one.
type NewMark struct {
	// Course may be "" where the learner is in only one that the caller instructs.
	Course, Paper, Exercise, Learner string
	// Mark is what counts; nil has the computed mark count again.
	Mark   *marking.Points
	Reason string
}

// SetMark sets a learner's mark for an exercise in a course, or withdraws it so that the computed mark counts again.
// Both changes are kept, with the reason and the account that made them.
func (c *Courses) SetMark(ctx context.Context, who account.Account, n NewMark) error {
	within := []string{n.Course}
	if n.Course == "" {
		within = who.Slugs()
	}
	if err := who.May(account.Instruct, within...); err != nil {
		return err
	}
	learner, err := c.accounts.ByName(ctx, n.Learner)
	if err != nil && !records.Missing(err) {
		return err
	}
	shared := slices.DeleteFunc(within, func(slug string) bool {
		return err != nil || who.May(account.Instruct, slug) != nil || learner.May(account.Study, slug) != nil
	})
	switch {
	case len(shared) == 0:
		return problem.New(404, "no-learner", "There is no such learner",
			"Nobody in your courses is called %q.", n.Learner)
	case len(shared) > 1:
		return problem.New(422, "which-course", "The course is missing",
			"%s is in several of yours: name the one in which the mark is to count.", n.Learner)
	}
	course, err := c.find(ctx, shared[0])
	if err != nil {
		return err
	}
	paper, err := c.paper(ctx, who, n.Paper)
	if err != nil {
		return err
	}
	e, err := c.library.Exercise(ctx, paper, n.Exercise)
	if err != nil {
		return err
	}
	n.Reason = strings.TrimSpace(n.Reason)
	if n.Reason == "" || len(n.Reason) > longestReason || !records.IsText(n.Reason) {
		return problem.New(
			422, "reason", "A reason is missing", "Say in up to %d characters why the mark is set.", longestReason,
		)
	}
	if n.Mark != nil && n.Mark.Cmp(e.Points) > 0 {
		return problem.New(422, "mark", "The mark is too high", "%s of %s points cannot be given.", n.Mark, e.Points)
	}
	var mark *string
	if n.Mark != nil {
		text := n.Mark.String()
		mark = &text
	}
	changed := records.StandingKey{Account: learner.ID, Exercise: e.ID, Course: course.ID}
	defer c.records.StandingsChanged(paper.ID, changed) // after the write
	return c.records.As(ctx, who.ID, func(t *records.Transaction) error {
		err := t.SetMark(ctx, query.SetMarkParams{
			AccountID: learner.ID, ExerciseID: e.ID, CourseID: course.ID, Mark: mark, Reason: n.Reason, SetBy: who.ID,
		})
		if err != nil {
			return err
		}
		return t.StandByHand(ctx, query.StandByHandParams{
			AccountID: learner.ID, ExerciseID: e.ID, CourseID: course.ID, ByHand: mark,
		})
	})
}

// markOf returns the mark that counts: the one set by hand if there is one, otherwise the computed one.
func markOf(s query.Standing) marking.Points {
	if s.ByHand != nil {
		return marking.PointsOf(*s.ByHand)
	}
	return marking.PointsOf(s.Computed)
}
