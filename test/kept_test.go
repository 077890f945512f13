package test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"syscall"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/postgres"
	"examen/test/whole"
)

// What is submitted once is stored once, however often and however many at a time it is sent.
func TestASubmissionIsStoredOnce(t *testing.T) {
	_, c := whole.Newcomer(t)
	submission := client.Submission{Sql: "SELECT name, valley FROM apiary", Key: "k-1"}
	var all sync.WaitGroup
	ids := make(chan string, 20)
	for range 20 {
		all.Go(func() {
			a, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", "1", submission))
			if err != nil {
				t.Error(err)
			}
			ids <- a.Id
		})
	}
	all.Wait()
	close(ids)
	first := <-ids
	for id := range ids {
		if id != first {
			t.Errorf("two attempts, %s and %s", first, id)
		}
	}
	again, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", "1", submission))
	if err != nil || again.Id != first || again.Outcome != client.Correct || again.Sql != submission.Sql {
		t.Errorf("later: %+v, %v", again, err)
	}
	e, _ := client.Read[client.Exercise](c.GetExercise(ctx, "first-look", "1"))
	if e.Attempts != 1 {
		t.Errorf("%d attempts are stored", e.Attempts)
	}
	if p := problemOf(t)(
		c.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT 1", Key: "k-1"}),
	); p.Status != 409 || p.Type != "examen:key-used" {
		t.Errorf("another text under the key: %+v", p)
	}
	_, other := whole.Newcomer(t)
	if a, err := client.Read[client.Attempt](other.Submit(ctx, "first-look", "1", submission)); err != nil ||
		a.Id == first {
		t.Errorf("the same key of somebody else: %+v, %v", a, err)
	}
}

// An older text of an answer never takes the place of a newer one, in whatever order they come.
func TestDraftsHaveRevisions(t *testing.T) {
	_, c := whole.Newcomer(t)
	keep := func(sql string, revision int64) (client.Draft, error) {
		return client.Read[client.Draft](
			c.KeepDraft(ctx, "first-look", "1", client.DraftText{Sql: sql, Revision: &revision}),
		)
	}
	first, err := keep("SELECT 1", 0)
	if err != nil || first.Revision != 1 {
		t.Fatalf("%+v, %v", first, err)
	}
	second, err := keep("SELECT 12", first.Revision)
	if err != nil || second.Revision != 2 {
		t.Fatalf("%+v, %v", second, err)
	}
	revision := first.Revision
	if p := problemOf(t)(
		c.KeepDraft(ctx, "first-look", "1", client.DraftText{Sql: "SELECT 1 -- older", Revision: &revision}),
	); p.Status != 409 || p.Type != "examen:draft-changed" {
		t.Errorf("an older text: %+v", p)
	}
	if same, err := keep("SELECT 12", first.Revision); err != nil || same.Revision != 2 {
		// its answer was lost, and it is sent again
		t.Errorf("the same text: %+v, %v", same, err)
	}
	e, _ := client.Read[client.Exercise](c.GetExercise(ctx, "first-look", "1"))
	if e.Draft.Sql != "SELECT 12" || e.Draft.Revision != 2 {
		t.Errorf("kept: %+v", e.Draft)
	}
}

// An answer that asks where, when or as whom it runs is no answer, unless the exercise asks for that itself.
func TestAnswersDependOnTheRowsAlone(t *testing.T) {
	_, c := whole.Newcomer(t)
	for _, what := range []string{
		"pg_sleep(0)", "clock_timestamp()", "statement_timestamp()", "timeofday()", "current_database()",
		"CURRENT_CATALOG", "CURRENT_USER", "SESSION_USER", "current_schema()", "xmin", "tableoid", "ctid",
		"'apiary'::regclass", "(SELECT count(*) FROM pg_class)", "(SELECT reltuples FROM pg_catalog.pg_class LIMIT 1)",
		"(SELECT count(*) FROM information_schema.tables)", "pg_has_role('examen_checkers', 'member')",
		"pg_column_size(name)",
	} {
		a := whole.Submit(t, c, "1", "SELECT name, valley FROM apiary WHERE coalesce("+what+"::text, '') IS NOT NULL")
		if a.Outcome != client.Rejected || a.Error.Title != "Not allowed in an answer" {
			t.Errorf("%s: %s %+v", what, a.Outcome, a.Error)
		}
	}
	for _, what := range []string{"now()", "CURRENT_DATE", "random()", "length(name)"} {
		if a := whole.Submit(
			t, c, "1", "SELECT name, valley FROM apiary WHERE coalesce("+what+"::text, '') IS NOT NULL",
		); a.Outcome != client.Correct {
			t.Errorf("%s: %s %+v", what, a.Outcome, a.Error)
		}
	}
}

