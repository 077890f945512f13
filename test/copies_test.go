package test

import (
	"os"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A learner changes a dataset at the command line, looks at what has changed, and begins anew.
func TestACopyAtTheCommandLine(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t), "--with", "mosswater")
	home := t.TempDir()
	robin := &whole.Shell{T: t, Env: []string{"XDG_CONFIG_HOME=" + home, "EXAMEN_URL=" + s.URL, "EXAMEN_PASSWORD=" +
		demo.LearnerPassword}}
	says := func(in, want string, args ...string) {
		t.Helper()
		p := robin.Run(in, args...)
		if all := p.Out + p.Errs; !strings.Contains(all, want) {
			t.Errorf("%v: got %s\nwant %s", args, all, want)
		}
	}
	says("", "Logged in", "login", "robin")
	says("", "You have no copy", "copy", "show", "footpaths")
	says("SELECT count(*) FROM path", "1 row", "run", "mending-the-paths", "-")
	says("", "You have no copy", "copy", "show", "footpaths")
	says("SELECT nextval('warden_warden_id_seq')", "In your copy of footpaths", "run", "mending-the-paths", "-")
	says("CREATE FUNCTION one_more() RETURNS int LANGUAGE sql AS 'INSERT INTO closure VALUES (1, now(), ''why'') "+
		"RETURNING 1'; COMMIT", "Nothing to commit", "run", "mending-the-paths", "-")
	says("SELECT one_more()", "closure: 1 row added; function one_more made", "run", "mending-the-paths", "-")
	says("", "Your copy of footpaths is gone", "copy", "reset", "footpaths")
	says("UPDATE path SET grade = 'easy';\nDELETE FROM tally WHERE path_id = 1; CREATE TABLE walk ();\nSELECT 1/0",
		"In your copy of footpaths", "run", "mending-the-paths", "-")
	says("SELECT 1", "path: 6 rows changed; tally: 2 rows removed; table walk made", "run", "mending-the-paths", "-")
	says("INSERT INTO path VALUES (1)", "line 1, column 1", "run", "mending-the-paths", "-")
	says("BEGIN; DELETE FROM tally", "A transaction was still open at the end, and is rolled back", "run",
		"mending-the-paths", "-")
	says("", "6 rows changed", "copy", "show", "footpaths")
	says("", "footpaths", "copy", "list")
	says("", "Your copy of footpaths is gone", "copy", "reset", "footpaths")
	says("SELECT grade FROM path WHERE path_id = 4", "steep", "run", "mending-the-paths", "-")
	says("", "CREATE TABLE walk", "history", "walk")
	// What is submitted begins with what the dataset is, whatever is in the copy.
	says("DELETE FROM tally; DELETE FROM closure", "9 rows removed", "run", "mending-the-paths", "-")
	says("INSERT INTO warden VALUES (DEFAULT, 'Iris Calder', 'Dunmere', '2026-09-01')", "Correct, 1 of 1 point",
		"submit", "mending-the-paths/new-warden", "-")
	says("UPDATE path SET grade = 'moderate'", "UPDATE without WHERE takes every row", "submit",
		"mending-the-paths/not-so-steep", "-")
}

// learnerWith gives a client of a learner on a service whose dataset apiary may be changed.
func learnerWith(t *testing.T, s *whole.Service, name string) *client.Client {
	t.Helper()
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	if _, err := client.Read[client.Dataset](
		teacher.AllowChanges(ctx, "apiary", client.ChangesAllowed{Allowed: true}),
	); err != nil {
		t.Fatal(err)
	}
	return whole.As(t, s.URL, name, demo.LearnerPassword)
}

func runIn(t *testing.T, c *client.Client, window, sql string) client.Run {
	t.Helper()
	run, err := client.Read[client.Run](c.Run(ctx, client.RunRequest{Dataset: "apiary", Sql: sql, Window: window}))
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	return run
}

// A transaction stays open for its window; another window that needs its rows is told of it.
func TestTwoWindowsOfOneCopy(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t))
	robin := learnerWith(t, s, "robin")
	first := runIn(t, robin, "a", "BEGIN; UPDATE hive SET name = 'x' WHERE hive_id = 1")
	if first.Copy.Transaction != client.TransactionOpen || len(first.Copy.Changes.Tables) != 0 {
		t.Errorf("an open transaction: %+v", first.Copy)
	}
	second := runIn(t, robin, "b",
		"DELETE FROM inspection WHERE hive_id = 1; UPDATE hive SET name = 'y' WHERE hive_id = 1")
	if second.Outcome != client.Failed || !strings.Contains(second.Error.Detail, "in another window of yours") ||
		len(second.Statements) != 1 || second.Error.Place.Line != 1 {
		t.Errorf("waiting for oneself: %+v", second)
	}
	kept, err := client.Read[client.Copy](robin.GetCopy(ctx, "apiary", &client.GetCopyParams{Window: "a"}))
	if err != nil || kept.Transaction != client.TransactionOpen {
		t.Errorf("the page, loaded again, is told %+v, %v", kept, err)
	}
	if failed := runIn(t, robin, "a", "SELECT 1/0"); failed.Copy.Transaction != client.TransactionFailed {
		t.Errorf("a failed transaction: %+v", failed.Copy)
	}
	if done := runIn(t, robin, "a", "ROLLBACK"); done.Copy.Transaction != client.TransactionNone {
		t.Errorf("after it: %+v", done.Copy)
	}
	if again := runIn(t, robin, "b", "UPDATE hive SET name = 'y' WHERE hive_id = 1"); again.Outcome != client.Done {
		t.Errorf("then: %+v", again.Error)
	}
}

