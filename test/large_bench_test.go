package test

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
)

// manyRows are a million rows by six columns: integers, a timestamp, text, numeric, double precision, boolean.
const manyRows = "SELECT measurement_id, taken_at, filter, magnitude, noise, usable FROM measurement WHERE " +
	"measurement_id <= 1000000"

// A submission whose result has a million rows, against draining the same rows with bare pgx, and against the same
// comparison in the database (EXCEPT ALL both ways). All by turns in one run, each figure a ratio to draining.
func BenchmarkLargeResults(b *testing.B) {
	folder := filepath.Join(filepath.Dir(sharedFolder), "large")
	service, err := startService("demo", "--with", "observatory", "--limit-time", "60s", "--data-dir", folder)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(service.stop)
	teacher := as(b, service.url, demo.InstructorName, demo.InstructorPassword)
	paper := "---\npaper: large\ntitle: Large\ndataset: nights\n---\n\n## All {#all}\n\n```sql answer\n" +
		manyRows + "\n```\n"
	if _, err := client.Loaded(
		ctx, teacher,
		scripts(map[string]string{"pack.yaml": "pack: large\ntitle: Large\npapers: [paper.md]\n", "paper.md": paper}),
	); err != nil {
		b.Fatal(err)
	}
	submit := func(sql string, want client.Outcome) client.Attempt {
		a, err := client.Read[client.Attempt](teacher.Submit(ctx, "large", "all", client.Submission{Sql: sql}))
		if err != nil || a.Outcome != want {
			b.Fatalf("%s: %v %s %+v", sql, err, a.Outcome, a.Error)
		}
		return a
	}
	if err := os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", service.cmd.Process.Pid), []byte("5"), 0); err != nil {
		// from now on
		b.Fatal(err)
	}
	before := memory(b, service)
	a := submit(manyRows, client.Correct) // the reference answer's side is made once
	if a.RowCount != 1_000_000 {
		b.Fatalf("%d rows", a.RowCount)
	}
	records := superuser(b, folder, "records", "postgres")
	until(b, "the exercise's strength is known", func() bool { // which was begun as the pack was loaded
		var under int
		err := records.QueryRow(
			ctx, "SELECT count(*) FROM river_job WHERE state IN ('available', 'running', 'retryable', 'scheduled')",
		).Scan(&under)
		return err == nil && under == 0
	})
	var database string
	if err := records.QueryRow(
		ctx,
		"SELECT database FROM build JOIN dataset ON dataset.id = dataset_id WHERE dataset.name = 'nights' ORDER BY "+
			"number DESC LIMIT 1",
	).Scan(&database); err != nil {
		b.Fatal(err)
	}
	practice := superuser(b, folder, "practice", database)
	drain := func() {
		rows, err := practice.Query(ctx, manyRows)
		if err != nil {
			b.Fatal(err)
		}
		for rows.Next() {
		}
		if rows.Err() != nil || rows.CommandTag().RowsAffected() != 1_000_000 {
			b.Fatal(rows.Err(), rows.CommandTag())
		}
	}
	inDatabase := func() {
		var n int
		sql := fmt.Sprintf(
			"SELECT count(*) FROM ((%[1]s EXCEPT ALL %[1]s) UNION ALL (%[1]s EXCEPT ALL %[1]s)) AS d", manyRows,
		)
		if err := practice.QueryRow(ctx, sql).Scan(&n); err != nil || n != 0 {
			b.Fatal(n, err)
		}
	}
	mismatch := strings.Replace(manyRows, "noise,", "noise * 2,", 1)
	few := strings.Replace(
		manyRows, "magnitude,", "CASE WHEN measurement_id % 100000 = 7 THEN 1 ELSE magnitude END,", 1,
	)
	sorted := manyRows + " ORDER BY noise"
	timed := func(f func()) float64 {
		start := time.Now()
		f()
		return time.Since(start).Seconds()
	}
	var drained, matched, shuffled, differing, fewDiffering, inside float64
	b.ResetTimer()
	for b.Loop() {
		drained += timed(drain)
		matched += timed(func() { submit(manyRows, client.Correct) })
	}
	b.StopTimer()
	after := memory(b, service)
	for range b.N {
		shuffled += timed(func() { submit(sorted, client.Correct) })
		differing += timed(func() { submit(mismatch, client.Incorrect) })
		fewDiffering += timed(func() { submit(few, client.Incorrect) })
		drained += timed(drain)
		inside += timed(inDatabase)
		matched += timed(func() { submit(manyRows, client.Correct) })
	}
	atMost := memory(b, service)
	n := float64(b.N)
	matched /= 2 // as often as it was drained
	each := drained / n / 2
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(each, "drain-s")
	b.ReportMetric(matched/n/each, "match/drain")
	b.ReportMetric(differing/n/each, "mismatch/drain")
	b.ReportMetric(fewDiffering/n/each, "ten-rows/drain")
	b.ReportMetric(shuffled/n/each, "sorted-match/drain")
	b.ReportMetric(inside/matched, "except-all/match")
	b.ReportMetric(after-before, "match-MB")
	b.ReportMetric(atMost-before, "mismatch-MB")
	for _, sql := range []string{mismatch, few} {
		for _, f := range submit(sql, client.Incorrect).Findings {
			b.Logf("%s: %s", f.Kind, f.Sentence)
		}
	}
}

// memory is the most that a service has had resident, in MB.
func memory(b *testing.B, s *service) float64 {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	if err != nil {
		b.Fatal(err)
	}
	_, line, _ := strings.Cut(string(status), "VmHWM:")
	kB, err := strconv.Atoi(strings.Fields(line)[0])
	if err != nil {
		b.Fatal(err)
	}
	return float64(kB) / 1024
}
