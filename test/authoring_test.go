package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"examen/internal/client"
	"examen/internal/demo"
)

// editor is a shell script that edits a file in place of somebody.
func editor(t *testing.T, script string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "editor")
	if err := os.WriteFile(path, []byte("#!/bin/sh\n"+script), 0o700); err != nil {
		t.Fatal(err)
	}
	return path
}

// edits runs a command that opens an editor.
func (s *shell) edits(script string, args ...string) printed {
	s.t.Helper()
	with := *s
	with.env = append([]string{"EDITOR=" + editor(s.t, script)}, s.env...)
	return with.run("", args...)
}

const fiveExercises = `cat >> "$1" <<'END'
Clouds decide what an observer does.

## All nights {#all-nights}

List the day and the cloud of every night.

` + "```sql answer\nSELECT day, cloud FROM night;\n```" + `

## Clear nights {#clear-nights-only}

On which days was there no cloud?

` + "```sql answer\nSELECT day FROM night WHERE cloud = 0;\n```" + `

## How cloudy {#how-cloudy}

What is the greatest cloud?

` + "```sql answer\nSELECT max(cloud) FROM night;\n```" + `

## Nights by cloud {#nights-by-cloud}

How many nights were there of each cloud? The cloudiest come first.

` + "```sql answer\nSELECT cloud, count(*) AS nights FROM night GROUP BY cloud ORDER BY cloud DESC;\n```" + `

` + "```yaml check\npoints: 2\nrequire: [group-by]\n```" + `

## Cloudier than most {#cloudier-than-most}

Which days were cloudier than the average?

` + "```sql answer\nSELECT day FROM night WHERE cloud > (SELECT avg(cloud) FROM night);\n```" + `
END
`

// A paper of five exercises on a dataset of one's own, made at the command line from nothing to published.
func TestAPaperAtTheCommandLine(t *testing.T) {
	s := at(t, demo.InstructorName, demo.InstructorPassword)
	folder := t.TempDir()
	script := filepath.Join(folder, "nights.sql")
	write(t, folder, map[string]string{
		"nights.sql": "CREATE TABLE night (day date PRIMARY KEY, cloud integer NOT NULL);\n" +
			"INSERT INTO night SELECT date '2026-03-01' + n, n % 9 FROM generate_series(0, 60) AS n;\n",
	})
	says := func(p printed, code int, texts ...string) {
		t.Helper()
		for _, text := range texts {
			if p.code != code || !strings.Contains(p.out+p.errs, text) {
				t.Errorf("exit code %d, without %q:\n%s%s", p.code, text, p.out, p.errs)
			}
		}
	}
	says(s.run("", "dataset", "build", script, "--name", "cloud-nights"), 0, "61")
	says(s.run("", "paper", "new", "cloudy"), 2, "name a dataset with --dataset")
	says(s.edits("exit 0", "paper", "new", "cloudy", "--title", "Cloudy nights", "--dataset", "cloud-nights"),
		0, "Nothing was changed")
	says(s.run("", "paper", "list"), 0, "unpublished")
	says(s.edits(fiveExercises, "paper", "edit", "cloudy"),
		0, "Saved. Learners see it once it is published", "5 exercises checked: 0 errors, 2 warnings")
	says(s.run("", "paper", "set", "cloudy", "--course", "evening-group"), 3, "not published yet")
	says(s.run("", "paper", "publish", "cloudy"), 2, "Nights by cloud: new", "say --yes")
	says(s.run("", "paper", "publish", "cloudy", "--yes", "--note", "the first one"),
		0, "cloudy is published, as version 1: 5 exercises.")
	says(s.run("", "paper", "set", "cloudy", "--course", "evening-group"), 0, "open")
	says(s.run("", "paper", "publish", "cloudy", "--yes"), 3, "There is nothing to publish")

	// What cannot be read is saved, and told with its line; what the examiner finds holds the publication up.
	misspelt := `sed -i 's/SELECT day FROM night WHERE cloud = 0/SELECT day FORM night/' "$1"`
	says(s.edits(misspelt, "paper", "edit", "cloudy"),
		1, "It is saved, and cannot be published yet", "line 21: the reference answer cannot be read: syntax error")
	says(s.run("", "paper", "publish", "cloudy", "--yes"), 3, "cannot be published", "papers/cloudy.md:21")
	empty := `sed -i 's/SELECT day FORM night/SELECT day FROM night WHERE cloud < 0/' "$1"`
	says(s.edits(empty, "paper", "edit", "cloudy"),
		1, "result is empty", "1 error")
	says(s.run("", "paper", "publish", "cloudy", "--yes"), 1, "It is not published", "--despite-errors")
	says(s.run("", "paper", "publish", "cloudy", "--yes", "--despite-errors"), 0, "as version 2")
	says(s.run("", "paper", "compare", "cloudy", "1", "2"), 0, "-SELECT day FROM night WHERE cloud = 0;",
		"+SELECT day FROM night WHERE cloud < 0;")
	says(s.run("", "paper", "restore", "cloudy", "1"), 0, "version 1 is being written again")
	says(s.run("", "paper", "publish", "cloudy", "--yes"), 0, "Clear nights: accepted answers", "as version 3")
	says(s.run("", "paper", "versions", "cloudy", "-o", "csv"), 0, "3,", "the first one")

	// Somebody else changes the paper while it is in the editor: another section is merged, the same one comes back.
	other := func(of, instead string) string {
		return fmt.Sprintf(`EDITOR="sed -i 's/%s/%s/'" %s paper edit cloudy >/dev/null 2>&1`, of, instead, binary)
	}
	says(s.edits(other("every night", "each night")+"\nsed -i 's/the greatest cloud/the thickest cloud/' \"$1\"",
		"paper", "edit", "cloudy"), 0, "Saved.")
	p := s.edits("grep -q 'changed elsewhere' \"$1\" && exit 0\n"+other("cloudier than the", "cloudier than an")+
		"\nsed -i 's/Which days were/On which days was it/' \"$1\"", "paper", "edit", "cloudy")
	says(p, 1, "Nothing is saved", "Cloudier than most", "Both forms are in")
	_, path, _ := strings.Cut(p.errs, "Both forms are in ")
	both, err := os.ReadFile(strings.TrimSuffix(strings.TrimSpace(path), "."))
	if err != nil || !strings.Contains(string(both), "On which days was it") ||
		!strings.Contains(string(both), "cloudier than an average") {
		t.Errorf("%v\n%s", err, both)
	}
	says(s.run("", "paper", "discard", "cloudy", "--yes"), 0, "Nothing of cloudy is unpublished")
	says(s.run("", "exercise", "find", "--table", "night", "--construct", "subquery"),
		0, "Cloudier than most", "cloudy/5")
}

