// Package course knows courses: their members, the papers that are set for them in time, and how the members stand.
package course

import (
	"context"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Courses are all courses of a service, in its records.
type Courses struct {
	records  *records.Store
	accounts *account.Accounts
	now      func() time.Time
}

// New returns the courses in the records. The clock tells which papers are open.
func New(store *records.Store, accounts *account.Accounts, now func() time.Time) *Courses {
	return &Courses{store, accounts, now}
}

// A Course is a course and how much is in it.
type Course struct {
	Slug, Title      string
	Learners, Papers int
}

// List lists all courses.
func (c *Courses) List(ctx context.Context, who account.Account) (all []Course, err error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	rows, err := c.records.ListCourses(ctx)
	for _, row := range rows {
		all = append(all, Course{row.Slug, row.Title, int(row.Learners), int(row.Papers)})
	}
	return all, err
}

// Create makes a course.
func (c *Courses) Create(ctx context.Context, who account.Account, slug, title string) (Course, error) {
	if err := who.InstructorsOnly(); err != nil {
		return Course{}, err
	}
	title = strings.TrimSpace(title)
	if !pack.IsSlug(slug) {
		return Course{}, problem.New(422, "course-name", "Invalid course name", "%.80q: up to %d lower-case letters, digits and hyphens are expected.", slug, pack.LongestSlug)
	}
	if title == "" || !records.IsText(title) || len(title) > 500 {
		return Course{}, problem.New(422, "course-title", "The course has no title", "Give it a title of up to 500 characters for people to read.")
	}
	course, err := c.records.CreateCourse(ctx, query.CreateCourseParams{Slug: slug, Title: title})
	if records.Taken(err) {
		return Course{}, problem.New(409, "course-taken", "A course with this name already exists", "Another course is called %q: choose another name.", slug)
	}
	return Course{Slug: course.Slug, Title: course.Title}, err
}

// A Paper is a paper as it is set for a course.
type Paper struct {
	Slug, Title string
	Opens, Due  time.Time
	State       marking.State
}

// A Detail is a course with its papers and learners.
type Detail struct {
	Slug, Title string
	Papers      []Paper
	Learners    []account.Account
}

// Course returns one course.
func (c *Courses) Course(ctx context.Context, who account.Account, slug string) (*Detail, error) {
	course, err := c.course(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	detail := &Detail{Slug: course.Slug, Title: course.Title}
	papers, err := c.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range papers {
		detail.Papers = append(detail.Papers, c.set(p.Slug, p.Title, p.OpensAt, p.DueAt))
	}
	learners, err := c.records.CourseLearners(ctx, course.ID)
	for _, row := range learners {
		detail.Learners = append(detail.Learners, account.Of(row))
	}
	return detail, err
}

// set is a paper with its times in a course; a time that is nil is no bound.
func (c *Courses) set(slug, title string, opens, due *time.Time) Paper {
	p := Paper{Slug: slug, Title: title}
	if opens != nil {
		p.Opens = *opens
	}
	if due != nil {
		p.Due = *due
	}
	p.State = marking.At(c.now(), p.Opens, p.Due)
	return p
}

func (c *Courses) course(ctx context.Context, who account.Account, slug string) (query.Course, error) {
	if err := who.InstructorsOnly(); err != nil {
		return query.Course{}, err
	}
	if !records.IsText(slug) {
		slug = ""
	}
	course, err := c.records.CourseBySlug(ctx, slug)
	if records.Missing(err) {
		return course, problem.New(404, "no-course", "There is no such course", "No course is called %q.", slug)
	}
	return course, err
}

// paper finds a paper.
func (c *Courses) paper(ctx context.Context, who account.Account, slug string) (query.PaperInUse, error) {
	if !records.IsText(slug) {
		slug = ""
	}
	found, err := c.records.PaperFor(ctx, query.PaperForParams{AccountID: who.ID, Slug: slug})
	if records.Missing(err) {
		return found.PaperInUse, problem.New(404, "no-paper", "There is no such paper", "No paper is called %.80q.", slug)
	}
	return found.PaperInUse, err
}

// SetPaper sets a paper for a course, or changes its times there. A time that is nil is the paper's own.
func (c *Courses) SetPaper(ctx context.Context, who account.Account, courseSlug, paperSlug string, opens, due *time.Time) (Paper, error) {
	course, err := c.course(ctx, who, courseSlug)
	if err != nil {
		return Paper{}, err
	}
	paper, err := c.paper(ctx, who, paperSlug)
	if err != nil {
		return Paper{}, err
	}
	if opens == nil {
		opens = paper.OpensAt
	}
	if due == nil {
		due = paper.DueAt
	}
	if opens != nil && due != nil && !due.After(*opens) {
		return Paper{}, problem.New(422, "paper-times", "The paper would be due before it opens",
			"It would open at %s and be due at %s.", opens.Format(time.RFC3339), due.Format(time.RFC3339))
	}
	defer c.records.Changed(records.PapersChanged) // after the write
	err = c.records.SetCoursePaper(ctx, query.SetCoursePaperParams{CourseID: course.ID, PaperID: paper.ID, OpensAt: opens, DueAt: due})
	return c.set(paper.Slug, paper.Title, opens, due), err
}
