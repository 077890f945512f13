package test

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"

	"github.com/jackc/pgx/v5"

	"examen/internal/client"
	"examen/test/whole"
)

func TestTheDemoCourse(t *testing.T) {
	grid, err := client.Read[client.Progress](
		whole.Hazel(t).GetProgress(ctx, "first-look", &client.GetProgressParams{Course: "evening-group"}),
	)
	if err != nil {
		t.Fatal(err)
	}
	outcomes, untried, learners := map[client.Outcome]int{}, 0, []string(nil)
	for _, l := range grid.Learners {
		if strings.HasPrefix(l.Name, "newcomer") {
			continue
		}
		learners = append(learners, l.Name)
		for _, cell := range l.Cells {
			if cell.Attempts == 0 {
				untried++
			}
			outcomes[cell.Outcome]++
		}
	}
	if len(learners) != 24 || len(grid.Exercises) != 8 || untried < 20 || outcomes[client.Correct] < 80 ||
		outcomes[client.Incorrect] < 10 {
		t.Errorf(
			"learners %v, %d exercises, %d cells untried, outcomes %v", learners, len(grid.Exercises), untried,
			outcomes,
		)
	}
}

func TestProgressAndMarksFollowAttempts(t *testing.T) {
	name, c := whole.Newcomer(t)
	whole.Submit(t, c, "2", "SELECT 1")
	whole.Submit(t, c, "2", "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC")
	whole.Submit(t, c, "2", "SELECT 2")
	whole.Submit(t, c, "3", "SELECT 1")
	teacher := whole.Hazel(t)
	grid, _ := client.Read[client.Progress](teacher.GetProgress(ctx, "first-look", &client.GetProgressParams{}))
	at := slices.IndexFunc(grid.Learners, func(l client.LearnerProgress) bool { return l.Name == name })
	var cells []string
	for _, c := range grid.Learners[at].Cells[:4] {
		cells = append(cells, fmt.Sprintf("%d %s %s", c.Attempts, c.Outcome, c.Mark))
	}
	if got := strings.Join(
		cells, ", ",
	) + "; " + grid.Learners[at].Mark.String(); got != "0  0, 3 correct 2, 1 incorrect 0, 0  0; 2" {
		t.Errorf("got %s", got)
	}
	text, err := client.Read[string](teacher.GetMarks(ctx, "first-look", &client.GetMarksParams{Format: client.Csv}))
	if err != nil {
		t.Fatal(err)
	}
	lines, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil ||
		strings.Join(
			lines[0], " ",
		) != "name display_name names-and-valleys hives-by-strength high-and-strong no-mail which-colours calm-bees "+
			"harvest-by-grade who-looks-after-what mark points" {
		t.Errorf("got %v, %v", lines[0], err)
	}
	own := slices.IndexFunc(lines, func(line []string) bool { return line[0] == name })
	if got := strings.Join(lines[own], ","); got != fmt.Sprintf("%s,%s,,2,0,,,,,,2,13", name, name) {
		t.Errorf("got %s", got)
	}
}

