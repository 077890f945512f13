package course

import (
	"context"
	"iter"
	"time"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/core/marking"
	"examen/internal/library"
	"examen/internal/records/query"
)

// A MarksFile is the marks of a class for a paper, as they are handed on, with a way to its attempts.
type MarksFile struct {
	*Progress
	Marks    export.Marks
	Attempts iter.Seq2[export.MarksAttempt, error] // read as they are asked for
}

// Marks returns the marks of a class for a paper: of one course, or for "" of all that the account may follow.
func (f Following) Marks(ctx context.Context, who account.Account, paper, course string) (*MarksFile, error) {
	grid, err := f.Progress(ctx, who, paper, course, 0)
	if err != nil {
		return nil, err
	}
	file := &MarksFile{Progress: grid, Marks: export.Marks{Zone: time.UTC}}
	if course != "" {
		row, err := f.find(ctx, course)
		if err != nil {
			return nil, err
		}
		file.Marks.Zone, _ = time.LoadLocation(row.Zone) // it was looked at when it was set
	}
	for _, e := range grid.Exercises {
		file.Marks.Exercises = append(file.Marks.Exercises, export.MarksExercise{
			Number: e.Number, Slug: e.Slug, Points: e.Points,
		})
	}
	for _, l := range grid.Learners {
		line := export.MarksLearner{Login: l.Name, Name: l.DisplayName, Group: l.Group, Course: l.Course}
		for _, c := range l.Cells {
			line.Marks = append(line.Marks, export.Mark{
				Points: c.Mark, None: c.Attempts == 0 && !c.ByHand, ByHand: c.ByHand,
			})
		}
		file.Marks.Learners = append(file.Marks.Learners, line)
	}
	courses, err := followed(who, course)
	if err != nil {
		return nil, err
	}
	p, err := f.paper(ctx, who, paper)
	if err != nil {
		return nil, err
	}
	exercises, err := f.library.Exercises(ctx, p)
	file.Attempts = func(yield func(export.MarksAttempt, error) bool) { f.attempts(ctx, courses, exercises, yield) }
	return file, err
}

// learnersAtOnce is of how many learners attempts are read at once.
const learnersAtOnce = 100

// attempts reads the attempts at exercises of a paper, some learners' at a time.
func (f Following) attempts(
	ctx context.Context, courses []int64, exercises []*library.Exercise, yield func(export.MarksAttempt, error) bool,
) {
	params := query.AttemptsAtParams{Courses: courses}
	byID := map[int64]*library.Exercise{}
	for _, e := range exercises {
		params.Exercises, byID[e.ID] = append(params.Exercises, e.ID), e
	}
	for {
		page, err := f.records.LearnersFrom(ctx, query.LearnersFromParams{
			Courses: courses, AfterAccount: params.AfterAccount, AfterCourse: params.AfterCourse,
			Learners: learnersAtOnce,
		})
		if err == nil && len(page) == 0 {
			return
		}
		var rows []query.AttemptsAtRow
		if err == nil {
			params.ToAccount, params.ToCourse = page[len(page)-1].AccountID, page[len(page)-1].CourseID
			rows, err = f.records.AttemptsAt(ctx, params)
		}
		if err != nil {
			yield(export.MarksAttempt{}, err)
			return
		}
		for _, row := range rows {
			e := byID[row.ExerciseID]
			if !yield(export.MarksAttempt{
				Login: row.Name, Name: row.DisplayName, Course: row.Course, Number: e.Number, Exercise: e.Slug,
				ID:       row.ID,
				Received: row.ReceivedAt, Outcome: marking.Outcome(row.Outcome), SQL: row.Sql, Counts: row.Counts,
				Mark: marking.PointsOf(row.Mark), Points: marking.PointsOf(row.Points),
			}, nil) {
				return
			}
		}
		params.AfterAccount, params.AfterCourse = params.ToAccount, params.ToCourse
	}
}