// Questions about hidden rows are counted, slowed, and seen by the instructor.
func TestAttemptsThatAreWrongOnHiddenRowsAloneAreCounted(t *testing.T) {
	name, c := whole.Newcomer(t)
	asks := func(n int) (client.Attempt, error) {
		return client.Read[client.Attempt](c.Submit(ctx, "first-look", "calm-bees", client.Submission{
			Sql: fmt.Sprintf(
				"SELECT inspection_id, remark FROM inspection WHERE remark LIKE 'calm%%' OR remark LIKE 'Calm%%' "+
					"AND %d = %d",
				n, n,
			)}))
	}
	for n := range 20 {
		if a, err := asks(n); err != nil || a.Outcome != client.Incorrect {
			t.Fatalf("attempt %d: %+v, %v", n, a, err)
		}
	}
	_, err := asks(20)
	var p *client.ProblemError
	if !errors.As(err, &p) || p.Status != 429 || p.RetryAfter < 60 {
		t.Errorf("the twenty-first: %v", err)
	}
	if a := whole.Submit(t, c, "1", "SELECT name, valley FROM apiary"); a.Outcome != client.Correct {
		t.Errorf("another exercise: %+v", a)
	}
	grid, err := client.Read[client.Progress](
		whole.Hazel(t).GetProgress(ctx, "first-look", &client.GetProgressParams{}),
	)
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, l := range grid.Learners {
		for _, cell := range l.Cells {
			if l.Name == name {
				seen += cell.HiddenOnly
			}
		}
	}
	if seen != 20 {
		t.Errorf("the grid tells of %d", seen)
	}
}

const apiary = "CREATE TABLE apiary (apiary_id int PRIMARY KEY, name text);\n" +
	"INSERT INTO apiary VALUES (1, 'Over there');\n"

// A build that would break what papers use is held until somebody confirms; the one before can be returned to.
func TestABuildThatBreaksPapersIsHeld(t *testing.T) {
	t.Parallel()
	s := whole.Start(t, "demo", "--data-dir", whole.DemoDir(t))
	teacher, wren := whole.As(
		t, s.URL, demo.InstructorName, demo.InstructorPassword,
	), whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	right := func() bool {
		a, err := client.Read[client.Attempt](
			wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
		)
		return err == nil && a.Outcome == client.Correct
	}
	job := whole.Built(
		t, teacher, "apiary", client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.sql": apiary}),
	)
	breaks := strings.Join(job.Report.Breaks, "\n")
	if job.State != client.JobAsking || !strings.Contains(
		breaks, "first-look/names-and-valleys: an accepted answer does not run on it",
	) || !strings.Contains(breaks, "it has no table hive, which papers use") {
		t.Fatalf("%s: %s", job.State, breaks)
	}
	if !right() {
		t.Error("the build in use does not stay so")
	}
	confirmed, err := client.Read[client.Job](teacher.ConfirmJob(ctx, job.Id))
	if err != nil {
		t.Fatal(err)
	}
	if confirmed, err = client.Follow(ctx, teacher, confirmed, nil); err != nil || confirmed.State != client.JobDone {
		t.Fatalf("%+v, %v", confirmed.State, err)
	}
	if right() {
		t.Error("the new build is not in use")
	}
	d, err := client.Read[client.Dataset](teacher.UseBuild(ctx, "apiary", client.BuildChoice{Build: 1}))
	if err != nil || d.Build != 1 || len(d.Builds) != 2 || !d.Builds[1].InUse || !d.Builds[0].Kept {
		t.Fatalf("%+v, %v", d.Builds, err)
	}
	whole.Until(t, "the earlier build is in use", right)
}

