package test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/postgres"
	"examen/test/whole"

	"log/slog"
)

func alive(pid int) bool { return pid > 0 && syscall.Kill(pid, 0) == nil }

var oneTime = regexp.MustCompile(`name instructor, one-time password (\S+)`)

func TestServeMakesTheFirstInstructorOnce(t *testing.T) {
	t.Parallel()
	folder := whole.DataDir(t)
	s := whole.Start(t, "serve", "--data-dir", folder)
	found := oneTime.FindStringSubmatch(s.Output)
	if found == nil {
		t.Fatalf("no password in %q", s.Output)
	}
	c := whole.As(t, s.URL, "instructor", found[1])
	if _, err := client.Read[struct{}](
		c.SetPassword(ctx, client.PasswordChange{Current: found[1], New: "one-of-my-own"}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.Course](
		c.CreateCourse(ctx, client.NewCourse{Slug: "kept", Title: "Kept"}),
	); err != nil {
		t.Fatal(err)
	}
	records, practice := whole.ServerPID(folder, "records"), whole.ServerPID(folder, "practice")
	s.Stop()
	if alive(records) || alive(practice) {
		t.Error("a PostgreSQL server outlives the service")
	}
	s = whole.Start(t, "serve", "--data-dir", folder)
	if oneTime.MatchString(s.Output) {
		t.Errorf("a second password is made: %q", s.Output)
	}
	courses, err := client.Read[[]client.Course](whole.As(t, s.URL, "instructor", "one-of-my-own").ListCourses(ctx))
	if err != nil || len(courses) != 1 {
		t.Errorf("got %+v, %v", courses, err)
	}
}

func TestNothingIsLostWhenTheServiceIsKilled(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	a, err := client.Read[client.Attempt](
		wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
	)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := whole.Superuser(t, folder, "practice", "postgres").Exec(
		ctx, "CREATE DATABASE dataset_half_built",
	); err != nil {
		// as a load that was cut short
		t.Fatal(err)
	}
	_ = s.Cmd.Process.Kill()
	s.Ended()
	s = whole.Start(t, "demo", "--data-dir", folder) // as soon as that: what is left of the servers has to go first
	page, err := client.Read[client.HistoryPage](
		whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword).ListHistory(ctx, &client.ListHistoryParams{}),
	)
	if err != nil || len(page.Entries) != 1 || page.Entries[0].Id != a.Id {
		t.Errorf("got %+v, %v", page, err)
	}
	pool := whole.Superuser(t, folder, "practice", "postgres")
	whole.Until(t, "the half-built database is removed", func() bool {
		var left int
		return pool.QueryRow(
			ctx, "SELECT count(*) FROM pg_database WHERE datname = 'dataset_half_built'",
		).Scan(&left) == nil && left == 0
	})
	if _, err := whole.Begin("serve", "--data-dir", folder); err == nil ||
		!strings.Contains(err.Error(), "in use by process") {
		t.Errorf("a second service in the same folder: %v", err)
	}
}

func TestServersThatOthersRun(t *testing.T) {
	t.Parallel()
	urls := make([]string, 2)
	for i := range urls {
		c, err := postgres.Start(
			context.Background(),
			postgres.Options{
				Folder: whole.DataDir(t), Super: "examen", Scratch: true, Log: slog.New(slog.DiscardHandler),
			},
		)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Stop)
		urls[i] = c.URL("postgres")
	}
	s := whole.Start(t, "demo", "--records-url", urls[0], "--practice-url", urls[1])
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	if run, err := client.Read[client.Run](
		wren.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT count(*) FROM hive"}),
	); err != nil || run.Outcome != client.Done {
		t.Errorf("got %+v, %v", run, err)
	}
}

