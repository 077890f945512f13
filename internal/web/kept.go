package web

import (
	"context"
	"fmt"
	"strings"

	"github.com/gin-gonic/gin"

	"examen/internal/problem"
	"examen/internal/web/contract"
	"examen/internal/work"
)

// The calls about what somebody has done and keeps: the history, marks, texts of their own, and a paper as a file.

func (s *server) ListHistory(
	ctx context.Context, request contract.ListHistoryRequestObject,
) (contract.ListHistoryResponseObject, error) {
	p := request.Params
	if p.Outcome != "" && !p.Outcome.Valid() || p.Kind != "" && !p.Kind.Valid() {
		return nil, &problem.Problem{Type: "examen:unreadable", Title: "Invalid request", Status: 400,
			Detail: fmt.Sprintf(
				"outcome %q, kind %q: expected are correct, incorrect, rejected, failed, stopped or done, and run "+
					"or attempt.",
				p.Outcome, p.Kind,
			)}
	}
	page, err := s.Work.History(ctx, who(ctx), work.HistoryFilter{
		Paper: p.Paper, Exercise: p.Exercise, Learner: p.Learner,
		Dataset: p.Dataset, Outcome: string(p.Outcome), Kind: string(p.Kind), Text: p.Text, Kept: p.Kept,
		Since: p.Since, Until: p.Until, Before: p.Before, Limit: p.Limit,
	})
	if err != nil {
		return nil, err
	}
	out := contract.ListHistory200JSONResponse{Entries: []contract.HistoryEntry{}, Next: page.Next}
	for _, e := range page.Entries {
		out.Entries = append(out.Entries, toEntry(e))
	}
	return out, nil
}

func (s *server) KeepEntry(
	ctx context.Context, request contract.KeepEntryRequestObject,
) (contract.KeepEntryResponseObject, error) {
	err := s.Work.KeepEntry(ctx, who(ctx), request.Entry, request.Body.Kept, request.Body.Name)
	return contract.KeepEntry204Response{}, err
}

func (s *server) ClearRun(
	ctx context.Context, request contract.ClearRunRequestObject,
) (contract.ClearRunResponseObject, error) {
	return contract.ClearRun204Response{}, s.Work.ClearRun(ctx, who(ctx), request.Entry)
}

func (s *server) ClearRuns(
	ctx context.Context, request contract.ClearRunsRequestObject,
) (contract.ClearRunsResponseObject, error) {
	n, err := s.Work.ClearRuns(ctx, who(ctx), request.Params.Paper, request.Params.Exercise)
	return contract.ClearRuns200JSONResponse{Runs: n}, err
}

func (s *server) ListOwnMarks(
	ctx context.Context, _ contract.ListOwnMarksRequestObject,
) (contract.ListOwnMarksResponseObject, error) {
	papers, err := s.Courses.Marks(ctx, who(ctx))
	out := contract.ListOwnMarks200JSONResponse{}
	for _, p := range papers {
		marks := contract.PaperMarks{Summary: toSummary(p.Listed), Exercises: []contract.ExerciseMark{}}
		for _, e := range p.Exercises {
			marks.Exercises = append(marks.Exercises, contract.ExerciseMark{
				Slug: e.Slug, Number: e.Number, Title: e.Title, Outcome: contract.Outcome(e.Outcome), Mark: e.Mark,
				Points: e.Points, Attempts: e.Attempts, CountsAt: orZero(e.CountsAt), ByHand: e.ByHand,
				Reason: e.Reason,
			})
		}
		out = append(out, marks)
	}
	return out, err
}

func (s *server) ListTexts(
	ctx context.Context, _ contract.ListTextsRequestObject,
) (contract.ListTextsResponseObject, error) {
	texts, err := s.Work.Texts(ctx, who(ctx))
	out := contract.ListTexts200JSONResponse{}
	for i := range texts {
		out = append(out, toText(&texts[i]))
	}
	return out, err
}

func (s *server) AddText(
	ctx context.Context, request contract.AddTextRequestObject,
) (contract.AddTextResponseObject, error) {
	t, err := s.Work.AddText(ctx, who(ctx), newText(request.Body))
	if err != nil {
		return nil, err
	}
	return contract.AddText201JSONResponse(toText(t)), nil
}

func (s *server) KeepText(
	ctx context.Context, request contract.KeepTextRequestObject,
) (contract.KeepTextResponseObject, error) {
	t, err := s.Work.KeepText(ctx, who(ctx), request.Text, newText(request.Body))
	if err != nil {
		return nil, err
	}
	return contract.KeepText200JSONResponse(toText(t)), nil
}

func (s *server) RemoveText(
	ctx context.Context, request contract.RemoveTextRequestObject,
) (contract.RemoveTextResponseObject, error) {
	return contract.RemoveText204Response{}, s.Work.RemoveText(ctx, who(ctx), request.Text)
}

func newText(t *contract.NewText) work.NewText {
	return work.NewText{Name: t.Name, Dataset: t.Dataset, SQL: t.Sql, Revision: t.Revision}
}

func toText(t *work.Text) contract.OwnText {
	return contract.OwnText{
		Id: t.ID, Name: t.Name, Dataset: t.Dataset, Sql: t.SQL, At: t.Kept, Revision: t.Revision,
	}
}

func (s *server) GetPaperFile(
	ctx context.Context, request contract.GetPaperFileRequestObject,
) (contract.GetPaperFileResponseObject, error) {
	format := request.Params.Format
	if format == "" {
		format = contract.FileHTML
	}
	if !format.Valid() {
		return nil, problem.New(
			400, "unreadable", "Invalid request", "format %q: html or markdown is expected.", format,
		)
	}
	file, err := s.Work.File(ctx, who(ctx), request.Paper, string(format))
	if err != nil {
		return nil, err
	}
	name := request.Paper + ".html"
	if format == contract.FileMarkdown {
		name = request.Paper + ".md"
	}
	c := ctx.(*gin.Context)
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	c.Header("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox")
	if format == contract.FileMarkdown {
		return contract.GetPaperFile200TextmarkdownResponse{
			Body: strings.NewReader(file), ContentLength: int64(len(file)),
		}, nil
	}
	return contract.GetPaperFile200TexthtmlResponse{
		Body: strings.NewReader(file), ContentLength: int64(len(file)),
	}, nil
}
