package grading

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"examen/internal/core/dataset"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/practice"
	"examen/packs"
)

// A mistake is a wrong answer with the causes that a teacher would name, either of which is right.
type mistake struct {
	exercise, sql string
	causes        []string // kinds
	clause        string   // "" for any
	twofold       bool     // two kinds, both
}

// mistakesIn reads the wrong answers about a dataset, and the accepted answers that stand among them.
func mistakesIn(t testing.TB, name string) (all []mistake, accepted map[string]string) {
	text, err := os.ReadFile(filepath.Join("../../test/testdata/mistakes", name+".sql"))
	if err != nil {
		t.Fatal(err)
	}
	accepted = map[string]string{}
	exercise, cause := "", ""
	for line := range strings.Lines(string(text)) {
		said, is := strings.CutPrefix(strings.TrimSpace(line), "-- ")
		switch {
		case is && strings.HasPrefix(said, "Exercise: "):
			exercise, cause = strings.TrimPrefix(said, "Exercise: "), ""
		case is:
			cause = said
		case cause == "accepted":
			accepted[exercise] += line
		case exercise != "" && strings.TrimSpace(line) != "":
			kinds, clause, _ := strings.Cut(cause, " in ")
			m := mistake{exercise: exercise, sql: strings.TrimSpace(line), clause: clause}
			if m.twofold = strings.Contains(kinds, " + "); m.twofold {
				m.causes = strings.Split(kinds, " + ")
			} else {
				m.causes = strings.Split(kinds, "|")
			}
			all = append(all, m)
		}
	}
	return all, accepted
}

// demoBench has a pack's dataset with its variants, and the tasks of its exercises.
func demoBench(t testing.TB, folder, name string) (*Grader, map[string]Task) {
	files, _ := fs.Sub(packs.Files, folder)
	p, wrong := pack.Read(files)
	if wrong != nil {
		t.Fatal(wrong)
	}
	limits := practice.DefaultLimits
	limits.Seats = 3
	server, err := practice.Open(ctx, []string{url}, practice.Options{Limits: limits})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Close)
	d := p.Datasets[slices.IndexFunc(p.Datasets, func(d pack.Dataset) bool { return d.Name == name })]
	var tables *dataset.Catalogue
	built := map[string]string{}
	for _, v := range append([]pack.Variant{{}}, d.Variants...) {
		database := fmt.Sprintf("causes_%s_%d", name, len(built))
		b, err := server.Build(ctx, practice.Order{
			Database: database, Files: files, Scripts: slices.Concat(d.Setup, v.Setup), Variant: v.Name != "",
		})
		if err != nil {
			t.Fatal(err)
		}
		if built[v.Name] = database; v.Name == "" {
			tables = &b.Catalogue
		}
		t.Cleanup(func() { _ = server.Drop(ctx, database) })
	}
	tasks := map[string]Task{"": {Database: built[""], Tables: tables}}
	for _, paper := range p.Papers {
		for _, e := range paper.Exercises() {
			task := Task{Accepted: e.Accepted(), Rules: e.Checking, Database: built[""], Tables: tables}
			for _, v := range d.Variants {
				if e.Checking.OnVariant(v.Name) {
					task.Hidden = append(task.Hidden, built[v.Name])
				}
			}
			tasks[e.Slug] = task
		}
	}
	return New(server, seed), tasks
}

// mistaken are the datasets about which there are wrong answers, by their packs.
var mistaken = map[string]string{"heather-hill": "apiary", "mosswater": "footpaths", "observatory": "nights"}

// mistakesAbout has the wrong answers about a pack's dataset, with the tasks that they answer.
func mistakesAbout(t testing.TB, folder, name string) (*Grader, map[string]Task, []mistake) {
	g, tasks := demoBench(t, folder, name)
	mistakes, accepted := mistakesIn(t, name)
	for exercise, sql := range accepted {
		task := tasks[""]
		task.Accepted = []string{sql}
		tasks[exercise] = task
	}
	for _, m := range mistakes {
		if _, known := tasks[m.exercise]; !known {
			t.Fatalf("there is no exercise %q", m.exercise)
		}
	}
	return g, tasks, mistakes
}