// observatory is a pack of the test's own, with a variant, with names made from a suffix; edits are pairs of old and
// new text in its paper.
func observatory(suffix string, edits ...string) fstest.MapFS {
	paper := `---
paper: dusk-SUFFIX
title: Dusk
dataset: nights-SUFFIX
---
Look up.

## Clear nights {#clear}

Which nights had a cloud cover of at most 20 percent?

` + "```sql answer\nSELECT day FROM night WHERE cloud <= 20;\n```\n\n```yaml check\nattempts: 3\nshow: count\n" +
		"also:\n  - SELECT day, cloud FROM night WHERE cloud <= 20\n```\n" + `

## The best {#best}

The night with the best seeing, and its cloud cover.

` + "```sql answer\nSELECT day, cloud FROM night WHERE seeing = (SELECT min(seeing) FROM night);\n```\n"
	for i := 0; i < len(edits); i += 2 {
		paper = strings.Replace(paper, edits[i], edits[i+1], 1)
	}
	files := fstest.MapFS{}
	for path, content := range map[string]string{
		"pack.yaml": "pack: observatory-SUFFIX\ntitle: Observatory\ndatasets:\n  nights-SUFFIX:\n" +
			"    setup: [tables.sql]\n    variants:\n      more: [more.sql]\npapers: [dusk.md]\n",
		"tables.sql": "CREATE TABLE night (day date PRIMARY KEY, cloud int, seeing numeric);\n" +
			"INSERT INTO night VALUES ('2026-01-01', 10, 1.1), ('2026-01-02', 90, 2.5), ('2026-01-03', NULL, 1.2);\n",
		"more.sql":    "INSERT INTO night VALUES ('2026-02-01', 20, 0.9), ('2026-02-02', 15, 0.9);\n",
		"dusk.md":     paper,
		"notes/a.txt": "not part of the pack",
	} {
		files[path] = &fstest.MapFile{Data: []byte(strings.ReplaceAll(content, "SUFFIX", suffix))}
	}
	return files
}

// refusal is why a pack is not loaded.
func refusal(t *testing.T, teacher *client.Client, files fs.FS) client.Problem {
	t.Helper()
	_, err := client.Loaded(ctx, teacher, files)
	var no *client.ProblemError
	if !errors.As(err, &no) {
		t.Fatalf("a problem is expected, got %v", err)
	}
	return no.Problem
}