// A copy outlives the service, also one that is killed in the middle of a run; it does not outlive its build, and what
// ran in it stays in the history.
func TestACopyOutlivesTheServiceAndNotItsBuild(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	robin := learnerWith(t, s, "robin")
	runIn(t, robin, "", "DELETE FROM harvest WHERE hive_id = 5")
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_, _ = robin.Run(ctx, client.RunRequest{Dataset: "apiary",
			Sql: "DELETE FROM harvest WHERE hive_id = 6; SELECT pg_sleep(99)"})
	}()
	pool := whole.Superuser(t, folder, "practice", "postgres")
	whole.Until(t, "the run sleeps", func() bool {
		var sleeping bool
		err := pool.QueryRow(ctx, "SELECT EXISTS (SELECT FROM pg_stat_activity WHERE state = 'active' AND query LIKE "+
			"'SELECT pg_sleep(99)%')").Scan(&sleeping)
		return err == nil && sleeping
	})
	pool.Close()
	_ = s.Cmd.Process.Kill()
	s.Ended()
	<-ended
	var err error
	whole.Until(t, "the service starts again", func() bool {
		s, err = whole.Begin("serve", "--data-dir", folder)
		return err == nil
	})
	t.Cleanup(func() { s.Stop() })
	robin = whole.As(t, s.URL, "robin", demo.LearnerPassword)
	run := runIn(t, robin, "", "SELECT count(*) FROM harvest WHERE hive_id IN (5, 6)")
	if run.Outcome != client.Done || *run.Rows[0][0] != "0" || len(run.Copy.Changes.Tables) != 1 {
		t.Errorf("after the service was killed: %+v", run)
	}
	page, err := client.Read[client.HistoryPage](robin.ListHistory(ctx,
		&client.ListHistoryParams{Text: "pg_sleep(99)"}))
	if err != nil || len(page.Entries) != 1 || page.Entries[0].Error.Type != "examen:interrupted" {
		t.Errorf("the run in the middle of which it was killed: %+v, %v", page, err)
	}
	hazel := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	if _, err := client.Loaded(ctx, hazel, os.DirFS("../packs/heather-hill")); err != nil {
		t.Fatal(err)
	}
	build, err := client.Read[client.Dataset](hazel.GetDataset(ctx, "apiary", nil))
	if err != nil {
		t.Fatal(err)
	}
	// The pack says nothing of changes: they are allowed as before.
	run = runIn(t, robin, "", "UPDATE hive SET name = 'z' WHERE hive_id = 1")
	if build.Build > 1 && (!run.Copy.Replaced || run.Copy.Build != build.Build || len(run.Copy.Changes.Tables) != 1) {
		t.Errorf("after the dataset was built anew: %+v", run.Copy)
	}
}

// A copy that is not used for so long as is set goes, and what ran in it stays in the history.
func TestACopyThatIsNotUsedGoes(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	robin := learnerWith(t, s, "robin")
	runIn(t, robin, "", "DELETE FROM inspection")
	s.Stop()
	s = whole.Start(t, "serve", "--data-dir", folder, "--keep-copies", "1ms")
	robin = whole.As(t, s.URL, "robin", demo.LearnerPassword)
	whole.Until(t, "the copy is gone", func() bool {
		copies, err := client.Read[[]client.Copy](robin.ListCopies(ctx))
		return err == nil && len(copies) == 0
	})
	page, err := client.Read[client.HistoryPage](robin.ListHistory(ctx,
		&client.ListHistoryParams{Text: "DELETE FROM inspection"}))
	if err != nil || len(page.Entries) != 1 {
		t.Errorf("what ran in it: %+v, %v", page, err)
	}
}

// Copies are bounded in all: the one used least goes.
func TestTheLeastUsedCopyGoes(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t), "--limit-copies", "64")
	first := learnerWith(t, s, "robin")
	runIn(t, first, "", "DELETE FROM inspection")
	var names []string
	for i := range 8 { // of about 8 MB each
		name := "bounded" + string(rune('a'+i))
		names = append(names, name)
		if _, err := client.Read[client.AddedMember](
			whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword).AddMember(
				ctx, "evening-group", client.NewMember{Name: name, Password: demo.LearnerPassword},
			),
		); err != nil {
			t.Fatal(err)
		}
		if run := runIn(t, whole.As(t, s.URL, name, demo.LearnerPassword), "",
			"DELETE FROM inspection"); run.Outcome != client.Done {
			t.Fatalf("%+v", run)
		}
	}
	if copies, err := client.Read[[]client.Copy](first.ListCopies(ctx)); err != nil || len(copies) != 0 {
		t.Errorf("the least used is there: %+v, %v", copies, err)
	}
	last := whole.As(t, s.URL, names[len(names)-1], demo.LearnerPassword)
	if copies, err := client.Read[[]client.Copy](last.ListCopies(ctx)); err != nil || len(copies) != 1 {
		t.Errorf("the last is not there: %+v, %v", copies, err)
	}
}

