package test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A pack with something wrong, or doubtful, of every kind that the check tells of.
const doubtfulPaper = `---
paper: doubtful-SUFFIX
title: Doubtful
dataset: doubtful-SUFFIX
---
See [the first](#first), [nothing](#nothing), [another paper](elsewhere#x), [one of another pack](first-look),
[its exercise](first-look#names-and-valleys),
[none of its exercises](first-look#gone) and [a page](https://example.org).

## First {#first}

` + "```sql answer\nSELECT name FROM star\n```" + `

## Tie {#tie}

` + "```sql answer\nSELECT name, light FROM star ORDER BY light DESC LIMIT 2\n```" + `

## Limit {#limit}

` + "```sql answer\nSELECT name FROM star LIMIT 2\n```" + `

## Strict {#strict}

` + "```sql answer\nSELECT name, light FROM star ORDER BY light\n```\n\n```yaml check\norder: strict\n```" + `

## Clock {#clock}

` + "```sql answer\nSELECT name FROM star WHERE seen < current_date\n```" + `

## Unstable {#unstable}

` + "```sql answer\nSELECT string_agg(name, ',') FROM (SELECT s.name FROM star AS s JOIN star AS t ON s.class = " +
	"t.class) AS x\n```" + `

## Empty {#empty}

` + "```sql answer\nSELECT name FROM star WHERE light > 100\n```" + `

## Untested {#untested}

` + "```sql answer\nSELECT DISTINCT name FROM star WHERE light > 0 AND class = 1\n```" + `

## Also {#also}

` + "```sql answer\nSELECT name FROM star WHERE light > 3\n```\n\n```yaml check\n" +
	"also: [SELECT name FROM star WHERE light >= 3]\n```" + `

## Contradiction {#contradiction}

` + "```sql answer\nSELECT name FROM star\n```\n\n```yaml check\nforbid: [join, limit]\n" +
	"also: [SELECT name FROM star LIMIT 100]\n```" + `

## Fails {#fails}

` + "```sql answer\nSELECT 1 / (light - light) FROM star\n```" + `

## Negative {#negative}

` + "```sql answer\nSELECT name FROM star ORDER BY name LIMIT 2 - 3\n```" + `

## Order {#order}

` + "```sql example\nSELECT hue FROM star;\n```\n\n```sql answer\n" +
	"SELECT light, avg(class) AS mean FROM star WHERE name = 'Aster' GROUP BY light ORDER BY light\n```" + `

## Type {#type}

` + "```sql answer\nSELECT ROW(name, light) FROM star\n```\n"

