package test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// taking are queries that take what there is: time, memory, temporary disk, rows, bytes of a row, of an error, of a
// type's name. %d is a number that grows.
var taking = []string{
	"SELECT repeat('x', %d000000)", "SELECT repeat('x', %d00000) FROM generate_series(1, 1000)",
	"SELECT string_agg(repeat('x', %d0000), '') FROM generate_series(1, 10000)",
	"SELECT array_agg(i) FROM generate_series(1, %d000000) AS i", "SELECT count(*) FROM generate_series(1, %d00000000)",
	"SELECT * FROM generate_series(1, %d0000000) ORDER BY 1 DESC",
	"SELECT json_agg(i) FROM generate_series(1, %d000000) AS i",
	"SELECT sum(length(repeat(md5(i::text), %d000))) FROM generate_series(1, 100000) AS i",
	"SELECT repeat('x', %d00000)::integer",
	"SELECT ('{' || repeat('1,', %d00000) || '1}')::int[]", "SELECT ('[' || repeat('1,', %d00000) || '1]')::jsonb",
	"SELECT (repeat('9', %d000))::numeric ^ 3", "SELECT factorial(%d0000)",
	"SELECT count(*) FROM inspection a, inspection b, generate_series(1, %d)",
	"WITH RECURSIVE n(i, s) AS (SELECT 1, 'x' UNION ALL SELECT i + 1, s || s FROM n WHERE i < %d) SELECT " +
		"max(length(s)) FROM n",
	"SELECT regexp_replace(repeat('ab', %d00000), '(a|b)*c', 'x', 'g')",
	"SELECT to_tsvector('english', repeat('running dogs ', %d0000))", "SELECT format('%%' || '%d000s', 'x')",
	"SELECT lpad('x', %d000000)", "SELECT array_fill(0, ARRAY[%d000000])",
	"SELECT jsonb_path_query_array(jsonb_agg(i), '$[*] ? (@ > 1)') FROM generate_series(1, %d0000) AS i",
	"SELECT percentile_cont(0.5) WITHIN GROUP (ORDER BY i) FROM generate_series(1, %d000000) AS i",
	"SELECT count(DISTINCT md5(i::text)) FROM generate_series(1, %d000000) AS i",
	"SELECT row_number() OVER (ORDER BY md5(i::text)) FROM generate_series(1, %d00000) AS i",
	"SELECT repeat('x', %d000000)::bytea",
}

// Two of the kind that heed nothing: their sessions are killed, and the server recovers.
var heedless = []string{
	"SELECT ARRAY(SELECT generate_series(1, 1000000)) <@ ARRAY(SELECT generate_series(1000000, 1, -1))",
	"SELECT to_date(repeat('1', 1000000), repeat('D', 3000000)) IS NULL",
}

