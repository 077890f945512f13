package library_test

import (
	"fmt"
	"io/fs"
	"strings"
	"testing"

	"examen/internal/account"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/library/librarytest"
)

// strengthens searches for rows, and returns what was found with the job.
func (d *desk) strengthens(variant string) (*library.Strengthening, *jobs.Job) {
	d.Helper()
	job, err := d.Strengthen(ctx, d.house.Hazel, d.paper, variant)
	if err != nil {
		d.Fatal(err)
	}
	job = d.house.Ended(d.T, job)
	report, err := library.ReportOf(job)
	if err != nil || job.State != jobs.Done || report.Strengthening == nil {
		d.Fatalf("got %+v, %v", job, err)
	}
	return report.Strengthening, job
}

// adds adds the rows of a search, and returns the job as it ended.
func (d *desk) adds(dataset string, search *jobs.Job) *jobs.Job {
	d.Helper()
	job, err := d.AddVariant(ctx, d.house.Hazel, dataset, search.ID)
	if err != nil {
		d.Fatal(err)
	}
	return d.house.Ended(d.T, job)
}

// survivors are how many wrong answers to an exercise would pass.
func (d *desk) survivors(slug string) int {
	d.Helper()
	s := d.inspected(slug).Strength
	if s == nil {
		d.Fatalf("the strength of %s is not known", slug)
	}
	return len(s.Survivors)
}

// Rows that tell wrong answers apart are searched for, and become a variant of the dataset and a script of its pack.
func TestRowsThatWouldTellBecomeAVariant(t *testing.T) {
	d := hives(t)
	d.rewrite("count", "Write it.", "Count them.") // what is written and not published stays
	if n := d.survivors("count"); n == 0 {
		t.Fatal("nobody has an unknown strength, so count(strength) would pass")
	}
	found, search := d.strengthens("")
	if found.Variant != "close-calls" || !found.New || found.Dataset != d.pack || len(found.Proposals) == 0 ||
		len(found.Left) != 0 {
		t.Fatalf("got %+v", found)
	}
	if script := found.Script(); !strings.Contains(script,
		"-- count: An answer that takes count(strength) for count(*).") ||
		!strings.Contains(script, "INSERT INTO hive (name, strength) VALUES ('") {
		t.Errorf("got %s", script)
	}
	before, _ := d.house.Library.Paper(ctx, d.paper)
	if job := d.adds(d.pack, search); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	after, err := d.house.Library.Paper(ctx, d.paper)
	if err != nil || after.Number != before.Number+1 || len(after.Variants) != len(before.Variants)+1 ||
		after.Variants["close-calls"] == "" {
		t.Fatalf("got %+v, %v", after, err)
	}
	if n := d.survivors("count"); n != 0 {
		t.Errorf("%d wrong answers would pass still", n)
	}
	if text := d.text(); !text.Unpublished {
		t.Error("what was being written is gone")
	}
	files, paths, err := d.house.Library.PackFiles(ctx, d.house.Hazel, d.pack)
	if err != nil {
		t.Fatal(err)
	}
	index, _ := fs.ReadFile(files, "pack.yaml")
	script, _ := fs.ReadFile(files, "close-calls.sql")
	want := strings.Replace(d.files["pack.yaml"], "weak: [weak.sql]\n",
		"weak: [weak.sql]\n      close-calls: [close-calls.sql]\n", 1)
	if string(index) != want || string(script) != found.Script() {
		t.Errorf("of %q:\n%s\n%s", paths, index, script)
	}
	// The build that they were searched for is not in use any more.
	if _, err := d.AddVariant(ctx, d.house.Hazel, d.pack, search.ID); kind(t, err) != "build-replaced" {
		t.Errorf("got %v", err)
	}
	again, search := d.strengthens("")
	if len(again.Proposals)+len(again.Left) != 0 || again.Variant != "close-calls-2" {
		t.Errorf("got %+v", again)
	}
	if _, err := d.AddVariant(ctx, d.house.Hazel, d.pack, search.ID); kind(t, err) != "nothing-found" {
		t.Errorf("got %v", err)
	}
}

// Rows may be added to a variant that is there: they are searched for on its rows.
func TestRowsAreAddedToAVariant(t *testing.T) {
	d := hives(t)
	d.rewrite("count", "Write it.", "Count them.")
	found, search := d.strengthens("weak")
	if found.New || len(found.Proposals) == 0 {
		t.Fatalf("got %+v", found)
	}
	if job := d.adds(d.pack, search); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	files, _, err := d.house.Library.PackFiles(ctx, d.house.Hazel, d.pack)
	if err != nil {
		t.Fatal(err)
	}
	index, _ := fs.ReadFile(files, "pack.yaml")
	if !strings.Contains(string(index), "weak: [weak.sql, weak-2.sql]\n") || d.survivors("count") != 0 {
		t.Errorf("got %s", index)
	}
}