func TestAPackOfOnesOwn(t *testing.T) {
	teacher := whole.Hazel(t)
	report, err := client.Loaded(ctx, teacher, observatory("a"))
	if err != nil {
		t.Fatal(err)
	}
	if d := report.Datasets[0]; d.Build != 1 || d.Tables != 1 || d.Rows != 3 || d.Variants != 1 ||
		report.Papers[0].Exercises != 2 {
		t.Errorf("got %+v", report)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "dusk-a", client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
	_, c := whole.Newcomer(t)
	try := func(exercise, sql string) client.Attempt {
		t.Helper()
		a, err := client.Read[client.Attempt](c.Submit(ctx, "dusk-a", exercise, client.Submission{Sql: sql}))
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	// Right on the rows that are seen, wrong on the variant's: nothing is told of those.
	a := try("clear", "SELECT day FROM night WHERE cloud < 20")
	if a.Outcome != client.Incorrect || len(a.Findings) != 1 || a.Findings[0].Kind != "hidden-rows" ||
		a.Findings[0].Rows != nil {
		t.Errorf("got %+v", a)
	}
	if a := try(
		"best", "SELECT day, cloud FROM night ORDER BY seeing LIMIT 1",
	); a.Outcome != client.Incorrect || a.Findings[0].Kind != "hidden-rows" {
		t.Errorf("two nights tie on the variant: %+v", a)
	}
	if a := try(
		"best",
		"SELECT day, cloud FROM night WHERE 1 / (CASE WHEN day = '2026-02-01' THEN 0 ELSE 1 END) = 1 AND seeing = 1.1",
	); a.Outcome != client.Incorrect || a.Error.Type != "" {
		t.Errorf("an error on the variant is not told: %+v", a)
	}
	if a := try("clear", "SELECT day FROM night WHERE cloud BETWEEN 0 AND 20"); a.Outcome != client.Correct {
		t.Errorf("got %+v", a)
	}
	if a := try("clear", "SELECT day, cloud FROM night WHERE cloud <= 20"); a.Outcome != client.Correct {
		t.Errorf("another answer that counts as right: %+v", a)
	}
	if p := problemOf(t)(
		c.Submit(ctx, "dusk-a", "clear", client.Submission{Sql: "SELECT 1"}),
	); p.Type != "examen:no-attempts-left" {
		t.Errorf("three attempts are allowed: %+v", p)
	}
	e, _ := client.Read[client.Exercise](c.GetExercise(ctx, "dusk-a", "clear"))
	if e.Expected.RowCount == nil || *e.Expected.RowCount != 1 || e.Expected.Rows != nil || e.AttemptsAllowed != 3 {
		t.Errorf("got %+v", e)
	}
}

func TestAPackWithAnErrorLoadsNothing(t *testing.T) {
	teacher := whole.Hazel(t)
	for _, c := range []struct {
		name  string
		edits []string
		want  string // how the detail begins
	}{
		{"an unknown key", []string{"attempts: 3", "tries: 3"}, `dusk.md:17: unknown key "tries"`},
		{
			"a reference answer with an unknown column", []string{"SELECT day FROM", "SELECT dy FROM"},
			`dusk.md:13: the reference answer of exercise clear does not run: column "dy" does not exist`,
		},
		{
			"an also answer that fails",
			[]string{"SELECT day, cloud FROM night WHERE cloud <= 20", "SELECT 1/0 FROM night"},
			`dusk.md:13: an answer under also of exercise clear does not run: division by zero`,
		},
		{
			"another dataset", []string{"dataset: nights-SUFFIX", "dataset: days"},
			`dusk.md:1: the paper's dataset "days" is neither in the pack nor loaded`,
		},
	} {
		p := refusal(t, teacher, observatory("b", c.edits...))
		if p.Status != 422 || !strings.HasPrefix(p.Detail, c.want) || p.Place.File != "dusk.md" || p.Place.Line == 0 {
			t.Errorf("%s:\n got %+v\nwant %s", c.name, p, c.want)
		}
	}
	broken := observatory("b")
	broken["tables.sql"].Data = []byte("CREATE TABLE night (\n  day dat);")
	if p := refusal(t, teacher, broken); p.Type != "examen:build" ||
		!strings.HasPrefix(p.Detail, `tables.sql:2: type "dat" does not exist`) {
		t.Errorf("got %+v", p)
	}
	if p := problemOf(t)(teacher.GetDataset(ctx, "nights-b", nil)); p.Status != 404 {
		t.Errorf("something was loaded: %+v", p)
	}
	taken := observatory("b")
	for _, file := range taken {
		file.Data = []byte(strings.ReplaceAll(string(file.Data), "nights-b", "apiary"))
	}
	if p := refusal(t, teacher, taken); !strings.Contains(p.Detail, `taken by the pack "heather-hill"`) {
		t.Errorf("a dataset of another pack: %+v", p)
	}
}

func TestLoadingAPackAgain(t *testing.T) {
	teacher := whole.Hazel(t)
	load := func(files fs.FS) client.JobReport {
		t.Helper()
		report, err := client.Loaded(ctx, teacher, files)
		if err != nil {
			t.Fatal(err)
		}
		return report
	}
	load(observatory("c"))
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "dusk-c", client.PaperSetting{}),
	); err != nil {
		t.Fatal(err)
	}
	name, c := whole.Newcomer(t)
	if _, err := client.Read[client.Attempt](
		c.Submit(ctx, "dusk-c", "best", client.Submission{Sql: "SELECT 1"}),
	); err != nil {
		t.Fatal(err)
	}
	// The second exercise gives way to another one; the attempt at it stays in the history, with the build it was
	// checked on.
	_, err := client.Loaded(ctx, teacher, observatory("c", "{#best}", "{#finest}"))
	var asks *client.ProblemError
	if !errors.As(err, &asks) || asks.Type != "examen:asks" {
		t.Fatalf("it takes an exercise with attempts out unasked: %v", err)
	}
	number := strings.TrimPrefix(asks.Detail, "Job ")
	job, err := client.Read[client.Job](teacher.ConfirmJob(ctx, number))
	if err == nil {
		job, err = client.Follow(ctx, teacher, job, nil)
	}
	if err != nil || job.Report.Datasets[0].Build != 2 {
		t.Fatalf("%v %+v", err, job)
	}
	page, err := client.Read[client.HistoryPage](teacher.ListHistory(ctx, &client.ListHistoryParams{Learner: name}))
	if err != nil || len(page.Entries) != 1 || page.Entries[0].Exercise != "best" {
		t.Errorf("got %+v, %v", page, err)
	}
	paper, _ := client.Read[client.Paper](c.GetPaper(ctx, "dusk-c"))
	if got := paper.Sections[2].Exercise.Slug; got != "finest" {
		t.Errorf("got %s", got)
	}
	a, err := client.Read[client.Attempt](
		c.Submit(
			ctx, "dusk-c", "finest",
			client.Submission{Sql: "SELECT day, cloud FROM night WHERE seeing <= ALL (SELECT seeing FROM night)"},
		),
	)
	if err != nil || a.Outcome != client.Correct || a.Build != 2 {
		t.Errorf("got %+v, %v", a, err)
	}
}

