package test

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// rowsOf asks for a page of a table's rows, and writes it down.
func rowsOf(t testing.TB, c *client.Client, name, table string, params client.ListRowsParams) string {
	t.Helper()
	page, err := client.Read[client.RowPage](c.ListRows(ctx, name, table, &params))
	if err != nil {
		return err.Error()
	}
	var lines []string
	for _, row := range page.Rows {
		var cells []string
		for _, cell := range row {
			if cell == nil {
				cells = append(cells, "NULL")
			} else {
				cells = append(cells, *cell)
			}
		}
		lines = append(lines, strings.Join(cells, " "))
	}
	return fmt.Sprintf("%s, more: %v", strings.Join(lines, " | "), page.More)
}

func TestADatasetIsBuiltFromAFolder(t *testing.T) {
	teacher := whole.Hazel(t)
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	fmt.Fprint(w, "INSERT INTO star VALUES (1, 'Vega', 2), (2, 'Deneb', 2);\n")
	w.Close()
	job := whole.Built(t, teacher, "stars", client.BuildDatasetParams{
		Folder: true,
		Title:  "Stars",
	}, whole.Scripts(map[string]string{
		"all.sql":       "\\i tables.sql\n\\copy sky FROM 'sky.csv' WITH (FORMAT csv, HEADER)\n",
		"b-rows.sql.gz": packed.String(),
		"tables.sql": "CREATE TABLE sky (sky_id int PRIMARY KEY, name text);\n" +
			"CREATE TABLE star (star_id int PRIMARY KEY, name text NOT NULL, sky_id int REFERENCES sky);\n" +
			"CREATE TABLE lost (sky_id int);\nALTER TABLE star OWNER TO hazel;\n",
		"sky.csv": "sky_id,name\n2,North\n3,\"South, far\"\n"}))
	if job.State != client.JobDone {
		t.Fatalf("got %+v", job)
	}
	r := job.Report.Datasets[0]
	if r.Build != 1 || r.Tables != 3 || r.Rows != 4 || r.Bytes == 0 || len(r.PassedOver) != 1 ||
		r.PassedOver[0] != "tables.sql:4: ALTER TABLE star OWNER TO hazel" {
		t.Errorf("got %+v", r)
	}
	if want := "lost has no key, lost is empty, lost.sky_id looks like a reference to sky"; !matchAll(
		r.Advice, strings.Split(want, ", "),
	) {
		t.Errorf("advice: %q", r.Advice)
	}
	if job.Progress.Statements == 0 || job.Progress.Rows != 4 || job.Progress.Tables != 3 {
		t.Errorf("progress: %+v", job.Progress)
	}
	for want, params := range map[string]client.ListRowsParams{
		"1 Vega 2 | 2 Deneb 2, more: false":                  {},
		"2 Deneb 2, more: true":                              {Sort: "star_id", Descending: true, Limit: 1},
		"1 Vega 2, more: false":                              {Column: "name", Value: "Vega"},
		", more: false":                                      {Column: "name", Null: true},
		"There is no such column. star has no column \"x\".": {Sort: "x"},
	} {
		if got := rowsOf(t, teacher, "stars", "star", params); got != want {
			t.Errorf("%+v: got %s, want %s", params, got, want)
		}
	}
	if got := rowsOf(
		t, teacher, "stars", "sky", client.ListRowsParams{Column: "name", Value: "' OR 1=1 --\\"},
	); got != ", more: false" {
		t.Errorf("a value is nothing else than a value: %s", got)
	}
}

func matchAll(texts, beginnings []string) bool {
	return slices.EqualFunc(texts, beginnings, func(text, begin string) bool { return strings.HasPrefix(text, begin) })
}

