package test

import (
	"compress/gzip"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/postgres"
	"examen/test/whole"
)

// What a learner had in the older records: the entries of the history, and the sum of the marks.
type kept struct {
	entries int
	mark    string
}

// older starts a server with the records of an earlier version, dumped by pg_dump from a service that had a course at
// work, and reads what learners had.
func older(t *testing.T, dump string) (url string, had map[string]kept) {
	t.Helper()
	cluster, err := postgres.Start(ctx, postgres.Options{
		Folder: whole.DataDir(t), Super: "examen", Scratch: true, Log: slog.New(slog.DiscardHandler),
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(cluster.Stop)
	url = cluster.URL("postgres")
	file, err := os.Open(filepath.Join("testdata", dump))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	text, err := gzip.NewReader(file)
	if err != nil {
		t.Fatal(err)
	}
	psql := exec.Command("psql", "-X", "-q", "-v", "ON_ERROR_STOP=1", url)
	psql.Stdin = text
	if out, err := psql.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	rows, _ := conn.Query(
		ctx,
		`SELECT a.name, (SELECT count(*) FROM public.attempt WHERE account_id = a.id) + (SELECT count(*) FROM
public.run WHERE account_id = a.id),
		coalesce((SELECT sum(best) FROM (SELECT max(mark) AS best FROM public.attempt WHERE account_id = a.id GROUP
		BY exercise_id) AS m), 0)::text FROM public.account AS a WHERE role = 'learner'`,
	)
	had = map[string]kept{}
	var name string
	var k kept
	if _, err := pgx.ForEachRow(
		rows, []any{&name, &k.entries, &k.mark}, func() error { had[name] = k; return nil },
	); err != nil {
		t.Fatal(err)
	}
	return url, had
}

// Records of an earlier version start with everything in them: accounts and passwords, history, marks, papers, and the
// datasets, which are made again from their files.
func TestOlderRecordsStartWithEverythingInThem(t *testing.T) {
	t.Parallel()
	url, had := older(t, "records-5.sql.gz")
	if len(had) < 24 || had[demo.NewLearnerName] != (kept{3, "1"}) {
		t.Fatalf("the dump holds %v", had)
	}
	s := whole.Start(t, "serve", "--records-url", url, "--data-dir", whole.DataDir(t))
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	progress, err := client.Read[client.Progress](teacher.GetProgress(ctx, "first-look", &client.GetProgressParams{}))
	if err != nil || len(progress.Learners) != len(had) {
		t.Errorf("%d of %d learners, %v", len(progress.Learners), len(had), err)
	}
	for _, l := range progress.Learners {
		if l.Mark.String() != had[l.Name].mark {
			t.Errorf("%s has %v, and had %v", l.Name, l.Mark, had[l.Name].mark)
		}
		page, err := client.Read[client.HistoryPage](
			teacher.ListHistory(ctx, &client.ListHistoryParams{Learner: l.Name, Limit: 500}),
		)
		if err != nil || len(page.Entries) != had[l.Name].entries {
			t.Errorf("%s has %d entries, and had %d, %v", l.Name, len(page.Entries), had[l.Name].entries, err)
		}
	}
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	whole.Until(t, "the datasets are made again", func() bool {
		a, err := client.Read[client.Attempt](
			wren.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
		)
		nights, err2 := client.Read[client.Run](
			teacher.Run(ctx, client.RunRequest{Dataset: "nights", Sql: "SELECT day FROM night WHERE clear"}),
		)
		return err == nil && a.Outcome == client.Correct && err2 == nil && nights.Outcome == client.Done &&
			len(nights.Rows) == 1
	})
}
