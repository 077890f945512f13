package course

import (
	"context"
	"fmt"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// A Class is how those who study an exercise get on with it.
type Class struct {
	Paper, Slug, Title string
	Number             int
	Points             marking.Points
	Learners           int
	Worked             []int // seconds of work of who has solved it, the shortest first
	Examples           map[int64]Shown
	marking.Class
}

// A Shown is an attempt as an example of others.
type Shown struct {
	At                 time.Time
	Learner, Name, SQL string
	Outcome            marking.Outcome
	Findings           []explain.Finding
	Error              *problem.Problem
}

// mostAlike is how many groups of alike attempts are told at most.
const mostAlike = 50

// Class returns how a class gets on with an exercise: of one course, or for "" of all that the account may follow.
func (f Following) Class(ctx context.Context, who account.Account, paper, address, course string) (*Class, error) {
	courses, err := followed(who, course)
	if err != nil {
		return nil, err
	}
	p, err := f.paper(ctx, who, paper)
	if err != nil {
		return nil, err
	}
	e, err := f.library.Exercise(ctx, p, address)
	if err != nil {
		return nil, err
	}
	zone := time.UTC
	if course != "" {
		if row, err := f.find(ctx, course); err == nil {
			zone, _ = time.LoadLocation(row.Zone) // it was looked at when it was set
		}
	}
	learners, err := f.records.PaperLearners(ctx, query.PaperLearnersParams{PaperID: p.ID, Courses: courses})
	if err != nil {
		return nil, err
	}
	tries, err := f.tries(ctx, e.ID, courses)
	if err != nil {
		return nil, err
	}
	worked, err := f.records.ClassWorked(ctx, query.ClassWorkedParams{ExerciseID: e.ID, Courses: courses})
	if err != nil {
		return nil, err
	}
	c := &Class{
		Paper: p.Slug, Slug: e.Slug, Title: e.Title, Number: e.Number, Points: e.Points, Learners: len(learners),
		Class: marking.ClassOf(tries, zone),
	}
	for _, seconds := range worked {
		c.Worked = append(c.Worked, int(seconds))
	}
	slices.Sort(c.Worked)
	c.Alike = c.Alike[:min(len(c.Alike), mostAlike)]
	c.Examples, err = f.shown(ctx, c)
	return c, err
}

// tries reads all attempts at an exercise.
func (f Following) tries(ctx context.Context, exercise int64, courses []int64) (tries []marking.Try, err error) {
	if err := f.keepShapes(ctx, []int64{exercise}, courses); err != nil {
		return nil, err
	}
	rows, err := f.records.ClassAttempts(ctx, query.ClassAttemptsParams{ExerciseID: exercise, Courses: courses})
	for _, row := range rows {
		t := marking.Try{
			ID: row.ID, Learner: row.AccountID, Received: row.ReceivedAt, Outcome: marking.Outcome(row.Outcome),
			Kinds: row.Kinds, Tree: string(row.AnyLiterals),
		}
		if row.Fingerprint != nil { // of the rows of one build
			t.Result = fmt.Sprintf("%d %x", row.BuildID, row.Fingerprint)
		}
		tries = append(tries, t)
	}
	return tries, err
}

// shapesAtOnce is how many texts are read at once.
const shapesAtOnce = 1000

// keepShapes keeps the shapes of attempts of which they were not asked for yet.
func (f Following) keepShapes(ctx context.Context, exercises, courses []int64) error {
	for {
		rows, err := f.records.AttemptsWithoutShape(ctx, query.AttemptsWithoutShapeParams{
			Exercises: exercises, Courses: courses, Most: shapesAtOnce,
		})
		if err != nil || len(rows) == 0 {
			return err
		}
		var kept query.KeepShapesParams
		for _, row := range rows {
			exact, any := []byte{}, []byte{}
			if q, err := sqltext.ReadQuery(row.Sql); err == nil {
				one, other := q.Shapes()
				exact, any = one[:], other[:]
			}
			kept.Attempts = append(kept.Attempts, row.ID)
			kept.Exact, kept.AnyLiterals = append(kept.Exact, exact), append(kept.AnyLiterals, any)
		}
		if err := f.records.KeepShapes(ctx, kept); err != nil || len(rows) < shapesAtOnce {
			return err
		}
	}
}

// shown reads the attempts that are examples.
func (f Following) shown(ctx context.Context, c *Class) (map[int64]Shown, error) {
	var ids []int64
	for _, g := range c.Alike {
		ids = append(ids, g.Example)
	}
	for _, k := range c.Kinds {
		ids = append(ids, k.Example)
	}
	rows, err := f.records.AttemptsShown(ctx, ids)
	all := map[int64]Shown{}
	for _, row := range rows {
		all[row.ID] = shownOf(
			row.ReceivedAt, row.Name, row.DisplayName, row.Sql, row.Outcome, row.Findings, row.Error,
		)
	}
	return all, err
}
