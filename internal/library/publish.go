package library

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"examen/internal/core/pack"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// What is published, from a pack or from the console, takes effect in one transaction: the paper's sections, a version
// of each exercise that has changed, and the text as a version of the paper.

// Where a version of a paper came from.
const (
	originPack    = "pack"
	originConsole = "console"
	originKept    = "kept" // it was never published
)

// keepPaper stores what a paper's text says.
func keepPaper(ctx context.Context, q *query.Queries, packName string, paper *pack.Paper) (query.Paper, error) {
	dataset, err := q.DatasetByName(ctx, paper.Dataset)
	if err != nil {
		return query.Paper{}, err
	}
	sections, err := json.Marshal(paper.Sections)
	if err != nil {
		return query.Paper{}, err
	}
	row, err := q.UpsertPaper(ctx, query.UpsertPaperParams{
		Slug: paper.Slug, Pack: packName, Title: paper.Title, DatasetID: dataset.ID,
		OpensAt: paper.Opens, DueAt: paper.Due, Sections: sections, Changes: paper.Changes,
	})
	if err != nil {
		return row, err
	}
	if err := q.RetireExercises(ctx, query.RetireExercisesParams{PaperID: row.ID, Kept: slugs(paper)}); err != nil {
		return row, err
	}
	for _, e := range paper.Exercises() {
		if err := keepExercise(ctx, q, row.ID, e); err != nil {
			return row, err
		}
	}
	return row, nil
}

// keepExercise stores an exercise, with a new version if it has changed.
func keepExercise(ctx context.Context, q *query.Queries, paper int64, e *pack.Exercise) error {
	id, err := q.UpsertExercise(ctx, query.UpsertExerciseParams{PaperID: paper, Slug: e.Slug, Number: int32(e.Number)})
	if err != nil {
		return err
	}
	blocks, err := json.Marshal(e.Blocks)
	if err != nil {
		return err
	}
	checking, err := json.Marshal(e.Checking)
	if err != nil {
		return err
	}
	return q.NewVersion(ctx, query.NewVersionParams{
		ExerciseID: id, Title: e.Title, Points: e.Points.String(),
		Blocks: blocks, Reference: e.Reference, Checking: checking,
	})
}

// keepPicture stores a picture of a paper in place of the one of that name.
func keepPicture(
	ctx context.Context, q *query.Queries, paper int64, name, mediaType string, content []byte,
) error {
	digest := sha256.Sum256(content)
	return q.KeepPicture(ctx, query.KeepPictureParams{
		PaperID: paper, Name: name, Digest: hex.EncodeToString(digest[:len(digest)/2]),
		MediaType: mediaType, Content: content,
	})
}

// newVersion stores a text as a paper's version, and has it published.
func newVersion(ctx context.Context, q *query.Queries, v query.CreateVersionParams) (*int64, error) {
	made, err := q.CreateVersion(ctx, v)
	if err != nil {
		return nil, err
	}
	return &made.ID, q.SetPublished(ctx, query.SetPublishedParams{ID: v.PaperID, PublishedID: &made.ID})
}

// keepUnpublished ends the writing of a paper. What was not published is kept among its versions.
func keepUnpublished(ctx context.Context, q *query.Queries, paper query.Paper, who int64, note string) error {
	parts, err := q.PaperParts(ctx, paper.ID)
	if err != nil || len(parts) == 0 {
		return err
	}
	published := ""
	if paper.PublishedID != nil {
		if published, err = q.VersionText(ctx, *paper.PublishedID); err != nil {
			return err
		}
	}
	if text := textOf(parts); text != published {
		if _, err := q.CreateVersion(ctx, query.CreateVersionParams{
			PaperID: paper.ID, Origin: originKept, Text: text, Note: note, MadeBy: &who,
		}); err != nil {
			return err
		}
	}
	if err := q.RemoveParts(ctx, paper.ID); err != nil {
		return err
	}
	return q.EndWriting(ctx, paper.ID)
}

