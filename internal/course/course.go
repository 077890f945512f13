// Package course holds courses: their members, the papers set for them with their times, and how each member stands.
//
// Before it reads anything, every call asks [account.Account.May] whether the account may make it. Which paper an
// account may read, and until when, follows from its courses and the papers set for them: see [Courses.Read].
package course

import (
	"cmp"
	"context"
	"strings"
	"time"
	_ "time/tzdata" // a machine without time zones knows them, too

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Courses gives access to all courses in a service's records.
type Courses struct {
	records  *records.Store
	accounts *account.Accounts
	library  *library.Library
	now      func() time.Time

	// What nearly every call asks for: papers by their slug, their exercises, and when they may be read by whom.
	papers    *records.Cache[string, *library.Paper]
	exercises *records.Cache[exerciseKey, *library.Exercise]
	setsKept  *records.Cache[setsKey, []set]
}

// Bounds of what is kept: enough for a few courses at once.
const (
	papersKept    = 1000
	exercisesKept = 5000
	setsKept      = 20_000
	keptLast      = time.Hour
)

// New returns the courses in the records. The clock decides which papers are open.
func New(store *records.Store, accounts *account.Accounts, papers *library.Library, now func() time.Time) *Courses {
	return &Courses{
		records:  store,
		accounts: accounts,
		library:  papers,
		now:      now,

		papers: records.NewCache[string, *library.Paper](store, papersKept, keptLast, records.PapersChanged),
		exercises: records.NewCache[exerciseKey, *library.Exercise](
			store, exercisesKept, keptLast, records.PapersChanged),
		setsKept: records.NewCache[setsKey, []set](
			store, setsKept, keptLast, records.PapersChanged, records.MembersChanged),
	}
}

// A Course is a course with its counts of members and papers.
type Course struct {
	Slug, Title, Zone string
	Learners, Papers  int
}

// List lists the courses that the account may see.
func (c *Courses) List(ctx context.Context, who account.Account) (all []Course, err error) {
	if err := who.May(account.See, who.Slugs()...); err != nil {
		return nil, err
	}
	rows, err := c.records.ListCourses(ctx, query.ListCoursesParams{
		AllCourses: who.Administrator, Ids: who.In(account.See),
	})
	for _, row := range rows {
		all = append(all, Course{row.Slug, row.Title, row.Zone, int(row.Learners), int(row.Papers)})
	}
	return all, err
}

// Create makes a course. Whoever creates it becomes its instructor. Its zone is one that the IANA names; "" is UTC.
func (c *Courses) Create(ctx context.Context, who account.Account, slug, title, zone string) (Course, error) {
	if err := who.May(account.Administer); err != nil {
		return Course{}, err
	}
	title = strings.TrimSpace(title)
	if !pack.IsSlug(slug) {
		return Course{}, problem.New(422, "course-name", "Invalid course name",
			"%.80q: up to %d lower-case letters, digits and hyphens are expected.", slug, pack.LongestSlug)
	}
	if title == "" || !records.IsText(title) || len(title) > 500 {
		return Course{}, problem.New(422, "course-title", "The course has no title",
			"Give it a title of up to 500 characters for people to read.")
	}
	zone = cmp.Or(zone, "UTC")
	if _, err := time.LoadLocation(zone); err != nil || zone == "Local" {
		return Course{}, problem.New(422, "course-zone", "There is no such time zone",
			"%.80q: a name such as Europe/Rome is expected.", zone)
	}
	defer c.records.Changed(records.MembersChanged) // after the write
	err := c.records.As(ctx, who.ID, func(t *records.Transaction) error {
		course, err := t.CreateCourse(ctx, query.CreateCourseParams{Slug: slug, Title: title, Zone: zone})
		if err != nil {
			return err
		}
		return t.SetMember(ctx, query.SetMemberParams{
			CourseID: course.ID, AccountID: who.ID, Role: string(account.Instructor),
		})
	})
	if records.Taken(err) {
		return Course{}, problem.New(409, "course-taken", "A course with this name already exists",
			"Another course is called %q: choose another name.", slug)
	}
	return Course{Slug: slug, Title: title, Zone: zone}, err
}

// A Paper is a paper as set for a course.
type Paper struct {
	Slug, Title string
	Span        marking.Span
	State       marking.State
}

// A Member is an account with its role in a course.
type Member struct {
	account.Account
	Role account.Role
}

// A Detail is a course with its papers and members.
type Detail struct {
	Slug, Title string
	Papers      []Paper
	Members     []Member
}

// Course returns one course.
func (c *Courses) Course(ctx context.Context, who account.Account, slug string) (*Detail, error) {
	if err := who.May(account.See, slug); err != nil {
		return nil, err
	}
	course, err := c.find(ctx, slug)
	if err != nil {
		return nil, err
	}
	detail := &Detail{Slug: course.Slug, Title: course.Title}
	papers, err := c.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range papers {
		span := marking.SpanOf(p.OpensAt, p.DueAt)
		detail.Papers = append(detail.Papers, Paper{p.Slug, p.Title, span, span.At(c.now())})
	}
	members, err := c.records.CourseMembers(ctx, course.ID)
	for _, m := range members {
		detail.Members = append(detail.Members, Member{account.Of(m.Account), account.Role(m.Role)})
	}
	return detail, err
}

// find finds a course that the account in ctx may change.
func (c *Courses) find(ctx context.Context, slug string) (query.Course, error) {
	if !records.IsText(slug) {
		slug = ""
	}
	course, err := c.records.CourseBySlug(ctx, slug)
	if records.Missing(err) {
		return course, problem.New(404, "no-course", "There is no such course", "No course is called %q.", slug)
	}
	return course, err
}

// SetPaper sets a paper for a course, or changes its times there. Where a time is nil, the paper's own time holds.
func (c *Courses) SetPaper(
	ctx context.Context, who account.Account, courseSlug, paperSlug string, opens, due *time.Time,
) (
	Paper, error,
) {
	if err := who.May(account.Instruct, courseSlug); err != nil {
		return Paper{}, err
	}
	course, err := c.find(ctx, courseSlug)
	if err != nil {
		return Paper{}, err
	}
	paper, err := c.paper(ctx, who, paperSlug)
	if err != nil {
		return Paper{}, err
	}
	if !paper.Published {
		return Paper{}, problem.New(409, "unpublished", "The paper is not published yet",
			"%s is still being written: publish it, then set it for the course.", paper.Slug)
	}
	span := paper.Span
	if opens != nil {
		span.Opens = *opens
	}
	if due != nil {
		span.Due = *due
	}
	if !span.Opens.IsZero() && !span.Due.IsZero() && !span.Due.After(span.Opens) {
		return Paper{}, problem.New(422, "paper-times", "The paper would be due before it opens",
			"It would open at %s and be due at %s.", span.Opens.Format(time.RFC3339), span.Due.Format(time.RFC3339))
	}
	defer c.records.Changed(records.PapersChanged) // after the write
	err = c.records.As(ctx, who.ID, func(t *records.Transaction) error {
		return t.SetCoursePaper(ctx, query.SetCoursePaperParams{
			CourseID: course.ID, PaperID: paper.ID, OpensAt: bound(span.Opens), DueAt: bound(span.Due),
		})
	})
	return Paper{paper.Slug, paper.Title, span, span.At(c.now())}, err
}

// bound returns a time as the records keep it: nil means no bound.
func bound(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
