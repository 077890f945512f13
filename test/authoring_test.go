package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
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
func edits(s *whole.Shell, script string, args ...string) whole.Printed {
	s.T.Helper()
	with := *s
	with.Env = append([]string{"EDITOR=" + editor(s.T, script)}, s.Env...)
	return with.Run("", args...)
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
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	folder := t.TempDir()
	script := filepath.Join(folder, "nights.sql")
	whole.WriteFiles(t, folder, map[string]string{
		"nights.sql": "CREATE TABLE night (day date PRIMARY KEY, cloud integer NOT NULL);\n" +
			"INSERT INTO night SELECT date '2026-03-01' + n, n % 9 FROM generate_series(0, 60) AS n;\n",
	})
	says := func(p whole.Printed, code int, texts ...string) {
		t.Helper()
		for _, text := range texts {
			if p.Code != code || !strings.Contains(p.Out+p.Errs, text) {
				t.Errorf("exit code %d, without %q:\n%s%s", p.Code, text, p.Out, p.Errs)
			}
		}
	}
	says(s.Run("", "dataset", "build", script, "--name", "cloud-nights"), 0, "61")
	says(s.Run("", "paper", "new", "cloudy"), 2, "name a dataset with --dataset")
	says(edits(s, "exit 0", "paper", "new", "cloudy", "--title", "Cloudy nights", "--dataset", "cloud-nights"),
		0, "Nothing was changed")
	says(s.Run("", "paper", "list"), 0, "unpublished")
	says(edits(s, fiveExercises, "paper", "edit", "cloudy"),
		0, "Saved. Learners see it once it is published", "5 exercises checked: 0 errors, 2 warnings")
	says(s.Run("", "paper", "set", "cloudy", "--course", "evening-group"), 3, "not published yet")
	says(s.Run("", "paper", "publish", "cloudy"), 2, "Nights by cloud: new", "say --yes")
	says(s.Run("", "paper", "publish", "cloudy", "--yes", "--note", "the first one"),
		0, "cloudy is published, as version 1: 5 exercises.")
	says(s.Run("", "paper", "set", "cloudy", "--course", "evening-group"), 0, "open")
	says(s.Run("", "paper", "publish", "cloudy", "--yes"), 3, "There is nothing to publish")

	// What cannot be read is saved, and told with its line; what the examiner finds holds the publication up.
	misspelt := `sed -i 's/SELECT day FROM night WHERE cloud = 0/SELECT day FORM night/' "$1"`
	says(edits(s, misspelt, "paper", "edit", "cloudy"),
		1, "It is saved, and cannot be published yet", "line 21: the reference answer cannot be read: syntax error")
	says(s.Run("", "paper", "publish", "cloudy", "--yes"), 3, "cannot be published", "papers/cloudy.md:21")
	empty := `sed -i 's/SELECT day FORM night/SELECT day FROM night WHERE cloud < 0/' "$1"`
	says(edits(s, empty, "paper", "edit", "cloudy"),
		1, "result is empty", "1 error")
	says(s.Run("", "paper", "publish", "cloudy", "--yes"), 1, "It is not published", "--despite-errors")
	says(s.Run("", "paper", "publish", "cloudy", "--yes", "--despite-errors"), 0, "as version 2")
	says(s.Run("", "paper", "compare", "cloudy", "1", "2"), 0, "-SELECT day FROM night WHERE cloud = 0;",
		"+SELECT day FROM night WHERE cloud < 0;")
	says(s.Run("", "paper", "restore", "cloudy", "1"), 0, "version 1 is being written again")
	says(s.Run("", "paper", "publish", "cloudy", "--yes"), 0, "Clear nights: accepted answers", "as version 3")
	says(s.Run("", "paper", "versions", "cloudy", "-o", "csv"), 0, "3,", "the first one")

	// Somebody else changes the paper while it is in the editor: another section is merged, the same one comes back.
	other := func(of, instead string) string {
		return fmt.Sprintf(`EDITOR="sed -i 's/%s/%s/'" %s paper edit cloudy >/dev/null 2>&1`, of, instead, whole.Binary)
	}
	says(edits(s, other("every night", "each night")+"\nsed -i 's/the greatest cloud/the thickest cloud/' \"$1\"",
		"paper", "edit", "cloudy"), 0, "Saved.")
	p := edits(s, "grep -q 'changed elsewhere' \"$1\" && exit 0\n"+other("cloudier than the", "cloudier than an")+
		"\nsed -i 's/Which days were/On which days was it/' \"$1\"", "paper", "edit", "cloudy")
	says(p, 1, "Nothing is saved", "Cloudier than most", "Both forms are in")
	_, path, _ := strings.Cut(p.Errs, "Both forms are in ")
	both, err := os.ReadFile(strings.TrimSuffix(strings.TrimSpace(path), "."))
	if err != nil || !strings.Contains(string(both), "On which days was it") ||
		!strings.Contains(string(both), "cloudier than an average") {
		t.Errorf("%v\n%s", err, both)
	}
	says(s.Run("", "paper", "discard", "cloudy", "--yes"), 0, "Nothing of cloudy is unpublished")
	says(s.Run("", "exercise", "find", "--table", "night", "--construct", "subquery"),
		0, "Cloudier than most", "cloudy/5")
}

