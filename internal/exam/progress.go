package exam

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
	Exercises   []query.Exercise
	Learners    []LearnerProgress
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
func (s *Service) Progress(ctx context.Context, who account.Account, paperSlug, courseSlug string) (*Progress, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	p, err := s.paper(ctx, who, paperSlug)
	if err != nil {
		return nil, err
	}
	if courseSlug != "" {
		if _, err := s.course(ctx, who, courseSlug); err != nil {
			return nil, err
		}
	}
	grid := &Progress{Slug: p.Slug, Title: p.Title}
	if grid.Exercises, err = s.records.PaperExercises(ctx, p.ID); err != nil {
		return nil, err
	}
	learners, err := s.records.PaperLearners(ctx, query.PaperLearnersParams{PaperID: p.ID, Course: filter(courseSlug)})
	if err != nil {
		return nil, err
	}
	standing, err := s.records.PaperStanding(ctx, query.PaperStandingParams{PaperID: p.ID})
	if err != nil {
		return nil, err
	}
	type place struct{ learner, exercise int64 }
	cells := map[place]query.PaperStandingRow{}
	for _, st := range standing {
		cells[place{st.AccountID, st.ExerciseID}] = st
	}
	hidden, err := s.records.PaperHiddenOnly(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	hiddenOnly := map[place]int{}
	for _, h := range hidden {
		hiddenOnly[place{h.AccountID, h.ExerciseID}] = int(h.Attempts)
	}
	for _, e := range grid.Exercises {
		grid.Points += e.Points
	}
	for _, l := range learners {
		line := LearnerProgress{Name: l.Name, DisplayName: l.DisplayName}
		for _, e := range grid.Exercises {
			st := cells[place{l.ID, e.ID}]
			line.Mark += st.Mark
			line.Cells = append(line.Cells, ProgressCell{marking.Outcome(st.Outcome), int(st.Attempts), st.Mark, hiddenOnly[place{l.ID, e.ID}]})
		}
		grid.Learners = append(grid.Learners, line)
	}
	return grid, nil
}