// A pack kept in version control shows only what was really changed; loading it over changes made here asks.
func TestAPackChangedInTheConsole(t *testing.T) {
	s := at(t, demo.InstructorName, demo.InstructorPassword)
	mine, back := t.TempDir(), filepath.Join(t.TempDir(), "back")
	write(t, mine, map[string]string{
		"pack.yaml": "pack: fog\ntitle: Fog # thick\npapers:\n- fog.md\n",
		"fog.md": "---\npaper:   fog\ntitle: Fog\ndataset: apiary\n---\n\n## One\n\nWrite it.\n\n```sql answer\n" +
			"SELECT name FROM hive\n```\n\n##   Two   \n\n* spaces  stay\n\n```SQL  answer\n" +
			"SELECT kind FROM hive\n```\n",
	})
	if p := s.run("", "pack", "load", mine); p.code != 0 {
		t.Fatal(p.errs)
	}
	if p := s.edits(`sed -i 's/Write it/List the names/' "$1"`, "paper", "edit", "fog"); p.code != 0 {
		t.Fatal(p.errs)
	}
	if p := s.run("", "paper", "publish", "fog", "--yes"); p.code != 0 {
		t.Fatal(p.errs)
	}
	if p := s.run("", "pack", "export", "fog", back); p.code != 0 {
		t.Fatal(p.errs)
	}
	out, _ := exec.Command("diff", "-r", mine, back).CombinedOutput()
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	if len(lines) != 5 || lines[2] != "< Write it." || lines[4] != "> List the names." {
		t.Errorf("got\n%s", out)
	}
	write(t, mine, map[string]string{"fog.md": strings.Replace(read(t, mine, "fog.md"), "spaces  stay", "gone", 1)})
	p := s.run("", "pack", "load", mine)
	for _, says := range []string{
		"in the console: One changed", "in the files:   Two changed", "examen pack export fog",
		"Nothing is changed yet",
	} {
		if p.code != 3 || !strings.Contains(p.errs, says) {
			t.Errorf("exit code %d, without %q: %s", p.code, says, p.errs)
		}
	}
	if p := s.run("", "pack", "load", back); p.code != 0 {
		t.Errorf("what was exported loads: %s", p.errs)
	}
}

