package work_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
	"examen/internal/course"
	"examen/internal/library/librarytest"
	"examen/internal/postgres/postgrestest"
	"examen/internal/problem"
	"examen/internal/work"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var ctx = context.Background()

// A class is work on the paper "hives", which is set for a course of a learner, robin.
type class struct {
	*librarytest.House
	*work.Work
	courses *course.Courses
	slug    string
	robin   account.Account
	due     time.Time
}

// open makes a course with the name, and has the paper due in an hour.
func open(t *testing.T, slug string) *class {
	t.Helper()
	c := &class{House: librarytest.Open(t, url), slug: slug}
	if job := c.Load(t, librarytest.Hives()); job.Problem != nil {
		t.Fatal(job.Problem)
	}
	c.courses = course.New(c.Store, c.Accounts, c.Library, func() time.Time { return c.Now })
	c.Work = work.New(c.Store, c.Practice, c.Grader, c.Accounts, c.courses, c.Library, work.DefaultBounds, c.Log)
	if _, err := c.courses.Create(ctx, c.Hazel, course.NewCourse{Slug: slug, Title: slug}); err != nil {
		t.Fatal(err)
	}
	c.due = c.Now.Add(time.Hour)
	if _, err := c.courses.Sets().Set(ctx, c.hazel(t), slug, "hives", course.NewSet{Due: &c.due}); err != nil {
		t.Fatal(err)
	}
	c.robin = c.member(t, "robin-"+slug, account.Learner)
	return c
}

// hazel is the course's instructor, as she is now.
func (c *class) hazel(t *testing.T) account.Account { return c.Account(t, "hazel") }

func (c *class) member(t *testing.T, name string, role account.Role) account.Account {
	t.Helper()
	n := course.NewMember{Name: name, Password: "long enough it is", Role: role}
	if _, err := c.courses.People().Add(ctx, c.hazel(t), c.slug, n); err != nil {
		t.Fatal(err)
	}
	return c.Account(t, name)
}

