package exam

import (
	"context"
	"regexp"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

var (
	slugPattern = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)
	namePattern = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,62}[a-z0-9])?$`)
)

// A Course is a course and how much is in it.
type Course = query.ListCoursesRow

// longestSlug is in bytes.
const longestSlug = 64

// Courses lists all courses.
func (s *Service) Courses(ctx context.Context, who account.Account) ([]Course, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	return s.records.ListCourses(ctx)
}

// CreateCourse makes a course.
func (s *Service) CreateCourse(ctx context.Context, who account.Account, slug, title string) (Course, error) {
	if err := who.InstructorsOnly(); err != nil {
		return Course{}, err
	}
	title = strings.TrimSpace(title)
	if !slugPattern.MatchString(slug) || len(slug) > longestSlug {
		return Course{}, problem.New(422, "course-name", "Invalid course name", "%.80q: up to %d lower-case letters, digits and hyphens are expected.", slug, longestSlug)
	}
	if title == "" || !isText(title) || len(title) > 500 {
		return Course{}, problem.New(422, "course-title", "The course has no title", "Give it a title of up to 500 characters for people to read.")
	}
	course, err := s.records.CreateCourse(ctx, query.CreateCourseParams{Slug: slug, Title: title})
	if records.Taken(err) {
		return Course{}, problem.New(409, "course-taken", "A course with this name already exists", "Another course is called %q: choose another name.", slug)
	}
	return Course{Slug: course.Slug, Title: course.Title}, err
}

// A CoursePaper is a paper as it is set for a course.
type CoursePaper struct {
	Slug, Title string
	Opens, Due  time.Time
	State       marking.State
}

// CourseDetail is a course with its papers and learners.
type CourseDetail struct {
	Slug, Title string
	Papers      []CoursePaper
	Learners    []account.Account
}

// Course returns one course.
func (s *Service) Course(ctx context.Context, who account.Account, slug string) (*CourseDetail, error) {
	course, err := s.course(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	detail := &CourseDetail{Slug: course.Slug, Title: course.Title}
	papers, err := s.records.CoursePapers(ctx, course.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range papers {
		detail.Papers = append(detail.Papers, coursePaper(p.Slug, p.Title, timeOr(p.OpensAt), timeOr(p.DueAt)))
	}
	learners, err := s.records.CourseLearners(ctx, course.ID)
	for _, row := range learners {
		detail.Learners = append(detail.Learners, account.Of(row))
	}
	return detail, err
}

func coursePaper(slug, title string, opens, due time.Time) CoursePaper {
	return CoursePaper{slug, title, opens, due, marking.At(time.Now(), opens, due)}
}

func (s *Service) course(ctx context.Context, who account.Account, slug string) (query.Course, error) {
	if err := who.InstructorsOnly(); err != nil {
		return query.Course{}, err
	}
	if !isText(slug) {
		slug = ""
	}
	course, err := s.records.CourseBySlug(ctx, slug)
	if records.Missing(err) {
		return course, problem.New(404, "no-course", "There is no such course", "No course is called %q.", slug)
	}
	return course, err
}

// OpenPaper sets a paper for a course, or changes its times there. A time that is nil is the paper's own.
func (s *Service) OpenPaper(ctx context.Context, who account.Account, courseSlug, paperSlug string, opens, due *time.Time) (CoursePaper, error) {
	course, err := s.course(ctx, who, courseSlug)
	if err != nil {
		return CoursePaper{}, err
	}
	paper, err := s.paper(ctx, who, paperSlug)
	if err != nil {
		return CoursePaper{}, err
	}
	if opens == nil {
		opens = paper.OpensAt
	}
	if due == nil {
		due = paper.DueAt
	}
	if opens != nil && due != nil && !due.After(*opens) {
		return CoursePaper{}, problem.New(422, "paper-times", "The paper would be due before it opens",
			"It would open at %s and be due at %s.", opens.Format(time.RFC3339), due.Format(time.RFC3339))
	}
	defer s.papers.Invalidate() // after the write
	err = s.records.SetCoursePaper(ctx, query.SetCoursePaperParams{CourseID: course.ID, PaperID: paper.ID, OpensAt: opens, DueAt: due})
	return coursePaper(paper.Slug, paper.Title, timeOr(opens), timeOr(due)), err
}

// A NewLearner is to be added to a course.
type NewLearner struct {
	Name, DisplayName string
	Password          string // "" has one made
}

// AddLearner adds a learner to a course, making the account where there is none. password is the one-time password, if one was made.
func (s *Service) AddLearner(ctx context.Context, who account.Account, courseSlug string, n NewLearner) (added account.Account, password string, err error) {
	course, err := s.course(ctx, who, courseSlug)
	if err != nil {
		return added, "", err
	}
	n.Name, n.DisplayName = strings.ToLower(strings.TrimSpace(n.Name)), strings.TrimSpace(n.DisplayName)
	if !namePattern.MatchString(n.Name) {
		return added, "", problem.New(422, "learner-name", "Invalid learner name", "%q: up to 64 lower-case letters, digits, dots, hyphens and underscores are expected.", n.Name)
	}
	if n.DisplayName == "" {
		n.DisplayName = n.Name
	}
	if !isText(n.DisplayName) || len(n.DisplayName) > 200 {
		return added, "", problem.New(422, "learner-name", "Invalid display name", "Up to 200 characters of text are expected.")
	}
	defer s.papers.Invalidate() // after the write
	row, err := s.records.AccountByName(ctx, n.Name)
	if records.Missing(err) {
		made := query.CreateAccountParams{Name: n.Name, DisplayName: n.DisplayName, Role: account.Learner}
		if n.Password == "" {
			one := s.accounts.NewOneTime()
			password, made.Password, made.OneTime, made.OneTimeUntil = one.Password, one.Hash, true, &one.Until
		} else if err := account.CheckPassword(n.Password); err != nil {
			return added, "", err
		} else {
			made.Password = s.accounts.Hash(n.Password)
		}
		err = s.records.Together(ctx, func(q *records.Transaction) error {
			row, err := q.CreateAccount(ctx, made)
			if err != nil {
				return err
			}
			added = account.Of(row)
			return q.Enrol(ctx, query.EnrolParams{CourseID: course.ID, AccountID: row.ID})
		})
		return added, password, err
	}
	if err != nil {
		return added, "", err
	}
	if added = account.Of(row); added.Role != account.Learner {
		return added, "", problem.New(409, "not-a-learner", "The account is not a learner's", "%q is an instructor's account: choose another name.", n.Name)
	}
	return added, "", s.records.Enrol(ctx, query.EnrolParams{CourseID: course.ID, AccountID: added.ID})
}

// ResetLearner gives a learner a new one-time password and ends their sessions.
func (s *Service) ResetLearner(ctx context.Context, who account.Account, name string) (learner account.Account, password string, err error) {
	if learner, err = s.learner(ctx, who, name); err != nil {
		return learner, "", err
	}
	one := s.accounts.NewOneTime()
	learner.OneTime = true
	err = s.records.Together(ctx, func(q *records.Transaction) error {
		if err := q.SetPassword(ctx, query.SetPasswordParams{ID: learner.ID, Password: one.Hash, OneTime: true, OneTimeUntil: &one.Until}); err != nil {
			return err
		}
		return q.DeleteOtherSessions(ctx, query.DeleteOtherSessionsParams{AccountID: learner.ID, TokenHash: []byte{}})
	})
	if err == nil {
		s.accounts.Invalidate()
	}
	return learner, one.Password, err
}

// learner finds a learner's account, for an instructor.
func (s *Service) learner(ctx context.Context, who account.Account, name string) (account.Account, error) {
	if err := who.InstructorsOnly(); err != nil {
		return account.Account{}, err
	}
	if !isText(name) {
		name = ""
	}
	row, err := s.records.AccountByName(ctx, name)
	if records.Missing(err) || err == nil && row.Role != account.Learner {
		return account.Account{}, problem.New(404, "no-learner", "There is no such learner", "No learner is called %q.", name)
	}
	return account.Of(row), err
}
