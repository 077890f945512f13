package test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/postgres"
	"examen/internal/postgres/postgrestest"

	"log/slog"
)

func start(t *testing.T, command string, args ...string) *service {
	t.Helper()
	s, err := startService(command, args...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.stop)
	return s
}

func dataDir(t testing.TB) string {
	t.Helper()
	folder, err := postgrestest.Folder()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	return folder
}

// serverPID is the process of one of a data folder's PostgreSQL servers; 0 where none runs.
func serverPID(folder, which string) int {
	content, err := os.ReadFile(filepath.Join(folder, which, "data", "postmaster.pid"))
	if err != nil {
		return 0
	}
	pid, _ := strconv.Atoi(strings.SplitN(string(content), "\n", 2)[0])
	return pid
}

func alive(pid int) bool { return pid > 0 && syscall.Kill(pid, 0) == nil }

var oneTime = regexp.MustCompile(`name instructor, one-time password (\S+)`)

func TestServeMakesTheFirstInstructorOnce(t *testing.T) {
	t.Parallel()
	folder := dataDir(t)
	s := start(t, "serve", "--data-dir", folder)
	found := oneTime.FindStringSubmatch(s.output)
	if found == nil {
		t.Fatalf("no password in %q", s.output)
	}
	c := as(t, s.url, "instructor", found[1])
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
	records, practice := serverPID(folder, "records"), serverPID(folder, "practice")
	s.stop()
	if alive(records) || alive(practice) {
		t.Error("a PostgreSQL server outlives the service")
	}
	s = start(t, "serve", "--data-dir", folder)
	if oneTime.MatchString(s.output) {
		t.Errorf("a second password is made: %q", s.output)
	}
	courses, err := client.Read[[]client.Course](as(t, s.url, "instructor", "one-of-my-own").ListCourses(ctx))
	if err != nil || len(courses) != 1 {
		t.Errorf("got %+v, %v", courses, err)
	}
}

func TestNothingIsLostWhenTheServiceIsKilled(t *testing.T) {
	t.Parallel()
	folder := dataDir(t)
	s := start(t, "demo", "--data-dir", folder)
	wren := as(t, s.url, demo.NewLearnerName, demo.LearnerPassword)
	a, err := client.Read[client.Attempt](
		wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
	)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := superuser(t, folder, "practice", "postgres").Exec(
		ctx, "CREATE DATABASE dataset_half_built",
	); err != nil {
		// as a load that was cut short
		t.Fatal(err)
	}
	_ = s.cmd.Process.Kill()
	_ = s.cmd.Wait()
	s = start(t, "demo", "--data-dir", folder) // as soon as that: what is left of the servers has to go first
	page, err := client.Read[client.HistoryPage](
		as(t, s.url, demo.NewLearnerName, demo.LearnerPassword).ListHistory(ctx, &client.ListHistoryParams{}),
	)
	if err != nil || len(page.Entries) != 1 || page.Entries[0].Id != a.Id {
		t.Errorf("got %+v, %v", page, err)
	}
	pool := superuser(t, folder, "practice", "postgres")
	until(t, "the half-built database is removed", func() bool {
		var left int
		return pool.QueryRow(
			ctx, "SELECT count(*) FROM pg_database WHERE datname = 'dataset_half_built'",
		).Scan(&left) == nil && left == 0
	})
	if _, err := startService("serve", "--data-dir", folder); err == nil ||
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
			postgres.Options{Folder: dataDir(t), Super: "examen", Scratch: true, Log: slog.New(slog.DiscardHandler)},
		)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Stop)
		urls[i] = c.URL("postgres")
	}
	s := start(t, "demo", "--records-url", urls[0], "--practice-url", urls[1])
	wren := as(t, s.url, demo.NewLearnerName, demo.LearnerPassword)
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
	out := command(t, nil, "", "serve", "--data-dir", dataDir(t), "--listen", listener.Addr().String())
	if out.code == 0 || !strings.Contains(
		out.errs, "is taken by another program: choose another, such as --listen 127.0.0.1:0",
	) || strings.Count(out.errs, "\n") != 1 {
		t.Errorf("got %+v", out)
	}
}

// down takes one of a folder's servers away until up is called: it cannot be started again while its data are
// elsewhere.
func down(t *testing.T, folder, which string) (up func()) {
	t.Helper()
	data := filepath.Join(folder, which, "data")
	pid := serverPID(folder, which)
	if err := os.Rename(data, data+".away"); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	return func() {
		if err := os.Rename(data+".away", data); err != nil {
			t.Fatal(err)
		}
	}
}

func TestAServerThatIsDown(t *testing.T) {
	t.Parallel()
	folder := dataDir(t)
	s := start(t, "demo", "--data-dir", folder)
	wren := as(t, s.url, demo.NewLearnerName, demo.LearnerPassword)
	health := func() string {
		var h client.Health
		code, text := asked(t, s.url, "GET", "/api/health", "", "")
		if err := json.Unmarshal([]byte(text), &h); err != nil || (code == 200) != (h.Records == client.Up &&
			h.Practice == client.Up) {
			t.Fatalf("%d %s, %v", code, text, err)
		}
		downs := strings.Count(text, `"down"`)
		if h.Ready != (code == 200) || len(h.Reasons) != downs ||
			h.Practice == client.Down && !slices.Contains(h.Reasons, "No practice server answers.") {
			t.Errorf("%d %s", code, text)
		}
		if code, text := asked(t, s.url, "GET", "/api/health/live", "", ""); code != 204 {
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

	up := down(t, folder, "practice")
	until(t, "the practice server is known to be down", func() bool { return health() == "records up, practice down" })
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
	until(t, "queries run again", func() bool { return run() == nil })

	up = down(t, folder, "records")
	until(t, "the records server is known to be down", func() bool { return health() == "records down, practice up" })
	if p := problemOf(t)(
		wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
	); p.Status != 503 || p.Type != "examen:records-down" {
		t.Errorf("got %+v", p)
	}
	up()
	until(t, "attempts are stored again", func() bool {
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
	_, c := newcomer(t)
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
