package course

import (
	"context"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// Following gives access to how classes get on.
type Following struct{ *Courses }

// Following returns how classes get on.
func (c *Courses) Following() Following { return Following{c} }

// Progress is a paper's grid: learners by exercises.
type Progress struct {
	Slug, Title string
	Points      marking.Points
	Exercises   []ExerciseHead
	Learners    []LearnerProgress
	More        bool // there are more learners than were asked for
}

// An ExerciseHead is a column of the grid.
type ExerciseHead struct {
	Slug, Title string
	Number      int
	Points      marking.Points
}

// LearnerProgress is a learner's line in the grid. A learner who has the paper in several courses has a line for each.
type LearnerProgress struct {
	Name, DisplayName string
	Course, Group     string
	Mark              marking.Points
	Last              time.Time // when the last attempt was received; zero without one
	Cells             []Standing
}

// Progress returns the grid of a paper: for one course, or for "", for every course that it is set for and the account
// may follow. Of the learners, in the order of their names, it has the first so many; with 0 all.
func (f Following) Progress(
	ctx context.Context, who account.Account, paperSlug, courseSlug string, first int,
) (*Progress, error) {
	c := f.Courses
	courses, err := followed(who, courseSlug)
	if err != nil {
		return nil, err
	}
	p, err := c.paper(ctx, who, paperSlug)
	if err != nil {
		return nil, err
	}
	exercises, err := c.library.Exercises(ctx, p)
	if err != nil {
		return nil, err
	}
	some, most := query.CourseStandingParams{PaperID: p.ID, Courses: courses}, int32(first+1)
	asked := query.PaperLearnersParams{PaperID: p.ID, Courses: courses}
	if first > 0 {
		asked.Most = &most
	}
	learners, err := c.records.PaperLearners(ctx, asked)
	if err != nil {
		return nil, err
	}
	more := first > 0 && len(learners) > first
	if more {
		learners = learners[:first]
		for _, l := range learners {
			some.Accounts = append(some.Accounts, l.ID)
		}
	}
	standing, err := c.records.CourseStanding(ctx, some)
	if err != nil {
		return nil, err
	}
	type place struct{ learner, exercise, course int64 }
	cells := map[place]Standing{}
	for _, s := range standing {
		cells[place{s.AccountID, s.ExerciseID, *s.CourseID}] = standingOf(s)
	}
	grid := &Progress{Slug: p.Slug, Title: p.Title, More: more}
	for _, e := range exercises {
		grid.Exercises = append(grid.Exercises, ExerciseHead{e.Slug, e.Title, e.Number, e.Points})
		grid.Points = grid.Points.Plus(e.Points)
	}
	for _, l := range learners {
		line := LearnerProgress{Name: l.Name, DisplayName: l.DisplayName, Course: l.Course, Group: l.GroupName}
		for _, e := range exercises {
			cell := cells[place{l.ID, e.ID, l.CourseID}]
			line.Mark = line.Mark.Plus(cell.Mark)
			if cell.Attempts > 0 && cell.Last.After(line.Last) {
				line.Last = cell.Last
			}
			line.Cells = append(line.Cells, cell)
		}
		grid.Learners = append(grid.Learners, line)
	}
	return grid, nil
}

// followed are the courses whose work the account wants to see, and may: one, or for "" all of them.
func followed(who account.Account, course string) ([]int64, error) {
	if course != "" {
		if err := who.May(account.Follow, course); err != nil {
			return nil, err
		}
		at := slices.IndexFunc(who.Courses, func(m account.Membership) bool { return m.Course == course })
		return []int64{who.Courses[at].ID}, nil
	}
	courses := who.In(account.Follow)
	if len(courses) > 0 {
		return courses, nil
	}
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	return nil, problem.New(403, "not-allowed", "You are in no course",
		"Learners' work is for the instructors and assistants of their courses.")
}
