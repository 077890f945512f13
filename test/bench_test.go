package test

import (
	"context"
	"fmt"
	"net/http"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/client"
	"examen/test/whole"
)

const (
	atOnce    = 32
	benchWork = "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC, name"
)

// rate is how often a second work is done by so many at once, each with its number, within a time.
func rate(b *testing.B, during time.Duration, work func(n int) error) float64 {
	b.Helper()
	var done atomic.Int64
	var all sync.WaitGroup
	start := time.Now()
	for n := range atOnce {
		all.Go(func() {
			for time.Since(start) < during {
				if err := work(n); err != nil {
					b.Error(err)
					return
				}
				done.Add(1)
			}
		})
	}
	all.Wait()
	return float64(done.Load()) / time.Since(start).Seconds()
}

// benchPaper is about the demo's dataset and checks on none of its variants, so that both sides run one query.
const benchPaper = `---
paper: bench
title: Bench
dataset: apiary
---
## Strong {#strong}

Strong hives.

` + "```sql answer\n" + benchWork + "\n```\n\n```yaml check\nvariants: []\n```\n"

// setBenchPaper sets that paper for the evening group.
func setBenchPaper(b *testing.B) {
	b.Helper()
	teacher := whole.Hazel(b)
	if _, err := client.Loaded(
		ctx, teacher,
		whole.Scripts(
			map[string]string{"pack.yaml": "pack: bench\ntitle: Bench\npapers: [paper.md]\n", "paper.md": benchPaper},
		),
	); err != nil {
		b.Fatal(err)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "evening-group", "bench", client.PaperSetting{}),
	); err != nil {
		b.Fatal(err)
	}
}

// submitBench submits to that paper. What is checked on variants, too, is told in even steps of time, which hides what
// it took.
func submitBench(b *testing.B, c *client.Client) {
	b.Helper()
	a, err := client.Read[client.Attempt](c.Submit(ctx, "bench", "strong", client.Submission{Sql: benchWork}))
	if err != nil || a.Outcome != client.Correct {
		b.Fatalf("got %+v, %v", a, err)
	}
}

// Submissions checked and stored a second with 32 learners at once, over HTTP, against bare pgx that runs the same
// query and stores the same rows (attempt, check and standing) in one statement, at the same concurrency. The figure is
// the ratio; both are measured by turns in one run.
func BenchmarkSubmissions(b *testing.B) {
	transport := &http.Transport{MaxIdleConnsPerHost: atOnce}
	clients := make([]*client.Client, atOnce)
	for i := range clients {
		_, clients[i] = whole.Newcomer(b)
		clients[i].Client = &http.Client{Transport: transport}
	}
	setBenchPaper(b)
	b.Run("alone", func(b *testing.B) { benchmarkSubmissions(b, clients, "bench", "strong") })
	b.Run("with-two-variants", func(b *testing.B) { benchmarkSubmissions(b, clients, "first-look", "2") })
}

func benchmarkSubmissions(b *testing.B, clients []*client.Client, paper, exercise string) {
	a, err := client.Read[client.Attempt](clients[0].Submit(ctx, paper, exercise, client.Submission{Sql: benchWork}))
	if err != nil {
		b.Fatal(err)
	}

	records := whole.Superuser(b, whole.SharedFolder, "records", "postgres")
	var database string
	var task, version, build int64
	if err := records.QueryRow(ctx, `
		SELECT build.database, attempt.exercise_id, attempt_check.version_id, build.id
		FROM attempt
		JOIN attempt_check ON attempt_check.attempt_id = attempt.id
		JOIN build ON build.id = attempt_check.build_id
		WHERE attempt.id = $1::text::bigint`, a.Id).Scan(&database, &task, &version, &build); err != nil {
		b.Fatal(err)
	}
	var accounts [atOnce]int64
	for n := range accounts {
		account, err := client.Read[client.Session](clients[n].GetSession(ctx))
		if err != nil {
			b.Fatal(err)
		}
		if err := records.QueryRow(
			ctx, "SELECT id FROM account WHERE name = $1", account.Account.Name,
		).Scan(&accounts[n]); err != nil {
			b.Fatal(err)
		}
	}
	practice := whole.Superuser(b, whole.SharedFolder, "practice", database)
	bare := func(learner int) error {
		rows, err := practice.Query(ctx, benchWork, pgx.QueryExecModeExec)
		if err != nil {
			return err
		}
		n := 0
		for rows.Next() {
			n++
		}
		if err := rows.Err(); err != nil {
			return err
		}
		var id int64
		var at time.Time
		return records.QueryRow(context.Background(), `
			WITH made AS (
				INSERT INTO attempt (account_id, exercise_id, course_id, sql, received_at)
				VALUES ($1, $2, NULL, $3, now())
				RETURNING *
			), checked AS (
				INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count,
					elapsed_ms, findings, fingerprint, hidden_only, counted)
				SELECT id, $4, $5, 'correct', 1, 1, $6, 0, '[]', '\x00112233445566778899aabbccddeeff', false, true
				FROM made
			), stands AS (
				INSERT INTO standing AS s (account_id, exercise_id, course_id, counts_id, latest_id, outcome,
					computed, attempts, used, hidden_only, last_at)
				SELECT account_id, exercise_id, course_id, id, id, 'correct', 1, 1, 1, 0, received_at FROM made
				ON CONFLICT (account_id, exercise_id, course_id) DO UPDATE SET
					latest_id = excluded.latest_id, attempts = s.attempts + 1, used = s.used + 1,
					last_at = excluded.last_at, version = nextval('standing_version')
			)
			SELECT id, received_at FROM made`, accounts[learner], task, benchWork, version, build, n).Scan(&id, &at)
	}
	examen := func(n int) error {
		a, err := client.Read[client.Attempt](
			clients[n].Submit(ctx, paper, exercise, client.Submission{Sql: benchWork}),
		)
		if err == nil && a.Outcome != client.Correct {
			err = fmt.Errorf("outcome %s", a.Outcome)
		}
		return err
	}
	rate(b, time.Second/2, bare) // both warm
	rate(b, time.Second/2, examen)
	b.ResetTimer()
	var ours, theirs float64
	rounds := 0
	for b.Loop() {
		theirs += rate(b, time.Second, bare)
		ours += rate(b, time.Second, examen)
		rounds++
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(ours/float64(rounds), "submissions/s")
	b.ReportMetric(theirs/float64(rounds), "bare-pgx/s")
	b.ReportMetric(ours/theirs, "ratio")
}
