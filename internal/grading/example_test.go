package grading

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// The smallest example of a wrong answer has at most three rows of each table, of 9 in 10 wrong answers.
func TestSmallestExamples(t *testing.T) {
	defer func(was time.Duration) { exampleWithin = was }(exampleWithin)
	exampleWithin = time.Minute // whatever machine this is
	g, tasks := demoBench(t, "heather-hill", "apiary")
	mistakes, accepted := mistakesIn(t, "apiary")
	for exercise, sql := range accepted {
		task := tasks[""]
		task.Accepted = []string{sql}
		tasks[exercise] = task
	}
	asked, small, madeUp := 0, 0, 0
	var took time.Duration
	for _, m := range mistakes {
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
		most := 0
		for _, table := range e.Tables {
			most = max(most, len(table.Rows.Rows))
		}
		if e.MadeUp {
			madeUp++
		}
		if most <= 3 {
			small++
		} else {
			t.Logf("%d rows: %s\n%s", most, m.sql, e)
		}
	}
	t.Logf("%d of %d are small, %d made up, each in %s", small, asked, madeUp, took/time.Duration(asked))
	if small*10 < asked*9 {
		t.Errorf("%d of %d examples are small", small, asked)
	}
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
