// Package course holds courses: their members, the papers set for them with their times, and how each member stands.
//
// Before it reads anything, every call asks [account.Account.May] whether the account may make it. Which paper an
// account may read, and until when, follows from its courses and the papers set for them: see [Courses.Read].
package course

import (
	"cmp"
	"context"
	"fmt"
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

	watches *watches

	mails bool // learners are told by e-mail what is new; see [NewMails]
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

		papers: records.NewCache[string, *library.Paper](
			store, "papers", papersKept, keptLast, records.PapersChanged),
		exercises: records.NewCache[exerciseKey, *library.Exercise](
			store, "exercises", exercisesKept, keptLast, records.PapersChanged),
		setsKept: records.NewCache[setsKey, []set](
			store, "papers set", setsKept, keptLast, records.SetsChanged, records.MembersChanged),

		watches: &watches{of: map[int64]*watch{}},
	}
}

// A Course is a course with its counts of members and papers.
type Course struct {
	Slug, Title, Zone string
	Archived          *time.Time // nil: it is not
	Learners, Papers  int
}

// List lists the courses that the account may see, those that are archived last.
func (c *Courses) List(ctx context.Context, who account.Account) (all []Course, err error) {
	if err := who.May(account.See, who.Slugs()...); err != nil {
		return nil, err
	}
	rows, err := c.records.ListCourses(ctx, query.ListCoursesParams{
		AllCourses: who.Administrator, Ids: who.In(account.See),
	})
	for _, row := range rows {
		all = append(all, Course{row.Slug, row.Title, row.Zone, row.ArchivedAt, int(row.Learners), int(row.Papers)})
	}
	return all, err
}

// A NewCourse is a course to be made, or what is to become of one.
type NewCourse struct {
	Slug, Title string
	Zone        string // one that the IANA names; "" is UTC
}

// checked fills in what was left out, or returns what is wrong.
func (n NewCourse) checked() (NewCourse, error) {
	n.Title = strings.TrimSpace(n.Title)
	if !pack.IsSlug(n.Slug) {
		return n, problem.New(422, "course-name", "Invalid course name",
			"%.80q: up to %d lower-case letters, digits and hyphens are expected.", n.Slug, pack.LongestSlug)
	}
	if n.Title == "" || !records.IsText(n.Title) || len(n.Title) > 500 {
		return n, problem.New(422, "course-title", "The course has no title",
			"Give it a title of up to 500 characters for people to read.")
	}
	n.Zone = cmp.Or(n.Zone, "UTC")
	if _, err := time.LoadLocation(n.Zone); err != nil || n.Zone == "Local" {
		return n, problem.New(422, "course-zone", "There is no such time zone",
			"%.80q: a name such as Europe/Rome is expected.", n.Zone)
	}
	return n, nil
}

// Create makes a course. Whoever creates it becomes its instructor.
func (c *Courses) Create(ctx context.Context, who account.Account, n NewCourse) (Course, error) {
	if err := who.May(account.Administer); err != nil {
		return Course{}, err
	}
	return c.create(ctx, who, n, func(*records.Transaction, int64) error { return nil })
}

// create makes a course and fills it.
func (c *Courses) create(
	ctx context.Context, who account.Account, n NewCourse, fill func(t *records.Transaction, course int64) error,
) (Course, error) {
	n, err := n.checked()
	if err != nil {
		return Course{}, err
	}
	defer c.records.Changed(records.MembersChanged) // after the write
	err = c.records.As(ctx, who.ID, func(t *records.Transaction) error {
		course, err := t.CreateCourse(ctx, query.CreateCourseParams{Slug: n.Slug, Title: n.Title, Zone: n.Zone})
		if err != nil {
			return err
		}
		if err := fill(t, course.ID); err != nil {
			return err
		}
		return t.SetMember(ctx, query.SetMemberParams{
			CourseID: course.ID, AccountID: who.ID, Role: string(account.Instructor),
		})
	})
	if records.Taken(err) {
		return Course{}, problem.New(409, "course-taken", "A course with this name already exists",
			"Another course is called %q: choose another name.", n.Slug)
	}
	return Course{Slug: n.Slug, Title: n.Title, Zone: n.Zone}, err
}

// Change gives a course another title or zone; what is "" stays.
func (c *Courses) Change(ctx context.Context, who account.Account, slug, title, zone string) (Course, error) {
	course, err := c.managed(ctx, who, slug)
	if err != nil {
		return Course{}, err
	}
	n, err := NewCourse{slug, cmp.Or(title, course.Title), cmp.Or(zone, course.Zone)}.checked()
	if err != nil {
		return Course{}, err
	}
	defer c.records.Changed(records.SetsChanged) // after the write
	return Course{Slug: slug, Title: n.Title, Zone: n.Zone},
		c.records.As(ctx, who.ID, func(t *records.Transaction) error {
			return t.ChangeCourse(ctx, query.ChangeCourseParams{ID: course.ID, Title: n.Title, Zone: n.Zone})
		})
}

// Archive closes a course: everything in it can be read and nothing is submitted or changed any more. It can be taken
// back.
func (c *Courses) Archive(ctx context.Context, who account.Account, slug string, archived bool) (Course, error) {
	if err := who.May(account.Manage, slug); err != nil {
		return Course{}, err
	}
	course, err := c.find(ctx, slug)
	if err != nil {
		return Course{}, err
	}
	defer c.records.Changed(records.SetsChanged) // after the write
	err = c.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.ArchiveCourse(ctx, query.ArchiveCourseParams{ID: course.ID, Archived: archived}); err != nil {
			return err
		}
		course, err = t.CourseBySlug(ctx, slug)
		return err
	})
	return Course{Slug: slug, Title: course.Title, Zone: course.Zone, Archived: course.ArchivedAt}, err
}

