package course

import (
	"context"
	"encoding/json"
	"time"

	"examen/internal/account"
	"examen/internal/core/compare"
	"examen/internal/core/marking"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A set is a paper as it is set for one of an account's courses, with what the account has of extensions there.
type set struct {
	id, course, paper int64
	zone              string // of the course
	rules             marking.Rules
	window            marking.Span  // extensions counted
	lasting           time.Duration // of the account's examination, extensions counted; 0 for none
	lastDue           time.Time     // when it is due for whoever has the longest extension; zero for never
	released          *time.Time
	archived          bool
	revision          int64
	role              account.Role
	left              bool

	started *time.Time // the account's examination; nil: not yet
	session []byte     // the hash of the session in which it is written
}

func setOf(row query.PaperSetsRow) (set, error) {
	s := set{
		id: row.ID, course: row.CourseID, paper: row.PaperID, zone: row.Zone,
		released: row.ReleasedAt, archived: row.ArchivedAt != nil, revision: row.Revision,
		role: account.Role(row.Role), left: row.LeftAt != nil, started: row.StartedAt, session: row.Session,
	}
	if err := json.Unmarshal(row.Rules, &s.rules); err != nil {
		return s, err
	}
	s.window, s.lasting = windowOf(s.rules, row.OpensAt, row.DueAt, row.ExtendedTo, row.Minutes)
	if s.lastDue = s.window.Due; !s.lastDue.IsZero() && row.LastDue.After(s.lastDue) {
		s.lastDue = row.LastDue
	}
	return s, nil
}

// windowOf is when somebody may work on a paper who has such an extension, and how long an examination lasts for them.
func windowOf(rules marking.Rules, opens, due *time.Time, extended time.Time, minutes int32) (
	window marking.Span, lasting time.Duration,
) {
	window = marking.SpanOf(opens, due)
	window.Grace = rules.Late.Grace()
	if !window.Due.IsZero() && extended.After(window.Due) {
		window.Due = extended
	}
	if rules.Exam != nil {
		lasting = time.Duration(rules.Exam.Minutes+int(minutes)) * time.Minute
	}
	return window, lasting
}

// own is the part of a window in which an examination is written that was begun at a time.
func own(window marking.Span, lasting time.Duration, started *time.Time) marking.Span {
	if started == nil || lasting == 0 {
		return window
	}
	if end := started.Add(lasting); window.Due.IsZero() || end.Before(window.Due) {
		window.Due = end
	}
	return window
}

// span is when the account may work on the paper: an examination that it has begun until that ends.
func (s *set) span() marking.Span { return own(s.window, s.lasting, s.started) }

// at is the state of the paper for the account.
func (s *set) at(now time.Time) marking.State {
	if state := s.span().At(now); state == marking.Upcoming || !s.archived {
		return state
	}
	return marking.Closed
}

// told tells whether the account may know outcomes, marks and findings. Those of an examination are told after the due
// time once its window has closed, not when the account itself has ended it.
func (s *set) told(now time.Time) bool {
	switch {
	case s.rules.Tell == marking.AtOnce || s.released != nil:
		return true
	case s.rules.Tell == marking.AfterDue:
		return s.window.At(now) == marking.Closed
	}
	return false
}

// answers tells whether the account is shown accepted answers: nobody can submit any more.
func (s *set) answers(now time.Time) bool {
	return s.rules.Answers && s.told(now) && !s.lastDue.IsZero() && !now.Before(s.lastDue.Add(s.window.Grace))
}

// Sets gives access to the papers that are set for courses: their times and rules, extensions, and what instructors say
// to all who work on them.
type Sets struct{ *Courses }

// Sets returns the papers that are set for courses.
func (c *Courses) Sets() Sets { return Sets{c} }

// A NewSet is how a paper is to be set for a course. Where a time or the rules are nil, what holds now stays; for a
// paper that is not set yet, the paper's own times and the ordinary rules.
type NewSet struct {
	Opens, Due *time.Time
	Rules      *marking.Rules
	// Unbounded takes out a time: "opens" or "due".
	Unbounded []string
}

// Set sets a paper for a course, or changes how it is set there. Marks that follow otherwise are computed again at
// once.
func (s Sets) Set(ctx context.Context, who account.Account, courseSlug, paperSlug string, n NewSet) (Paper, error) {
	course, paper, err := s.setting(ctx, who, courseSlug, paperSlug)
	if err != nil {
		return Paper{}, err
	}
	if !paper.Published {
		return Paper{}, problem.New(409, "unpublished", "The paper is not published yet",
			"%s is still being written: publish it, then set it for the course.", paper.Slug)
	}
	was, err := s.records.CoursePaper(ctx, query.CoursePaperParams{CourseID: course.ID, PaperID: paper.ID})
	if err != nil && !records.Missing(err) {
		return Paper{}, err
	}
	span, rules := paper.Span, marking.Rules{}
	if err == nil {
		span = marking.SpanOf(was.OpensAt, was.DueAt)
		if err := json.Unmarshal(was.Rules, &rules); err != nil {
			return Paper{}, err
		}
	}
	if span, rules, err = n.on(span, rules, course.Zone); err != nil {
		return Paper{}, err
	}
	stored, err := json.Marshal(rules)
	if err != nil {
		return Paper{}, err
	}
	var is query.CoursePaper
	defer s.records.Changed(records.SetsChanged) // after the write
	err = s.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if was.ID != 0 {
			if err := t.LockSet(ctx, was.ID); err != nil {
				return err
			}
		}
		is, err = t.SetCoursePaper(ctx, query.SetCoursePaperParams{
			CourseID: course.ID, PaperID: paper.ID, OpensAt: bound(span.Opens), DueAt: bound(span.Due), Rules: stored,
		})
		if err != nil || was.ID == 0 {
			return err
		}
		return s.standAgain(ctx, t, is.ID)
	})
	if err != nil {
		return Paper{}, err
	}
	return paperOf(is, paper.Slug, paper.Title, 0, s.now())
}

