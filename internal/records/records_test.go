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
	exercise query.ExerciseNow
	build    query.Build
}

var courses int

func newCourse(t *testing.T) *course {
	t.Helper()
	courses++
	c := &course{Store: store(t)}
	name := fmt.Sprintf("n%d", courses)
	c.learner = must[query.Account](t)(
		c.CreateAccount(ctx, query.CreateAccountParams{Name: name, DisplayName: name, Password: "x"}),
	)
	c.course = must[query.Course](t)(c.CreateCourse(ctx, query.CreateCourseParams{Slug: name, Title: name}))
	d := must[query.Dataset](t)(c.UpsertDataset(ctx, query.UpsertDatasetParams{Name: name, Pack: name, Title: name}))
	c.build = must[query.Build](t)(
		c.CreateBuild(
			ctx,
			query.CreateBuildParams{
				DatasetID: d.ID,
				Number:    1,
				Database:  name,
				Variants:  json.RawMessage("{}"),
				Catalogue: json.RawMessage("{}"),
				Report:    json.RawMessage("{}"),
			},
		),
	)
	if err := c.UseBuild(ctx, query.UseBuildParams{ID: d.ID, BuildID: &c.build.ID}); err != nil {
		t.Fatal(err)
	}
	c.paper = must[query.Paper](t)(
		c.UpsertPaper(
			ctx,
			query.UpsertPaperParams{
				Slug:      name,
				Pack:      name,
				Title:     name,
				DatasetID: d.ID,
				Sections:  json.RawMessage("[]"),
			},
		),
	)
	c.version(t, "2")
	member := query.SetMemberParams{CourseID: c.course.ID, AccountID: c.learner.ID, Role: "learner"}
	if err := c.SetMember(ctx, member); err != nil {
		t.Fatal(err)
	}
	return c
}

// version makes the exercise one of so many points.
func (c *course) version(t *testing.T, points string) {
	t.Helper()
	id := must[int64](t)(c.UpsertExercise(ctx, query.UpsertExerciseParams{PaperID: c.paper.ID, Slug: "one", Number: 1}))
	err := c.NewVersion(ctx, query.NewVersionParams{
		ExerciseID: id, Title: "One", Points: points, Blocks: json.RawMessage("[]"), Reference: "SELECT 1",
		Checking: json.RawMessage(`{"policy": {}, "show": "rows"}`),
	})
	if err != nil {
		t.Fatal(err)
	}
	in := query.ExerciseInParams{PaperID: c.paper.ID, Address: "1"}
	c.exercise = must[query.ExerciseNow](t)(c.ExerciseIn(ctx, in))
}

func (c *course) attempt(t *testing.T, outcome, mark string) query.CreateAttemptRow {
	t.Helper()
	return must[query.CreateAttemptRow](t)(c.CreateAttempt(ctx, c.made(outcome, mark)))
}

// made is an attempt that came to an outcome.
func (c *course) made(outcome, mark string) query.CreateAttemptParams {
	return query.CreateAttemptParams{
		AccountID: c.learner.ID, ExerciseID: c.exercise.ID, CourseID: &c.course.ID, BuildID: c.build.ID,
		VersionID: c.exercise.VersionID, Sql: "SELECT 1", ReceivedAt: time.Now(), Outcome: outcome, Mark: mark,
		Points:   "2",
		Findings: json.RawMessage("[]"), HiddenOnly: outcome == "incorrect", Counted: outcome != "rejected",
	}
}

// standing is how the course's learner stands on the exercise.
func (c *course) standing(t *testing.T) query.Standing {
	t.Helper()
	own := query.OwnStandingParams{PaperID: c.paper.ID, AccountID: c.learner.ID, CourseID: &c.course.ID}
	rows := must[[]query.OwnStandingRow](t)(c.OwnStanding(ctx, own))
	if len(rows) != 1 {
		t.Fatalf("got %+v", rows)
	}
	return rows[0].Standing
}

func TestMigratingTwiceChangesNothing(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "correct", "2")
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	// all is the schema, and how many rows have been written to each table ever.
	all := func() (text string) {
		const query = `SELECT coalesce(string_agg(x, E'\n' ORDER BY x), '') FROM (
			SELECT table_name || '.' || column_name || ' ' || data_type || ' ' || is_nullable ||
			coalesce(column_default, '') AS x FROM information_schema.columns WHERE table_schema = 'public'
			UNION ALL SELECT indexdef FROM pg_indexes WHERE schemaname = 'public' UNION ALL SELECT version_id || ' '
			|| tstamp FROM goose_db_version UNION ALL SELECT 'attempts ' || count(*) FROM attempt) AS a`
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
	if err := conn.QueryRow(
		ctx, "SELECT count(*) - count(DISTINCT version_id) FROM goose_db_version",
	).Scan(&twice); err != nil || twice > 0 {
		t.Errorf("%d migrations were made twice, %v", twice, err)
	}
}