// submit submits to an exercise now.
func (c *class) submit(who account.Account, exercise, sql string) (*work.Attempt, error) {
	return c.Submit(ctx, who, work.Submission{Paper: "hives", Exercise: exercise, SQL: sql, Received: c.Now})
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

// placeOf is the place that a problem names.
func placeOf(t *testing.T, err error) sqltext.Place {
	t.Helper()
	var p *problem.Problem
	if !errors.As(err, &p) || p.Place == nil {
		t.Fatal(err)
	}
	return *p.Place
}

const (
	allHives    = "SELECT name FROM hive ORDER BY name"
	strongHives = "SELECT name FROM hive WHERE strength >= 5"
)

// What is decided is kept before it is told, and how one stands with it.
func TestSubmissionsAreKeptAndCount(t *testing.T) {
	c := open(t, "kept")
	for _, s := range []struct {
		exercise, sql string
		outcome       marking.Outcome
		mark          string
		sum           string
	}{
		{"all", allHives + " DESC", marking.Incorrect, "0", "0"},
		{"all", allHives, marking.Correct, "0.1", "0.1"},
		{"strong", "SELECT name FROM hive", marking.Incorrect, "0", "0.1"},
		{"2", strongHives, marking.Correct, "0.2", "0.3"},
		{"all", "SELECT nme FROM hive", marking.Failed, "0", "0.3"},
	} {
		a, err := c.submit(c.robin, s.exercise, s.sql)
		if err != nil || a.Outcome != s.outcome || a.Mark.String() != s.mark || a.Learner != c.robin.Name {
			t.Errorf("%s: got %+v, %v", s.sql, a, err)
			continue
		}
		p, err := c.Paper(ctx, c.robin, "hives")
		if err != nil || p.Summary.Mark.String() != s.sum {
			t.Errorf("after %s: got %+v, %v", s.sql, p, err)
			continue
		}
		if last := p.Exercises[a.Exercise].Latest; last == nil || last.ID != a.ID || last.SQL != s.sql {
			t.Errorf("the latest attempt: %+v", last)
		}
	}
	e, err := c.Exercise(ctx, c.robin, "hives", "all")
	if err != nil || e.Standing.Outcome != marking.Correct || e.Standing.Attempts != 3 || e.Reference != "" {
		t.Errorf("got %+v, %v", e, err)
	}
	if e, err = c.Exercise(ctx, c.hazel(t), "hives", "all"); err != nil || e.Reference == "" {
		t.Errorf("an instructor sees the reference answer: %+v, %v", e, err)
	}
}

// When a submission came is what counts, to the second, however long it has waited since.
func TestWhenASubmissionCame(t *testing.T) {
	c := open(t, "came")
	c.Now = c.due.Add(time.Minute)
	for received, want := range map[time.Time]string{
		c.due.Add(-time.Second): "", c.due: "past-due", c.due.Add(time.Second): "past-due",
	} {
		a, err := c.Submit(
			ctx, c.robin, work.Submission{Paper: "hives", Exercise: "count", SQL: "SELECT 3", Received: received},
		)
		if kind(t, err) != want {
			t.Errorf("received at %s: %v", received, err)
		}
		if err == nil && !a.At.Equal(received) {
			t.Errorf("kept as received at %s, and was at %s", a.At, received)
		}
	}
	// Queries can still be run.
	if run, err := c.Run(
		ctx, c.robin, work.RunRequest{SQL: allHives, Paper: "hives"},
	); err != nil || run.RowCount != 3 {
		t.Errorf("got %+v, %v", run, err)
	}
}

// What is sent twice is kept once, and what may be tried twice only twice.
func TestSubmissionsThatAreMany(t *testing.T) {
	c := open(t, "many")
	s := work.Submission{Paper: "hives", Exercise: "strong", SQL: "SELECT name FROM hive", Key: "k1", Received: c.Now}
	first, err := c.Submit(ctx, c.robin, s)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := c.Submit(ctx, c.robin, s); err != nil || again.ID != first.ID {
		t.Errorf("sent again: %+v, %v", again, err)
	}
	s.SQL = strongHives
	if _, err := c.Submit(ctx, c.robin, s); kind(t, err) != "key-used" {
		t.Errorf("the key with another text: %v", err)
	}
	if _, err := c.submit(c.robin, "strong", "DELETE FROM hive"); err != nil {
		t.Errorf("what is no query uses no attempt up: %v", err)
	}
	if a, err := c.submit(c.robin, "strong", strongHives); err != nil || a.Outcome != marking.Correct {
		t.Errorf("the second: %+v, %v", a, err)
	}
	if _, err := c.submit(c.robin, "strong", strongHives); kind(t, err) != "no-attempts-left" {
		t.Errorf("the third: %v", err)
	}
	if _, err := c.submit(c.robin, "all", strings.Repeat(" ", 9)); kind(t, err) != "empty" {
		t.Errorf("nothing: %v", err)
	}
}

// Two windows do not overwrite each other's drafts.
func TestDraftsOfTwoWindows(t *testing.T) {
	c := open(t, "drafts")
	keep := func(sql string, revision int64) (*work.Draft, error) {
		return c.KeepDraft(ctx, c.robin, work.NewDraft{Paper: "hives", Exercise: "all", SQL: sql, Revision: &revision})
	}
	first, err := keep("SELECT", 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := keep("SELECT name", first.Revision); err != nil {
		t.Error(err)
	}
	if _, err := keep("SELECT strength", first.Revision); kind(t, err) != "draft-changed" {
		t.Errorf("the other window: %v", err)
	}
	if e, err := c.Exercise(ctx, c.robin, "hives", "all"); err != nil || e.Draft.SQL != "SELECT name" {
		t.Errorf("got %+v, %v", e.Draft, err)
	}
}

// Runs and attempts are seen by whoever made them, and by those who teach the course that they were made in.
func TestWhoSeesWhatInTheHistory(t *testing.T) {
	c := open(t, "seen")
	wren := c.member(t, "wren-seen", account.Learner)
	assistant := c.member(t, "sorrel-seen", account.Assistant)
	if _, err := c.submit(c.robin, "all", allHives); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Run(ctx, wren, work.RunRequest{SQL: "SELECT 1", Dataset: "yard"}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.courses.Create(ctx, c.Hazel, course.NewCourse{Slug: "other-seen", Title: "Other"}); err != nil {
		t.Fatal(err)
	}
	_, err := c.courses.People().Add(ctx, c.hazel(t), "other-seen", course.NewMember{
		Name: "bramble-seen", Password: "long enough it is", Role: account.Instructor,
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, look := range []struct {
		who     account.Account
		learner string
		want    string
	}{
		{c.robin, "", "attempt robin-seen"},
		{wren, "", "run wren-seen"},
		{wren, "robin-seen", "not-allowed"},
		{assistant, "", "run wren-seen, attempt robin-seen"},
		{assistant, "robin-seen", "attempt robin-seen"},
		{c.Account(t, "bramble-seen"), "", ""},
		{c.Account(t, "bramble-seen"), "robin-seen", "no-learner"},
	} {
		page, err := c.History(ctx, look.who, work.HistoryFilter{Learner: look.learner})
		got := kind(t, err)
		if err == nil {
			var all []string
			for _, e := range page.Entries {
				all = append(all, e.Kind+" "+e.Learner)
			}
			got = strings.Join(all, ", ")
		}
		if got != look.want {
			t.Errorf("%s looks at %q: got %s, want %s", look.who.Name, look.learner, got, look.want)
		}
	}
	// Page by page, the latest first.
	var ids []string
	for before := ""; ; {
		page, err := c.History(ctx, assistant, work.HistoryFilter{Limit: 1, Before: before})
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, page.Entries[0].ID)
		if before = page.Next; before == "" {
			break
		}
	}
	if len(ids) != 2 || fmt.Sprint(ids[0]) == ids[1] {
		t.Errorf("got %v", ids)
	}
}

// Whoever is a learner in one course and teaches another is a learner where they are one.
func TestALearnerWhoTeachesElsewhere(t *testing.T) {
	c := open(t, "both")
	both := c.member(t, "clover-both", account.Learner)
	if _, err := c.courses.Create(ctx, c.Hazel, course.NewCourse{Slug: "other-both", Title: "Other"}); err != nil {
		t.Fatal(err)
	}
	n := course.NewMember{Name: "clover-both", Role: account.Instructor}
	if _, err := c.courses.People().Add(ctx, c.hazel(t), "other-both", n); err != nil {
		t.Fatal(err)
	}
	both = c.Account(t, both.Name)
	if _, err := c.submit(both, "all", allHives); err != nil {
		t.Fatal(err)
	}
	grid, err := c.courses.Following().Progress(ctx, c.hazel(t), "hives", "both", 0)
	if err != nil {
		t.Fatal(err)
	}
	marks := map[string]string{}
	for _, l := range grid.Learners {
		marks[l.Name] = l.Mark.String()
	}
	if marks["clover-both"] != "0.1" {
		t.Errorf("got %v", marks)
	}
	c.Now = c.due
	if _, err := c.submit(both, "all", allHives); kind(t, err) != "past-due" {
		t.Errorf("after the due time: %v", err)
	}
}