// on returns the times and rules that are to hold in place of others, or what is wrong with them.
func (n NewSet) on(span marking.Span, rules marking.Rules, zone string) (marking.Span, marking.Rules, error) {
	if n.Opens != nil {
		span.Opens = *n.Opens
	}
	if n.Due != nil {
		span.Due = *n.Due
	}
	for _, which := range n.Unbounded {
		switch which {
		case "opens":
			span.Opens = time.Time{}
		case "due":
			span.Due = time.Time{}
		}
	}
	if n.Rules != nil {
		rules = *n.Rules
	}
	if !span.Opens.IsZero() && !span.Due.IsZero() && !span.Due.After(span.Opens) {
		return span, rules, problem.New(422, "paper-times", "The paper would be due before it opens",
			"It would open on %s and be due on %s.", when(span.Opens, zone), when(span.Due, zone))
	}
	if wrong := rules.Check(span, partialKinds()); wrong != nil {
		return span, rules, problem.New(422, "paper-rules", "The paper cannot be set like this", "%s.", sentence(wrong))
	}
	return span, rules, nil
}

// partialKinds are the kinds of findings for which an answer can be given part of the points.
func partialKinds() (kinds []string) {
	for _, kind := range compare.Kinds() {
		kinds = append(kinds, string(kind))
	}
	return kinds
}

// Release tells learners the outcomes, marks and findings of a paper, whatever its rules say; or takes that back, so
// that its rules say it again.
func (s Sets) Release(ctx context.Context, who account.Account, course, paper string, released bool) (Paper, error) {
	return s.change(ctx, who, course, paper, func(t *records.Transaction, set query.CoursePaper) error {
		if err := t.ReleaseMarks(ctx, query.ReleaseMarksParams{ID: set.ID, Released: released}); err != nil {
			return err
		}
		if !released || !s.mails {
			return nil
		}
		ids, err := t.MailReleased(ctx, set.ID)
		return enqueue(ctx, t, ids, err)
	})
}

// Unset takes a paper out of a course in which nobody has submitted anything for it.
func (s Sets) Unset(ctx context.Context, who account.Account, course, paper string) error {
	_, err := s.change(ctx, who, course, paper, func(t *records.Transaction, set query.CoursePaper) error {
		n, err := t.UnsetPaper(ctx, set.ID)
		if err == nil && n == 0 {
			err = problem.New(409, "has-attempts", "Learners have submitted answers to the paper",
				"It stays set, so that their marks stay. To close it, set its due time to now.")
		}
		return err
	})
	return err
}

// setting finds a course and a paper for somebody who sets papers there.
func (s Sets) setting(ctx context.Context, who account.Account, courseSlug, paperSlug string) (
	query.Course, *library.Paper, error,
) {
	course, err := s.instructed(ctx, who, courseSlug)
	if err != nil {
		return course, nil, err
	}
	paper, err := s.paper(ctx, who, paperSlug)
	return course, paper, err
}

// change changes a paper as it is set for a course, while nothing is submitted for it.
func (s Sets) change(
	ctx context.Context, who account.Account, courseSlug, paperSlug string,
	f func(*records.Transaction, query.CoursePaper) error,
) (Paper, error) {
	course, paper, err := s.setting(ctx, who, courseSlug, paperSlug)
	if err != nil {
		return Paper{}, err
	}
	set, err := s.ofCourse(ctx, course, paper)
	if err != nil {
		return Paper{}, err
	}
	defer s.records.Changed(records.SetsChanged) // after the write
	err = s.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.LockSet(ctx, set.ID); err != nil {
			return err
		}
		if err := f(t, set); err != nil {
			return err
		}
		if err := s.standAgain(ctx, t, set.ID); err != nil && !records.Missing(err) { // it may be gone
			return err
		}
		is, err := t.CoursePaper(ctx, query.CoursePaperParams{CourseID: course.ID, PaperID: paper.ID})
		if records.Missing(err) {
			return nil
		}
		set = is
		return err
	})
	if err != nil {
		return Paper{}, err
	}
	return paperOf(set, paper.Slug, paper.Title, 0, s.now())
}

// ofCourse finds a paper as it is set for a course.
func (s Sets) ofCourse(ctx context.Context, course query.Course, paper *library.Paper) (query.CoursePaper, error) {
	set, err := s.records.CoursePaper(ctx, query.CoursePaperParams{CourseID: course.ID, PaperID: paper.ID})
	if records.Missing(err) {
		return set, problem.New(404, "not-set", "The paper is not set for the course",
			"%s is not set for %s: set it first.", paper.Slug, course.Slug)
	}
	return set, err
}

// paperOf is a paper as it is set for a course.
func paperOf(row query.CoursePaper, slug, title string, extensions int, now time.Time) (Paper, error) {
	p := Paper{Slug: slug, Title: title, Released: row.ReleasedAt, Extensions: extensions}
	if err := json.Unmarshal(row.Rules, &p.Rules); err != nil {
		return p, err
	}
	p.Span = marking.SpanOf(row.OpensAt, row.DueAt)
	p.Span.Grace = p.Rules.Late.Grace()
	p.State = p.Span.At(now)
	return p, nil
}

// bound returns a time as the records keep it: nil means no bound.
func bound(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
