package web

import (
	"context"
	"io"
	"slices"
	"strings"

	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func (s *server) CreatePaper(
	ctx context.Context, request contract.CreatePaperRequestObject,
) (contract.CreatePaperResponseObject, error) {
	b := request.Body
	text, err := s.Library.Authoring().Create(ctx, who(ctx), library.NewPaper{
		Slug: b.Slug, Title: b.Title, Dataset: b.Dataset, Copy: b.Copy,
	})
	return contract.CreatePaper201JSONResponse(toWriting(text)), err
}

func (s *server) GetWriting(
	ctx context.Context, request contract.GetWritingRequestObject,
) (contract.GetWritingResponseObject, error) {
	text, err := s.Library.Authoring().Read(ctx, who(ctx), request.Paper, 0)
	return contract.GetWriting200JSONResponse(toWriting(text)), err
}

func (s *server) BeWriting(
	ctx context.Context, request contract.BeWritingRequestObject,
) (contract.BeWritingResponseObject, error) {
	b := request.Body
	at := library.Place{Window: b.Window, Part: b.Part, Gone: b.Gone}
	text, err := s.Library.Authoring().Here(ctx, who(ctx), request.Paper, at, b.Since)
	return contract.BeWriting200JSONResponse(toWriting(text)), err
}

func (s *server) DiscardWriting(
	ctx context.Context, request contract.DiscardWritingRequestObject,
) (contract.DiscardWritingResponseObject, error) {
	return contract.DiscardWriting204Response{}, s.Library.Authoring().Discard(ctx, who(ctx), request.Paper)
}

func (s *server) AddPart(
	ctx context.Context, request contract.AddPartRequestObject,
) (contract.AddPartResponseObject, error) {
	b := request.Body
	text, err := s.Library.Authoring().Add(ctx, who(ctx), request.Paper, library.NewPart{
		After: b.After, Text: b.Text, Paper: b.Paper, Exercise: b.Exercise,
	})
	return contract.AddPart201JSONResponse(toWriting(text)), err
}

func (s *server) KeepPart(
	ctx context.Context, request contract.KeepPartRequestObject,
) (contract.KeepPartResponseObject, error) {
	text, err := s.Library.Authoring().Keep(
		ctx, who(ctx), request.Paper, request.Part, request.Body.Text, request.Body.Revision,
	)
	return contract.KeepPart200JSONResponse(toWriting(text)), err
}

func (s *server) RemovePart(
	ctx context.Context, request contract.RemovePartRequestObject,
) (contract.RemovePartResponseObject, error) {
	text, err := s.Library.Authoring().Remove(
		ctx, who(ctx), request.Paper, request.Part, request.Params.Revision,
	)
	return contract.RemovePart200JSONResponse(toWriting(text)), err
}

func (s *server) MovePart(
	ctx context.Context, request contract.MovePartRequestObject,
) (contract.MovePartResponseObject, error) {
	text, err := s.Library.Authoring().Move(ctx, who(ctx), request.Paper, request.Part, request.Body.After)
	return contract.MovePart200JSONResponse(toWriting(text)), err
}

func (s *server) GetWritingText(
	ctx context.Context, request contract.GetWritingTextRequestObject,
) (contract.GetWritingTextResponseObject, error) {
	text, err := s.Library.Authoring().Whole(ctx, who(ctx), request.Paper)
	return contract.GetWritingText200TextmarkdownResponse{
		Body: strings.NewReader(text), ContentLength: int64(len(text)),
	}, err
}

func (s *server) ReplaceWriting(
	ctx context.Context, request contract.ReplaceWritingRequestObject,
) (contract.ReplaceWritingResponseObject, error) {
	r, err := s.Library.Authoring().Replace(ctx, who(ctx), request.Paper, request.Body.Base, request.Body.Text)
	if err != nil {
		return nil, err
	}
	out := contract.ReplaceWriting200JSONResponse{
		Text: r.Whole, Base: r.Base, Conflicts: []contract.SectionConflict{}, Wrong: toTextErrors(r.Wrong),
	}
	for _, c := range r.Conflicts {
		out.Conflicts = append(out.Conflicts, contract.SectionConflict{Title: c.Title, Ours: c.Ours, Theirs: c.Theirs})
	}
	return out, nil
}

func (s *server) TryAnswer(
	ctx context.Context, request contract.TryAnswerRequestObject,
) (contract.TryAnswerResponseObject, error) {
	t, err := s.Library.Authoring().Try(ctx, who(ctx), request.Paper, request.Body.Sql)
	if err != nil {
		return nil, err
	}
	rows := t.Rows
	if rows == nil {
		rows = contract.Rows{}
	}
	out := contract.TryAnswer200JSONResponse{
		Columns: toColumns(t.Columns), Rows: rows, RowCount: t.RowCount, Truncated: t.Truncated,
		ElapsedMs: milliseconds(t.Elapsed), Error: toProblem(t.Error), Ordered: t.Ordered, Constructs: t.Constructs,
	}
	if t.Left != nil {
		out.Left = toChanges(t.Left)
	}
	return out, nil
}

func (s *server) AddPicture(
	ctx context.Context, request contract.AddPictureRequestObject,
) (contract.AddPictureResponseObject, error) {
	content, err := io.ReadAll(io.LimitReader(request.Body, pack.LargestPicture+1))
	if err != nil {
		return nil, err
	}
	_, _ = io.Copy(io.Discard, request.Body) // the caller gets to read the answer
	text, err := s.Library.Authoring().AddPicture(ctx, who(ctx), request.Paper, request.Name, content)
	return contract.AddPicture200JSONResponse(toWriting(text)), err
}

func (s *server) GetPublication(
	ctx context.Context, request contract.GetPublicationRequestObject,
) (contract.GetPublicationResponseObject, error) {
	p, err := s.Library.Authoring().Publication(ctx, who(ctx), request.Paper)
	if err != nil {
		return nil, err
	}
	out := contract.GetPublication200JSONResponse{
		Title: p.Title, Revision: p.Revision, First: p.First, Sections: toSectionChanges(p.Sections),
		Was: p.Was, Is: p.Is,
		Exercises: []contract.ExerciseChange{}, Courses: []contract.CourseAffected{}, Wrong: toTextErrors(p.Wrong),
	}
	for _, e := range p.Exercises {
		change := contract.ExerciseChange{Slug: e.Slug, Title: e.Title, Attempts: e.Attempts, Learners: e.Learners}
		for _, what := range e.What {
			change.What = append(change.What, contract.ExerciseChangeWhat(what))
		}
		out.Exercises = append(out.Exercises, change)
	}
	for _, c := range p.Courses {
		out.Courses = append(out.Courses, contract.CourseAffected{
			Slug: c.Slug, Title: c.Title, Learners: c.Learners, Open: c.Open,
		})
	}
	return out, nil
}

func (s *server) PublishPaper(
	ctx context.Context, request contract.PublishPaperRequestObject,
) (contract.PublishPaperResponseObject, error) {
	job, err := s.Library.Authoring().Publish(
		ctx, who(ctx), request.Paper, request.Body.Revision, request.Body.Note,
	)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.PublishPaper202JSONResponse(out), err
}

func (s *server) ListVersions(
	ctx context.Context, request contract.ListVersionsRequestObject,
) (contract.ListVersionsResponseObject, error) {
	all, err := s.Library.Authoring().Versions(ctx, who(ctx), request.Paper)
	out := contract.ListVersions200JSONResponse{}
	for _, v := range all {
		out = append(out, contract.PaperVersion{
			Version: v.Number, Origin: contract.PaperVersionOrigin(v.Origin), Note: v.Note, By: v.By, At: v.At,
			Published: v.Published,
		})
	}
	return out, err
}

func (s *server) GetVersion(
	ctx context.Context, request contract.GetVersionRequestObject,
) (contract.GetVersionResponseObject, error) {
	text, err := s.Library.Authoring().VersionText(ctx, who(ctx), request.Paper, request.Version)
	return contract.GetVersion200TextmarkdownResponse{
		Body: strings.NewReader(text), ContentLength: int64(len(text)),
	}, err
}

func (s *server) RestoreVersion(
	ctx context.Context, request contract.RestoreVersionRequestObject,
) (contract.RestoreVersionResponseObject, error) {
	text, err := s.Library.Authoring().Restore(ctx, who(ctx), request.Paper, request.Version)
	return contract.RestoreVersion200JSONResponse(toWriting(text)), err
}

func (s *server) FindExercises(
	ctx context.Context, request contract.FindExercisesRequestObject,
) (contract.FindExercisesResponseObject, error) {
	p := request.Params
	found, err := s.Library.Authoring().Find(ctx, who(ctx), library.Search{
		Text: p.Text, Dataset: p.Dataset, Table: p.Table, Construct: p.Construct, Column: p.Column,
	})
	out := contract.FindExercises200JSONResponse{}
	for _, f := range found {
		e := contract.FoundExercise{
			Title: f.Title, Dataset: f.Dataset, ReferenceAnswer: f.Reference, Tables: f.Tables,
			Constructs: f.Constructs, Columns: f.Columns, In: []contract.FoundIn{},
			Learners: f.Learners, Solved: f.Solved, Attempts: f.Attempts, SolvedAttempts: f.SolvedAttempts,
		}
		for _, in := range f.In {
			e.In = append(e.In, contract.FoundIn{
				Paper: in.Paper, PaperTitle: in.PaperTitle, Exercise: in.Exercise, Number: in.Number, Points: in.Points,
				Strength: counted(in.Strength),
			})
		}
		out = append(out, e)
	}
	return out, err
}

func toWriting(t *library.Text) contract.Writing {
	if t == nil {
		return contract.Writing{}
	}
	out := contract.Writing{
		Paper: t.Paper, Title: t.Title, Dataset: t.Dataset, Build: t.Build, Revision: t.Revision, Order: t.Order,
		Parts: []contract.WritingPart{}, Wrong: []contract.PartError{}, Unpublished: t.Unpublished,
		Published: orZero(t.Published), Writers: []contract.Writer{}, Pictures: []contract.WritingPicture{},
		Constructs: t.Constructs, Unchanged: t.Unchanged,
	}
	if out.Order == nil {
		out.Order = []int{}
	}
	pictures := addresses(t.Paper, t.Pictures)
	for _, p := range t.Parts {
		out.Parts = append(out.Parts, toWritingPart(p, t, pictures))
	}
	for _, id := range t.Order {
		for _, w := range t.Wrong[id] {
			out.Wrong = append(out.Wrong, contract.PartError{Part: id, Line: w.Line, Detail: w.Detail})
		}
	}
	for _, w := range t.Writers {
		out.Writers = append(out.Writers, contract.Writer{
			Name: w.Name, DisplayName: w.DisplayName, Window: w.Window, Part: w.Part,
		})
	}
	for name, address := range pictures {
		out.Pictures = append(out.Pictures, contract.WritingPicture{Name: name, Address: address})
	}
	slices.SortFunc(out.Pictures, func(a, b contract.WritingPicture) int { return strings.Compare(a.Name, b.Name) })
	return out
}

func toWritingPart(p library.TextPart, t *library.Text, pictures map[string]string) contract.WritingPart {
	out := contract.WritingPart{
		Id: p.ID, Revision: p.Revision, Front: p.Front, Exercise: p.Exercise, Slug: p.Slug, Title: p.Title,
		Text: p.Text, By: p.By, At: p.At, Inspected: p.Inspected, Remarks: toNotes(p.Remarks),
		Pieces: []contract.Piece{}, Sections: []contract.Section{}, Strength: toStrength(p.Strength),
	}
	if p.Front {
		out.Title = p.Paper.Title
		return out
	}
	for _, piece := range p.Pieces {
		out.Pieces = append(out.Pieces, contract.Piece{Kind: contract.PieceKind(piece.Kind), Text: piece.Text})
	}
	for _, section := range p.Paper.Sections {
		if section.Exercise == nil {
			out.Sections = append(
				out.Sections, contract.Section{Title: section.Title, Blocks: toBlocks(section.Blocks, pictures)},
			)
			continue
		}
		out.Sections = append(out.Sections, contract.Section{Exercise: toWrittenExercise(p, section.Exercise, t)})
	}
	return out
}

// toWrittenExercise is an exercise as a learner would see it who has not begun it yet, with its accepted answer.
func toWrittenExercise(p library.TextPart, e *pack.Exercise, t *library.Text) contract.Exercise {
	written := &work.Exercise{Paper: t.Paper, Dataset: t.Dataset, Pictures: t.Pictures}
	written.Exercise.Exercise = *e
	out := toExercise(written)
	out.Mark = marking.PointsOf("0")
	if p.Expected == nil {
		return out
	}
	out.Ordered, out.Expected.RowCount, out.Expected.Rows = p.Expected.Ordered, p.Expected.Count, p.Expected.Rows
	for _, c := range p.Expected.Columns {
		out.Expected.Columns = append(out.Expected.Columns, contract.Column{Name: c.Name, Type: c.Type})
	}
	return out
}

func toTextErrors(wrong []pack.Error) []contract.TextError {
	out := []contract.TextError{}
	for _, w := range wrong {
		out = append(out, contract.TextError{Line: w.Line, Detail: w.Detail})
	}
	return out
}

func toSectionChanges(changes []library.SectionChange) []contract.SectionChange {
	out := []contract.SectionChange{}
	for _, c := range changes {
		out = append(out, contract.SectionChange{Title: c.Title, Kind: contract.SectionChangeKind(c.Kind)})
	}
	return out
}

func toNotes(notes []grading.Note) []contract.CheckNote {
	out := []contract.CheckNote{}
	for _, n := range notes {
		note := contract.CheckNote{
			Severity: contract.CheckNoteSeverity(n.Severity), Kind: n.Kind, Paper: n.Paper, Exercise: n.Exercise,
			File: n.File, Line: n.Line, Sentence: n.Sentence, Columns: n.Columns, Rows: n.Rows,
		}
		if n.Edit != nil {
			note.Edit = toEdit(*n.Edit)
		}
		out = append(out, note)
	}
	return out
}
