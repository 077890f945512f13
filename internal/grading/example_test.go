package grading

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"examen/internal/core/mutation"
)

// The smallest example of a wrong answer has at most three rows of each table, of 9 in 10 wrong answers. This takes a
// third of them; BenchmarkExamples takes all.
func TestSmallestExamples(t *testing.T) {
	defer func(was time.Duration) { exampleWithin = was }(exampleWithin)
	exampleWithin = 8 * time.Second // four times what a learner waits at most, whatever machine this is
	g, tasks, mistakes := mistakesAbout(t, "heather-hill", "apiary")
	asked, small, madeUp := 0, 0, 0
	var took time.Duration
	for i, m := range mistakes {
		if i%3 != 0 {
			continue
		}
		task := tasks[m.exercise]
		begun := time.Now()
		e, err := g.Example(ctx, task, m.sql)
		took += time.Since(begun)
		if err != nil {
			t.Fatal(m.sql, err)
		}
		asked++
		if e == nil {
			t.Logf("none: %s", m.sql)
			continue
		}
		if e.MadeUp {
			madeUp++
		}
		if e.most() <= 3 {
			small++
		} else {
			t.Logf("%d rows: %s\n%s", e.most(), m.sql, e)
		}
	}
	t.Logf("%d of %d are small, %d made up, each in %s", small, asked, madeUp, took/time.Duration(asked))
	if small*10 < asked*9 {
		t.Errorf("%d of %d examples are small", small, asked)
	}
}

// Rows that are made up have the values that they are said to have, whatever these are.
func TestRowsThatAreMadeUp(t *testing.T) {
	g, tasks := demoBench(t, "heather-hill", "apiary")
	s := &smallest{task: tasks[""], small: g}
	of := &readTable{Table: s.table("beekeeper")}
	var rows []mutation.Row
	odd := []string{"", " ", `"`, `\`, `\"`, "'", ",", "{}", "()", "NULL", "a\nb", `C:\new {1,"2"}`, "Zoë"}
	for i, text := range odd {
		number := fmt.Sprint(i + 100)
		columns := []string{"beekeeper_id", "name", "email"}
		rows = append(rows, mutation.Row{Table: "beekeeper", Columns: columns, Values: []*string{&number, &text, nil}})
	}
	for _, n := range []int{len(rows), 0} {
		got, err := s.rows(ctx, "SELECT name FROM ("+of.values(rows[:n])+") AS b WHERE email IS NULL")
		if err != nil {
			t.Fatal(err)
		}
		var names []string
		for _, row := range got.Rows {
			names = append(names, string(row[0]))
		}
		if !slices.Equal(names, odd[:n]) {
			t.Errorf("got %q", names)
		}
	}
}

// most is how many rows the table with the most of them has.
func (e *Example) most() (rows int) {
	for _, table := range e.Tables {
		rows = max(rows, len(table.Rows.Rows))
	}
	return rows
}

func (e *Example) String() string {
	var b strings.Builder
	for _, t := range e.Tables {
		fmt.Fprintf(&b, "%s: %s\n", t.Name, t.Rows)
	}
	return b.String() + "got " + e.Got.String() + "\nexpected " + e.Expected.String()
}

func (r Rows) String() string {
	var all []string
	for _, row := range r.Rows {
		var cells []string
		for _, cell := range row {
			if cell == nil {
				cells = append(cells, "NULL")
			} else {
				cells = append(cells, string(cell))
			}
		}
		all = append(all, strings.Join(cells, "|"))
	}
	return fmt.Sprintf("%d rows [%s]", len(all), strings.Join(all, "; "))
}