// Built anew, open papers go over to the new version; an attempt keeps the version that it was checked on; a build that
// fails changes nothing.
func TestBuildingAnew(t *testing.T) {
	teacher := whole.Hazel(t)
	if _, err := client.Loaded(ctx, teacher, observatory("anew")); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "dusk-anew", client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
	_, c := whole.Newcomer(t)
	try := func() client.Attempt {
		t.Helper()
		a, err := client.Read[client.Attempt](
			c.Submit(
				ctx, "dusk-anew", "best", client.Submission{Sql: "SELECT day, cloud FROM night WHERE seeing = 1.1"},
			),
		)
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	first := try()
	job := whole.Built(
		t, teacher, "nights-anew", client.BuildDatasetParams{},
		whole.Scripts(
			map[string]string{
				"a.sql": "CREATE TABLE night (day date PRIMARY KEY, cloud int, seeing numeric);\n" +
					"INSERT INTO night VALUES ('2026-05-01', 0, 0.5), ('2026-05-02', 0, 1.1);",
			},
		),
	)
	if job.State != client.JobDone || job.Report.Datasets[0].Build != 2 || job.Report.Title != "nights-anew" {
		t.Fatalf("got %+v", job)
	}
	if advice := job.Report.Datasets[0].Advice; len(advice) != 1 || !strings.Contains(
		advice[0], "came with the pack observatory-anew, whose variants are not part of this build",
	) {
		t.Errorf("got %q", advice)
	}
	if second := try(); first.Build != 1 || second.Build != 2 || second.Outcome != client.Incorrect {
		t.Errorf("got %+v and %+v", first, second)
	}
	if job := whole.Built(
		t, teacher, "nights-anew", client.BuildDatasetParams{},
		whole.Scripts(map[string]string{"a.sql": "CREATE TABLE nigth (day dat);"}),
	); job.State != client.JobFailed || job.Problem.Status != 422 || len(job.Errors) != 1 ||
		job.Errors[0].Line != 1 || job.Errors[0].Message != `type "dat" does not exist` ||
		job.Errors[0].Statement != "CREATE TABLE nigth (day dat)" {
		t.Errorf("got %+v", job)
	}
	if d, err := client.Read[client.Dataset](teacher.GetDataset(ctx, "nights-anew", nil)); err != nil || d.Build != 2 ||
		len(d.Builds) != 2 || len(d.Tables[0].Columns) != 3 {
		t.Errorf("the last good build stays: %+v, %v", d, err)
	}
	// Without a column that the answers ask for: the build is in use, and the page says which answers it breaks.
	whole.Built(
		t, teacher, "nights-anew", client.BuildDatasetParams{Break: true},
		whole.Scripts(map[string]string{"a.sql": "CREATE TABLE night (day date PRIMARY KEY, cloud int);"}),
	)
	whole.Until(t, "the broken reference answer is noted", func() bool {
		d, err := client.Read[client.Dataset](teacher.GetDataset(ctx, "nights-anew", nil))
		return err == nil && len(d.Builds[0].Report.Broken) == 1 && strings.HasPrefix(
			d.Builds[0].Report.Broken[0],
			`dusk-anew/best: the reference answer does not run: column "seeing" does not exist`,
		)
	})
}

func TestCSVFilesMakeTables(t *testing.T) {
	teacher := whole.Hazel(t)
	files := whole.Scripts(
		map[string]string{"Night list.csv": "Day,Cloud,Site\n2026-01-01,10,\n2026-01-02,,Low Moor\n"},
	)
	job := whole.Built(t, teacher, "from-csv", client.BuildDatasetParams{Ask: true}, files)
	if job.State != client.JobAsking || len(job.Report.Inferred) != 1 {
		t.Fatalf("got %+v", job)
	}
	if p := problemOf(t)(teacher.GetDataset(ctx, "from-csv", nil)); p.Status != 404 {
		t.Errorf("built without having been confirmed: %+v", p)
	}
	if p := problemOf(t)(postEmpty(teacher, "from-csv", files)); p.Status != 409 ||
		!strings.Contains(p.Title, "already being built") {
		t.Errorf("a second build: %+v", p)
	}
	if _, err := client.Read[client.Job](teacher.ConfirmJob(ctx, job.Id)); err != nil {
		t.Fatal(err)
	}
	job, err := client.Follow(ctx, teacher, job, nil)
	for err == nil && job.State == client.JobAsking {
		job, err = client.Follow(ctx, teacher, job, nil)
	}
	if err != nil || job.State != client.JobDone {
		t.Fatalf("got %+v, %v", job, err)
	}
	var types []string
	for _, c := range job.Report.Datasets[0].Inferred[0].Columns {
		types = append(types, c.Name+" "+c.Type)
	}
	if got := strings.Join(types, ", "); got != "day date, cloud integer, site text" {
		t.Errorf("got %s", got)
	}
	if got := rowsOf(
		t, teacher, "from-csv", "night_list", client.ListRowsParams{Sort: "day"},
	); got != "2026-01-01 10 NULL | 2026-01-02 NULL Low Moor, more: false" {
		t.Errorf("got %s", got)
	}
	if p := problemOf(t)(teacher.ConfirmJob(ctx, job.Id)); p.Status != 409 {
		t.Errorf("confirmed twice: %+v", p)
	}
	if _, err := client.Read[struct{}](teacher.DropDataset(ctx, "from-csv")); err != nil {
		t.Error(err)
	}
	if p := problemOf(t)(teacher.DropDataset(ctx, "apiary")); p.Status != 409 {
		t.Errorf("a dataset that papers are about: %+v", p)
	}
	if job := whole.Built(
		t, teacher, "from-csv", client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.csv": "a,b\n1\n"}),
	); job.State != client.JobFailed || len(job.Errors) != 1 || job.Errors[0].Line != 2 {
		t.Errorf("got %+v", job)
	}
}

func postEmpty(c *client.Client, name string, folder fs.FS) (*http.Response, error) {
	paths, _ := fs.Glob(folder, "*")
	contentType, body := client.SendFiles(folder, paths, nil)
	return c.BuildDatasetWithBody(ctx, name, &client.BuildDatasetParams{}, contentType, body)
}

func TestABuildIsFollowedAndStopped(t *testing.T) {
	teacher := whole.Hazel(t)
	job := whole.Build(
		t, teacher, "endless", client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.sql": whole.Endless}),
	)
	seen := make(chan client.Job, 100)
	ended := make(chan client.Job, 1)
	go func() {
		last, _ := client.Follow(ctx, teacher, job, func(j client.Job) { seen <- j })
		ended <- last
	}()
	for j := range seen {
		if j.Progress.Statements == 3 && j.Progress.Rows == 3 && j.Progress.Tables == 1 && j.Progress.File == "a.sql" &&
			j.Progress.Bytes > 0 && j.Progress.Bytes == j.Progress.Total {
			break
		}
	}
	// One who comes in the middle sees the same.
	if j, err := client.Read[client.Job](teacher.GetJob(ctx, job.Id)); err != nil || j.State != client.JobRunning ||
		j.Progress.Rows != 3 {
		t.Errorf("got %+v, %v", j, err)
	}
	if _, err := client.Read[client.Job](teacher.StopJob(ctx, job.Id)); err != nil {
		t.Fatal(err)
	}
	if last := <-ended; last.State != client.JobStopped {
		t.Errorf("got %+v", last)
	}
	pool := whole.Superuser(t, whole.SharedFolder, "practice", "postgres")
	whole.Until(t, "the half-built database is removed", func() bool {
		var n int
		return pool.QueryRow(
			ctx, "SELECT count(*) FROM pg_stat_activity WHERE starts_with(usename, 'examen_for_building')",
		).Scan(&n) == nil && n == 0
	})
	if p := problemOf(t)(teacher.GetJob(ctx, "99999999")); p.Status != 404 {
		t.Errorf("got %+v", p)
	}
}

// A service that is killed in the middle of a build goes on with it when it is started again, from the beginning, and
// what was half built is removed.
func TestABuildGoesOnAfterTheServiceWasKilled(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	before := whole.Databases(t, folder, nil)
	// The first time it waits; the second time a database of an earlier try is there no more, and it still waits: it is
	// stopped then.
	job := whole.Build(
		t, teacher, "endless", client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.sql": whole.Endless}),
	)
	whole.Until(t, "the build has begun", func() bool {
		j, err := client.Read[client.Job](teacher.GetJob(ctx, job.Id))
		return err == nil && j.Progress.Rows == 3
	})
	half := whole.Databases(t, folder, before)
	_ = s.Cmd.Process.Kill()
	s.Ended()
	s = whole.Start(t, "demo", "--data-dir", folder)
	teacher = whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	whole.Until(t, "the build has begun again", func() bool {
		j, err := client.Read[client.Job](teacher.GetJob(ctx, job.Id))
		return err == nil && j.State == client.JobRunning && j.Progress.Rows == 3
	})
	if now := whole.Databases(t, folder, before); len(half) != 1 || len(now) != 1 || now[0] == half[0] {
		t.Errorf("databases before %v and after %v", half, now)
	}
	if _, err := client.Read[client.Job](teacher.StopJob(ctx, job.Id)); err != nil {
		t.Fatal(err)
	}
	if last, err := client.Follow(ctx, teacher, job, nil); err != nil || last.State != client.JobStopped {
		t.Errorf("got %+v, %v", last, err)
	}
}

func TestAnUploadThatBreaksOffLeavesNothing(t *testing.T) {
	teacher := whole.Hazel(t)
	folder := whole.Scripts(map[string]string{"a.sql": strings.Repeat("SELECT 1;\n", 1_000_000)})
	contentType, body := client.SendFiles(folder, []string{"a.sql", "missing.sql"}, nil)
	if _, err := client.Read[client.Job](
		teacher.BuildDatasetWithBody(ctx, "cut-off", &client.BuildDatasetParams{}, contentType, body),
	); err == nil {
		t.Error("it was taken")
	}
	whole.Until(t, "nothing of it is left", func() bool {
		jobs, err := client.Read[[]client.Job](teacher.ListJobs(ctx, &client.ListJobsParams{Dataset: "cut-off"}))
		return err == nil && len(jobs) == 0
	})
	for name, files := range map[string]map[string]string{"Not A Name": {"a.sql": ""}, "no-files": {}} {
		if p := problemOf(t)(postEmpty(teacher, name, whole.Scripts(files))); p.Status != 400 {
			t.Errorf("%s: got %+v", name, p)
		}
	}
}

// Learners see the datasets of their papers, without variants and builds, and nobody else's.
func TestWhatLearnersSeeOfDatasets(t *testing.T) {
	teacher := whole.Hazel(t)
	whole.Built(
		t, teacher, "secret", client.BuildDatasetParams{},
		whole.Scripts(map[string]string{"a.sql": "CREATE TABLE a (x int);"}),
	)
	_, c := whole.Newcomer(t)
	d, err := client.Read[client.Dataset](c.GetDataset(ctx, "apiary", nil))
	if err != nil || d.Variants != nil || d.Builds != nil || d.Pack != "" || len(d.Tables) != 11 ||
		len(d.Relations) != 12 {
		t.Errorf(
			"%d tables, %d relations, %v, %v, %q, %v", len(d.Tables), len(d.Relations), d.Variants, d.Builds, d.Pack,
			err,
		)
	}
	if d, err := client.Read[client.Dataset](teacher.GetDataset(ctx, "apiary", nil)); err != nil ||
		fmt.Sprint(d.Variants) != "[namesakes poor-year]" || len(d.Builds) == 0 {
		t.Errorf("an instructor: %+v, %v", d, err)
	}
	if got := rowsOf(
		t, c, "apiary", "grade", client.ListRowsParams{Limit: 1, Sort: "grade_code"},
	); !strings.HasSuffix(got, "more: true") {
		t.Errorf("got %s", got)
	}
	for _, format := range []client.GetMapParamsFormat{client.MapText, client.MapMermaid, client.MapSVG} {
		if text, err := client.Read[string](
			c.GetMap(ctx, "apiary", &client.GetMapParams{Format: format, Table: "hive"}),
		); err != nil || !strings.Contains(text, "inspection") || strings.Contains(text, "buyer") {
			t.Errorf("the map around hive as %s: %s, %v", format, text, err)
		}
	}
	for call, p := range map[string]client.Problem{
		"another dataset":           problemOf(t)(c.GetDataset(ctx, "secret", nil)),
		"its rows":                  problemOf(t)(c.ListRows(ctx, "secret", "a", &client.ListRowsParams{})),
		"its map":                   problemOf(t)(c.GetMap(ctx, "secret", &client.GetMapParams{})),
		"a table that is not there": problemOf(t)(c.ListRows(ctx, "apiary", "pg_authid", &client.ListRowsParams{})),
	} {
		if p.Status != 404 {
			t.Errorf("%s: %+v", call, p)
		}
	}
	for call, p := range map[string]client.Problem{
		"build":  problemOf(t)(postEmpty(c, "mine", whole.Scripts(map[string]string{"a.sql": ""}))),
		"drop":   problemOf(t)(c.DropDataset(ctx, "apiary")),
		"jobs":   problemOf(t)(c.ListJobs(ctx, &client.ListJobsParams{})),
		"a job":  problemOf(t)(c.GetJob(ctx, "1")),
		"follow": problemOf(t)(c.FollowJob(ctx, "1")),
		"stop":   problemOf(t)(c.StopJob(ctx, "1")),
	} {
		if p.Status != 403 {
			t.Errorf("%s: %+v", call, p)
		}
	}
}

// A learner cannot make the service run what a setup script may: names and values of the data are only shown.
func TestFollowingEndsWithTheCaller(t *testing.T) {
	teacher := whole.Hazel(t)
	job := whole.Build(
		t, teacher, "followed", client.BuildDatasetParams{},
		whole.Scripts(map[string]string{"a.sql": "SELECT pg_sleep(600);"}),
	)
	short, cancel := context.WithTimeout(ctx, 300*time.Millisecond)
	defer cancel()
	if _, err := client.Follow(short, teacher, job, nil); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("got %v", err)
	}
	if _, err := client.Read[client.Job](teacher.StopJob(ctx, job.Id)); err != nil {
		t.Fatal(err)
	}
	if last, err := client.Follow(ctx, teacher, job, nil); err != nil || last.State != client.JobStopped {
		t.Errorf("got %+v, %v", last, err)
	}
}
