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
	"examen/internal/postgres/postgrestest"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var (
	ctx   = context.Background()
	hazel = account.Account{ID: -1, Name: "hazel", Role: account.Instructor}
	robin = account.Account{ID: -2, Name: "robin", Role: account.Learner}
)

// A yard is courses with a clock that the test sets, and a paper of one exercise.
type yard struct {
	*course.Courses
	store    *records.Store
	accounts *account.Accounts
	now      time.Time
	paper    query.Paper
	build    query.Build
}

func open(t *testing.T) *yard {
	t.Helper()
	store, err := records.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(store.Close)
	y := &yard{store: store, now: time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)}
	y.accounts = account.New(store, account.Limits{}, func() time.Time { return y.now })
	y.Courses = course.New(store, y.accounts, func() time.Time { return y.now })
	d, err := store.UpsertDataset(ctx, query.UpsertDatasetParams{Name: "bees", Pack: "bees", Title: "Bees"})
	if err == nil {
		y.build, err = store.CreateBuild(ctx, query.CreateBuildParams{
			DatasetID: d.ID, Number: int32(time.Now().UnixNano() % 1e9), Database: fmt.Sprint("bees ", time.Now()),
			Variants: json.RawMessage("{}"), Catalogue: json.RawMessage("{}"), Report: json.RawMessage("{}"),
		})
	}
	if err == nil {
		err = store.UseBuild(ctx, query.UseBuildParams{ID: d.ID, BuildID: &y.build.ID})
	}
	if err == nil {
		y.paper, err = store.UpsertPaper(ctx, query.UpsertPaperParams{Slug: "hives", Pack: "bees", Title: "Hives", DatasetID: d.ID, Sections: json.RawMessage("[]")})
	}
	if err == nil {
		err = store.UpsertExercise(ctx, query.UpsertExerciseParams{
			PaperID: y.paper.ID, Slug: "one", Number: 1, Title: "One", Points: 2, Blocks: json.RawMessage("[]"), Reference: "SELECT 1", Checking: json.RawMessage("{}"),
		})
	}
	if err != nil {
		t.Fatal(err)
	}
	return y
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
	for _, c := range []struct{ slug, title, want string }{
		{"spring", "Spring", ""}, {"spring", "Again", "course-taken"}, {"Spring Course", "Spring", "course-name"}, {"-", "Dash", "course-name"},
		{strings.Repeat("a", 65), "Long", "course-name"}, {"autumn", "  ", "course-title"}, {"autumn", "a\x00b", "course-title"},
	} {
		if _, err := y.Create(ctx, hazel, c.slug, c.title); kind(t, err) != c.want {
			t.Errorf("%q: got %v", c, err)
		}
	}
	if _, err := y.Create(ctx, robin, "summer", "Summer"); kind(t, err) != "not-allowed" {
		t.Errorf("a learner makes a course: %v", err)
	}
}

// A paper opens and is due to the second.
func TestTimesHoldToTheSecond(t *testing.T) {
	y := open(t)
	if _, err := y.Create(ctx, hazel, "timed", "Timed"); err != nil {
		t.Fatal(err)
	}
	opens, due := y.now.Add(time.Hour), y.now.Add(2*time.Hour)
	if _, err := y.SetPaper(ctx, hazel, "timed", "hives", &due, &opens); kind(t, err) != "paper-times" {
		t.Errorf("due before it opens: %v", err)
	}
	if _, err := y.SetPaper(ctx, hazel, "timed", "wasps", &opens, &due); kind(t, err) != "no-paper" {
		t.Errorf("no such paper: %v", err)
	}
	if _, err := y.SetPaper(ctx, hazel, "timed", "hives", &opens, &due); err != nil {
		t.Fatal(err)
	}
	for at, want := range map[time.Time]marking.State{
		opens.Add(-time.Second): marking.Upcoming, opens: marking.Open, due.Add(-time.Second): marking.Open, due: marking.Closed,
	} {
		y.now = at
		found, err := y.Course(ctx, hazel, "timed")
		if err != nil || len(found.Papers) != 1 || found.Papers[0].State != want {
			t.Errorf("at %s: got %+v, %v, want %s", at, found, err, want)
		}
	}
}

func TestMembersAndHowTheyStand(t *testing.T) {
	y := open(t)
	if _, err := y.Create(ctx, hazel, "members", "Members"); err != nil {
		t.Fatal(err)
	}
	if _, err := y.SetPaper(ctx, hazel, "members", "hives", nil, nil); err != nil {
		t.Fatal(err)
	}
	posy, password, err := y.AddLearner(ctx, hazel, "members", course.NewLearner{Name: " Posy "})
	if err != nil || posy.Name != "posy" || password == "" || !posy.OneTime {
		t.Fatalf("got %+v, %q, %v", posy, password, err)
	}
	if again, password, err := y.AddLearner(ctx, hazel, "members", course.NewLearner{Name: "posy"}); err != nil || again.ID != posy.ID || password != "" {
		t.Errorf("the same learner again: %+v, %q, %v", again, password, err)
	}
	for _, c := range []struct{ name, display, password, want string }{
		{"", "", "", "learner-name"}, {"two words", "", "", "learner-name"}, {"lark", "a\x00b", "", "learner-name"}, {"lark", "", "short", "password-length"},
		{"lark", "Lark", "long enough it is", ""},
	} {
		_, _, err := y.AddLearner(ctx, hazel, "members", course.NewLearner{Name: c.name, DisplayName: c.display, Password: c.password})
		if kind(t, err) != c.want {
			t.Errorf("%q: got %v", c, err)
		}
	}
	exercise, err := y.store.ExerciseIn(ctx, query.ExerciseInParams{PaperID: y.paper.ID, Address: "1"})
	if err != nil {
		t.Fatal(err)
	}
	for _, mark := range []float64{0, 1.5} {
		if _, err := y.store.CreateAttempt(ctx, query.CreateAttemptParams{
			AccountID: posy.ID, ExerciseID: exercise.ID, BuildID: y.build.ID, Sql: "SELECT 1", Outcome: "incorrect", Mark: mark, Points: 2, Findings: json.RawMessage("[]"), At: y.now,
		}); err != nil {
			t.Fatal(err)
		}
	}
	grid, err := y.Progress(ctx, hazel, "hives", "members")
	if err != nil || len(grid.Learners) != 2 || grid.Points != 2 {
		t.Fatalf("got %+v, %v", grid, err)
	}
	for _, l := range grid.Learners {
		if want := map[string]float64{"posy": 1.5, "lark": 0}[l.Name]; l.Mark != want {
			t.Errorf("%s has %v, want %v", l.Name, l.Mark, want)
		}
	}
	if _, err := y.Progress(ctx, robin, "hives", "members"); kind(t, err) != "not-allowed" {
		t.Errorf("a learner reads the grid: %v", err)
	}
	// A new one-time password lets the learner in again, and ends the old one.
	_, next, err := y.ResetLearner(ctx, hazel, "posy")
	if err != nil || next == password {
		t.Fatal(err)
	}
	for given, want := range map[string]string{password: "wrong-log-in", next: ""} {
		if _, _, _, err := y.accounts.LogIn(ctx, account.LogIn{Name: "posy", Password: given, Kind: account.Bearer, Address: "192.0.2.1"}); kind(t, err) != want {
			t.Errorf("logging in: %v, want %q", err, want)
		}
	}
	if _, _, err := y.ResetLearner(ctx, hazel, "nobody"); kind(t, err) != "no-learner" {
		t.Errorf("got %v", err)
	}
}