func TestATakenPort(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	out := whole.Command(t, nil, "", "serve", "--data-dir", whole.DataDir(t), "--listen", listener.Addr().String())
	if out.Code == 0 || !strings.Contains(
		out.Errs, "is taken by another program: choose another, such as --listen 127.0.0.1:0",
	) || strings.Count(out.Errs, "\n") != 1 {
		t.Errorf("got %+v", out)
	}
}

func TestAServerThatIsDown(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	health := func() string {
		var h client.Health
		code, text := whole.Asked(t, s.URL, "GET", "/api/health", "", "")
		if err := json.Unmarshal([]byte(text), &h); err != nil || (code == 200) != (h.Records == client.Up &&
			h.Practice == client.Up) {
			t.Fatalf("%d %s, %v", code, text, err)
		}
		downs := strings.Count(text, `"down"`)
		if h.Ready != (code == 200) || len(h.Reasons) != downs ||
			h.Practice == client.Down && !slices.Contains(h.Reasons, "No practice server answers.") {
			t.Errorf("%d %s", code, text)
		}
		if code, text := whole.Asked(t, s.URL, "GET", "/api/health/live", "", ""); code != 204 {
			t.Errorf("not alive: %d %s", code, text)
		}
		return fmt.Sprintf("records %s, practice %s", h.Records, h.Practice)
	}
	run := func() error {
		_, err := client.Read[client.Run](
			wren.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT count(*) FROM hive"}),
		)
		return err
	}
	if err := run(); err != nil {
		t.Fatal(err)
	}

	up := whole.Down(t, folder, "practice")
	whole.Until(t, "the practice server is known to be down", func() bool {
		return health() == "records up, practice down"
	})
	if p := problemOf(t)(
		wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
	); p.Status != 503 || p.Type != "examen:practice-down" || p.RetryAfter == 0 {
		t.Errorf("got %+v", p)
	}
	if _, err := client.Read[client.Draft](
		wren.KeepDraft(ctx, "first-look", "1", client.DraftText{Sql: "SELECT kept"}),
	); err != nil {
		t.Error("a draft:", err)
	}
	if page, err := client.Read[client.HistoryPage](wren.ListHistory(ctx, &client.ListHistoryParams{})); err != nil ||
		len(page.Entries) != 1 {
		t.Errorf("the history: %+v, %v", page, err)
	}
	if _, err := client.Read[client.Paper](wren.GetPaper(ctx, "first-look")); err != nil {
		t.Error("the paper:", err)
	}
	up()
	whole.Until(t, "queries run again", func() bool { return run() == nil })

	up = whole.Down(t, folder, "records")
	whole.Until(t, "the records server is known to be down", func() bool {
		return health() == "records down, practice up"
	})
	if p := problemOf(t)(
		wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
	); p.Status != 503 || p.Type != "examen:records-down" {
		t.Errorf("got %+v", p)
	}
	up()
	whole.Until(t, "attempts are stored again", func() bool {
		_, err := client.Read[client.Attempt](
			wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
		)
		return err == nil
	})
	e, err := client.Read[client.Exercise](wren.GetExercise(ctx, "first-look", "1"))
	if err != nil || e.Attempts != 1 || e.Draft.Sql != "SELECT kept" {
		t.Errorf("got %+v, %v", e, err)
	}
}

// A query that wants more memory than a session may have fails alone.
func TestMemoryOfASessionIsBounded(t *testing.T) {
	_, c := whole.Newcomer(t)
	run, err := client.Read[client.Run](
		c.Run(
			ctx,
			client.RunRequest{
				Paper: "first-look",
				Sql:   "SELECT length(string_agg(repeat('x', 90000000), '')) FROM generate_series(1, 10)",
			},
		),
	)
	if err != nil || run.Outcome != client.Stopped || !strings.Contains(run.Error.Detail, "memory limit") {
		t.Errorf("got %+v, %v", run, err)
	}
	run, err = client.Read[client.Run](c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT 1"}))
	if err != nil || run.Outcome != client.Done {
		t.Errorf("the next: %+v, %v", run, err)
	}
}
