package web

import (
	"context"
	"slices"
	"strconv"

	openapi "github.com/oapi-codegen/runtime/types"

	"examen/internal/course"
	"examen/internal/web/contract"
)

func (s *server) GetProgress(
	ctx context.Context, request contract.GetProgressRequestObject,
) (contract.GetProgressResponseObject, error) {
	grid, err := s.Courses.Following().Progress(ctx, who(ctx), request.Paper, request.Params.Course,
		request.Params.First)
	if err != nil {
		return nil, err
	}
	return contract.GetProgress200JSONResponse(toProgress(grid)), nil
}

func (s *server) WatchProgress(
	ctx context.Context, request contract.WatchProgressRequestObject,
) (contract.WatchProgressResponseObject, error) {
	reader, of := who(ctx), s.Courses.Following()
	if err := of.MayWatch(ctx, reader, request.Paper, request.Params.Course); err != nil {
		return nil, err
	}
	return events{s, ctx, func(ctx context.Context, each func(any) error) error {
		return of.Watch(ctx, reader, request.Paper, request.Params.Course, func(changes []course.ProgressChange) error {
			news := contract.ProgressNews{Again: changes == nil}
			for _, c := range changes {
				news.Cells = append(news.Cells, contract.ChangedCell{
					Learner: c.Learner, Course: c.Course, Exercise: c.Exercise, At: c.Cell.Last, Cell: toCell(c.Cell),
				})
			}
			return each(news)
		})
	}}, nil
}

func toProgress(p *course.Progress) contract.Progress {
	out := contract.Progress{
		Paper:     p.Slug,
		Title:     p.Title,
		Points:    p.Points,
		Exercises: []contract.ExerciseHead{},
		Learners:  []contract.LearnerProgress{},
		More:      p.More,
	}
	for _, e := range p.Exercises {
		out.Exercises = append(
			out.Exercises, contract.ExerciseHead{Slug: e.Slug, Number: e.Number, Title: e.Title, Points: e.Points},
		)
	}
	for _, l := range p.Learners {
		line := contract.LearnerProgress{
			Name:        l.Name,
			DisplayName: l.DisplayName,
			Course:      l.Course,
			Group:       l.Group,
			Mark:        l.Mark,
			Last:        l.Last,
			Cells:       []contract.ProgressCell{},
		}
		for _, c := range l.Cells {
			line.Cells = append(line.Cells, toCell(c))
		}
		out.Learners = append(out.Learners, line)
	}
	return out
}

func toCell(c course.Standing) contract.ProgressCell {
	return contract.ProgressCell{
		Outcome: contract.Outcome(c.Outcome), Attempts: c.Attempts, Mark: c.Mark, ByHand: c.ByHand,
		HiddenOnly: c.HiddenOnly, Tries: c.Tries, Stuck: c.Stuck, Worked: int(c.Worked.Seconds()),
	}
}

func (s *server) GetClass(
	ctx context.Context, request contract.GetClassRequestObject,
) (contract.GetClassResponseObject, error) {
	c, err := s.Courses.Following().Class(ctx, who(ctx), request.Paper, request.Exercise, request.Params.Course)
	if err != nil {
		return nil, err
	}
	return contract.GetClass200JSONResponse(toClass(c)), nil
}

func toClass(c *course.Class) contract.Class {
	out := contract.Class{
		Paper: c.Paper, Exercise: c.Slug, Number: c.Number, Title: c.Title, Points: c.Points, Learners: c.Learners,
		Tried: c.Tried, Solved: c.Solved, Attempts: c.Attempts, Tries: []contract.ClassTries{},
		Worked: append([]int{}, c.Worked...), Findings: []contract.ClassFinding{}, Firsts: []contract.ClassDay{},
		Alike: []contract.AlikeAttempts{},
	}
	for _, bar := range c.Tries {
		out.Tries = append(out.Tries, contract.ClassTries{Attempts: bar.At, Solved: bar.Solved, Unsolved: bar.Unsolved})
	}
	for _, k := range c.Kinds {
		example, said := c.Examples[k.Example], k.Kind
		if at := slices.IndexFunc(toFindings(example.Findings), func(f contract.Finding) bool {
			return f.Kind == k.Kind
		}); at >= 0 {
			said = toFindings(example.Findings)[at].Sentence
		} else if example.Error != nil {
			said = example.Error.Detail
		}
		out.Findings = append(out.Findings, contract.ClassFinding{
			Kind: k.Kind, Attempts: k.Attempts, Learners: k.Learners, Sentence: said,
		})
	}
	for _, d := range c.Firsts {
		out.Firsts = append(out.Firsts, contract.ClassDay{
			Day: openapi.Date{Time: d.Day}, Correct: d.Correct, Other: d.Other,
		})
	}
	for _, g := range c.Alike {
		out.Alike = append(out.Alike, contract.AlikeAttempts{
			Attempts: g.Attempts, Learners: g.Learners, Example: toShown(g.Example, c.Examples[g.Example]),
		})
	}
	return out
}

func toShown(attempt int64, e course.Shown) contract.ShownAttempt {
	return contract.ShownAttempt{
		Attempt: strconv.FormatInt(attempt, 10), At: e.At, Learner: e.Learner, DisplayName: e.Name, Sql: e.SQL,
		Outcome: contract.Outcome(e.Outcome), Findings: toFindings(e.Findings), Error: toProblem(e.Error),
	}
}
