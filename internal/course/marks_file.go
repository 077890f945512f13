package course

import (
	"context"
	"iter"
	"time"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/core/marking"
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
	grid, err := f.Progress(ctx, who, paper, course)
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
	file.Attempts = func(yield func(export.MarksAttempt, error) bool) {
		for _, e := range exercises {
			if !f.attempts(ctx, courses, e.ID, export.MarksAttempt{Number: e.Number, Exercise: e.Slug}, yield) {
				return
			}
		}
	}
	return file, err
}

// attemptsAtOnce is how many attempts are read at once.
const attemptsAtOnce = 2000

// attempts reads the attempts at an exercise; at is what they have in common. It returns whether more are wanted.
func (f Following) attempts(
	ctx context.Context, courses []int64, exercise int64, at export.MarksAttempt,
	yield func(export.MarksAttempt, error) bool,
) bool {
	params := query.AttemptsOfExerciseParams{ExerciseID: exercise, Courses: courses, Most: attemptsAtOnce}
	for {
		rows, err := f.records.AttemptsOfExercise(ctx, params)
		if err != nil {
			return yield(at, err) && false
		}
		for _, row := range rows {
			a := at
			a.Login, a.Name, a.Course, a.ID = row.Name, row.DisplayName, row.Course, row.ID
			a.Received, a.Outcome, a.SQL, a.Counts = row.ReceivedAt, marking.Outcome(row.Outcome), row.Sql, row.Counts
			a.Mark, a.Points = marking.PointsOf(row.Mark), marking.PointsOf(row.Points)
			if !yield(a, nil) {
				return false
			}
			params.AfterAccount, params.After = row.AccountID, row.ID
		}
		if len(rows) < attemptsAtOnce {
			return true
		}
	}
}