func TestOneTimePasswords(t *testing.T) {
	teacher := whole.Hazel(t)
	added, err := client.Read[client.AddedMember](
		teacher.AddMember(ctx, "evening-group", client.NewMember{Name: "newcomer-once", DisplayName: "Once"}),
	)
	if err != nil || len(added.Password) != 19 || !added.Member.OneTimePassword {
		t.Fatalf("got %+v, %v", added, err)
	}
	whole.As(t, whole.Shared.URL, "newcomer-once", added.Password)
	again, _ := client.Read[client.AddedMember](
		teacher.AddMember(ctx, "evening-group", client.NewMember{Name: "newcomer-once"}),
	)
	if again.Password != "" {
		t.Error("adding a learner who is there changes the password")
	}
	reset, err := client.Read[client.AddedAccount](teacher.ResetPassword(ctx, "newcomer-once"))
	if err != nil || reset.Password == added.Password {
		t.Fatalf("got %+v, %v", reset, err)
	}
	whole.As(t, whole.Shared.URL, "newcomer-once", reset.Password)
	for _, name := range []string{"", "Ü", "a b", "../x", strings.Repeat("x", 80)} {
		if p := problemOf(t)(
			teacher.AddMember(ctx, "evening-group", client.NewMember{Name: name}),
		); p.Status != 422 && p.Status != 409 {
			t.Errorf("%q: got %+v", name, p)
		}
	}
}

func TestTheShippedReferenceAnswersAreCorrect(t *testing.T) {
	_, c := whole.Newcomer(t)
	paper, err := os.ReadFile(filepath.Join("..", "packs", "heather-hill", "papers", "first-look.md"))
	if err != nil {
		t.Fatal(err)
	}
	answers := strings.Split(string(paper), "```sql answer\n")[1:]
	if len(answers) != 8 {
		t.Fatalf("%d answers", len(answers))
	}
	for i, answer := range answers {
		sql, _, _ := strings.Cut(answer, "```")
		if a := whole.Submit(t, c, fmt.Sprint(i+1), sql); a.Outcome != client.Correct {
			t.Errorf("%d: %s: %+v", i+1, a.Outcome, a.Findings)
		}
	}
}

