package course_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/library/librarytest"
	"examen/internal/postgres/postgrestest"
	"examen/internal/problem"
	"examen/internal/records/query"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var ctx = context.Background()

// A yard is courses with the paper "hives", and a clock that the test sets.
type yard struct {
	*librarytest.House
	*course.Courses
}

func open(t *testing.T) *yard {
	t.Helper()
	h := librarytest.Open(t, url)
	if job := h.Load(t, librarytest.Hives()); job.Problem != nil {
		t.Fatal(job.Problem)
	}
	y := &yard{House: h}
	y.Courses = course.New(h.Store, h.Accounts, h.Library, func() time.Time { return h.Now })
	return y
}

// course makes a course that hazel instructs, and says hazel as she is then.
func (y *yard) course(t *testing.T, slug string) account.Account {
	t.Helper()
	if _, err := y.Create(ctx, y.Hazel, course.NewCourse{Slug: slug, Title: strings.ToUpper(slug)}); err != nil {
		t.Fatal(err)
	}
	return y.Account(t, "hazel")
}

// member adds somebody to a course.
func (y *yard) member(t *testing.T, slug, name string, role account.Role) account.Account {
	t.Helper()
	_, err := y.People().Add(
		ctx, y.Account(t, "hazel"), slug, course.NewMember{Name: name, Password: "long enough it is", Role: role},
	)
	if err != nil {
		t.Fatal(err)
	}
	return y.Account(t, name)
}

// attempt has somebody make an attempt at an exercise of the paper, in a course.
func (y *yard) attempt(t *testing.T, who account.Account, slug, exercise, outcome, mark string) {
	t.Helper()
	p, err := y.Library.Paper(ctx, "hives")
	if err != nil {
		t.Fatal(err)
	}
	e, err := y.Library.Exercise(ctx, p, exercise)
	if err != nil {
		t.Fatal(err)
	}
	in, err := y.Store.CourseBySlug(ctx, slug)
	if err != nil {
		t.Fatal(err)
	}
	_, err = y.Store.CreateAttempt(ctx, query.CreateAttemptParams{
		AccountID: who.ID, ExerciseID: e.ID, CourseID: &in.ID, VersionID: e.Version, BuildID: p.Build, Sql: "SELECT 1",
		ReceivedAt: y.Now, Outcome: outcome, Mark: mark, Points: e.Points.String(), Findings: json.RawMessage("[]"),
		Counted: true,
	})
	if err != nil {
		t.Fatal(err)
	}
}

// kind is the kind of problem that an error is; "" for no error.
func kind(t *testing.T, err error) string {
	t.Helper()
	var p *problem.Problem
	if err != nil && !errors.As(err, &p) {
		t.Fatal(err)
	} else if err == nil {
		return ""
	}
	return strings.TrimPrefix(p.Type, "examen:")
}

func TestWhatACourseMayBeCalled(t *testing.T) {
	y := open(t)
	for _, c := range []struct{ slug, title, zone, want string }{
		{"spring", "Spring", "", ""},
		{"spring", "Again", "", "course-taken"},
		{"Spring Course", "Spring", "", "course-name"},
		{"-", "Dash", "", "course-name"},
		{strings.Repeat("a", 65), "Long", "", "course-name"},
		{"autumn", "  ", "", "course-title"},
		{"autumn", "a\x00b", "", "course-title"},
		{"autumn", "Autumn", "Europe/Nowhere", "course-zone"},
		{"autumn", "Autumn", "Local", "course-zone"},
		{"autumn", "Autumn", "Europe/Rome", ""},
	} {
		n := course.NewCourse{Slug: c.slug, Title: c.title, Zone: c.zone}
		if _, err := y.Create(ctx, y.Hazel, n); kind(t, err) != c.want {
			t.Errorf("%q: got %v", c, err)
		}
	}
}

// A paper opens and is due to the second, in the list, when it is read, and when something is submitted.
func TestTimesHoldToTheSecond(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "timed")
	robin := y.member(t, "timed", "robin-timed", account.Learner)
	opens, due := y.Now.Add(time.Hour), y.Now.Add(2*time.Hour)
	for _, c := range []struct {
		paper      string
		opens, due *time.Time
		want       string
	}{
		{"hives", &due, &opens, "paper-times"},
		{"wasps", &opens, &due, "no-paper"},
		{"hives", &opens, &due, ""},
	} {
		n := course.NewSet{Opens: c.opens, Due: c.due}
		if _, err := y.Sets().Set(ctx, hazel, "timed", c.paper, n); kind(t, err) != c.want {
			t.Errorf("%+v: %v", c, err)
		}
	}
	for _, c := range []struct {
		at             time.Time
		state          marking.State
		reads, submits string
	}{
		{opens.Add(-time.Second), marking.Upcoming, "not-open", ""},
		{opens, marking.Open, "", ""},
		{due.Add(-time.Second), marking.Open, "", ""},
		{due, marking.Closed, "", "past-due"},
	} {
		y.Now = c.at
		found, err := y.Course(ctx, hazel, "timed")
		if err != nil || len(found.Papers) != 1 || found.Papers[0].State != c.state {
			t.Errorf("at %s: got %+v, %v, want %s", c.at, found, err, c.state)
		}
		if list, err := y.Papers(ctx, robin); err != nil || len(list) != 1 || list[0].State != c.state {
			t.Errorf("at %s: got %+v, %v", c.at, list, err)
		}
		r, err := y.Read(ctx, robin, "hives")
		if kind(t, err) != c.reads {
			t.Errorf("at %s: reading gives %v", c.at, err)
		} else if err == nil && kind(t, r.MaySubmit(c.at)) != c.submits {
			t.Errorf("at %s: submitting gives %v", c.at, r.MaySubmit(c.at))
		}
	}
	// What was received in time counts, however long it waited.
	if r, err := y.Read(ctx, robin, "hives"); err != nil || r.MaySubmit(due.Add(-time.Millisecond)) != nil {
		t.Errorf("received before the due time: %v", err)
	}
}

