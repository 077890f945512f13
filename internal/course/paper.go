package course

import (
	"context"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Reading is a paper as one account may read it: either through one of the courses that it is set for, or, for an
// account that prepares papers, without a course.
type Reading struct {
	*library.Paper
	// Course is the course in which the account is a learner of it; nil for none: what they submit is to try it out.
	Course *int64
	// Set identifies the paper as it is set for that course, in the revision by which marks are computed; nil and 0 for
	// none.
	Set      *int64
	Revision int64
	Rules    marking.Rules
	// Span is when it may be worked on, extensions and the account's own examination counted.
	Span  marking.Span
	State marking.State
	// Zone is the time zone of the course, as the IANA names it.
	Zone string
	// Staff tells that the account sees accepted answers, and reads the paper at any time.
	Staff bool
	// Told tells that the account may know outcomes, marks and findings; Answers, that it is shown accepted answers.
	Told, Answers bool
	// Sitting is the account's examination; nil for a paper that is none.
	Sitting *Sitting

	archived bool
}

// sets returns the ways in which a paper is set for an account's courses.
func (c *Courses) sets(ctx context.Context, who account.Account, paper int64) ([]set, error) {
	kept, err := c.setsKept.Load(setsKey{who.ID, paper}, func() ([]set, error) { return c.readSets(ctx, who, &paper) })
	if err != nil || !slices.ContainsFunc(kept, func(s set) bool { return s.rules.Exam != nil }) {
		return kept, err
	}
	sets := slices.Clone(kept) // whether an examination has begun is not kept, but asked
	for i := range sets {
		if sets[i].rules.Exam == nil {
			continue
		}
		row, err := c.records.OwnSitting(ctx, query.OwnSittingParams{CoursePaperID: sets[i].id, AccountID: who.ID})
		if err == nil {
			sets[i].started, sets[i].session = &row.StartedAt, row.Session
		} else if !records.Missing(err) {
			return nil, err
		}
	}
	return sets, nil
}

// readSets reads the ways in which a paper, or with nil each paper, is set for an account's courses.
func (c *Courses) readSets(ctx context.Context, who account.Account, paper *int64) ([]set, error) {
	rows, err := c.records.PaperSets(ctx, query.PaperSetsParams{AccountID: who.ID, PaperID: paper})
	if err != nil {
		return nil, err
	}
	var sets []set
	for _, row := range rows {
		s, err := setOf(row)
		if err != nil {
			return nil, err
		}
		sets = append(sets, s)
	}
	return sets, nil
}

// setsKey identifies the sets of one paper for one account.
type setsKey struct{ account, paper int64 }

// reading returns a paper as an account may read it now; nil if it is set for none of the account's courses and the
// account prepares no papers. An account that is a learner in one of the courses works on the paper there, even if it
// is staff in another.
func (c *Courses) reading(who account.Account, p *library.Paper, sets []set) *Reading {
	r := &Reading{Paper: p, Span: p.Span, Zone: "UTC", Staff: who.Can(account.Prepare), Told: true}
	var studied, taught []set
	for _, s := range sets {
		switch {
		case s.left:
		case s.role == account.Learner:
			studied = append(studied, s)
		default:
			r.Staff = true
			taught = append(taught, s)
		}
	}
	now := c.now()
	if at := c.choose(studied); at >= 0 {
		s := &studied[at]
		r.Course, r.Set, r.Revision, r.Rules, r.Span, r.Zone = &s.course, &s.id, s.revision, s.rules, s.span(), s.zone
		r.State, r.archived = s.at(now), s.archived
		r.Told, r.Answers = r.Staff || s.told(now), r.Staff || s.answers(now)
		if !r.Staff {
			r.Sitting = s.sitting(who)
		}
		return r
	} else if at := c.choose(taught); at >= 0 {
		r.Span, r.Zone = taught[at].window, taught[at].zone
	} else if !r.Staff {
		return nil
	}
	r.State = r.Span.At(now)
	return r
}

// choose returns the index of the set that applies now; see [marking.Choose].
func (c *Courses) choose(sets []set) int {
	var spans []marking.Span
	for _, s := range sets {
		spans = append(spans, s.span())
	}
	return marking.Choose(c.now(), spans)
}

// Read finds a paper that the account may read.
func (c *Courses) Read(ctx context.Context, who account.Account, slug string) (*Reading, error) {
	p, err := c.paper(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	sets, err := c.sets(ctx, who, p.ID)
	if err != nil {
		return nil, err
	}
	r := c.reading(who, p, sets)
	switch {
	case r == nil:
		return nil, noPaper(who, slug) // as if it were not there: nobody learns which papers there are
	case r.Staff:
		return r, nil
	case r.State == marking.Upcoming:
		return nil, problem.New(403, "not-open", "The paper is not open yet",
			"It opens on %s.", when(r.Span.Opens, r.Zone))
	}
	return r, r.Sitting.mayRead(r)
}

// Known finds a paper that an account may read or, as worked tells, has worked on before. For any other account the
// paper does not seem to exist.
func (c *Courses) Known(ctx context.Context, who account.Account, slug string, worked func(paper int64) (bool, error)) (
	*library.Paper, error,
) {
	p, err := c.paper(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	sets, err := c.sets(ctx, who, p.ID)
	if err != nil || c.reading(who, p, sets) != nil {
		return p, err
	}
	has, err := worked(p.ID)
	if err == nil && !has {
		err = noPaper(who, slug)
	}
	return p, err
}

// paper finds a paper without asking who may read it.
func (c *Courses) paper(ctx context.Context, who account.Account, slug string) (*library.Paper, error) {
	p, err := c.papers.Load(slug, func() (*library.Paper, error) { return c.library.Paper(ctx, slug) })
	if records.Missing(err) {
		return nil, noPaper(who, slug)
	}
	return p, err
}

// ReadExercise finds an exercise, by slug or number, in a paper that the account may read. It seldom costs a query.
func (c *Courses) ReadExercise(ctx context.Context, who account.Account, paper, address string) (
	*Reading, *library.Exercise, error,
) {
	r, err := c.Read(ctx, who, paper)
	if err != nil {
		return nil, nil, err
	}
	e, err := c.exercises.Load(exerciseKey{r.ID, address}, func() (*library.Exercise, error) {
		return c.library.Exercise(ctx, r.Paper, address)
	})
	return r, e, err
}

// exerciseKey identifies an exercise of a paper by its slug or number.
type exerciseKey struct {
	paper   int64
	address string
}

func noPaper(who account.Account, slug string) error {
	if who.Can(account.Prepare) {
		return problem.New(404, "no-paper", "There is no such paper", "No paper is called %.80q.", slug)
	}
	return problem.New(404, "no-paper", "There is no such paper",
		"No paper called %.80q is set for any of your courses; ask your instructor.", slug)
}

// when formats a time for a message, in the zone of a course.
func when(t time.Time, zone string) string {
	place, err := time.LoadLocation(zone)
	if err != nil {
		place = time.UTC
	}
	return t.In(place).Format("2 January 2006 at 15:04 MST")
}

// MaySubmit returns a problem if the paper could not be worked on at the time a submission was received.
func (r *Reading) MaySubmit(received time.Time) error {
	switch {
	case r.Course == nil:
		return nil
	case r.archived:
		return problem.New(403, "archived", "The course is archived",
			"Nothing more is submitted in it. Queries can still be run, and the draft is kept.")
	case r.Span.At(received) != marking.Closed:
		return nil
	case r.Sitting != nil:
		return problem.New(403, "past-due", "The examination is over",
			"It ended on %s. What was submitted by then counts; the draft is kept.", when(r.Span.Due, r.Zone))
	}
	return problem.New(403, "past-due", "The paper is closed",
		"It was due on %s. Queries can still be run, not submitted; the draft is kept.", when(r.Span.Due, r.Zone))
}

// A Listed is a paper in a list, with the account's own progress in it. What the account may not be told yet is left
// out.
type Listed struct {
	library.Listed
	Span               marking.Span
	State              marking.State
	Zone               string // of the course
	Rules              marking.Rules
	Told               bool     // the account may know marks
	Sitting            *Sitting // of an examination
	Mark               marking.Points
	Correct, Attempted int
	NewMarks           int     // set by others since the account opened the paper last
	Rechecked          int     // exercises of which marks have changed since then by a recheck
	Last               *Worked // nil: not on any yet
	course             *int64  // in which the account is a learner of it
}

// listedOf is a paper in a list as an account reads it.
func listedOf(p library.Listed, r *Reading) Listed {
	return Listed{
		Listed: p, Span: r.Span, State: r.State, Zone: r.Zone, Rules: r.Rules, Told: r.Told, Sitting: r.Sitting,
		course: r.Course,
	}
}

// List is the paper in a list, with nothing of the account's progress yet.
func (r *Reading) List(p library.Listed) Listed { return listedOf(p, r) }

// Worked is the exercise of a paper on which an account worked last.
type Worked struct {
	Slug, Title string
	Number      int
	At          time.Time
}

// Papers lists the papers set for the account's courses; for an account that prepares papers, all papers.
func (c *Courses) Papers(ctx context.Context, who account.Account) ([]Listed, error) {
	papers, err := c.library.Papers(ctx)
	if err != nil {
		return nil, err
	}
	all, err := c.readSets(ctx, who, nil)
	if err != nil {
		return nil, err
	}
	standing, err := c.records.LearnerStanding(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	news, err := c.records.MarksSince(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	rechecked, err := c.records.RechecksSince(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	worked, err := c.records.LastWorked(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	sets := map[int64][]set{}
	for _, s := range all {
		sets[s.paper] = append(sets[s.paper], s)
	}
	list := []Listed{}
	for _, p := range papers {
		r := c.reading(who, &library.Paper{Span: p.Span}, sets[p.ID])
		if r == nil {
			continue
		}
		listed := listedOf(p, r)
		for _, row := range news {
			if row.PaperID == p.ID && r.Told {
				listed.NewMarks = int(row.Marks)
			}
		}
		for _, row := range rechecked {
			if row.PaperID == p.ID && r.Told {
				listed.Rechecked = int(row.Exercises)
			}
		}
		for _, row := range worked {
			if row.PaperID == p.ID {
				listed.Last = &Worked{row.Slug, row.Title, int(row.Number), row.At}
			}
		}
		for _, st := range standing {
			if st.PaperID == p.ID && sameCourse(st.CourseID, r.Course) {
				if listed.Attempted = int(st.Attempted); r.Told {
					listed.Mark, listed.Correct = marking.PointsOf(st.Mark), int(st.Correct)
				}
			}
		}
		list = append(list, listed)
	}
	return list, nil
}

// An ExerciseMark is how an account stands on an exercise.
type ExerciseMark struct {
	Slug, Title  string
	Number       int
	Outcome      marking.Outcome // "" without attempts
	Mark, Points marking.Points
	Attempts     int
	CountsAt     *time.Time // when the attempt that counts was received; nil without one
	ByHand       bool
	Reason       string // of a mark that was set by hand
}

// PaperMarks are an account's marks in a paper.
type PaperMarks struct {
	Listed
	Exercises []ExerciseMark
}

// Marks lists an account's own marks, in the papers that have opened to it.
func (c *Courses) Marks(ctx context.Context, who account.Account) ([]PaperMarks, error) {
	papers, err := c.Papers(ctx, who)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for _, p := range papers {
		if p.State != marking.Upcoming {
			ids = append(ids, p.ID)
		}
	}
	rows, err := c.records.OwnMarks(ctx, query.OwnMarksParams{AccountID: who.ID, Papers: ids})
	if err != nil {
		return nil, err
	}
	all := []PaperMarks{}
	for _, p := range papers {
		if !slices.Contains(ids, p.ID) {
			continue
		}
		marks := PaperMarks{Listed: p}
		for _, row := range rows {
			if row.PaperID == p.ID {
				marks.add(row)
			}
		}
		all = append(all, marks)
	}
	return all, nil
}

// add adds an exercise, or how the account stands on it in the course of the paper.
func (m *PaperMarks) add(row query.OwnMarksRow) {
	if n := len(m.Exercises); n == 0 || m.Exercises[n-1].Number != int(row.Number) {
		m.Exercises = append(m.Exercises, ExerciseMark{
			Slug: row.Slug, Title: row.Title, Number: int(row.Number), Points: marking.PointsOf(row.Points),
		})
	}
	if sameCourse(row.CourseID, m.course) && !m.Told {
		m.Exercises[len(m.Exercises)-1].Attempts = int(row.Attempts)
	} else if sameCourse(row.CourseID, m.course) {
		e := &m.Exercises[len(m.Exercises)-1]
		e.Outcome, e.Mark, e.Attempts = marking.Outcome(row.Outcome), marking.PointsOf(row.Mark), int(row.Attempts)
		e.CountsAt, e.ByHand, e.Reason = row.CountsAt, row.ByHand, row.Reason
	}
}

// sameCourse tells whether both are the same course, or both are none.
func sameCourse(a, b *int64) bool {
	if a == nil || b == nil {
		return a == b
	}
	return *a == *b
}