// Results of more rows than are kept of a reference are compared as they stream, and paired in a second reading.
func TestLargeResults(t *testing.T) {
	try := whole.PaperOf(t, "bright-stars",
		[2]string{"points: 1", "SELECT id, light FROM star ORDER BY class"},
		[2]string{"repeats: once", "SELECT class FROM star"},
		[2]string{"columns: any", "SELECT id, class FROM star"},
		[2]string{"order: strict", "SELECT id FROM star ORDER BY id DESC"},
		[2]string{"points: 1", "SELECT id, light / 3 FROM star, generate_series(1, 50)"},
		[2]string{"columns: any\nnames: require", "SELECT id, class FROM star"})
	_, c := whole.Newcomer(t)
	for _, e := range []struct {
		number    int
		sql, want string
	}{
		{1, "SELECT id, light FROM star ORDER BY class, id DESC", "correct"},
		{1, "SELECT id, light::numeric FROM star ORDER BY class", "correct"},
		{1, "SELECT id, light / 3 * 3 FROM star ORDER BY class, light", "correct"},
		{1, "SELECT id, light FROM star ORDER BY class DESC", "incorrect row-order-reversed"},
		{1, "SELECT id, light FROM star ORDER BY id", "incorrect row-order-key"},
		{1, "SELECT id, light FROM star WHERE id <> 4711 ORDER BY class", "incorrect rows-missing"},
		{1, "SELECT id, CASE id WHEN 4711 THEN 0 ELSE light END FROM star ORDER BY class", "incorrect values-differ"},
		{2, "SELECT DISTINCT class FROM star", "correct"},
		{2, "SELECT class FROM star WHERE class > 0", "incorrect rows-missing"},
		{3, "SELECT class AS a, id AS b FROM star", "correct"},
		{3, "SELECT id, id FROM star", "incorrect values-differ"},
		{6, "SELECT class, id FROM star", "correct"},
		{6, "SELECT class, id AS number FROM star", "incorrect column-names"},
		{4, "SELECT id FROM star ORDER BY -id", "correct"},
		{4, "SELECT id FROM star ORDER BY id", "incorrect row-order-reversed"},
		{1, "SELECT a.id, a.light FROM star a, star b WHERE b.id <= 60", "incorrect rows-multiplied"},
		{5, "SELECT id, light / 3 FROM generate_series(1, 50), star", "correct"},
		{5, "SELECT id, light / 3 FROM generate_series(1, 51), star", "incorrect rows-repeated"},
		{5, "SELECT id, light / 3 + 1e-9 FROM generate_series(1, 50), star", "incorrect values-differ"},
		{5, "SELECT id, light / 3 * (1 + 1e-13) FROM generate_series(1, 50), star", "correct"}, // by rounding alone
	} {
		a := try(c, e.number, e.sql)
		got := string(a.Outcome)
		if len(a.Findings) > 0 {
			got += " " + a.Findings[0].Kind
		}
		if got != e.want {
			t.Errorf("%d: %s\n got %s\nwant %s (%+v)", e.number, e.sql, got, e.want, a.Findings)
		}
	}
}

// Submissions at once do not get past the number of attempts.
func TestAttemptsAreLimitedAlsoAtOnce(t *testing.T) {
	whole.PaperOf(t, "few-tries", [2]string{"attempts: 3", "SELECT id FROM star"})
	_, c := whole.Newcomer(t)
	var all sync.WaitGroup
	var taken atomic.Int64
	for range 12 {
		all.Go(func() {
			if _, err := client.Read[client.Attempt](
				c.Submit(ctx, "few-tries", "1", client.Submission{Sql: "SELECT 1"}),
			); err == nil {
				taken.Add(1)
			}
		})
	}
	all.Wait()
	e, _ := client.Read[client.Exercise](c.GetExercise(ctx, "few-tries", "1"))
	if taken.Load() != 3 || e.Attempts != 3 {
		t.Errorf("%d attempts were taken, %d are stored", taken.Load(), e.Attempts)
	}
}