// A build that was reported as done is there after the practice server has died at once; one that is lost all the same
// is made again by itself.
func TestBuildsOutliveTheirServer(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	rows := func(name string) string {
		run, err := client.Read[client.Run](
			teacher.Run(ctx, client.RunRequest{Dataset: name, Sql: "SELECT count(*) FROM apiary"}),
		)
		if err != nil {
			return err.Error()
		}
		if run.Outcome != client.Done {
			return run.Error.Title
		}
		return *run.Rows[0][0]
	}
	for n := range 5 {
		name := fmt.Sprintf("lasting-%d", n)
		if job := whole.Built(
			t, teacher, name, client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.sql": apiary}),
		); job.State != client.JobDone {
			t.Fatalf("%+v", job)
		}
		whole.KillServer(t, folder, "practice")
		whole.Until(t, "the server is back", func() bool {
			h, _ := client.Read[client.Health](teacher.GetHealth(ctx))
			return h.Practice == client.Up
		})
		whole.Until(t, name+" is there", func() bool { return rows(name) == "1" })
	}
	jobs, err := client.Read[[]client.Job](teacher.ListJobs(ctx, &client.ListJobsParams{Dataset: "lasting-4"}))
	if err != nil || len(jobs) != 1 {
		t.Errorf("it was there, and not made again: %d jobs, %v", len(jobs), err)
	}

	pool := whole.Superuser(t, folder, "practice", "postgres")
	var database string
	if err := whole.Superuser(t, folder, "records", "postgres").QueryRow(
		ctx, "SELECT database FROM build JOIN dataset ON build_id = build.id WHERE name = 'lasting-0'",
	).Scan(&database); err != nil {
		t.Fatal(err)
	}
	if _, err := pool.Exec(ctx, "DROP DATABASE "+database+" WITH (FORCE)"); err != nil {
		t.Fatal(err)
	}
	if said := rows("lasting-0"); !strings.Contains(said, "being made again") && said != "1" {
		t.Errorf("as it is found to be gone: %s", said)
	}
	whole.Until(t, "it is made again", func() bool { return rows("lasting-0") == "1" })

	// The demo's own, with its variants, found as the service starts.
	rowsOf, err := pool.Query(ctx, "SELECT datname::text FROM pg_database WHERE starts_with(datname, 'dataset_')")
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for rowsOf.Next() {
		var name string
		if err := rowsOf.Scan(&name); err != nil {
			t.Fatal(err)
		}
		all = append(all, name)
	}
	for _, name := range all {
		if _, err := pool.Exec(ctx, "DROP DATABASE "+name+" WITH (FORCE)"); err != nil {
			t.Fatal(err)
		}
	}
	s.Stop()
	s = whole.Start(t, "serve", "--data-dir", folder)
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	whole.Until(t, "answers are checked again, on the variants too", func() bool {
		a, err := client.Read[client.Attempt](
			wren.Submit(
				ctx, "first-look", "calm-bees",
				client.Submission{
					Sql: "SELECT inspection_id, remark FROM inspection WHERE remark LIKE 'calm%' OR remark LIKE " +
						"'Calm%'",
				},
			),
		)
		return err == nil && a.Outcome == client.Incorrect && strings.Contains(fmt.Sprint(a.Findings), "other")
	})
}

// A build that runs as the service is told to stop goes on when it starts again.
func TestABuildGoesOnAfterAStop(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	job := whole.Build(
		t, teacher, "slow", client.BuildDatasetParams{},
		whole.Scripts(
			map[string]string{
				"a.sql": "CREATE TABLE a (x int);\n" + strings.Repeat(
					"SELECT pg_sleep(0.02);\n", 250,
				) + "INSERT INTO a VALUES (1);\n",
			},
		),
	)
	whole.Until(t, "it runs", func() bool {
		j, _ := client.Read[client.Job](teacher.GetJob(ctx, job.Id))
		return j.Progress.Statements > 10
	})
	_ = s.Cmd.Process.Signal(syscall.SIGTERM)
	s.Ended()
	s = whole.Start(t, "serve", "--data-dir", folder)
	teacher = whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	job, err := client.Follow(ctx, teacher, job, nil)
	if err != nil || job.State != client.JobDone {
		t.Errorf("%s %+v, %v", job.State, job.Problem, err)
	}
}

