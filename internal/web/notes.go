package web

import (
	"context"
	"strconv"

	"examen/internal/course"
	"examen/internal/web/contract"
)

func (s *server) ListNotes(
	ctx context.Context, request contract.ListNotesRequestObject,
) (contract.ListNotesResponseObject, error) {
	p := request.Params
	page, err := s.Courses.Notes().List(ctx, who(ctx), course.NoteFilter{
		Course: p.Course, Paper: p.Paper, Exercise: p.Exercise, Learner: p.Learner, Attempt: p.Attempt,
		Before: p.Before,
	})
	if err != nil {
		return nil, err
	}
	out := contract.NotePage{Notes: []contract.Note{}, Next: page.Next}
	for _, n := range page.Notes {
		out.Notes = append(out.Notes, toNote(n))
	}
	return contract.ListNotes200JSONResponse(out), nil
}

func (s *server) WriteNote(
	ctx context.Context, request contract.WriteNoteRequestObject,
) (contract.WriteNoteResponseObject, error) {
	b := request.Body
	attempt, err := number("attempt", b.Attempt)
	if err != nil {
		return nil, err
	}
	made := course.NewNote{Attempt: attempt, Text: b.Text, Quote: b.Quote, Alike: b.Alike, Later: b.Later}
	if (b.Place != contract.TextSpan{}) {
		made.Place = &course.TextSpan{From: b.Place.From, To: b.Place.To}
	}
	id, learners, err := s.Courses.Notes().Write(ctx, who(ctx), made)
	if err != nil {
		return nil, err
	}
	return contract.WriteNote201JSONResponse{Id: strconv.FormatInt(id, 10), Learners: learners}, nil
}

func (s *server) SeeNotes(
	ctx context.Context, request contract.SeeNotesRequestObject,
) (contract.SeeNotesResponseObject, error) {
	var ids []int64
	for _, text := range request.Body.Notes {
		id, err := number("note", text)
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return contract.SeeNotes204Response{}, s.Courses.Notes().See(ctx, who(ctx), ids)
}

func (s *server) WithdrawNote(
	ctx context.Context, request contract.WithdrawNoteRequestObject,
) (contract.WithdrawNoteResponseObject, error) {
	return contract.WithdrawNote204Response{}, s.Courses.Notes().Withdraw(ctx, who(ctx), request.Note)
}

func (s *server) AnswerNote(
	ctx context.Context, request contract.AnswerNoteRequestObject,
) (contract.AnswerNoteResponseObject, error) {
	b := request.Body
	return contract.AnswerNote204Response{}, s.Courses.Notes().Answer(ctx, who(ctx), request.Note, b.Learner, b.Text)
}

func toNote(n course.Note) contract.Note {
	out := contract.Note{
		Id: strconv.FormatInt(n.ID, 10), Course: n.Course, Paper: n.Paper, Exercise: n.Exercise, Text: n.Text,
		Later: n.Later, By: n.By, At: n.At, Readers: []contract.NoteReader{},
	}
	if n.Place != nil {
		out.Place, out.Quote = contract.TextSpan{From: n.Place.From, To: n.Place.To}, n.Quote
	}
	for _, r := range n.Readers {
		reader := contract.NoteReader{
			Learner: r.Learner, DisplayName: r.Name, Attempts: []string{}, At: r.At, Seen: orZero(r.Seen),
			Answers: []contract.NoteAnswer{},
		}
		for _, id := range r.Attempts {
			reader.Attempts = append(reader.Attempts, strconv.FormatInt(id, 10))
		}
		for _, a := range r.Answers {
			reader.Answers = append(reader.Answers, contract.NoteAnswer{
				Text: a.Text, By: a.By, At: a.At, Learner: a.Learner,
			})
		}
		out.Readers = append(out.Readers, reader)
	}
	return out
}