// Who has a paper in two courses works on it in the one that is open, and stands in each by itself.
func TestAPaperInTwoCourses(t *testing.T) {
	y := open(t)
	y.course(t, "first")
	hazel := y.course(t, "second")
	y.member(t, "first", "robin-twice", account.Learner)
	robin := y.member(t, "second", "robin-twice", account.Learner)
	past, future := y.Now.Add(-time.Hour), y.Now.Add(time.Hour)
	for slug, due := range map[string]*time.Time{"first": &past, "second": &future} {
		if _, err := y.Sets().Set(ctx, hazel, slug, "hives", course.NewSet{Due: due}); err != nil {
			t.Fatal(err)
		}
	}
	y.attempt(t, robin, "first", "all", "correct", "0.1")
	y.attempt(t, robin, "second", "all", "incorrect", "0")
	r, err := y.Read(ctx, robin, "hives")
	if err != nil || r.State != marking.Open {
		t.Fatalf("got %+v, %v", r, err)
	}
	standing, err := y.Marking().Standing(ctx, robin, r)
	if err != nil || len(standing) != 1 {
		t.Fatalf("got %+v, %v", standing, err)
	}
	for _, s := range standing {
		if s.Outcome != marking.Incorrect || s.Attempts != 1 {
			t.Errorf("got %+v", s)
		}
	}
	grid, err := y.Following().Progress(ctx, hazel, "hives", "", 0)
	var lines []string
	for _, l := range grid.Learners {
		if l.Name == "robin-twice" {
			lines = append(lines, fmt.Sprint(l.Course, " ", l.Mark))
		}
	}
	if err != nil || strings.Join(lines, ", ") != "first 0.1, second 0" {
		t.Errorf("got %q, %v", lines, err)
	}
}

// Marks are exact in every sum.
func TestMarksAddUpExactly(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "sums")
	robin := y.member(t, "sums", "robin-sums", account.Learner)
	if _, err := y.Sets().Set(ctx, hazel, "sums", "hives", course.NewSet{}); err != nil {
		t.Fatal(err)
	}
	y.attempt(t, robin, "sums", "all", "correct", "0.1")
	y.attempt(t, robin, "sums", "strong", "correct", "0.2")
	grid, err := y.Following().Progress(ctx, hazel, "hives", "sums", 0)
	if err != nil || len(grid.Learners) != 1 || grid.Learners[0].Mark.String() != "0.3" ||
		grid.Points.String() != "2.3" {
		t.Errorf("got %+v, %v", grid, err)
	}
	list, err := y.Papers(ctx, robin)
	if err != nil || list[0].Mark.String() != "0.3" || list[0].Points.String() != "2.3" || list[0].Correct != 2 {
		t.Errorf("got %+v, %v", list, err)
	}
	// By hand another mark counts, until the computed one does again.
	two, three := marking.PointsOf("2"), marking.PointsOf("3")
	for _, c := range []struct {
		mark   *marking.Points
		reason string
		want   string
		sum    string
	}{
		{&three, "too many", "mark", "0.3"},
		{&two, " ", "reason", "0.3"},
		{&two, "told me so", "", "2.3"},
		{nil, "no, it was another", "", "0.3"},
	} {
		n := course.NewMark{
			Marked: course.Marked{Course: "sums", Paper: "hives", Exercise: "count", Learner: "robin-sums"},
			Mark:   c.mark,
			Reason: c.reason,
		}
		if _, err := y.Marking().Set(ctx, hazel, n); kind(t, err) != c.want {
			t.Errorf("%+v: got %v", c, err)
		}
		grid, err := y.Following().Progress(ctx, hazel, "hives", "sums", 0)
		if err != nil || grid.Learners[0].Mark.String() != c.sum {
			t.Errorf("%+v: got %+v, %v", c, grid, err)
		}
	}
}

func TestMembers(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "members")
	posy, err := y.People().Add(ctx, hazel, "members", course.NewMember{Name: " Posy "})
	if err != nil || posy.Name != "posy" || posy.Password == "" || !posy.OneTime || posy.Role != account.Learner {
		t.Fatalf("got %+v, %v", posy, err)
	}
	again, err := y.People().Add(ctx, hazel, "members", course.NewMember{Name: "posy", Role: account.Assistant})
	if err != nil || again.ID != posy.ID || again.Password != "" {
		t.Errorf("the same again: %+v, %v", again, err)
	}
	if role := y.Account(t, "posy").Role(); role != account.Assistant {
		t.Errorf("got %s", role)
	}
	for _, c := range []struct {
		course.NewMember
		want string
	}{
		{course.NewMember{}, "login"},
		{course.NewMember{Name: "two words"}, "login"},
		{course.NewMember{Name: "lark", DisplayName: "a\x00b"}, "display-name"},
		{course.NewMember{Name: "lark", Password: "short"}, "password-length"},
		{course.NewMember{Name: "lark", Role: "queen"}, "role"},
		{course.NewMember{Name: "hazel", Role: account.Learner}, "last-instructor"},
		{course.NewMember{Name: "lark", DisplayName: "Lark", Password: "long enough it is"}, ""},
	} {
		if _, err := y.People().Add(ctx, hazel, "members", c.NewMember); kind(t, err) != c.want {
			t.Errorf("%+v: got %v", c, err)
		}
	}
}
