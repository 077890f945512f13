package test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"gopkg.in/yaml.v3"

	"examen/internal/client"
	"examen/test/whole"
)

// pair is a task of testdata/verdicts.yaml with what learners wrote.
type pair struct {
	Exercise, Dataset, Reference string
	Check                        map[string]any
	Attempts                     []map[string]string // one key: the outcome, and what is said first
}

func pairs(t testing.TB) []pair {
	t.Helper()
	content, err := os.ReadFile(filepath.Join("testdata", "verdicts.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	var all []pair
	if err := yaml.Unmarshal(content, &all); err != nil {
		t.Fatal(err)
	}
	return all
}

// tasksAbout writes the tasks about one dataset as a paper.
func tasksAbout(t testing.TB, slug, dataset string, all []pair) string {
	var b strings.Builder
	fmt.Fprintf(&b, "---\npaper: %s\ntitle: %s\ndataset: %s\n---\n", slug, slug, dataset)
	for _, p := range all {
		if p.Dataset != dataset && !(p.Dataset == "" && dataset == "apiary") {
			continue
		}
		fmt.Fprintf(&b, "\n## %s {#%s}\n\n```sql answer\n%s\n```\n", p.Exercise, p.Exercise, p.Reference)
		if p.Check != nil {
			check, err := yaml.Marshal(p.Check)
			if err != nil {
				t.Fatal(err)
			}
			fmt.Fprintf(&b, "\n```yaml check\n%s```\n", check)
		}
	}
	return b.String()
}

var manyMeasurements = regexp.MustCompile(`generate_series\(1, 50\)`)

// nights is the observatory's dataset with one measurement in ten, so that it is built quickly.
func nights(t testing.TB) map[string]string {
	files := map[string]string{}
	for _, name := range []string{"tables.sql", "rows.sql"} {
		content, err := os.ReadFile(filepath.Join("..", "packs", "observatory", "nights", name))
		if err != nil {
			t.Fatal(err)
		}
		files["nights/"+name] = manyMeasurements.ReplaceAllString(string(content), "generate_series(1, 5)")
	}
	return files
}

func (p pair) paper() string {
	if p.Dataset == "nights" {
		return "verdicts-nights"
	}
	return "verdicts-apiary"
}

var loadVerdicts sync.Once

// verdicts loads the table's tasks, once, and opens them to learners.
func verdicts(t testing.TB) []pair {
	all := pairs(t)
	loadVerdicts.Do(func() {
		teacher := whole.Hazel(t)
		files := nights(t)
		files["pack.yaml"] = "pack: verdicts\ntitle: Verdicts\ndatasets:\n  nights:\n    title: Nights\n" +
			"    setup: [nights/tables.sql, nights/rows.sql]\npapers: [apiary.md, nights.md]\n"
		files["apiary.md"] = tasksAbout(t, "verdicts-apiary", "apiary", all)
		files["nights.md"] = tasksAbout(t, "verdicts-nights", "nights", all)
		if _, err := client.Loaded(ctx, teacher, whole.Scripts(files)); err != nil {
			t.Fatal(err)
		}
		for _, paper := range []string{"verdicts-apiary", "verdicts-nights"} {
			if _, err := client.Read[client.CoursePaper](
				teacher.SetPaper(ctx, "evening-group", paper, client.PaperSetting{}),
			); err != nil {
				t.Fatal(err)
			}
		}
	})
	return all
}

var (
	lastOrder = regexp.MustCompile(`(?is)\bORDER BY\b[^()]*$`)
	lastLimit = regexp.MustCompile(`(?is)\s*\b(LIMIT|OFFSET|FETCH)\b[^()]*$`)
)

// Every reference answer of the table, written otherwise by rule: rows in another order as far as the answer leaves it
// open are right, a row less or a row more never is.
func TestEveryReferenceAnswerRewritten(t *testing.T) {
	_, learner := whole.Newcomer(t)
	submit := func(p pair, sql string) client.Attempt {
		a, err := client.Read[client.Attempt](learner.Submit(ctx, p.paper(), p.Exercise, client.Submission{Sql: sql}))
		if err != nil {
			t.Fatalf("%s: %s: %v", p.Exercise, sql, err)
		}
		return a
	}
	shuffled, changed := 0, 0
	for _, p := range verdicts(t) {
		if p.Check["require"] != nil || p.Check["forbid"] != nil || p.Check["repeats"] != nil {
			continue
		}
		limit := lastLimit.FindString(p.Reference)
		body := strings.TrimSuffix(p.Reference, limit)
		another := "SELECT * FROM (" + p.Reference + ") AS w ORDER BY random()"
		ordered := lastOrder.MatchString(body)
		if ordered { // ties come as they like
			another = body + ", random()" + limit
		}
		if p.Check["order"] != nil {
			another = p.Reference
		}
		if a := submit(p, another); a.Outcome == client.Correct {
			shuffled++
		} else if a.Outcome != client.Failed { // after DISTINCT and set operations random() cannot be ordered by
			t.Errorf("%s: %s\n  %s%s", p.Exercise, another, a.Outcome, sentences(a))
		}
		for _, wrong := range []string{
			"SELECT * FROM (" + p.Reference + ") AS w OFFSET 1",
			"(SELECT * FROM (" + p.Reference + ") AS w) UNION ALL (SELECT * FROM (" + p.Reference + ") AS w LIMIT 1)",
		} {
			if a := submit(p, wrong); a.Outcome == client.Incorrect {
				changed++
			} else if a.Outcome != client.Failed { // types without equality are not united
				t.Errorf("%s: %s\n  %s, with %d rows", p.Exercise, wrong, a.Outcome, a.RowCount)
			}
		}
	}
	if shuffled < 40 || changed < 80 {
		t.Errorf("%d were shuffled, %d changed: the rules hardly apply", shuffled, changed)
	}
}

// Every query of the table gets its outcome, and says first what the table says.
func TestVerdictsAreThoseATeacherWouldGive(t *testing.T) {
	all := verdicts(t)
	_, learner := whole.Newcomer(t)
	checked, right := 0, 0
	for _, p := range all {
		paper := p.paper()
		for _, attempt := range p.Attempts {
			for want, sql := range attempt {
				checked++
				if want == "correct" {
					right++
				}
				a, err := client.Read[client.Attempt](
					learner.Submit(ctx, paper, p.Exercise, client.Submission{Sql: sql}),
				)
				if err != nil {
					t.Errorf("%s: %s\n  %v", p.Exercise, sql, err)
					continue
				}
				if strings.HasPrefix(want, "incorrect cause-") {
					cause := causeOfAttempt(t, learner, a)
					if a.Outcome == client.Incorrect && (len(cause) == 0 || !cause[0].Proven) {
						continue // not found in time on this machine; the grader's own tests have no limit
					}
					a.Findings = append(cause, a.Findings...)
				}
				if got := said(a, want); got != want {
					t.Errorf(
						"%s: %s\n  got  %s\n  want %s\n  %s%s", p.Exercise, sql, got, want, a.Error.Title, sentences(a),
					)
				}
			}
		}
	}
	if checked < 250 || right < 80 {
		t.Errorf("the table has %d pairs, %d of them right; 250 and 80 are wanted", checked, right)
	}
}

// said is what came of an attempt, in the table's words: for an error, what was wanted if the plain words hold that.
func said(a client.Attempt, want string) string {
	outcome := string(a.Outcome)
	if part, is := strings.CutPrefix(want, "failed "); is && a.Outcome == client.Failed {
		if strings.Contains(a.Error.Detail, part) {
			return want
		}
		return "failed " + a.Error.Detail
	}
	if len(a.Findings) > 0 {
		return outcome + " " + a.Findings[0].Kind
	}
	return outcome
}

func sentences(a client.Attempt) (all string) {
	for _, f := range a.Findings {
		all += "\n  - " + f.Kind + ": " + f.Sentence
	}
	return all
}

// What ties is what the database takes for equal: texts that differ too, under a collation that says so, whether the
// query names it or the column has it.
func TestTiesUnderACollationOfTheDatasetsOwn(t *testing.T) {
	teacher := whole.Hazel(t)
	answers := []string{
		"SELECT name, n FROM reed ORDER BY name", "SELECT n FROM reed ORDER BY name DESC",
		"SELECT name, n FROM reed ORDER BY 1 LIMIT 2", `SELECT n, place FROM reed ORDER BY place COLLATE "loose"`,
	}
	paper := "---\npaper: reeds\ntitle: Reeds\ndataset: reeds\n---\n"
	for i, sql := range answers {
		paper += fmt.Sprintf("\n## %d {#r%d}\n\n```sql answer\n%s\n```\n", i+1, i+1, sql)
	}
	files := map[string]string{
		"pack.yaml": "pack: reeds\ntitle: Reeds\ndatasets:\n  reeds:\n    setup: [reeds.sql]\npapers: [paper.md]\n",
		"reeds.sql": `CREATE COLLATION loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false);
			CREATE TABLE reed (n int PRIMARY KEY, name text COLLATE loose, place text);
			INSERT INTO reed VALUES (1, 'Bulrush', 'Pond'), (2, 'bulrush', 'pond'), (3, 'Arrowhead', 'Bank'), (4,
			'BULRUSH', 'POND'), (5, 'sedge', 'bank');`,
		"paper.md": paper,
	}
	if _, err := client.Loaded(ctx, teacher, whole.Scripts(files)); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		exercise int
		want     client.Outcome
		sql      string
	}{
		{1, client.Correct, "SELECT name, n FROM reed ORDER BY name, n"},
		{1, client.Correct, "SELECT name, n FROM reed ORDER BY name, n DESC"},
		{1, client.Incorrect, "SELECT name, n FROM reed ORDER BY name DESC"},
		{1, client.Incorrect, "SELECT name, n FROM reed ORDER BY n"},
		{2, client.Correct, "SELECT n FROM reed ORDER BY name DESC, n DESC"},
		{2, client.Incorrect, "SELECT n FROM reed ORDER BY name, n"},
		{3, client.Correct, "SELECT name, n FROM reed WHERE n IN (3, 4) ORDER BY name"},
		{3, client.Correct, "SELECT name, n FROM reed WHERE n IN (3, 1) ORDER BY name"},
		{3, client.Incorrect, "SELECT name, n FROM reed WHERE n IN (3, 5) ORDER BY name"},
		{4, client.Correct, `SELECT n, place FROM reed ORDER BY lower(place), n DESC`},
		{4, client.Incorrect, `SELECT n, place FROM reed ORDER BY n`},
	} {
		a, err := client.Read[client.Attempt](
			teacher.Submit(ctx, "reeds", fmt.Sprint(c.exercise), client.Submission{Sql: c.sql}),
		)
		if err != nil || a.Outcome != c.want {
			t.Errorf("%s\n%s: %s, want %s %v%s", answers[c.exercise-1], c.sql, a.Outcome, c.want, err, sentences(a))
		}
	}
}
