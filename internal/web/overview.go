package web

import (
	"bytes"
	"context"
	"strconv"

	openapi "github.com/oapi-codegen/runtime/types"

	"examen/internal/course"
	"examen/internal/web/contract"
)

func (s *server) ListSameAnswers(
	ctx context.Context, request contract.ListSameAnswersRequestObject,
) (contract.ListSameAnswersResponseObject, error) {
	same, err := s.Courses.Following().SameAnswers(ctx, who(ctx), request.Paper, request.Params.Course)
	if err != nil {
		return nil, err
	}
	out := contract.SameAnswers{
		Paper: same.Paper, Title: same.Title, Texts: []contract.SameText{}, Pairs: []contract.SamePair{},
	}
	for _, t := range same.Texts {
		text := contract.SameText{
			Exercise: t.Exercise, Number: t.Number, Title: t.Title, Tried: t.Tried, Sql: t.SQL,
			Outcome: contract.Outcome(t.Outcome),
		}
		for _, w := range t.Writers {
			text.Writers = append(text.Writers, contract.TextWriter{
				Learner: w.Learner, DisplayName: w.Name, Attempt: strconv.FormatInt(w.Attempt, 10), At: w.At,
			})
		}
		out.Texts = append(out.Texts, text)
	}
	for _, p := range same.Pairs {
		pair := contract.SamePair{Exercises: p.Exercises}
		for _, w := range p.Learners {
			pair.Learners = append(pair.Learners, contract.Person{Login: w.Learner, DisplayName: w.Name})
		}
		out.Pairs = append(out.Pairs, pair)
	}
	return contract.ListSameAnswers200JSONResponse(out), nil
}

func (s *server) GetOverview(
	ctx context.Context, request contract.GetOverviewRequestObject,
) (contract.GetOverviewResponseObject, error) {
	o, err := s.Courses.Following().Overview(ctx, who(ctx), request.Course)
	if err != nil {
		return nil, err
	}
	return contract.GetOverview200JSONResponse(toOverview(o)), nil
}

func (s *server) GetReport(
	ctx context.Context, request contract.GetReportRequestObject,
) (contract.GetReportResponseObject, error) {
	report, err := s.Courses.Following().Report(ctx, who(ctx), request.Course, request.Params.Learner)
	if err != nil {
		return nil, err
	}
	var page bytes.Buffer
	if err := report.HTML(&page); err != nil {
		return nil, err
	}
	return contract.GetReport200TexthtmlResponse{Body: &page, ContentLength: int64(page.Len())}, nil
}

func toOverview(o *course.Overview) contract.Overview {
	out := contract.Overview{
		Course: o.Course.Slug, Title: o.Course.Title, Zone: o.Course.Zone, Learners: o.Learners, Reviews: o.Reviews,
		Papers: []contract.PaperOverview{}, Topics: []contract.Topic{}, Help: []contract.Need{},
		Days: []contract.ActiveDay{},
	}
	for _, p := range o.Papers {
		out.Papers = append(out.Papers, contract.PaperOverview{
			Paper: p.Slug, Title: p.Title, State: contract.PaperState(p.State), Due: p.Due, Exercises: p.Exercises,
			Begun: p.Begun, Done: p.Done, Tried: p.Tried, Solved: p.Solved, Stuck: p.Stuck, Mean: p.Mean,
			Points: p.Points,
		})
	}
	for _, t := range o.Topics {
		out.Topics = append(out.Topics, contract.Topic{
			Topic: t.Name, Exercises: t.Exercises, Tried: t.Tried, First: t.First, Solved: t.Solved,
		})
	}
	for _, n := range o.Help {
		need := contract.Need{Learner: n.Learner, DisplayName: n.Name, Group: n.Group}
		for _, r := range n.Reasons {
			need.Reasons = append(need.Reasons, contract.NeedReason{
				Kind: contract.NeedReasonKind(r.Kind), Paper: r.Paper, Exercise: r.Exercise, Due: r.Due, Tried: r.Tried,
				Solved: r.Solved,
			})
		}
		out.Help = append(out.Help, need)
	}
	for _, d := range o.Days {
		out.Days = append(out.Days, contract.ActiveDay{
			Day: openapi.Date{Time: d.Day}, Attempts: d.Attempts, Runs: d.Runs, Learners: d.Learners,
		})
	}
	return out
}
