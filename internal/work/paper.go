package work

import (
	"context"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Exercise is an exercise with the account's own standing. Only staff see the accepted answers, and learners once
// they are shown.
type Exercise struct {
	library.Exercise
	Paper, Dataset string
	Pictures       map[string]string // the digests of the paper's pictures, by name
	Expected       grading.Expected  // as much as the exercise shows
	ByState        bool              // what counts is what the statements leave
	Told           bool              // the account may know outcomes, marks and findings
	Allowed        int               // attempts; 0 is no limit
	Standing       course.Standing
	Latest         *Attempt // nil without one
	Draft          *Draft   // nil without one
	Notes          []course.Note
	Dispute        *course.Dispute // nil without one
}

// A Draft is the stored text of an answer space.
type Draft struct {
	SQL      string
	Kept     time.Time
	Revision int64 // rises with each change
}

func draftOf(row query.Draft) *Draft { return &Draft{row.Sql, row.KeptAt, row.Revision} }

// A Paper is a whole paper. Sections that are exercises have only a slug; the exercises themselves are in Exercises.
type Paper struct {
	Summary   course.Listed
	Build     int  // the number of the dataset's build in use
	Changes   bool // what is run may change the dataset, in a copy
	Sections  []pack.Section
	Pictures  map[string]string // their digests, by name
	Exercises map[string]*Exercise
	Notices   []course.Notice
}

// inOrder puts the exercises among the sections into the order in which the account has them. Narrative stays where it
// is, and each exercise keeps its number, by which instructors speak of it.
func inOrder(sections []pack.Section, r *course.Reading) []pack.Section {
	var places []int
	for i, s := range sections {
		if s.Slug != "" {
			places = append(places, i)
		}
	}
	out := slices.Clone(sections)
	for i, from := range r.Order(len(places)) {
		out[places[i]] = sections[places[from]]
	}
	return out
}

// Paper returns a whole paper.
func (w *Work) Paper(ctx context.Context, who account.Account, slug string) (*Paper, error) {
	r, err := w.courses.Read(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	p := &Paper{Build: r.Number, Changes: r.Changes, Exercises: map[string]*Exercise{}}
	if p.Sections, err = w.library.Sections(ctx, r.Paper); err != nil {
		return nil, err
	}
	exercises, err := w.library.Exercises(ctx, r.Paper)
	if err != nil {
		return nil, err
	}
	if p.Pictures, err = w.library.Pictures(ctx, r.ID); err != nil {
		return nil, err
	}
	if err := w.records.Visit(ctx, query.VisitParams{AccountID: who.ID, PaperID: r.ID}); err != nil {
		return nil, err
	}
	all, err := w.standing(ctx, who, r, exercises)
	if err != nil {
		return nil, err
	}
	for _, e := range all {
		e.Pictures = p.Pictures
	}
	p.Sections = inOrder(p.Sections, r)
	p.Summary = r.List(library.Listed{
		ID: r.ID, Slug: r.Slug, Title: r.Title, Dataset: r.Dataset, Published: r.Published, Exercises: len(all),
	})
	if p.Notices, err = w.courses.Sets().Notices(ctx, r); err != nil {
		return nil, err
	}
	s := &p.Summary
	for _, e := range all {
		p.Exercises[e.Slug] = e
		p.Changes = p.Changes || e.Checking.Changes
		s.Points = s.Points.Plus(e.Points)
		s.Mark = s.Mark.Plus(e.Standing.Mark)
		if e.Standing.Attempts > 0 {
			s.Attempted++
		}
		if e.Standing.Outcome == marking.Correct {
			s.Correct++
		}
	}
	if p.Changes { // so that a copy is ready when the first statement needs it
		w.practice.Copies().Warm(r.Database)
	}
	return p, nil
}

// Exercise returns one exercise.
func (w *Work) Exercise(ctx context.Context, who account.Account, paper, address string) (*Exercise, error) {
	r, e, err := w.courses.ReadExercise(ctx, who, paper, address)
	if err != nil {
		return nil, err
	}
	all, err := w.standing(ctx, who, r, []*library.Exercise{e})
	if err != nil {
		return nil, err
	}
	all[0].Pictures, err = w.library.Pictures(ctx, r.ID)
	return all[0], err
}

// Picture returns a picture of a paper that the account may read.
func (w *Work) Picture(ctx context.Context, who account.Account, paper, digest string) (*library.Picture, error) {
	r, err := w.courses.Read(ctx, who, paper)
	if err != nil {
		return nil, err
	}
	return w.library.Picture(ctx, r.ID, digest)
}

// longestExpecting is how long a paper waits for its expected results. After that it is shown without them.
const longestExpecting = 3 * time.Second

// standing adds to the exercises of a paper how the account stands on them, and what it may see of the expected
// results.
func (w *Work) standing(ctx context.Context, who account.Account, r *course.Reading, exercises []*library.Exercise) (
	all []*Exercise, err error,
) {
	standing, err := w.courses.Marking().Standing(ctx, who, r)
	if err != nil {
		return nil, err
	}
	latest, err := w.records.LatestAttempts(ctx, query.LatestAttemptsParams{
		AccountID: who.ID, PaperID: r.ID, CourseID: r.Course,
	})
	if err != nil {
		return nil, err
	}
	drafts, err := w.records.PaperDrafts(ctx, query.PaperDraftsParams{AccountID: who.ID, PaperID: r.ID})
	if err != nil {
		return nil, err
	}
	notes, err := w.courses.Notes().Margin(ctx, who, r)
	if err != nil {
		return nil, err
	}
	disputes, err := w.courses.Marking().Disputes(ctx, who, r)
	if err != nil {
		return nil, err
	}
	expecting, cancel := context.WithTimeout(ctx, longestExpecting)
	defer cancel()
	for _, found := range exercises {
		e := &Exercise{
			Exercise: *found, Paper: r.Slug, Dataset: r.Dataset, Standing: standing[found.ID], Told: r.Told,
			Allowed: allowed(r, found), Dispute: disputes[found.ID],
		}
		e.Checking.Changes, e.ByState = e.Checking.Changes || r.Changes, found.ByState()
		for _, n := range notes {
			if n.ExerciseID == e.ID {
				e.Notes = append(e.Notes, n)
			}
		}
		for _, a := range latest {
			if a.Attempt.ExerciseID == e.ID {
				e.Latest = attemptOf(a.Attempt, a.AttemptCheck, a.BuildNumber, who, r.Slug, e.Slug)
				e.Latest.Deducted = r.Rules.Late.Percent(r.Span.After(e.Latest.At))
				if !r.Told {
					e.Latest = e.Latest.untold()
				}
			}
		}
		for _, d := range drafts {
			if d.ExerciseID == e.ID {
				e.Draft = draftOf(d)
			}
		}
		e.Expected, err = w.grader.Expect(expecting, e.Reference, r.Database, e.Checking)
		if err != nil { // it shows less
			w.log.Warn("the reference answer cannot be run", "paper", r.Slug, "exercise", e.Slug, "error", err)
		}
		if !r.Staff && !r.Answers {
			e.Reference, e.Checking.Also = "", nil
		}
		all = append(all, e)
	}
	return all, nil
}

// A NewDraft is text to store for an answer space. If it names a revision, the stored draft must still have that
// revision.
type NewDraft struct {
	Paper, Exercise, SQL string
	Revision             *int64
}

// KeepDraft stores the text of an answer space.
func (w *Work) KeepDraft(ctx context.Context, who account.Account, d NewDraft) (*Draft, error) {
	_, e, err := w.courses.ReadExercise(ctx, who, d.Paper, d.Exercise)
	if err != nil {
		return nil, err
	}
	if err := checkText(d.SQL); err != nil {
		return nil, err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(d.SQL)); err != nil {
		return nil, err
	}
	row, err := w.records.KeepDraft(ctx, query.KeepDraftParams{
		AccountID: who.ID, ExerciseID: e.ID, Sql: d.SQL, Revision: d.Revision,
	})
	if records.Missing(err) {
		return nil, problem.New(409, "draft-changed", "The draft was changed elsewhere",
			"Another window or device has saved a later version of this answer. Look at that one first; nothing of "+
				"either is lost.")
	} else if err != nil {
		return nil, err
	}
	return draftOf(row), nil
}