func TestCheckingAPack(t *testing.T) {
	files := map[string]string{
		"pack.yaml": "pack: doubtful-a\ntitle: Doubtful\ndatasets:\n  doubtful-a:\n    setup: [rows.sql]\n" +
			"    dictionary: words.yaml\n    variants:\n      none: [none.sql]\npapers: [paper.md]\n",
		"rows.sql": "CREATE TABLE star (name text PRIMARY KEY, light int, class int, seen date);\n" +
			"INSERT INTO star VALUES ('Aster', 3, 1, '2026-01-01'), ('Bell', 3, 1, '2026-01-02'), ('Clover', 5, 1, " +
			"'2026-01-03'), ('Dill', 4, 2, '2026-01-04'), ('Elder', 5, 2, '2026-01-05'), ('Fern', 5, 1, " +
			"'2026-01-06');\n",
		"words.yaml": "star:\n  meaning: A star.\n  columns: {light: How bright., hue: Which colour.}\nmoon:\n" +
			"  meaning: None.\n",
		"none.sql": "DELETE FROM star WHERE class = 1 AND light = 3;",
		"paper.md": strings.ReplaceAll(doubtfulPaper, "SUFFIX", "a"),
	}
	folder := t.TempDir()
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	c := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	run := func(args ...string) (string, string, int) {
		p := c.Run("", args...)
		return p.Out, p.Errs, p.Code
	}
	out, errs, code := run("pack", "check", folder, "-o", "json")
	if code != 1 {
		t.Fatalf("exit code %d: %s%s", code, out, errs)
	}
	var report client.CheckReport
	if err := json.Unmarshal([]byte(out), &report); err != nil {
		t.Fatal(err, out)
	}
	got := map[string]client.CheckNote{}
	broken := ""
	for _, n := range report.Notes {
		if n.Kind == "link-broken" {
			broken += fmt.Sprintf("%d %s; ", n.Line, strings.Fields(n.Sentence)[3])
		}
		if key := n.Exercise + " " + n.Kind; got[key].Kind == "" { // the first of its kind
			got[key] = n
		}
	}
	if broken != "6 #nothing; 6 elsewhere#x; 8 first-look#gone; " {
		t.Errorf("broken links: %s", broken)
	}
	for _, want := range []struct {
		key      string
		severity client.CheckNoteSeverity
		rows     int
		sentence string
	}{
		{" link-broken", client.CheckError, 0, "The link to #nothing leads nowhere"},
		{"tie tie-cut", client.CheckWarning, 3, "of these 3 any choice counts as right"},
		{"limit limit-without-order", client.CheckWarning, 0, "LIMIT without ORDER BY"},
		{"strict order-undecided", client.CheckError, 5, "in any order"},
		{"clock result-changes", client.CheckError, 0, "current_date"},
		{"unstable result-unstable", client.CheckError, 1, "in another way"},
		{"empty result-empty", client.CheckError, 0, "is empty"},
		{"untested wrong-answer-passes", client.CheckWarning, 0, "An answer that "},
		{"also also-disagrees", client.CheckRemark, 2, "The answer 1 under also"},
		{"contradiction answer-breaks-rule", client.CheckError, 0, "The answer 1 under also"},
		{"fails answer-does-not-run", client.CheckError, 0, "division by zero"},
		{"negative answer-does-not-run", client.CheckError, 0, "LIMIT must not be negative"},
		{
			"order example-does-not-run", client.CheckError, 0,
			`The example "SELECT hue FROM star;" does not run: column "hue" does not exist`,
		},
		{"order digits-count", client.CheckRemark, 0, "The column mean comes of a division"},
		{"order wrong-answer-passes", client.CheckWarning, 0, "leaves out ORDER BY would pass"},
		{"type type-by-text", client.CheckWarning, 0, "compared by their text"},
	} {
		n, there := got[want.key]
		if !there || n.Severity != want.severity || len(n.Rows) != want.rows ||
			!strings.Contains(n.Sentence, want.sentence) || n.File != "paper.md" || n.Line == 0 {
			t.Errorf("%s: got %+v", want.key, n)
		}
	}
	for key := range got {
		if strings.HasPrefix(key, "first ") {
			t.Errorf("nothing is wrong with it: %s", key)
		}
	}
	if datasets, err := client.Read[[]client.DatasetSummary](whole.Hazel(t).ListDatasets(ctx)); err != nil ||
		slices.ContainsFunc(
			datasets, func(d client.DatasetSummary) bool { return d.Name == "doubtful-a" },
		) {
		t.Errorf("checking leaves nothing: %+v %v", datasets, err)
	}
	if _, err := client.Read[client.Job](
		whole.As(t, whole.Shared.URL, "robin", demo.LearnerPassword).CheckPaper(ctx, "first-look"),
	); err == nil {
		t.Error("a learner may not check papers")
	}
	out, errs, code = run("paper", "check", "first-look")
	if code != 0 || !strings.HasSuffix(out, "warnings.\n") ||
		!strings.Contains(out, "8 exercises checked: 0 errors, ") {
		t.Errorf("exit code %d: %s%s", code, out, errs)
	}
	if err := os.WriteFile(
		filepath.Join(folder, "rows.sql"), []byte("CREATE TABLE star (name txt);"), 0o644,
	); err != nil {
		t.Fatal(err)
	}
	if out, errs, code = run("pack", "check", folder); code != 1 || !strings.Contains(errs, "rows.sql:1:25") {
		t.Errorf("exit code %d: %s%s", code, out, errs)
	}
	if err := os.WriteFile(filepath.Join(folder, "pack.yaml"), []byte("pack: x\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, errs, code = run("pack", "check", folder); code != 1 || !strings.Contains(out, "Error  pack.yaml:1") {
		t.Errorf("exit code %d: %s%s", code, out, errs)
	}
}