// Delete removes a course in which nobody has done anything.
func (c *Courses) Delete(ctx context.Context, who account.Account, slug string) error {
	if err := who.May(account.Manage, slug); err != nil {
		return err
	}
	course, err := c.find(ctx, slug)
	if err != nil {
		return err
	}
	defer c.records.Changed(records.MembersChanged) // after the write
	return c.records.As(ctx, who.ID, func(t *records.Transaction) error {
		work, err := t.CourseWork(ctx, &course.ID)
		if err != nil {
			return err
		}
		if work.Attempts > 0 || work.Runs > 0 {
			return problem.New(409, "has-work", "Learners have worked in the course",
				"It has %s and %s, which are kept. Archive it: then it can be read, and nothing more is done in it.",
				count(work.Attempts, "attempt"), count(work.Runs, "run"))
		}
		return t.DeleteCourse(ctx, course.ID)
	})
}

// count writes how many there are of something.
func count(n int64, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// Copy makes a course with everything of another but its people: its zone, and its papers with their rules and times.
// Where a first day is given (the zero time: none), the paper that opens first opens on that day, and all times are as
// many days later, at the same time of day by the clocks of the course. Whoever copies it becomes its instructor.
func (c *Courses) Copy(
	ctx context.Context, who account.Account, from string, n NewCourse, firstDay time.Time,
) (Course, error) {
	if err := who.May(account.Instruct, from); err != nil && who.May(account.Administer) != nil {
		return Course{}, err
	}
	course, err := c.find(ctx, from)
	if err != nil {
		return Course{}, err
	}
	papers, err := c.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return Course{}, err
	}
	days := 0
	if !firstDay.IsZero() {
		if days, err = daysLater(papers, course.Zone, firstDay); err != nil {
			return Course{}, err
		}
	}
	n.Title, n.Zone = cmp.Or(n.Title, course.Title), cmp.Or(n.Zone, course.Zone)
	made, err := c.create(ctx, who, n, func(t *records.Transaction, id int64) error {
		return t.CopyPapers(ctx, query.CopyPapersParams{FromCourse: course.ID, ToCourse: id, Days: int32(days)})
	})
	made.Papers = len(papers)
	return made, err
}

// daysLater is how many days lie between the day on which the first of the papers opens and another day.
func daysLater(papers []query.CoursePapersRow, zone string, to time.Time) (int, error) {
	place, err := time.LoadLocation(zone)
	if err != nil {
		return 0, err
	}
	var first time.Time
	for _, p := range papers {
		for _, at := range []*time.Time{p.CoursePaper.OpensAt, p.CoursePaper.DueAt} {
			if at != nil && (first.IsZero() || at.Before(first)) {
				first = *at
			}
		}
	}
	if first.IsZero() {
		return 0, nil
	}
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC) }
	return int(day(to).Sub(day(first.In(place))).Hours() / 24), nil
}

// A Paper is a paper as it is set for a course.
type Paper struct {
	Slug, Title string
	Span        marking.Span
	State       marking.State
	Rules       marking.Rules
	Released    *time.Time // when marks were released; nil: they were not
	Extensions  int
}

// A Member is an account with what it is in a course.
type Member struct {
	account.Account
	Role  account.Role
	Group string     // "" for none
	Left  *time.Time // when they left the course; nil: they are in it
}

// A Detail is a course with its papers and members.
type Detail struct {
	Course
	Papers  []Paper
	Members []Member
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
	detail := &Detail{Course: Course{
		Slug: course.Slug, Title: course.Title, Zone: course.Zone, Archived: course.ArchivedAt,
	}}
	papers, err := c.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	for _, row := range papers {
		p, err := paperOf(row.CoursePaper, row.Slug, row.Title, int(row.Extensions), c.now())
		if err != nil {
			return nil, err
		}
		detail.Papers = append(detail.Papers, p)
	}
	members, err := c.records.CourseMembers(ctx, course.ID)
	for _, m := range members {
		detail.Members = append(detail.Members, memberOf(m.Account, m.Member))
		if m.Member.Role == string(account.Learner) && m.Member.LeftAt == nil {
			detail.Learners++
		}
	}
	detail.Course.Papers = len(papers)
	return detail, err
}

func memberOf(row query.Account, m query.Member) Member {
	return Member{account.Of(row), account.Role(m.Role), m.GroupName, m.LeftAt}
}

// find finds a course.
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

// instructed finds a course in which the account may set papers and marks.
func (c *Courses) instructed(ctx context.Context, who account.Account, slug string) (query.Course, error) {
	return c.changeable(ctx, who, account.Instruct, slug)
}

// managed finds a course of which the account may say who is in it.
func (c *Courses) managed(ctx context.Context, who account.Account, slug string) (query.Course, error) {
	return c.changeable(ctx, who, account.Manage, slug)
}

func (c *Courses) changeable(
	ctx context.Context, who account.Account, do account.Action, slug string,
) (query.Course, error) {
	if err := who.May(do, slug); err != nil {
		return query.Course{}, err
	}
	course, err := c.find(ctx, slug)
	if err == nil && course.ArchivedAt != nil {
		err = problem.New(409, "archived", "The course is archived",
			"Nothing is changed in %s any more. Take it out of the archive first.", slug)
	}
	return course, err
}
