package library

import (
	"cmp"
	"context"
	"fmt"
	"io/fs"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/pack"
	"examen/internal/jobs"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Version is a text of a paper that was published, or kept when another took its place.
type Version struct {
	Number    int
	Origin    string // "pack", "console", or "kept": it was never published
	Note      string
	By        string // "": the service
	At        time.Time
	Published bool // it is what learners see
}

// Versions lists a paper's versions, the latest first.
func (a *Authoring) Versions(ctx context.Context, who account.Account, paper string) ([]Version, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	row, err := a.row(ctx, paper)
	if err != nil {
		return nil, err
	}
	rows, err := a.records.PaperVersions(ctx, row.ID)
	all := []Version{}
	for _, v := range rows {
		all = append(all, Version{int(v.Version), v.Origin, v.Note, v.MadeBy, v.MadeAt, v.Published})
	}
	return all, err
}

// row finds a paper by its slug.
func (l *Library) row(ctx context.Context, slug string) (query.Paper, error) {
	if !records.IsText(slug) {
		slug = ""
	}
	row, err := l.records.PaperBySlug(ctx, slug)
	if records.Missing(err) {
		err = problem.New(404, "no-paper", "There is no such paper", "No paper is called %.80q.", slug)
	}
	return row, err
}

// VersionText returns the text of a version.
func (a *Authoring) VersionText(ctx context.Context, who account.Account, paper string, number int) (string, error) {
	if err := who.May(account.Prepare); err != nil {
		return "", err
	}
	row, err := a.row(ctx, paper)
	if err != nil {
		return "", err
	}
	v, err := a.records.PaperVersion(ctx, query.PaperVersionParams{PaperID: row.ID, Version: int32(number)})
	if records.Missing(err) {
		return "", problem.New(404, "no-version", "There is no such version",
			"%s has no version %d; see: examen paper versions %[1]s.", paper, number)
	}
	return v.Text, err
}

// Restore has the text of a version written again. What was being written and is no version yet is kept as one.
func (a *Authoring) Restore(ctx context.Context, who account.Account, paper string, number int) (*Text, error) {
	text, err := a.VersionText(ctx, who, paper, number)
	if err != nil {
		return nil, err
	}
	return a.start(ctx, who, paper, text, fmt.Sprintf("Kept when version %d was brought back.", number))
}

// Discard has what is published written again. What was being written is kept as a version. A paper that was never
// published, and has no version, is gone.
func (a *Authoring) Discard(ctx context.Context, who account.Account, paper string) error {
	if err := who.May(account.Prepare); err != nil {
		return err
	}
	row, err := a.row(ctx, paper)
	if err != nil {
		return err
	}
	now, err := a.current(ctx, row)
	if err != nil {
		return err
	}
	if row.PublishedAt != nil {
		_, err := a.start(ctx, who, paper, now.published, "Kept when it was put aside.")
		return err
	}
	defer a.records.Changed(records.PapersChanged)
	return a.records.As(ctx, who.ID, func(t *records.Transaction) error { return t.RemoveWritten(ctx, row.ID) })
}

// start has a text written in place of the one at hand, which is kept as a version if it is none.
func (a *Authoring) start(ctx context.Context, who account.Account, paper, text, note string) (*Text, error) {
	d, err := a.change(ctx, who, paper, func(t *records.Transaction, d *draft) error {
		if text == d.text {
			return nil
		}
		is, err := t.IsVersion(ctx, query.IsVersionParams{PaperID: d.row.ID, Text: d.text})
		if err != nil {
			return err
		}
		if !is {
			if _, err := t.CreateVersion(ctx, query.CreateVersionParams{
				PaperID: d.row.ID, Origin: originKept, Text: d.text, Note: note, MadeBy: &who.ID,
			}); err != nil {
				return err
			}
		}
		return a.replace(ctx, t, d, who, text)
	})
	if err != nil {
		return nil, err
	}
	return a.text(ctx, d, 0)
}

// Publish begins the job that publishes a paper's text, if it still has the revision given.
func (a *Authoring) Publish(
	ctx context.Context, who account.Account, paper string, revision int64, note string,
) (*jobs.Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if len(note) > 500 || !records.IsText(note) {
		return nil, problem.New(400, "note", "The note is too long", "At most 500 bytes are taken.")
	}
	d, err := a.draft(ctx, paper)
	if err != nil {
		return nil, err
	}
	if d.revision() != revision {
		return nil, changedMeanwhile()
	}
	if published, err := a.current(ctx, d.row); err != nil {
		return nil, err
	} else if d.row.PublishedAt != nil && published.published == d.text {
		return nil, problem.New(409, "nothing-changed", "There is nothing to publish",
			"The paper is as learners see it already.")
	}
	if paper, wrong := d.read(); wrong != nil {
		return nil, textProblem(d.text, wrong)
	} else if len(paper.Sections) == 0 {
		return nil, problem.New(422, "empty", "The paper is empty", "Add a section, then publish it.")
	}
	return a.jobs.Begin(ctx, who, jobs.Order{
		Kind: PublishPaper, Name: paper, Options: Options{Revision: revision, Note: note},
	})
}

// A Publication is what publishing a paper's text would change.
type Publication struct {
	Title     string // of the paper
	Revision  int64
	First     bool // it was never published
	Sections  []SectionChange
	Exercises []ExerciseChange
	Courses   []CourseAffected
	Was, Is   string // the texts, published and written
	Wrong     []pack.Error
}

// An ExerciseChange says what of an exercise would change. What is of "new", "removed", "title", "task", "answers",
// "rules", "points" and "number".
type ExerciseChange struct {
	Slug, Title        string
	What               []string
	Attempts, Learners int // made at it so far
}

// CourseAffected is a course that the paper is set for.
type CourseAffected struct {
	Slug, Title string
	Learners    int
	Open        bool // its learners see the paper already
}

// Publication says what publishing a paper's text would change, and for whom.
func (a *Authoring) Publication(ctx context.Context, who account.Account, paper string) (*Publication, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	d, err := a.draft(ctx, paper)
	if err != nil {
		return nil, err
	}
	now, err := a.current(ctx, d.row)
	if err != nil {
		return nil, err
	}
	p := &Publication{Revision: d.revision(), First: d.row.PublishedAt == nil, Was: now.published, Is: d.text}
	p.Sections = sectionChanges(now.published, d.text)
	var is *pack.Paper
	is, p.Wrong = d.read()
	p.Title = cmp.Or(is.Title, d.row.Title)
	was, err := a.Exercises(ctx, &Paper{ID: d.row.ID})
	if err != nil {
		return nil, err
	}
	attempts, err := a.records.AttemptsByExercise(ctx, d.row.ID)
	if err != nil {
		return nil, err
	}
	p.Exercises = exerciseChanges(was, is.Exercises())
	for i := range p.Exercises {
		for _, made := range attempts {
			if made.Slug == p.Exercises[i].Slug {
				p.Exercises[i].Attempts, p.Exercises[i].Learners = int(made.Attempts), int(made.Learners)
			}
		}
	}
	courses, err := a.records.PaperCourses(ctx, d.row.ID)
	for _, c := range courses {
		open := c.OpensAt == nil || c.OpensAt.Before(time.Now())
		p.Courses = append(p.Courses, CourseAffected{c.Slug, c.Title, int(c.Learners), open})
	}
	return p, err
}

// exerciseChanges compares the exercises of two texts.
func exerciseChanges(was []*Exercise, is []*pack.Exercise) []ExerciseChange {
	all := []ExerciseChange{}
	for _, e := range is {
		change := ExerciseChange{Slug: e.Slug, Title: e.Title}
		at := slices.IndexFunc(was, func(old *Exercise) bool { return old.Slug == e.Slug })
		if at < 0 {
			change.What = []string{"new"}
		} else {
			change.What = changed(&was[at].Exercise, e)
		}
		if change.What != nil {
			all = append(all, change)
		}
	}
	for _, e := range was {
		if !slices.ContainsFunc(is, func(other *pack.Exercise) bool { return other.Slug == e.Slug }) {
			all = append(all, ExerciseChange{Slug: e.Slug, Title: e.Title, What: []string{"removed"}})
		}
	}
	return all
}

// changed says what of an exercise has changed.
func changed(was, is *pack.Exercise) (what []string) {
	same := func(a, b pack.Block) bool { return a.Kind == b.Kind && a.Text == b.Text }
	rules := func(e *pack.Exercise) string {
		c := e.Checking
		c.Also = nil
		return asJSON(c)
	}
	for _, part := range []struct {
		name string
		same bool
	}{
		{"title", was.Title == is.Title},
		{"task", slices.EqualFunc(was.Blocks, is.Blocks, same)},
		{"answers", slices.Equal(was.Accepted(), is.Accepted())},
		{"rules", rules(was) == rules(is)},
		{"points", was.Points.String() == is.Points.String()},
		{"number", was.Number == is.Number},
	} {
		if !part.same {
			what = append(what, part.name)
		}
	}
	return what
}

// keepTexts takes the texts of papers that were loaded by an earlier version of Examen from the files of their packs.
func (l *Library) keepTexts(ctx context.Context) error {
	papers, err := l.records.PapersWithoutText(ctx)
	if err != nil {
		return err
	}
	for _, p := range papers {
		files, _, err := l.records.Files(ctx, p.JobID)
		if err != nil {
			return err
		}
		read, wrong := pack.Read(files)
		if wrong != nil {
			continue // what was right to an earlier version: the next load tells
		}
		at := slices.IndexFunc(read.Papers, func(of pack.Paper) bool { return of.Slug == p.Slug })
		if at < 0 {
			continue
		}
		path := read.Papers[at].Path
		text, err := fs.ReadFile(files, path)
		if err != nil {
			return err
		}
		err = l.records.Together(ctx, func(t *records.Transaction) error {
			id, err := newVersion(ctx, t.Queries, query.CreateVersionParams{
				PaperID: p.ID, Origin: originPack, Text: string(text),
			})
			if err != nil {
				return err
			}
			return t.SetLoaded(ctx, query.SetLoadedParams{ID: p.ID, LoadedID: id, Path: path})
		})
		if err != nil {
			return err
		}
	}
	return nil
}