func TestHowMuchOfTheExpectedResultIsShown(t *testing.T) {
	const sql = "SELECT id, class FROM star WHERE id <= 5 ORDER BY id"
	try := whole.PaperOf(
		t, "shown-stars", [2]string{"show: nothing", sql}, [2]string{"show: columns", sql},
		[2]string{"show: count", sql}, [2]string{"show: sample", sql}, [2]string{"show: rows", sql},
	)
	_, c := whole.Newcomer(t)
	for number, want := range []string{
		"0 columns, no count, 0 rows", "2 columns, no count, 0 rows", "2 columns, 5, 0 rows", "2 columns, 5, 3 rows",
		"2 columns, 5, 5 rows",
	} {
		e, err := client.Read[client.Exercise](c.GetExercise(ctx, "shown-stars", fmt.Sprint(number+1)))
		if err != nil {
			t.Fatal(err)
		}
		count := "no count"
		if e.Expected.RowCount != nil {
			count = fmt.Sprint(*e.Expected.RowCount)
		}
		if got := fmt.Sprintf(
			"%d columns, %s, %d rows", len(e.Expected.Columns), count, len(e.Expected.Rows),
		); got != want || !e.Ordered {
			t.Errorf("%d: got %s, want %s", number+1, got, want)
		}
	}
	// Rows that are missing are the expected result's: they are told only where it is shown.
	if f := try(c, 1, "SELECT id, class FROM star WHERE id <= 4").Findings[0]; f.Kind != "rows-missing" ||
		f.Rows != nil {
		t.Errorf("got %+v", f)
	}
	if f := try(c, 2, "SELECT id, class FROM star WHERE id <= 4").Findings[0]; len(f.Rows) != 1 ||
		*f.Rows[0][0] != "5" {
		t.Errorf("got %+v", f)
	}
}

func TestAPackLoadedTwiceAtOnce(t *testing.T) {
	teacher := whole.Hazel(t)
	var all sync.WaitGroup
	var loaded, refused atomic.Int64
	for range 3 {
		all.Go(func() {
			report, err := client.Loaded(ctx, teacher, observatory("e"))
			if p, ok := err.(*client.ProblemError); ok && p.Type == "examen:pack-at-once" {
				refused.Add(1)
			} else if err == nil && report.Datasets[0].Build > 0 {
				loaded.Add(1)
			} else {
				t.Error(err)
			}
		})
	}
	all.Wait()
	d, err := client.Read[client.Dataset](teacher.GetDataset(ctx, "nights-e", nil))
	if err != nil || int64(d.Build) != loaded.Load() || loaded.Load() < 1 {
		t.Errorf("%d loaded, %d refused, build %d, %v", loaded.Load(), refused.Load(), d.Build, err)
	}
}

// Builds that nothing runs on any more leave the practice server, and so do those that were cut short.
func TestOldBuildsAreRemoved(t *testing.T) {
	teacher := whole.Hazel(t)
	records, pool := whole.Superuser(t, whole.SharedFolder, "records", "postgres"), whole.Superuser(
		t, whole.SharedFolder, "practice", "postgres",
	)
	databases := func() (n int) {
		rows, _ := records.Query(
			ctx,
			"SELECT database FROM build JOIN dataset ON dataset.id = dataset_id WHERE name = 'nights-d' UNION "+
				"SELECT v.value FROM build JOIN dataset ON dataset.id = dataset_id, jsonb_each_text(variants) AS v "+
				"WHERE name = 'nights-d'",
		)
		names, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err == nil {
			err = pool.QueryRow(ctx, "SELECT count(*) FROM pg_database WHERE datname = ANY ($1)", names).Scan(&n)
		}
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	for range 8 {
		if _, err := client.Loaded(ctx, teacher, observatory("d")); err != nil {
			t.Fatal(err)
		}
	}
	whole.Until(t, "the build in use and five others are left, each with a variant", func() bool {
		return databases() == 12
	})
	if p := problemOf(t)(
		teacher.UseBuild(ctx, "nights-d", client.BuildChoice{Build: 1}),
	); p.Status != 409 || p.Type != "examen:build-gone" {
		t.Errorf("one that is not kept: %+v", p)
	}
	all := 0
	count := func() int {
		if err := pool.QueryRow(ctx, "SELECT count(*) FROM pg_database").Scan(&all); err != nil {
			t.Fatal(err)
		}
		return all
	}
	before := count()
	if p := refusal(t, teacher, observatory("d", "SELECT day FROM", "SELECT dy FROM")); p.Status != 422 {
		t.Fatalf("got %+v", p)
	}
	whole.Until(t, "a load that failed leaves nothing", func() bool { return count() == before })
}
