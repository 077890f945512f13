package whole

import (
	"fmt"
	"io/fs"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/jackc/pgx/v5"

	"examen/internal/client"
)

// Scripts are a folder's files.
func Scripts(files map[string]string) fstest.MapFS {
	folder := fstest.MapFS{}
	for name, text := range files {
		folder[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return folder
}

// Build sends files to be built, in the order of their names, and returns the job.
func Build(
	t testing.TB, teacher *client.Client, name string, params client.BuildDatasetParams, folder fs.FS,
) client.Job {
	t.Helper()
	paths, _ := fs.Glob(folder, "*")
	slices.Sort(paths)
	contentType, body := client.SendFiles(folder, paths, nil)
	job, err := client.Read[client.Job](teacher.BuildDatasetWithBody(ctx, name, &params, contentType, body))
	if err != nil {
		t.Fatal(err)
	}
	return job
}

// Built is Build, once the job has ended.
func Built(
	t testing.TB, teacher *client.Client, name string, params client.BuildDatasetParams, folder fs.FS,
) client.Job {
	t.Helper()
	job, err := client.Follow(ctx, teacher, Build(t, teacher, name, params, folder), nil)
	if err != nil {
		t.Fatal(err)
	}
	return job
}

// Endless is a script that does not end by itself.
const Endless = "CREATE TABLE a (x int);\nINSERT INTO a VALUES (1), (2);\nCOPY a FROM stdin;\n3\n\\.\n" +
	"SELECT pg_sleep(600);\n"

// Databases are those of builds on a folder's practice server, but for some.
func Databases(t *testing.T, folder string, without []string) (names []string) {
	t.Helper()
	rows, _ := Superuser(t, folder, "practice", "postgres").Query(
		ctx, "SELECT datname::text FROM pg_database WHERE starts_with(datname, 'dataset_')",
	)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		t.Fatal(err)
	}
	return slices.DeleteFunc(names, func(name string) bool { return slices.Contains(without, name) })
}

// PaperOf loads a pack of one paper with these exercises, each a task's checking rules and its reference answer, opens
// it to the demo's course, and returns what submits to the exercise of a number.
func PaperOf(
	t *testing.T, name string, exercises ...[2]string,
) func(c *client.Client, number int, sql string) client.Attempt {
	t.Helper()
	return PaperOn(
		t, name,
		"CREATE TABLE star AS SELECT n AS id, n % 7 AS class, (n * 37 % 1000) / 8.0::float8 AS light FROM "+
			"generate_series(1, 5000) AS n;",
		exercises...,
	)
}

// PaperOn is PaperOf, on a dataset of its own.
func PaperOn(
	t *testing.T, name, setup string, exercises ...[2]string,
) func(c *client.Client, number int, sql string) client.Attempt {
	t.Helper()
	paper := fmt.Sprintf("---\npaper: %s\ntitle: %s\ndataset: %s\n---\n", name, name, name)
	for i, e := range exercises {
		paper += fmt.Sprintf(
			"\n## Exercise number %d\n\nSolve it.\n\n```sql answer\n%s\n```\n\n```yaml check\n%s\n```\n", i+1, e[1],
			e[0],
		)
	}
	files := fstest.MapFS{
		"pack.yaml": {
			Data: []byte(
				fmt.Sprintf(
					"pack: %s\ntitle: %s\ndatasets:\n  %s:\n    setup: [rows.sql]\npapers: [paper.md]\n", name, name,
					name,
				),
			),
		},
		"rows.sql": {Data: []byte(setup)},
		"paper.md": {Data: []byte(paper)},
	}
	teacher := Hazel(t)
	if _, err := client.Loaded(ctx, teacher, files); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", name, client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
	return func(c *client.Client, number int, sql string) client.Attempt {
		t.Helper()
		a, err := client.Read[client.Attempt](c.Submit(ctx, name, fmt.Sprint(number), client.Submission{Sql: sql}))
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
}