// A dataset that was built here and belongs to no pack becomes one when a variant is added.
func TestADatasetWithoutAPackBecomesOne(t *testing.T) {
	d := hives(t)
	const name = "meadow-of-its-own"
	scripts := map[string]string{"meadow.sql": "CREATE TABLE meadow (id integer PRIMARY KEY, area integer);\n" +
		"INSERT INTO meadow VALUES (1, 10), (2, 20);"}
	job, err := d.house.Library.Build(ctx, d.house.Hazel, name, library.Options{}, -1, librarytest.Files(scripts))
	if err != nil {
		t.Fatal(err)
	}
	if job = d.house.Ended(t, job); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	d.paper = name
	n := library.NewPaper{Slug: name, Title: "A meadow", Dataset: name}
	if _, err := d.Create(ctx, d.house.Hazel, n); err != nil {
		t.Fatal(err)
	}
	part := library.NewPart{Text: section("Areas {#areas}", "SELECT count(*) FROM meadow")}
	if _, err := d.Add(ctx, d.house.Hazel, name, part); err != nil {
		t.Fatal(err)
	}
	if job := d.publishes(); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	found, search := d.strengthens("")
	if len(found.Proposals) != 1 {
		t.Fatalf("got %+v", found)
	}
	if job := d.adds(name, search); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	packs, err := d.house.Library.Packs(ctx, d.house.Hazel)
	if err != nil || !strings.Contains(fmt.Sprint(packs), name) || d.survivors("areas") != 0 {
		t.Errorf("got %+v, %v", packs, err)
	}
}

// Large tables that no other refers to are thinned in a new variant, which is searched on and built so.
func TestLargeTablesAreThinned(t *testing.T) {
	d := hives(t)
	d.files["setup.sql"] += "CREATE TABLE bee (id integer PRIMARY KEY, hive text NOT NULL REFERENCES hive, age " +
		"integer);\n" +
		"INSERT INTO bee SELECT n, 'Amber', n % 40 FROM generate_series(1, 25000) AS n;\n"
	if job := d.house.Load(t, d.files); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	d.rewrite("all", "SELECT name FROM hive ORDER BY name", "SELECT age, count(*) FROM bee GROUP BY age")
	if n := d.survivors("all"); n == 0 {
		t.Fatal("every bee has an age, so count(age) would pass")
	}
	found, search := d.strengthens("")
	const thin = "DELETE FROM bee WHERE id > (SELECT id FROM bee ORDER BY id OFFSET 1000 LIMIT 1)"
	if len(found.Thin) != 1 || found.Thin[0] != thin || !strings.Contains(found.Script(), thin+";\n") {
		t.Fatalf("got %q", found.Thin)
	}
	if job := d.adds(d.pack, search); job.State != jobs.Done {
		t.Fatalf("got %+v", job.Problem)
	}
	if n := d.survivors("all"); n != len(found.Left) {
		t.Errorf("%d wrong answers would pass, and %d were left", n, len(found.Left))
	}
}

// Bad calls are answered with what was expected.
func TestStrengtheningIsRefused(t *testing.T) {
	d := hives(t)
	hazel := d.house.Hazel
	if _, err := d.Strengthen(ctx, hazel, "wasps", ""); kind(t, err) != "no-paper" {
		t.Errorf("no such paper: %v", err)
	}
	if _, err := d.Strengthen(ctx, hazel, d.paper, "Close Calls"); kind(t, err) != "name" {
		t.Errorf("no name: %v", err)
	}
	if _, err := d.Strengthen(ctx, account.Account{ID: hazel.ID, Name: "robin"}, d.paper, ""); kind(t,
		err) != "not-allowed" {
		t.Errorf("a learner: %v", err)
	}
	check, err := d.house.Library.CheckPaper(ctx, hazel, d.paper)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.AddVariant(ctx, hazel, d.pack, check.ID); kind(t, err) != "no-search" {
		t.Errorf("another job: %v", err)
	}
	if _, err := d.AddVariant(ctx, hazel, "wasps", check.ID); kind(t, err) != "no-dataset" {
		t.Errorf("no such dataset: %v", err)
	}
	// A text that cannot be read, and an answer that does not run.
	d.rewrite("count", "count(*)", "count(wings)")
	found, _ := d.strengthens("")
	for _, left := range found.Left {
		if left.Exercise == "count" {
			t.Errorf("an answer that does not run has no wrong answers: %+v", left)
		}
	}
	d.rewrite("count", fence+"sql answer", fence+"sql anser")
	job, err := d.Strengthen(ctx, hazel, d.paper, "")
	if err != nil {
		t.Fatal(err)
	}
	if job = d.house.Ended(t, job); job.State != jobs.Failed || job.Problem == nil ||
		job.Problem.Title != "The paper cannot be read" || job.Problem.Place == nil {
		t.Errorf("got %+v", job)
	}
}

// A paper of 300 exercises is checked with all their mutations; then its strength is known.
func TestStrengthOfManyExercises(t *testing.T) {
	d := hives(t)
	var text strings.Builder
	for n := range 300 {
		text.WriteString(section(fmt.Sprintf("Hives %d {#hives-%d}", n, n), fmt.Sprintf(
			"SELECT name FROM hive WHERE strength > %d AND name <> 'Hive %d'", n%9, n,
		)))
	}
	if _, err := d.Add(ctx, d.house.Hazel, d.paper, library.NewPart{Text: text.String()}); err != nil {
		t.Fatal(err)
	}
	job, err := d.house.Library.CheckPaper(ctx, d.house.Hazel, d.paper)
	if err != nil {
		t.Fatal(err)
	}
	report, err := library.ReportOf(d.house.Ended(t, job))
	if err != nil || report.Check.Exercises != 303 || len(report.Check.Strengths) < 300 {
		t.Fatalf("got %+v, %v", report, err)
	}
}