// A practice server is used with one set of records, and records and practice are two; whoever is refused is told why,
// and the first goes on.
func TestAPracticeServerIsUsedWithOneSetOfRecords(t *testing.T) {
	t.Parallel()
	urls := make([]string, 3)
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
	if _, err := whole.Begin(
		"serve", "--records-url", urls[0], "--practice-url", urls[0],
	); err == nil || !strings.Contains(err.Error(), "are on the same PostgreSQL server: name two") {
		t.Errorf("one server for both: %v", err)
	}
	s := whole.Start(t, "demo", "--records-url", urls[0], "--practice-url", urls[1])
	if _, err := whole.Begin(
		"serve", "--records-url", urls[2], "--practice-url", urls[1],
	); err == nil || !strings.Contains(err.Error(), "another Examen uses it, with records of its own") {
		t.Errorf("a service with other records: %v", err)
	}
	if _, err := whole.Begin(
		"serve", "--records-url", urls[0], "--practice-url", urls[1], "--practice-url", urls[1],
	); err == nil || !strings.Contains(err.Error(), "two of the practice servers are the same one") {
		t.Errorf("one server twice: %v", err)
	}
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	if run, err := client.Read[client.Run](
		wren.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT count(*) FROM hive"}),
	); err != nil || run.Outcome != client.Done {
		t.Errorf("the first goes on: %+v, %v", run, err)
	}
}

// Records of a newer version are left alone by an older one, which says so.
func TestRecordsOfANewerVersion(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	if _, err := whole.Superuser(t, folder, "records", "postgres").Exec(
		ctx, "INSERT INTO goose_db_version (version_id, is_applied) VALUES (9000, true)",
	); err != nil {
		t.Fatal(err)
	}
	s.Stop()
	if _, err := whole.Begin("serve", "--data-dir", folder); err == nil || !strings.Contains(
		err.Error(), "they are of a newer version of Examen (schema 9000)",
	) {
		t.Errorf("got %v", err)
	}
}

// The two clusters belong to two users of the system, neither of which can read the other's folder.
func TestClustersAreApart(t *testing.T) {
	practice, records := whole.Superuser(t, whole.SharedFolder, "practice", "postgres"), whole.SharedFolder+"/records"
	for _, path := range []string{
		records + "/superuser.password", records + "/data/PG_VERSION", records + "/server.log",
		whole.SharedFolder + "/practice/superuser.password",
	} {
		var text string
		err := practice.QueryRow(ctx, "SELECT pg_read_file($1)", path).Scan(&text)
		if err == nil || !strings.Contains(err.Error(), "Permission denied") {
			t.Errorf("the practice server's superuser reads %s: %v", path, err)
		}
	}
}

// A catalogue that an earlier version read is read again as the service starts.
func TestOldCataloguesAreReadAgain(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	if _, err := whole.Superuser(t, folder, "records", "postgres").Exec(
		ctx, "UPDATE build SET catalogue = '{}', catalogue_version = 0",
	); err != nil {
		t.Fatal(err)
	}
	s.Stop()
	s = whole.Start(t, "serve", "--data-dir", folder)
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	whole.Until(t, "the tables are known again", func() bool {
		page, err := client.Read[client.RowPage](wren.ListRows(ctx, "apiary", "hive", &client.ListRowsParams{Limit: 3}))
		return err == nil && len(page.Rows) == 3
	})
}

// A build that loses its session with the practice server, as it does when somebody's query had to be killed, begins
// again by itself.
func TestABuildGoesOnAfterThePracticeServerDied(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	job := whole.Build(
		t, teacher, "slow", client.BuildDatasetParams{},
		whole.Scripts(
			map[string]string{
				"a.sql": "CREATE TABLE a (x int);\n" + strings.Repeat(
					"SELECT pg_sleep(0.02);\n", 100,
				) + "INSERT INTO a VALUES (1);\n",
			},
		),
	)
	whole.Until(t, "it runs", func() bool {
		j, _ := client.Read[client.Job](teacher.GetJob(ctx, job.Id))
		return j.Progress.Statements > 10
	})
	whole.KillServer(t, folder, "practice")
	job, err := client.Follow(ctx, teacher, job, nil)
	if err != nil || job.State != client.JobDone {
		t.Errorf("%s %+v, %v", job.State, job.Problem, err)
	}
}