// Whatever a hundred queries take at once, and however they end, the service answers, ordinary queries of others are
// right, and no more is kept than a few kB.
func TestAHundredHeavyQueries(t *testing.T) {
	s := whole.Start(
		t, "demo", "--data-dir", whole.DemoDir(t), "--seats", "4", "--limit-time", "1s", "--limit-memory", "1024",
		"--limit-calls", "100000",
	)
	var all []string
	for _, sql := range taking {
		for _, n := range []int{3, 20, 90, 400} {
			all = append(all, fmt.Sprintf(sql, n))
		}
	}
	all = append(all, heedless...)
	if len(all) < 100 {
		t.Fatalf("only %d queries", len(all))
	}
	learners := []string{"robin", "alma", "bento", "chidi"}
	var sent sync.WaitGroup
	queries := make(chan string)
	for _, name := range learners {
		c := whole.As(t, s.URL, name, demo.LearnerPassword)
		sent.Go(func() {
			for sql := range queries {
				run, err := client.Read[client.Run](c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: sql}))
				if p, later := err.(*client.ProblemError); later && p.Status == 503 { // the server does not keep up
					continue
				}
				if err != nil {
					t.Errorf("%s: %v", short(sql), err)
				} else if kept := len(run.Error.Title) + len(run.Error.Detail) + len(run.Error.Hint) + len(
					run.Error.Place.Text,
				); kept > 8<<10 {
					t.Errorf("%s: its error has %d bytes", short(sql), kept)
				}
			}
		})
	}
	done := make(chan struct{})
	var others sync.WaitGroup
	wren := whole.As(t, s.URL, demo.NewLearnerName, demo.LearnerPassword)
	others.Go(func() {
		for n := 0; ; n++ {
			select {
			case <-done:
				if n < 10 {
					t.Errorf("only %d ordinary queries were answered beside them", n)
				}
				return
			default:
			}
			run, err := client.Read[client.Run](
				wren.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT count(*) FROM hive"}),
			)
			if p, busy := err.(*client.ProblemError); busy && p.Status == 503 { // all seats may be taken for that long
				continue
			}
			if err != nil || run.Outcome != client.Done || *run.Rows[0][0] != "96" {
				t.Errorf("an ordinary query beside them: %+v, %v", run, err)
				return
			}
		}
	})
	for _, sql := range all {
		queries <- sql
	}
	close(queries)
	sent.Wait()
	close(done)
	others.Wait()
	whole.Until(t, "every session has ended", func() bool {
		h, err := client.Read[client.Health](wren.GetHealth(ctx))
		return err == nil && h.Practice == client.Up && h.Unending == 0
	})
	page, err := client.Read[client.HistoryPage](
		whole.As(t, s.URL, "robin", demo.LearnerPassword).ListHistory(ctx, &client.ListHistoryParams{Limit: 500}),
	)
	if err != nil || len(page.Entries) < 10 {
		t.Errorf("the history: %d entries, %v", len(page.Entries), err)
	}
}

// Sixty texts that nest as deep as a query may be long, submitted: each is answered, and the service goes on.
func TestSixtyDeepTexts(t *testing.T) {
	_, c := whole.Newcomer(t)
	sent := 0
	for _, n := range [][5]string{{"SELECT ", "(", "1", ")", ""}, {
		"", "SELECT EXISTS(", "SELECT 1", ")", "",
	}, {"SELECT 1", "", "", " ISNULL", ""}, {"SELECT 'a'", "", "", " COLLATE x", ""}, {"SELECT 1", "", "", "::a", ""},
		{"SELECT 1", "", "", "+1", ""}, {"SELECT ", "NOT ", "true", "", ""},
		{"SELECT 1", "", "", " UNION SELECT 1", ""}, {"SELECT 1,1", "", "", " UNION SELECT 1,1", ""},
		{"SELECT ", "CASE WHEN ", "true", " THEN 1 END", ""},
		{"SELECT ", "f(", "1", ")", ""}, {"SELECT ", "ARRAY[1,", "1", "]", ""},
		{"SELECT * FROM ", "(", "a", " CROSS JOIN b)", ""}, {"SELECT * FROM a", "", "", " JOIN b USING (x, y)", ""},
		{"", "WITH a AS (", "SELECT 1", ") SELECT 1", ""},
		{"SELECT ", "a[1:", "1", "]", ""}, {"SELECT (a)", "", "", ".b", ""}, {
			"SELECT ", "f() OVER (ORDER BY ", "1", ")", "",
		}, {"", "SELECT * FROM (", "SELECT 1", ") t", ""}, {"SELECT ", "(SELECT 1, ", "1", ")", ""}} {
		for _, levels := range []int{300, 990, 99_000} {
			levels = min(levels, 99_000/(len(n[1])+len(n[3])))
			sql := n[0] + strings.Repeat(n[1], levels) + n[2] + strings.Repeat(n[3], levels) + n[4]
			a, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", "no-mail", client.Submission{Sql: sql}))
			if err != nil || a.Outcome == client.Correct {
				t.Fatalf("%s: %+v, %v", short(sql), a.Outcome, err)
			}
			sent++
		}
	}
	if sent < 60 {
		t.Errorf("only %d texts", sent)
	}
}