func TestHistoryHasRunsAndAttemptsInOneOrder(t *testing.T) {
	c := newCourse(t)
	run := query.CreateRunParams{
		AccountID:  c.learner.ID,
		ExerciseID: &c.exercise.ID,
		PaperID:    &c.paper.ID,
		BuildID:    c.build.ID,
		Sql:        "SELECT 2",
		Outcome:    "done",
	}
	must[query.CreateRunRow](t)(c.CreateRun(ctx, run))
	c.attempt(t, "incorrect", "0")
	must[query.CreateRunRow](t)(c.CreateRun(ctx, run))
	c.attempt(t, "correct", "2")
	kinds := func(p query.HistoryParams) (s string) {
		p.AccountID = c.learner.ID
		for _, row := range must[[]query.HistoryRow](t)(c.History(ctx, p)) {
			s += row.Kind + " " + row.Outcome + ", "
		}
		return s
	}
	if got := kinds(
		query.HistoryParams{Page: 10, MostBytes: 1 << 20},
	); got != "attempt correct, run done, attempt incorrect, run done, " {
		t.Errorf("all: %s", got)
	}
	attempt := "attempt"
	if got := kinds(query.HistoryParams{Page: 1, MostBytes: 1 << 20, Kind: &attempt}); got != "attempt correct, " {
		t.Errorf("attempts: %s", got)
	}
	page := must[[]query.HistoryRow](t)(
		c.History(ctx, query.HistoryParams{Page: 2, MostBytes: 1 << 20, AccountID: c.learner.ID}),
	)
	if got := kinds(
		query.HistoryParams{Page: 10, MostBytes: 1 << 20, Before: &page[1].ID},
	); got != "attempt incorrect, run done, " {
		t.Errorf("the next page: %s", got)
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
	if _, err := c.CreateCourse(
		ctx, query.CreateCourseParams{Slug: c.course.Slug, Title: "again"},
	); !records.Taken(err) {
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
	session := query.CreateSessionParams{
		TokenHash: hash,
		AccountID: c.learner.ID,
		Kind:      "cookie",
		CsrfToken: "x",
		ExpiresAt: time.Now().Add(time.Hour),
	}
	if err := errors.Join(c.CreateSession(ctx, session), c.DeleteExpiredSessions(ctx), c.DeleteSession(
		ctx, []byte("none"),
	),
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

// A connection on which changes are heard is made again when it is lost, and what happened meanwhile is taken for
// changed.
func TestTheListenerConnectsAgain(t *testing.T) {
	c := newCourse(t)
	kept := records.NewCache[string, int](c.Store, "numbers", 10, time.Hour, records.SessionsChanged)
	reads := 0
	load := func() {
		t.Helper()
		if _, err := kept.Load("a", func() (int, error) { reads++; return reads, nil }); err != nil {
			t.Fatal(err)
		}
	}
	following, stop := context.WithCancel(ctx)
	defer stop()
	go c.Follow(following)
	// hears tells whether something is kept: changes are heard of.
	hears := func() bool { before := reads; load(); load(); return reads <= before+1 }
	until(t, "changes are heard of", hears)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	load()
	before := reads
	if _, err := pool.Exec(ctx, `SELECT pg_terminate_backend(pid) FROM pg_stat_activity
		WHERE query = 'LISTEN examen_changes'`); err != nil {
		t.Fatal(err)
	}
	until(t, "what was kept is read again", func() bool { load(); return reads > before })
	until(t, "changes are heard of again", hears)
	load()
	before = reads
	session := query.CreateSessionParams{
		TokenHash: []byte("lost"), AccountID: c.learner.ID, Kind: "cookie", CsrfToken: "x", ExpiresAt: time.Now(),
	}
	if err := errors.Join(c.CreateSession(ctx, session), c.DeleteSession(ctx, session.TokenHash)); err != nil {
		t.Fatal(err)
	}
	until(t, "a change is heard of", func() bool { load(); return reads > before })
}

// What one replica changes the other reads anew, and what neither changes is kept by both.
func TestTwoReplicasOnOneRecordsDatabase(t *testing.T) {
	one, other := newCourse(t), store(t)
	following, stop := context.WithCancel(ctx)
	defer stop()
	titleIn := func(kept *records.Cache[string, string], s *records.Store) string {
		t.Helper()
		found, err := kept.Load(one.paper.Slug, func() (string, error) {
			p, err := s.PaperBySlug(ctx, one.paper.Slug)
			return p.Title, err
		})
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	kept := map[*records.Store]*records.Cache[string, string]{}
	for _, s := range []*records.Store{one.Store, other} {
		kept[s] = records.NewCache[string, string](s, "texts", 10, time.Hour, records.PapersChanged)
		go s.Follow(following)
	}
	retitle := func(s *records.Store, title string) {
		t.Helper()
		_, err := s.UpsertPaper(ctx, query.UpsertPaperParams{
			Slug: one.paper.Slug, Pack: one.paper.Pack, Title: title, DatasetID: one.paper.DatasetID,
			Sections: json.RawMessage("[]"),
		})
		if err != nil {
			t.Fatal(err)
		}
		s.Changed(records.PapersChanged)
		if got := titleIn(kept[s], s); got != title {
			t.Errorf("the one that changed it has %q", got)
		}
	}
	for n, from := range []*records.Store{one.Store, other, one.Store} {
		want := fmt.Sprint("title ", n)
		retitle(from, want)
		for _, s := range []*records.Store{one.Store, other} {
			until(t, "both have "+want, func() bool { return titleIn(kept[s], s) == want })
		}
	}
}

// until waits until something holds.
func until(t *testing.T, what string, holds func() bool) {
	t.Helper()
	for limit := time.Now().Add(time.Minute); !holds(); time.Sleep(time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatalf("in a minute it did not come to it: %s", what)
		}
	}
}
