package course

import (
	"context"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/records/query"
)

// Progress is a paper's grid: learners by exercises.
type Progress struct {
	Slug, Title string
	Points      float64
	Exercises   []ExerciseHead
	Learners    []LearnerProgress
}

// An ExerciseHead is a column of the grid.
type ExerciseHead struct {
	Slug, Title string
	Number      int
	Points      float64
}

// LearnerProgress is a learner's line of the grid, with a cell for each exercise.
type LearnerProgress struct {
	Name, DisplayName string
	Mark              float64
	Cells             []ProgressCell
}

// A ProgressCell is how one learner stands in one exercise: the outcome and mark of the attempt that counts.
type ProgressCell struct {
	Outcome  marking.Outcome // "" without attempts
	Attempts int
	Mark     float64
	// HiddenOnly is how many attempts were right on all rows that the learner sees and wrong on hidden ones.
	HiddenOnly int
}

// Progress returns the grid of a paper, for the learners of one course or ("") of all courses that it is set for.
func (c *Courses) Progress(ctx context.Context, who account.Account, paperSlug, courseSlug string) (*Progress, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	p, err := c.paper(ctx, who, paperSlug)
	if err != nil {
		return nil, err
	}
	var course *string
	if courseSlug != "" {
		if _, err := c.course(ctx, who, courseSlug); err != nil {
			return nil, err
		}
		course = &courseSlug
	}
	grid := &Progress{Slug: p.Slug, Title: p.Title}
	exercises, err := c.records.PaperExercises(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	learners, err := c.records.PaperLearners(ctx, query.PaperLearnersParams{PaperID: p.ID, Course: course})
	if err != nil {
		return nil, err
	}
	standing, err := c.records.PaperStanding(ctx, query.PaperStandingParams{PaperID: p.ID})
	if err != nil {
		return nil, err
	}
	type place struct{ learner, exercise int64 }
	cells := map[place]query.PaperStandingRow{}
	for _, st := range standing {
		cells[place{st.AccountID, st.ExerciseID}] = st
	}
	hidden, err := c.records.PaperHiddenOnly(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	hiddenOnly := map[place]int{}
	for _, h := range hidden {
		hiddenOnly[place{h.AccountID, h.ExerciseID}] = int(h.Attempts)
	}
	for _, e := range exercises {
		grid.Exercises = append(grid.Exercises, ExerciseHead{e.Slug, e.Title, int(e.Number), e.Points})
		grid.Points += e.Points
	}
	for _, l := range learners {
		line := LearnerProgress{Name: l.Name, DisplayName: l.DisplayName}
		for _, e := range exercises {
			st := cells[place{l.ID, e.ID}]
			line.Mark += st.Mark
			line.Cells = append(line.Cells, ProgressCell{marking.Outcome(st.Outcome), int(st.Attempts), st.Mark, hiddenOnly[place{l.ID, e.ID}]})
		}
		grid.Learners = append(grid.Learners, line)
	}
	return grid, nil
}