// tryAnswers runs a paper's accepted answers on databases, the build's first. wrong is the first that does not run.
func (l *Library) tryAnswers(
	ctx context.Context, paper *pack.Paper, databases []string,
) (wrong *pack.Error, err error) {
	for _, e := range paper.Exercises() {
		for n, sql := range e.Accepted() {
			for i, database := range databases {
				err := l.grader.Prepare(ctx, sql, database)
				var fault *grading.Fault
				if errors.As(err, &fault) {
					return answerError(e, n, fault, i > 0), nil
				} else if err != nil {
					return nil, err
				}
			}
		}
	}
	return nil, nil
}

// answerError says that accepted answer n of an exercise does not run.
func answerError(e *pack.Exercise, n int, fault *grading.Fault, variant bool) *pack.Error {
	line := e.Line
	if fault.Place != nil && n == 0 {
		line += fault.Place.Line - 1
	}
	what := "the reference answer"
	if n > 0 {
		what = "an answer under also"
	}
	if variant {
		what += ", on a variant,"
	}
	return &pack.Error{File: e.Path, Line: line, Detail: fmt.Sprintf(
		"%s of exercise %s does not run: %s", what, e.Slug, fault.Title,
	)}
}

// left lists the exercises with attempts that a paper would no longer have.
func (l *Library) left(ctx context.Context, paper *pack.Paper) (all []string, err error) {
	row, err := l.records.PaperBySlug(ctx, paper.Slug)
	if records.Missing(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	made, err := l.records.AttemptsByExercise(ctx, row.ID)
	for _, e := range made {
		if !slices.Contains(slugs(paper), e.Slug) {
			all = append(all, fmt.Sprintf(
				"%s/%s: it would no longer be in the paper; what learners have submitted (%s by %s) stays in the "+
					"history, and counts no more",
				paper.Slug, e.Slug, counted(e.Attempts, "attempt"), counted(e.Learners, "learner"),
			))
		}
	}
	return all, err
}

func counted(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// A PaperDifference says in which sections a paper was changed in the console, and in which in the files of its pack,
// since these were loaded.
type PaperDifference struct {
	Paper   string          `json:"paper"`
	Console []SectionChange `json:"console"`
	Files   []SectionChange `json:"files"`
}

// A SectionChange is a section that was changed.
type SectionChange struct {
	Title string     `json:"title"` // "" for what stands before the first heading
	Kind  ChangeKind `json:"kind"`
}

// ChangeKind says what has become of something.
type ChangeKind string

// The kinds of changes.
const (
	Added   ChangeKind = "added"
	Changed ChangeKind = "changed"
	Moved   ChangeKind = "moved"
	Removed ChangeKind = "removed"
	Front   ChangeKind = "front" // the front matter was changed
)

// sectionChanges says in which sections a text differs from an earlier one.
func sectionChanges(was, is string) []SectionChange {
	all := []SectionChange{}
	for _, c := range pack.Changes(was, is) {
		change := SectionChange{c.Part.Title, Changed}
		switch {
		case c.Part.Front:
			change.Kind = Front
		case c.Was == "":
			change.Kind = Added
		case c.Is == "":
			change.Kind = Removed
		case c.Was == c.Is:
			change.Kind = Moved
		}
		all = append(all, change)
	}
	return all
}

// differences lists the papers of the pack whose texts loading it would replace, though they were changed in the
// console since it was loaded last.
func (p *packLoad) differences(ctx context.Context) (all []PaperDifference, err error) {
	if p.work.Confirmed {
		return nil, nil
	}
	for _, paper := range p.pack.Papers {
		row, err := p.library.records.PaperBySlug(ctx, paper.Slug)
		if records.Missing(err) {
			continue
		} else if err != nil {
			return nil, err
		}
		content, err := fs.ReadFile(p.work.Files, paper.Path)
		if err != nil {
			return nil, err
		}
		now, err := p.library.current(ctx, row)
		if err != nil {
			return nil, err
		}
		loaded := "" // a paper that was begun here
		if row.LoadedID != nil {
			if loaded, err = p.library.records.VersionText(ctx, *row.LoadedID); err != nil {
				return nil, err
			}
		}
		text := string(content)
		if now.text == loaded || text == now.published || text == now.text {
			continue // nothing was changed, or nothing of it is lost
		}
		all = append(all, PaperDifference{
			paper.Slug, sectionChanges(loaded, now.text), sectionChanges(loaded, text),
		})
	}
	return all, nil
}

// currentText is a paper's text as it is published, and as it is being written.
type currentText struct{ published, text string }

func (l *Library) current(ctx context.Context, row query.Paper) (now currentText, err error) {
	if row.PublishedID != nil {
		if now.published, err = l.records.VersionText(ctx, *row.PublishedID); err != nil {
			return now, err
		}
	}
	parts, err := l.records.PaperParts(ctx, row.ID)
	if now.text = textOf(parts); len(parts) == 0 {
		now.text = now.published
	}
	return now, err
}

// publishPaper carries out the job that publishes a paper's text as it is being written.
func (l *Library) publishPaper(ctx context.Context, w *jobs.Work) error {
	var options Options
	if err := json.Unmarshal(w.Options, &options); err != nil {
		return err
	}
	d, err := l.draft(ctx, w.Name)
	if err != nil {
		return err
	}
	if d.revision() != options.Revision {
		return changedMeanwhile()
	}
	report := &Report{Title: d.row.Title}
	var paper *pack.Paper
	if report.Check, paper, err = l.checkText(ctx, w, d); err != nil {
		return err
	}
	for _, note := range report.Check.Notes {
		if note.Kind == noteUnreadable || note.Kind == grading.NoteDoesNotRun {
			return textProblem(d.text, []pack.Error{{File: d.row.Path, Line: note.Line, Detail: note.Sentence}})
		}
	}
	if report.Check.Count(grading.SeverityError) > 0 && !w.Confirmed {
		return &jobs.Asks{Report: report}
	}
	defer l.records.Changed(records.PapersChanged)
	return w.Finish(ctx, report, func(t *records.Transaction) error {
		return l.publish(ctx, t, d, paper, options, w.Account, report)
	})
}

// publish makes what is being written what learners see.
func (l *Library) publish(
	ctx context.Context, t *records.Transaction, d *draft, paper *pack.Paper, options Options, who int64,
	report *Report,
) error {
	if _, err := t.LockWriting(ctx, d.row.ID); err != nil {
		return err
	}
	parts, err := t.PaperParts(ctx, d.row.ID)
	if err != nil {
		return err
	}
	if textOf(parts) != d.text {
		return changedMeanwhile()
	}
	if _, err := keepPaper(ctx, t.Queries, d.row.Pack, paper); err != nil {
		return err
	}
	made, err := t.CreateVersion(ctx, query.CreateVersionParams{
		PaperID: d.row.ID, Origin: originConsole, Text: d.text, Note: options.Note, MadeBy: &who,
	})
	if err != nil {
		return err
	}
	if err := t.SetPublished(ctx, query.SetPublishedParams{ID: d.row.ID, PublishedID: &made.ID}); err != nil {
		return err
	}
	if err := t.RebaseWriting(ctx, query.RebaseWritingParams{PaperID: d.row.ID, BaseID: &made.ID}); err != nil {
		return err
	}
	report.Version = int(made.Version)
	return t.Enqueue(ctx, records.Task{Kind: records.IndexExercises})
}

func changedMeanwhile() error {
	return problem.New(409, "changed-meanwhile", "The paper was changed meanwhile",
		"Somebody has changed it after you looked at what publishing would change. Look at it again, then publish.")
}

// textProblem reports what is wrong in the text of a paper.
func textProblem(text string, wrong []pack.Error) *problem.Problem {
	p := placed(text, wrong)
	p.Title = "The paper cannot be published"
	return p
}
