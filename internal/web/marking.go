package web

import (
	"context"
	"strconv"

	"examen/internal/course"
	"examen/internal/problem"
	"examen/internal/web/contract"
)

// number reads the number of something that a call names in its text.
func number(what, text string) (int64, error) {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return 0, problem.New(422, "number", "A number is expected", "%.40q is the number of no %s.", text, what)
	}
	return n, nil
}

// lastMark reads the number of the last mark by hand that a caller knows of; nil where it does not say.
func lastMark(text string) (*int64, error) {
	if text == "" {
		return nil, nil
	}
	n, err := number("mark", text)
	return &n, err
}

func (s *server) GetMarksSet(
	ctx context.Context, request contract.GetMarksSetRequestObject,
) (contract.GetMarksSetResponseObject, error) {
	marks, err := s.Courses.Marking().Marks(ctx, who(ctx), course.Marked{
		Course: request.Params.Course, Paper: request.Paper, Exercise: request.Exercise, Learner: request.Learner,
	})
	if err != nil {
		return nil, err
	}
	return contract.GetMarksSet200JSONResponse(toMarks(marks)), nil
}

func (s *server) SetMark(
	ctx context.Context, request contract.SetMarkRequestObject,
) (contract.SetMarkResponseObject, error) {
	b := request.Body
	last, err := lastMark(b.Last)
	if err != nil {
		return nil, err
	}
	marks, err := s.Courses.Marking().Set(ctx, who(ctx), course.NewMark{
		Marked: course.Marked{
			Course: b.Course, Paper: request.Paper, Exercise: request.Exercise, Learner: request.Learner,
		},
		Mark: b.Mark, Reason: b.Reason, Last: last,
	})
	if err != nil {
		return nil, err
	}
	return contract.SetMark200JSONResponse(toMarks(marks)), nil
}

func (s *server) UndoMark(
	ctx context.Context, request contract.UndoMarkRequestObject,
) (contract.UndoMarkResponseObject, error) {
	last, err := lastMark(request.Params.Last)
	if err != nil {
		return nil, err
	}
	marks, err := s.Courses.Marking().Undo(ctx, who(ctx), course.Marked{
		Course: request.Params.Course, Paper: request.Paper, Exercise: request.Exercise, Learner: request.Learner,
	}, last)
	if err != nil {
		return nil, err
	}
	return contract.UndoMark200JSONResponse(toMarks(marks)), nil
}

func toMarks(m *course.Marks) contract.MarksSet {
	out := contract.MarksSet{
		Computed: m.Computed, Mark: m.Mark, Points: m.Points, Outcome: contract.Outcome(m.Outcome), ByHand: m.ByHand,
		Last: "0", Set: []contract.MarkSet{},
	}
	for _, set := range m.Set {
		out.Last = strconv.FormatInt(set.ID, 10)
		out.Set = append(out.Set, contract.MarkSet{
			Id: out.Last, Mark: set.Mark, Reason: set.Reason, By: set.By, At: set.At, Undone: set.Undone,
			Undoes: set.Undoes,
		})
	}
	return out
}

func (s *server) ListReviews(
	ctx context.Context, request contract.ListReviewsRequestObject,
) (contract.ListReviewsResponseObject, error) {
	p := request.Params
	list, err := s.Courses.Marking().List(ctx, who(ctx), course.ReviewFilter{
		Course: p.Course, Paper: p.Paper, Cause: course.Cause(p.Cause), After: p.After,
	})
	if err != nil {
		return nil, err
	}
	out := contract.Reviews{Reviews: []contract.Review{}, Next: list.Next}
	for _, r := range list.All {
		out.Reviews = append(out.Reviews, contract.Review{
			Id: r.ID, Cause: contract.ReviewCause(r.Cause), Reason: r.Reason, At: r.At, Course: r.Course,
			Paper:    r.Paper,
			Exercise: r.Exercise, Number: r.Number, Title: r.Title, Points: r.Points, Computed: r.Computed,
			Mark:   r.Mark,
			ByHand: r.ByHand, MarkReason: r.MarkReason, LastMark: strconv.FormatInt(r.LastMark, 10),
			Attempt: toShown(r.Attempt, r.Shown),
		})
	}
	return contract.ListReviews200JSONResponse(out), nil
}

func (s *server) FinishReview(
	ctx context.Context, request contract.FinishReviewRequestObject,
) (contract.FinishReviewResponseObject, error) {
	return contract.FinishReview204Response{}, s.Courses.Marking().Finish(ctx, who(ctx), request.Review)
}

func (s *server) ReopenReview(
	ctx context.Context, request contract.ReopenReviewRequestObject,
) (contract.ReopenReviewResponseObject, error) {
	return contract.ReopenReview204Response{}, s.Courses.Marking().Reopen(ctx, who(ctx), request.Review)
}

func (s *server) Dispute(
	ctx context.Context, request contract.DisputeRequestObject,
) (contract.DisputeResponseObject, error) {
	err := s.Courses.Marking().Dispute(ctx, who(ctx), request.Attempt, request.Body.Reason)
	return contract.Dispute204Response{}, err
}

func (s *server) WithdrawDispute(
	ctx context.Context, request contract.WithdrawDisputeRequestObject,
) (contract.WithdrawDisputeResponseObject, error) {
	return contract.WithdrawDispute204Response{}, s.Courses.Marking().WithdrawDispute(ctx, who(ctx), request.Attempt)
}
