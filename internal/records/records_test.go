package records_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	neturl "net/url"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/sync/errgroup"

	"examen/internal/postgres/postgrestest"
	"examen/internal/records"
	"examen/internal/records/query"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

func store(t *testing.T) *records.Store {
	t.Helper()
	s, err := records.Open(context.Background(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

var ctx = context.Background()

// must returns a query's row, and ends the test where there is none.
func must[T any](t *testing.T) func(T, error) T {
	return func(v T, err error) T {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
}

// course is a course with a learner and a paper of one exercise, all with names of their own.
type course struct {
	*records.Store
	learner  query.Account
	course   query.Course
	paper    query.Paper
	exercise query.Exercise
	build    query.Build
}

var courses int

func newCourse(t *testing.T) *course {
	t.Helper()
	courses++
	c := &course{Store: store(t)}
	name := fmt.Sprintf("n%d", courses)
	c.learner = must[query.Account](t)(c.CreateAccount(ctx, query.CreateAccountParams{Name: name, DisplayName: name, Role: "learner", Password: "x"}))
	c.course = must[query.Course](t)(c.CreateCourse(ctx, query.CreateCourseParams{Slug: name, Title: name}))
	d := must[query.Dataset](t)(c.UpsertDataset(ctx, query.UpsertDatasetParams{Name: name, Pack: name, Title: name}))
	c.build = must[query.Build](t)(c.CreateBuild(ctx, query.CreateBuildParams{DatasetID: d.ID, Number: 1, Database: name, Variants: json.RawMessage("{}"), Catalogue: json.RawMessage("{}"), Report: json.RawMessage("{}")}))
	if err := c.UseBuild(ctx, query.UseBuildParams{ID: d.ID, BuildID: &c.build.ID}); err != nil {
		t.Fatal(err)
	}
	c.paper = must[query.Paper](t)(c.UpsertPaper(ctx, query.UpsertPaperParams{Slug: name, Pack: name, Title: name, DatasetID: d.ID, Sections: json.RawMessage("[]")}))
	if err := c.UpsertExercise(ctx, query.UpsertExerciseParams{PaperID: c.paper.ID, Slug: "one", Number: 1, Title: "One", Points: 2, Blocks: json.RawMessage("[]"), Reference: "SELECT 1", Checking: json.RawMessage("{}")}); err != nil {
		t.Fatal(err)
	}
	c.exercise = must[query.Exercise](t)(c.ExerciseIn(ctx, query.ExerciseInParams{PaperID: c.paper.ID, Address: "1"}))
	return c
}

func (c *course) attempt(t *testing.T, outcome string, mark float64) query.CreateAttemptRow {
	t.Helper()
	return must[query.CreateAttemptRow](t)(c.CreateAttempt(ctx, query.CreateAttemptParams{AccountID: c.learner.ID, ExerciseID: c.exercise.ID, BuildID: c.build.ID,
		Sql: "SELECT 1", Outcome: outcome, Mark: mark, Points: 2, Findings: json.RawMessage("[]")}))
}

func TestMigratingTwiceChangesNothing(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "correct", 2)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	// all is the schema, and how many rows have been written to each table ever.
	all := func() (text string) {
		const query = `SELECT coalesce(string_agg(x, E'\n' ORDER BY x), '') FROM (
			SELECT table_name || '.' || column_name || ' ' || data_type || ' ' || is_nullable || coalesce(column_default, '') AS x FROM information_schema.columns WHERE table_schema = 'public'
			UNION ALL SELECT indexdef FROM pg_indexes WHERE schemaname = 'public' UNION ALL SELECT version_id || ' ' || tstamp FROM goose_db_version UNION ALL SELECT 'attempts ' || count(*) FROM attempt) AS a`
		if err := pool.QueryRow(ctx, query).Scan(&text); err != nil || len(text) < 2000 {
			t.Fatalf("got %s, %v", text, err)
		}
		return text
	}
	before := all()
	store(t)
	if after := all(); after != before {
		t.Errorf("before\n%s\nafter\n%s", before, after)
	}
}

// Services that start at once on new records bring them up to date once, and all of them start.
func TestServicesThatStartAtOnceMigrateOnce(t *testing.T) {
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	if _, err := pool.Exec(ctx, "CREATE DATABASE at_once"); err != nil {
		t.Fatal(err)
	}
	own := pool.Config().ConnConfig.Copy()
	own.Database = "at_once"
	at := *must[*neturl.URL](t)(neturl.Parse(url))
	at.Path = "/at_once"
	var all errgroup.Group
	for range 6 {
		all.Go(func() error {
			s, err := records.Open(ctx, at.String())
			if err == nil {
				s.Close()
			}
			return err
		})
	}
	if err := all.Wait(); err != nil {
		t.Fatal(err)
	}
	conn := must[*pgx.Conn](t)(pgx.ConnectConfig(ctx, own))
	defer conn.Close(ctx)
	var twice int
	if err := conn.QueryRow(ctx, "SELECT count(*) - count(DISTINCT version_id) FROM goose_db_version").Scan(&twice); err != nil || twice > 0 {
		t.Errorf("%d migrations were made twice, %v", twice, err)
	}
}

func TestAnAttemptIsNeverChanged(t *testing.T) {
	c := newCourse(t)
	made := c.attempt(t, "incorrect", 0)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	for _, sql := range []string{"UPDATE attempt SET mark = 2 WHERE id = $1", "DELETE FROM attempt WHERE id = $1"} {
		if _, err := pool.Exec(ctx, sql, made.ID); err == nil {
			t.Errorf("%s went through", sql)
		}
	}
}

func TestTheBestAttemptCounts(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "incorrect", 0)
	c.attempt(t, "correct", 2)
	c.attempt(t, "correct", 2)
	c.attempt(t, "failed", 0)
	st := must[[]query.PaperStandingRow](t)(c.PaperStanding(ctx, query.PaperStandingParams{PaperID: c.paper.ID}))
	if len(st) != 1 || st[0].Outcome != "correct" || st[0].Mark != 2 || st[0].Attempts != 4 {
		t.Errorf("got %+v", st)
	}
}

func TestWithoutAMarkTheLatestAttemptIsShown(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "failed", 0)
	c.attempt(t, "incorrect", 0)
	st := must[[]query.PaperStandingRow](t)(c.PaperStanding(ctx, query.PaperStandingParams{PaperID: c.paper.ID, AccountID: &c.learner.ID}))
	if st[0].Outcome != "incorrect" {
		t.Errorf("got %+v", st)
	}
}

func TestHistoryHasRunsAndAttemptsInOneOrder(t *testing.T) {
	c := newCourse(t)
	run := query.CreateRunParams{AccountID: c.learner.ID, ExerciseID: &c.exercise.ID, PaperID: &c.paper.ID, BuildID: c.build.ID, Sql: "SELECT 2", Outcome: "done"}
	must[query.CreateRunRow](t)(c.CreateRun(ctx, run))
	c.attempt(t, "incorrect", 0)
	must[query.CreateRunRow](t)(c.CreateRun(ctx, run))
	c.attempt(t, "correct", 2)
	kinds := func(p query.HistoryParams) (s string) {
		p.AccountID = &c.learner.ID
		for _, row := range must[[]query.HistoryRow](t)(c.History(ctx, p)) {
			s += row.Kind + " " + row.Outcome + ", "
		}
		return s
	}
	if got := kinds(query.HistoryParams{Page: 10, MostBytes: 1 << 20}); got != "attempt correct, run done, attempt incorrect, run done, " {
		t.Errorf("all: %s", got)
	}
	attempt := "attempt"
	if got := kinds(query.HistoryParams{Page: 1, MostBytes: 1 << 20, Kind: &attempt}); got != "attempt correct, " {
		t.Errorf("attempts: %s", got)
	}
	page := must[[]query.HistoryRow](t)(c.History(ctx, query.HistoryParams{Page: 2, MostBytes: 1 << 20, AccountID: &c.learner.ID}))
	if got := kinds(query.HistoryParams{Page: 10, MostBytes: 1 << 20, Before: &page[1].ID}); got != "attempt incorrect, run done, " {
		t.Errorf("the next page: %s", got)
	}
}

func TestTimesOfSeveralCourses(t *testing.T) {
	c := newCourse(t)
	second := must[query.Course](t)(c.CreateCourse(ctx, query.CreateCourseParams{Slug: c.course.Slug + "b", Title: "b"}))
	early, late := time.Now().Add(-time.Hour).UTC().Truncate(time.Second), time.Now().Add(time.Hour).UTC().Truncate(time.Second)
	for _, id := range []int64{c.course.ID, second.ID} {
		if err := c.Enrol(ctx, query.EnrolParams{CourseID: id, AccountID: c.learner.ID}); err != nil {
			t.Fatal(err)
		}
	}
	set := func(course int64, opens, due *time.Time) {
		if err := c.SetCoursePaper(ctx, query.SetCoursePaperParams{CourseID: course, PaperID: c.paper.ID, OpensAt: opens, DueAt: due}); err != nil {
			t.Fatal(err)
		}
	}
	find := func() query.PaperForRow {
		return must[query.PaperForRow](t)(c.PaperFor(ctx, query.PaperForParams{AccountID: c.learner.ID, Slug: c.paper.Slug}))
	}
	if p := find(); p.Courses != 0 {
		t.Errorf("not set for a course: %+v", p)
	}
	set(c.course.ID, &late, &late)
	set(second.ID, &early, &early)
	if p := find(); p.Courses != 2 || !p.OpensAt.Equal(early) || !p.DueAt.Equal(late) {
		t.Errorf("the earliest opening and the latest due time hold: %+v", p)
	}
	set(second.ID, nil, nil)
	if p := find(); p.OpensAt.UTC().Year() != 1 || p.DueAt.UTC().Year() != 9999 {
		t.Errorf("no time is no bound: %+v", p)
	}
}

func TestTogetherIsAllOrNothing(t *testing.T) {
	s := store(t)
	stop := errors.New("stop")
	err := s.Together(ctx, func(q *records.Transaction) error {
		if _, err := q.CreateCourse(ctx, query.CreateCourseParams{Slug: "half", Title: "half"}); err != nil {
			return err
		}
		return stop
	})
	if _, missing := s.CourseBySlug(ctx, "half"); !errors.Is(err, stop) || !records.Missing(missing) {
		t.Errorf("got %v, %v", err, missing)
	}
}

func TestErrorsAreTold(t *testing.T) {
	c := newCourse(t)
	if _, err := c.CreateCourse(ctx, query.CreateCourseParams{Slug: c.course.Slug, Title: "again"}); !records.Taken(err) {
		t.Errorf("a name twice: %v", err)
	}
	_, err := records.Open(ctx, "postgres://nobody:x@127.0.0.1:1/postgres")
	if !records.Unavailable(err) {
		t.Errorf("no server: %v", err)
	}
	if records.Unavailable(nil) || records.Unavailable(errors.New("other")) {
		t.Error("what is no loss of the server was taken for one")
	}
}

// Replicas are told of sessions that have ended, and of nothing where none has.
func TestOnlyRowsThatChangeAreTold(t *testing.T) {
	c := newCourse(t)
	told := make(chan string, 10)
	heard := make(chan bool, 10)
	watching, stop := context.WithCancel(ctx)
	defer stop()
	go c.Watch(watching, func(is bool) { heard <- is }, func(what string) { told <- what })
	if !<-heard {
		t.Fatal("changes are not heard")
	}
	hash := []byte(c.learner.Name)
	session := query.CreateSessionParams{TokenHash: hash, AccountID: c.learner.ID, Kind: "cookie", CsrfToken: "x", ExpiresAt: time.Now().Add(time.Hour)}
	if err := errors.Join(c.CreateSession(ctx, session), c.DeleteExpiredSessions(ctx), c.DeleteSession(ctx, []byte("none")),
		c.UseBuild(ctx, query.UseBuildParams{ID: c.build.DatasetID, BuildID: &c.build.ID})); err != nil {
		t.Fatal(err)
	}
	if got := <-told; got != records.PapersChanged { // the dataset's change, and nothing before it
		t.Errorf("told of %s", got)
	}
	if err := c.DeleteSession(ctx, hash); err != nil {
		t.Fatal(err)
	}
	if got := <-told; got != records.SessionsChanged {
		t.Errorf("told of %s", got)
	}
}