// A pack kept in version control shows only what was really changed; loading it over changes made here asks.
func TestAPackChangedInTheConsole(t *testing.T) {
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	mine, back := t.TempDir(), filepath.Join(t.TempDir(), "back")
	whole.WriteFiles(t, mine, map[string]string{
		"pack.yaml": "pack: fog\ntitle: Fog # thick\npapers:\n- fog.md\n",
		"fog.md": "---\npaper:   fog\ntitle: Fog\ndataset: apiary\n---\n\n## One\n\nWrite it.\n\n```sql answer\n" +
			"SELECT name FROM hive\n```\n\n##   Two   \n\n* spaces  stay\n\n```SQL  answer\n" +
			"SELECT kind FROM hive\n```\n",
	})
	if p := s.Run("", "pack", "load", mine); p.Code != 0 {
		t.Fatal(p.Errs)
	}
	if p := edits(s, `sed -i 's/Write it/List the names/' "$1"`, "paper", "edit", "fog"); p.Code != 0 {
		t.Fatal(p.Errs)
	}
	if p := s.Run("", "paper", "publish", "fog", "--yes"); p.Code != 0 {
		t.Fatal(p.Errs)
	}
	if p := s.Run("", "pack", "export", "fog", back); p.Code != 0 {
		t.Fatal(p.Errs)
	}
	out, _ := exec.Command("diff", "-r", mine, back).CombinedOutput()
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	if len(lines) != 5 || lines[2] != "< Write it." || lines[4] != "> List the names." {
		t.Errorf("got\n%s", out)
	}
	fog := whole.ReadFile(t, mine, "fog.md")
	whole.WriteFiles(t, mine, map[string]string{"fog.md": strings.Replace(fog, "spaces  stay", "gone", 1)})
	p := s.Run("", "pack", "load", mine)
	for _, says := range []string{
		"in the console: One changed", "in the files:   Two changed", "examen pack export fog",
		"Nothing is changed yet",
	} {
		if p.Code != 3 || !strings.Contains(p.Errs, says) {
			t.Errorf("exit code %d, without %q: %s", p.Code, says, p.Errs)
		}
	}
	if p := s.Run("", "pack", "load", back); p.Code != 0 {
		t.Errorf("what was exported loads: %s", p.Errs)
	}
}

// A pack of the same name from elsewhere is a newer state of it: it asks before it takes out an exercise that learners
// have attempted.
func TestAnExerciseWithAttemptsIsNotTakenOutUnasked(t *testing.T) {
	try := whole.PaperOf(t, "lost-stars", [2]string{"points: 1", "SELECT id FROM star"})
	_, learner := whole.Newcomer(t)
	try(learner, 1, "SELECT 1")
	folder := t.TempDir()
	whole.WriteFiles(t, folder, map[string]string{
		"pack.yaml": "pack: lost-stars\ntitle: From elsewhere\npapers: [paper.md]\n",
		"paper.md": "---\npaper: lost-stars\ntitle: Elsewhere\ndataset: lost-stars\n---\n\n## Another\n\n" +
			"```sql answer\nSELECT class FROM star\n```\n",
	})
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	p := s.Run("", "pack", "load", folder)
	if says := "lost-stars/exercise-number-1: it would no longer be in the paper; what learners have submitted " +
		"(1 attempt by 1 learner) stays"; p.Code != 3 || !strings.Contains(p.Errs, says) {
		t.Errorf("exit code %d, %s", p.Code, p.Errs)
	}
	whole.WriteFiles(
		t, folder, map[string]string{"pack.yaml": "pack: other-stars\ntitle: Others\npapers: [paper.md]\n"},
	)
	p = s.Run("", "pack", "load", folder)
	if says := `"lost-stars" is taken by the pack "lost-stars"`; p.Code != 3 || !strings.Contains(p.Errs, says) {
		t.Errorf("exit code %d, %s", p.Code, p.Errs)
	}
}

// What an instructor can do wrong has a clear answer, and never a half-done one.
func TestExercisesThatAreNotAsTheyShouldBe(t *testing.T) {
	teacher := whole.Hazel(t)
	whole.PaperOf(t, "odd-stars", [2]string{"points: 1", "SELECT id FROM star"})
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
	bearer := whole.Token(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	if status, body := whole.Asked(t, whole.Shared.URL, "PUT", "/api/papers/odd-stars/writing/text", bearer,
		`{"base":"","text":"`+strings.Repeat("x", 5<<20)+`"}`); status != 413 {
		t.Errorf("a paper of 5 MB: %d %s", status, body)
	}
}