// The first cause that is named is the one that a teacher would name, for 95 of 100 wrong answers.
func TestCausesOfMistakes(t *testing.T) {
	defer func(was time.Duration) { triedWithin = was }(triedWithin)
	triedWithin = time.Minute // whatever machine this is
	asked, named := 0, 0
	for folder, name := range mistaken {
		g, tasks, mistakes := mistakesAbout(t, folder, name)
		for _, m := range mistakes {
			task := tasks[m.exercise]
			v, err := g.Grade(ctx, task, 1, m.sql)
			if err != nil {
				t.Fatal(m.sql, err)
			}
			if v.Outcome != marking.Incorrect {
				t.Errorf("%s is %s: %v %v", m.sql, v.Outcome, v.Fault, v.Findings)
				continue
			}
			cause, whole, err := g.Cause(ctx, task, m.sql)
			if err != nil {
				t.Fatal(m.sql, err)
			}
			if cause != nil && cause.Proven && len(cause.Steps) == 1 {
				e := cause.Steps[0].Edit
				v, err := g.Grade(ctx, task, 1, e.Before+e.Is+e.After)
				if err != nil || v.Outcome == marking.Incorrect {
					t.Errorf("%s\n is not right with %s: %+v, %v", m.sql, said(cause), v, err)
				}
			}
			if asked++; m.named(cause) || cause == nil && saysItself[m.causes[0]] == v.Findings[0].Kind {
				named++
				continue
			}
			t.Logf("%s: %s\n  named: %s (all tried: %t)\n  a teacher: %s in %s\n  findings: "+
				"%s", m.exercise, m.sql, said(cause), whole,
				strings.Join(m.causes, ", "), m.clause, kinds(v))
		}
	}
	t.Logf("%d of %d", named, asked)
	if named*100 < asked*95 {
		t.Errorf("of %d causes %d are those that a teacher names", asked, named)
	}
}

// Two mistakes are found whatever ends the text: a query from a file ends with a line's end.
func TestTwoMistakesAtTheEndOfAText(t *testing.T) {
	defer func(was time.Duration) { triedWithin = was }(triedWithin)
	triedWithin = time.Minute
	g, tasks := demoBench(t, "heather-hill", "apiary")
	const sql = "SELECT grade_code, count(*), sum(weight_kg) FROM harvest WHERE weight_kg >= 500 GROUP BY grade_code"
	for _, end := range []string{"", "\n", " -- the heaviest first\n", ";\n"} {
		cause, _, err := g.Cause(ctx, tasks["harvest-by-grade"], sql+end)
		if err != nil || cause == nil || !cause.Proven || len(cause.Steps) != 2 {
			t.Errorf("ending in %q: %s, %v", end, said(cause), err)
		}
	}
}

// saysItself are the causes that a difference names.
var saysItself = map[string]string{
	"output-missing": "columns-missing", "output-extra": "columns-extra", "output-order": "columns-swapped",
}

func (m mistake) named(cause *explain.Cause) bool {
	if cause == nil {
		return false
	}
	for i, s := range cause.Steps {
		kind := strings.TrimPrefix(s.Kind, "cause-")
		named := slices.ContainsFunc(m.causes, func(k string) bool {
			return k == kind || strings.HasPrefix(kind, k+"-")
		})
		if !named || i == 0 && m.clause != "" && s.Clause != m.clause {
			return false
		}
	}
	return len(cause.Steps) == 2 || !m.twofold
}

func said(cause *explain.Cause) string {
	if cause == nil {
		return "nothing"
	}
	var all []string
	for _, s := range cause.Steps {
		all = append(all, fmt.Sprintf("%s in %s (%s -> %s)", s.Kind, s.Clause, s.Edit.Was, s.Edit.Is))
	}
	return fmt.Sprint(cause.Proven, " ", strings.Join(all, " and "))
}