// A pack of the same name from elsewhere is a newer state of it: it asks before it takes out an exercise that learners
// have attempted.
func TestAnExerciseWithAttemptsIsNotTakenOutUnasked(t *testing.T) {
	try := paperOf(t, "lost-stars", [2]string{"points: 1", "SELECT id FROM star"})
	_, learner := newcomer(t)
	try(learner, 1, "SELECT 1")
	folder := t.TempDir()
	write(t, folder, map[string]string{
		"pack.yaml": "pack: lost-stars\ntitle: From elsewhere\npapers: [paper.md]\n",
		"paper.md": "---\npaper: lost-stars\ntitle: Elsewhere\ndataset: lost-stars\n---\n\n## Another\n\n" +
			"```sql answer\nSELECT class FROM star\n```\n",
	})
	s := at(t, demo.InstructorName, demo.InstructorPassword)
	p := s.run("", "pack", "load", folder)
	if says := "lost-stars/exercise-number-1: it would no longer be in the paper; what learners have submitted " +
		"(1 attempt by 1 learner) stays"; p.code != 3 || !strings.Contains(p.errs, says) {
		t.Errorf("exit code %d, %s", p.code, p.errs)
	}
	write(t, folder, map[string]string{"pack.yaml": "pack: other-stars\ntitle: Others\npapers: [paper.md]\n"})
	p = s.run("", "pack", "load", folder)
	if says := `"lost-stars" is taken by the pack "lost-stars"`; p.code != 3 || !strings.Contains(p.errs, says) {
		t.Errorf("exit code %d, %s", p.code, p.errs)
	}
}

// write writes files into a folder.
func write(t *testing.T, folder string, files map[string]string) {
	t.Helper()
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

func read(t *testing.T, folder, name string) string {
	t.Helper()
	content, err := os.ReadFile(filepath.Join(folder, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(content)
}

// What an instructor can do wrong has a clear answer, and never a half-done one.
func TestExercisesThatAreNotAsTheyShouldBe(t *testing.T) {
	teacher := hazel(t)
	paperOf(t, "odd-stars", [2]string{"points: 1", "SELECT id FROM star"})
	try := func(sql string) client.Tried {
		t.Helper()
		tried, err := client.Read[client.Tried](teacher.TryAnswer(ctx, "odd-stars", client.AnswerText{Sql: sql}))
		if err != nil {
			t.Fatal(err)
		}
		return tried
	}
	for sql, says := range map[string]string{
		"SELECT nothing FROM star":              `column "nothing" does not exist`,
		"GRANT ALL ON star TO maud":             "Only SELECT queries",
		"SELECT repeat('x', 100 * 1024 * 1024)": "limit", "": "query is empty",
	} {
		if got := try(sql).Error; !strings.Contains(got.Title+got.Detail, says) {
			t.Errorf("%s: got %+v", sql, got)
		}
	}
	if got := try("SELECT id, random() FROM star WHERE id < 1 ORDER BY id"); got.RowCount != 0 || !got.Ordered ||
		strings.Join(got.Constructs, " ") != "function:random order-by table:star" {
		t.Errorf("got %+v", got)
	}
	bearer := token(t, shared.url, demo.InstructorName, demo.InstructorPassword)
	if status, body := asked(t, shared.url, "PUT", "/api/papers/odd-stars/writing/text", bearer,
		`{"base":"","text":"`+strings.Repeat("x", 5<<20)+`"}`); status != 413 {
		t.Errorf("a paper of 5 MB: %d %s", status, body)
	}
}

// Three hundred exercises are one paper like others.
func TestAPaperOfThreeHundredExercises(t *testing.T) {
	var exercises strings.Builder
	for n := range 300 {
		fmt.Fprintf(&exercises, "## Number %d {#number-%[1]d}\n\nFind it.\n\n", n)
		fmt.Fprintf(&exercises, "```sql answer\nSELECT n + %d FROM one\n```\n\n", n)
	}
	teacher := hazel(t)
	if _, err := client.Loaded(ctx, teacher, fstest.MapFS{
		"pack.yaml": {
			Data: []byte("pack: long\ntitle: Long\ndatasets:\n  long:\n    setup: [a.sql]\npapers: [long.md]\n"),
		},
		"a.sql":   {Data: []byte("CREATE TABLE one AS SELECT 1 AS n;")},
		"long.md": {Data: []byte("---\npaper: long\ntitle: Long\ndataset: long\n---\n\n" + exercises.String())},
	}); err != nil {
		t.Fatal(err)
	}
	w := author(t, "/papers/long/write")
	w.says("#number-299 h2", "Number 299")
	w.opens("number-299")
	w.fills("Task of", "Find the last one.")
	w.isSaved()
	w.publishes("Number 299")
	paper, err := client.Read[client.Paper](teacher.GetPaper(ctx, "long"))
	if err != nil || len(paper.Sections) != 300 {
		t.Fatalf("%v %d", err, len(paper.Sections))
	}
	if task := paper.Sections[299].Exercise.Blocks[0].Text; task != "Find the last one." {
		t.Errorf("got %q", task)
	}
}