// Where there is no room for a further copy, its learner is told so and their text is in the history; the others go on.
func TestThereIsNoRoomForACopy(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t), "--limit-copies", "64")
	hazel := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	learnerWith(t, s, "robin")
	var refused *client.Client
	for i := range 12 { // of about 8 MB each, in all of which somebody works
		name := "working" + string(rune('a'+i))
		if _, err := client.Read[client.AddedMember](
			hazel.AddMember(ctx, "evening-group", client.NewMember{Name: name, Password: demo.LearnerPassword}),
		); err != nil {
			t.Fatal(err)
		}
		c := whole.As(t, s.URL, name, demo.LearnerPassword)
		run, err := client.Read[client.Run](c.Run(ctx, client.RunRequest{
			Dataset: "apiary", Sql: "BEGIN; DELETE FROM inspection", Window: "w",
		}))
		if err != nil {
			if !strings.Contains(err.Error(), "There is no room for a copy") {
				t.Fatal(err)
			}
			refused = c
			break
		} else if run.Copy.Transaction != client.TransactionOpen {
			t.Fatalf("%+v", run)
		}
	}
	if refused == nil {
		t.Fatal("there is room without end")
	}
	page, err := client.Read[client.HistoryPage](refused.ListHistory(ctx, nil))
	if err != nil || len(page.Entries) != 1 || page.Entries[0].Error.Type != "examen:no-room" {
		t.Errorf("the history of whoever had no room: %+v, %v", page, err)
	}
	if run := runIn(t, refused, "", "SELECT count(*) FROM hive"); *run.Rows[0][0] != "96" {
		t.Errorf("a query: %+v", run)
	}
}

// Two runs in one copy at once stand side by side, and nothing of them is lost.
func TestTwoRunsInOneCopyAtOnce(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t))
	robin := learnerWith(t, s, "robin")
	runIn(t, robin, "", "CREATE TABLE seen (who text)")
	var both sync.WaitGroup
	for range 2 {
		both.Go(func() {
			for range 20 {
				run, err := client.Read[client.Run](robin.Run(ctx, client.RunRequest{
					Dataset: "apiary", Sql: "INSERT INTO seen VALUES ('x'); SELECT count(*) FROM seen",
				}))
				if err != nil || run.Outcome != client.Done {
					t.Errorf("%+v, %v", run.Error, err)
				}
			}
		})
	}
	both.Wait()
	if run := runIn(t, robin, "", "SELECT count(*) FROM seen"); *run.Rows[0][0] != "40" {
		t.Errorf("got %+v", run)
	}
}

// A service that is killed in the middle of checks and of copying leaves copies; the next start drops them.
func TestCopiesOfChecksThatWereCutShortGo(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder, "--with", "mosswater")
	robin := whole.As(t, s.URL, "robin", demo.LearnerPassword)
	copies := func(pool *pgxpool.Pool) (names []string) {
		_ = pool.QueryRow(ctx, "SELECT coalesce(array_agg(datname::text), '{}') FROM pg_database WHERE "+
			"starts_with(datname, 'copy_')").Scan(&names)
		return names
	}
	var all sync.WaitGroup
	for range 2 {
		all.Go(func() {
			for {
				if _, err := client.Read[client.Attempt](robin.Submit(ctx, "mending-the-paths", "not-so-steep",
					client.Submission{
						Sql: "UPDATE path SET grade = 'moderate'; SELECT count(*) FROM generate_series(1, 3000000)",
					})); err != nil {
					return // it was killed
				}
			}
		})
	}
	pool := whole.Superuser(t, folder, "practice", "postgres")
	var making string
	whole.Until(t, "checks are being made, and a copy for one", func() bool {
		err := pool.QueryRow(ctx, `SELECT substring(query FROM 'DATABASE "(copy_[^"]+)') FROM pg_stat_activity
			WHERE state = 'active' AND query LIKE 'CREATE DATABASE "copy_%'`).Scan(&making)
		return err == nil && len(copies(pool)) > 2
	})
	left := append(copies(pool), making)
	pool.Close()
	_ = s.Cmd.Process.Kill()
	s.Ended()
	all.Wait()
	var err error
	whole.Until(t, "the service starts again", func() bool {
		s, err = whole.Begin("serve", "--data-dir", folder)
		return err == nil
	})
	t.Cleanup(func() { s.Stop() })
	again := whole.Superuser(t, folder, "practice", "postgres")
	whole.Until(t, "what was left is dropped", func() bool {
		return !slices.ContainsFunc(copies(again), func(name string) bool { return slices.Contains(left, name) })
	})
}
