package library_test

import (
	"context"
	"errors"
	"maps"
	"strings"
	"testing"

	"examen/internal/account"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/library/librarytest"
	"examen/internal/postgres/postgrestest"
	"examen/internal/problem"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var ctx = context.Background()

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

// exercise finds an exercise of the paper "hives".
func exercise(t *testing.T, h *librarytest.House, address string) *library.Exercise {
	t.Helper()
	p, err := h.Library.Paper(ctx, "hives")
	if err != nil {
		t.Fatal(err)
	}
	e, err := h.Library.Exercise(ctx, p, address)
	if err != nil {
		t.Fatal(err)
	}
	return e
}

// with is a pack in which one file says something else.
func with(files map[string]string, name, instead, of string) map[string]string {
	changed := maps.Clone(files)
	changed[name] = strings.Replace(changed[name], of, instead, 1)
	return changed
}

// An exercise has a version for each change of it, and none for a load that changes something else.
func TestLoadingAgainMakesVersionsOfWhatChanged(t *testing.T) {
	h := librarytest.Open(t, url)
	files := librarytest.Hives()
	for _, load := range []struct {
		what    string
		files   map[string]string
		changed string
	}{
		{"the first time", files, "all strong count"},
		{"again", files, ""},
		{"with another script", with(files, "setup.sql", "('Clover', 8)", "('Clover', 9)"), ""},
		{"with another task", with(files, "hives.md", "List them.", "Write it."), "all"},
		{"with other points", with(files, "hives.md", "points: 3", "points: 2"), "all count"},
		{"in another order", with(files, "hives.md", "Four hives.", "Three hives."), "count"},
	} {
		before := map[string]int64{}
		if load.what != "the first time" {
			for _, slug := range []string{"all", "strong", "count"} {
				before[slug] = exercise(t, h, slug).Version
			}
		}
		if job := h.Load(t, load.files); job.State != jobs.Done {
			t.Fatalf("%s: %+v", load.what, job)
		}
		var changed []string
		for _, slug := range []string{"all", "strong", "count"} {
			if exercise(t, h, slug).Version != before[slug] {
				changed = append(changed, slug)
			}
		}
		if got := strings.Join(changed, " "); got != load.changed {
			t.Errorf("%s: new versions of %q, want %q", load.what, got, load.changed)
		}
	}
	if e := exercise(t, h, "2"); e.Slug != "strong" || e.Points.String() != "0.2" || e.Checking.Attempts != 2 {
		t.Errorf("got %+v", e)
	}
}

// A load that fails leaves nothing, and what was loaded before stays in use.
func TestALoadIsAllOrNothing(t *testing.T) {
	h := librarytest.Open(t, url)
	files := librarytest.Hives()
	if job := h.Load(t, files); job.State != jobs.Done {
		t.Fatalf("got %+v", job)
	}
	before := exercise(t, h, "all").Version
	paper, err := h.Library.Paper(ctx, "hives")
	if err != nil {
		t.Fatal(err)
	}
	for what, broken := range map[string]map[string]string{
		"pack:25: the reference answer": with(files, "hives.md", "SELECT nme FROM hive;", "SELECT count(*) FROM hive;"),
		"build":                         with(files, "setup.sql", "INSERT INTO hiv VALUES", "INSERT INTO hive VALUES"),
		"pack":                          with(files, "hives.md", "```sql anser", "```sql answer"),
	} {
		job := h.Load(t, broken)
		want, _, _ := strings.Cut(what, ":")
		if job.State != jobs.Failed || job.Problem == nil || job.Problem.Type != "examen:"+want {
			t.Errorf("%s: got %s, %+v", what, job.State, job.Problem)
		}
	}
	after, err := h.Library.Paper(ctx, "hives")
	if err != nil || after.Database != paper.Database || exercise(t, h, "all").Version != before {
		t.Errorf("got %+v, %v", after, err)
	}
}

// What a new build would break of papers is asked about before it takes the place of the one in use.
func TestABuildThatBreaksPapersAsks(t *testing.T) {
	h := librarytest.Open(t, url)
	if job := h.Load(t, librarytest.Hives()); job.State != jobs.Done {
		t.Fatalf("got %+v", job)
	}
	paper, _ := h.Library.Paper(ctx, "hives")
	scripts := map[string]string{
		"yard.sql": "CREATE TABLE hive (name text PRIMARY KEY); INSERT INTO hive VALUES ('Amber');",
	}
	job, err := h.Library.Build(ctx, h.Hazel, "yard", library.Options{}, -1, librarytest.Files(scripts))
	if err != nil {
		t.Fatal(err)
	}
	asks := h.Ended(t, job)
	report, err := library.ReportOf(asks)
	if err != nil || asks.State != jobs.Asking || len(report.Breaks) < 2 ||
		!strings.Contains(strings.Join(report.Breaks, "\n"), "hive has no column strength, which papers use") {
		t.Fatalf("got %+v, %+v, %v", asks, report, err)
	}
	if now, _ := h.Library.Paper(ctx, "hives"); now.Database != paper.Database {
		t.Error("it has taken the place of the one in use without being asked")
	}
	if _, err := h.Jobs.Confirm(ctx, h.Hazel, job.ID); err != nil {
		t.Fatal(err)
	}
	if done := h.Ended(t, job); done.State != jobs.Done {
		t.Errorf("got %+v", done)
	}
	// It can be returned from.
	if d, err := h.Library.UseBuild(ctx, h.Hazel, "yard", paper.Number); err != nil || d.Build != paper.Number {
		t.Errorf("got %+v, %v", d, err)
	}
	if err := h.Library.DropDataset(ctx, h.Hazel, "yard"); kind(t, err) != "in-use" {
		t.Errorf("a dataset that papers are about: %v", err)
	}
}

// The check of a paper is a job that says how far it is.
func TestThePapersCheckIsAJob(t *testing.T) {
	h := librarytest.Open(t, url)
	if job := h.Load(t, librarytest.Hives()); job.State != jobs.Done {
		t.Fatalf("got %+v", job)
	}
	if _, err := h.Library.CheckPaper(ctx, h.Hazel, "wasps"); kind(t, err) != "no-paper" {
		t.Errorf("no such paper: %v", err)
	}
	learner := account.Account{ID: h.Hazel.ID, Name: "robin"}
	if _, err := h.Library.CheckPaper(ctx, learner, "hives"); kind(t, err) != "not-allowed" {
		t.Errorf("a learner: %v", err)
	}
	job, err := h.Library.CheckPaper(ctx, h.Hazel, "hives")
	if err != nil || job.State.Ended() {
		t.Fatalf("got %+v, %v", job, err)
	}
	done := h.Ended(t, job)
	report, err := library.ReportOf(done)
	if err != nil || done.State != jobs.Done || report.Check == nil || report.Check.Exercises != 3 {
		t.Fatalf("got %+v, %+v, %v", done, report, err)
	}
	if done.Progress.Step != "Checking hives, exercise 3 of 3: How many" {
		t.Errorf("the last step was %q", done.Progress.Step)
	}
}
