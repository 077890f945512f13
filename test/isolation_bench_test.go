package test

import (
	"context"
	"net/http"
	"slices"
	"sync"
	"testing"
	"time"

	"examen/internal/client"
	"examen/test/whole"
)

// heavy is what ten learners send again and again while another submits: what burns the processor, fills memory and
// temporary disk, and floods with rows.
var heavy = []string{
	"SELECT count(*) FROM generate_series(1, 1000000000000)",
	"SELECT count(*) FROM inspection a, inspection b, inspection c, inspection d",
	"SELECT count(*) FROM (SELECT a.*, repeat('x', 500) FROM inspection a, inspection b, hive c ORDER BY random()) " +
		"AS t",
	"SELECT length(string_agg(repeat('x', 90000000), '')) FROM generate_series(1, 10)",
	"WITH RECURSIVE n(s) AS (SELECT 'x' UNION ALL SELECT s || s FROM n) SELECT max(length(s)) FROM n",
	"SELECT n, repeat('x', 100) FROM generate_series(1, 5000000) AS n",
	"SELECT sum(length(md5(n::text))) FROM generate_series(1, 1000000000) AS n",
	"SELECT repeat('x', 1000000) FROM generate_series(1, 10000)",
	"WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) FROM n",
	"SELECT count(DISTINCT md5(a.remark || b.remark || c.hive_id)) FROM inspection a, inspection b, inspection c",
}

// How much longer an ordinary submission takes while ten seats run hostile statements, against the same on an idle
// service in the same run, by turns. The figure is the ratio of the medians.
func BenchmarkSubmissionBesideHostileRuns(b *testing.B) {
	_, quiet := whole.Newcomer(b)
	setBenchPaper(b)
	others := make([]*client.Client, 10)
	for i := range others {
		_, others[i] = whole.Newcomer(b)
	}
	times := func(n int) []time.Duration { return submissionTimes(b, quiet, n) }
	times(50) // warm
	var idle, busy []time.Duration
	b.ResetTimer()
	for b.Loop() {
		idle = append(idle, times(100)...)
		during, end := context.WithCancel(ctx)
		var all sync.WaitGroup
		for i, c := range others {
			all.Go(func() {
				for n := i; during.Err() == nil; n++ {
					_, _ = client.Read[client.Run](
						c.Run(during, client.RunRequest{Paper: "first-look", Sql: heavy[n%len(heavy)]}),
					)
				}
			})
		}
		time.Sleep(time.Second) // until all are at it
		busy = append(busy, times(200)...)
		end()
		all.Wait()
		time.Sleep(500 * time.Millisecond)
	}
	reportBeside(b, idle, busy)
}

// submissionTimes are what so many submissions took, one after the other.
func submissionTimes(b *testing.B, c *client.Client, n int) []time.Duration {
	b.Helper()
	all := make([]time.Duration, n)
	for i := range all {
		start := time.Now()
		submitBench(b, c)
		all[i] = time.Since(start)
		time.Sleep(5 * time.Millisecond) // as a learner would not, but less than a learner does
	}
	return all
}

// reportBeside reports what submissions took on an idle service, and beside something else.
func reportBeside(b *testing.B, idle, busy []time.Duration) {
	slices.Sort(idle)
	slices.Sort(busy)
	ms := func(all []time.Duration, part float64) float64 {
		return float64(all[int(float64(len(all)-1)*part)].Microseconds()) / 1000
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(ms(idle, 0.5), "idle-ms")
	b.ReportMetric(ms(busy, 0.5), "busy-ms")
	b.ReportMetric(ms(busy, 0.95)/ms(idle, 0.95), "ratio-p95")
	b.ReportMetric(ms(busy, 0.5)/ms(idle, 0.5), "ratio")
}

// runaways are queries that burn a processor until they are stopped.
var runaways = []string{
	"SELECT count(*) FROM generate_series(1, 1000000000000)",
	"SELECT count(*) FROM inspection a, inspection b, inspection c, inspection d",
	"SELECT sum(length(md5(n::text))) FROM generate_series(1, 1000000000) AS n",
}

// How much longer the slowest of a hundred submissions takes while ten learners run what never ends, against the same
// without them in the same run, by turns: of 200 learners who submit once a second each. The figure is the ratio.
func BenchmarkAGroupBesideRunaways(b *testing.B) {
	setBenchPaper(b)
	transport := &http.Transport{MaxIdleConnsPerHost: 300}
	group, others := make([]*client.Client, 200), make([]*client.Client, 10)
	for i := range group {
		_, group[i] = whole.Newcomer(b)
		group[i].Client = &http.Client{Transport: transport}
	}
	for i := range others {
		_, others[i] = whole.Newcomer(b)
	}
	const rounds = 10
	times := func() (all []time.Duration) {
		var mu sync.Mutex
		var working sync.WaitGroup
		for i, c := range group {
			working.Go(func() {
				next := time.Now().Add(time.Second * time.Duration(i) / time.Duration(len(group)))
				for range rounds {
					time.Sleep(time.Until(next))
					next = next.Add(time.Second)
					start := time.Now()
					a, err := client.Read[client.Attempt](
						c.Submit(ctx, "bench", "strong", client.Submission{Sql: benchWork}),
					)
					if err != nil || a.Outcome != client.Correct {
						b.Errorf("got %+v, %v", a, err)
						return
					}
					mu.Lock()
					all = append(all, time.Since(start))
					mu.Unlock()
				}
			})
		}
		working.Wait()
		return all
	}
	times() // warm
	var idle, busy []time.Duration
	b.ResetTimer()
	for b.Loop() {
		idle = append(idle, times()...)
		during, end := context.WithCancel(ctx)
		var all sync.WaitGroup
		for i, c := range others {
			all.Go(func() {
				for n := i; during.Err() == nil; n++ {
					_, _ = client.Read[client.Run](
						c.Run(during, client.RunRequest{Paper: "first-look", Sql: runaways[n%len(runaways)]}),
					)
				}
			})
		}
		time.Sleep(time.Second) // until all are at it
		busy = append(busy, times()...)
		end()
		all.Wait()
		time.Sleep(500 * time.Millisecond)
	}
	slices.Sort(idle)
	slices.Sort(busy)
	of := func(all []time.Duration, part float64) float64 {
		return float64(all[int(float64(len(all)-1)*part)].Microseconds()) / 1000
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(of(idle, 0.5), "idle-ms")
	b.ReportMetric(of(busy, 0.5), "busy-ms")
	b.ReportMetric(of(idle, 0.99), "idle-p99-ms")
	b.ReportMetric(of(busy, 0.99), "busy-p99-ms")
	b.ReportMetric(of(busy, 0.99)/of(idle, 0.99), "ratio-p99")
}
