package test

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// wrongAnswers are to exercises of the demo's first paper, one for each kind of mistake.
var wrongAnswers = [][2]string{
	{"high-and-strong", "SELECT hive_id, name FROM hive WHERE kind = 'stacked' AND strength > 8"},
	{"names-and-valleys", "SELECT name FROM apiary"},
	{"names-and-valleys", "SELECT name, valley FROM apiary WHERE altitude_m > 300"},
	{"hives-by-strength", "SELECT name, kind, strength FROM hive ORDER BY strength DESC, name"},
	{"hives-by-strength", "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength, name"},
	{"calm-bees", "SELECT inspection_id, remark FROM inspection WHERE remark = '%calm%'"},
}

// Submissions of wrong answers a second with 32 learners at once, by a service that looks for causes, against those by
// one on the same servers that does not. No two texts are the same, so that no cause is known already.
func BenchmarkWrongAnswers(b *testing.B) {
	f := newFleet()
	f.startServers(b)
	start := func(command string, args ...string) string {
		s, err := whole.Begin(command, append(args, "--limit-calls", "1000000",
			"--records-url", f.records, "--practice-url", f.practice[0])...)
		if err != nil {
			b.Fatal(err)
		}
		b.Cleanup(s.Stop)
		return s.URL
	}
	with, without := start("demo"), start("serve", "--causes", "0")
	records, err := pgxpool.New(ctx, f.records)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(records.Close)
	transport := &http.Transport{MaxIdleConnsPerHost: atOnce}
	teacher := whole.As(b, with, demo.InstructorName, demo.InstructorPassword)
	learners := map[string][]*client.Client{}
	for n := range atOnce {
		name := fmt.Sprintf("learner%d", n)
		if _, err := client.Read[client.AddedMember](teacher.AddMember(
			ctx, "evening-group", client.NewMember{Name: name, Password: demo.LearnerPassword},
		)); err != nil {
			b.Fatal(err)
		}
		for _, url := range []string{with, without} {
			c := whole.As(b, url, name, demo.LearnerPassword)
			c.Client = &http.Client{Transport: transport}
			learners[url] = append(learners[url], c)
		}
	}
	var asked [atOnce]int
	submitting := func(url string) func(n int) error {
		return func(n int) error {
			asked[n]++
			wrong := wrongAnswers[(n+asked[n])%len(wrongAnswers)]
			sql := fmt.Sprintf("%s -- %d, %d", wrong[1], n, asked[n])
			a, err := client.Read[client.Attempt](
				learners[url][n].Submit(ctx, "first-look", wrong[0], client.Submission{Sql: sql}))
			if err == nil && a.Outcome != client.Incorrect {
				err = fmt.Errorf("%s is %s", wrong[1], a.Outcome)
			}
			return err
		}
	}
	// Those that are not found within 2.5 s of their attempts are given up, and one that has begun takes 2 s at most.
	settle := func() { time.Sleep(5 * time.Second) }
	found := func() (n int) {
		if err := records.QueryRow(ctx, "SELECT count(*) FROM query_cause").Scan(&n); err != nil {
			b.Fatal(err)
		}
		return n
	}
	rate(b, time.Second/2, submitting(without)) // both warm
	rate(b, time.Second/2, submitting(with))
	settle()
	b.ResetTimer()
	var on, off, seconds float64
	causes, rounds := 0, 0
	for b.Loop() {
		off += rate(b, time.Second, submitting(without))
		before, start := found(), time.Now()
		on += rate(b, time.Second, submitting(with))
		causes, seconds = causes+found()-before, seconds+time.Since(start).Seconds()
		settle()
		rounds++
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(on/float64(rounds), "with-causes/s")
	b.ReportMetric(off/float64(rounds), "without/s")
	b.ReportMetric(float64(causes)/seconds, "causes/s")
	b.ReportMetric(on/off, "ratio")
}
