package test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// manyRows are a million rows by six columns: integers, a timestamp, text, numeric, double precision, boolean.
const manyRows = "SELECT measurement_id, taken_at, filter, magnitude, noise, usable FROM measurement WHERE " +
	"measurement_id <= 1000000"

// A submission whose result has a million rows, against draining the same rows with bare pgx, and against the same
// comparison in the database (EXCEPT ALL both ways). All by turns in one run, each figure a ratio of medians to that of
// draining: what else the machine does lengthens some of them, never shortens one.
func BenchmarkLargeResults(b *testing.B) {
	folder := filepath.Join(filepath.Dir(whole.SharedFolder), "large")
	service, err := whole.Begin("demo", "--with", "observatory", "--limit-time", "60s", "--data-dir", folder)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(service.Stop)
	teacher := whole.As(b, service.URL, demo.InstructorName, demo.InstructorPassword)
	paper := "---\npaper: large\ntitle: Large\ndataset: nights\n---\n\n## All {#all}\n\n```sql answer\n" +
		manyRows + "\n```\n"
	if _, err := client.Loaded(
		ctx, teacher,
		whole.Scripts(
			map[string]string{"pack.yaml": "pack: large\ntitle: Large\npapers: [paper.md]\n", "paper.md": paper},
		),
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
	if err := os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", service.Cmd.Process.Pid), []byte("5"), 0); err != nil {
		// from now on
		b.Fatal(err)
	}
	before := memory(b, service)
	a := submit(manyRows, client.Correct) // the reference answer's side is made once
	if a.RowCount != 1_000_000 {
		b.Fatalf("%d rows", a.RowCount)
	}
	records := whole.Superuser(b, folder, "records", "postgres")
	whole.Until(b, "the exercise's strength is known", func() bool { // which was begun as the pack was loaded
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
	practice := whole.Superuser(b, folder, "practice", database)
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
	timed := func(into *[]float64, f func()) {
		start := time.Now()
		f()
		*into = append(*into, time.Since(start).Seconds())
	}
	var drained, matched, shuffled, differing, fewDiffering, inside []float64
	b.ResetTimer()
	for b.Loop() {
		timed(&drained, drain)
		timed(&matched, func() { submit(manyRows, client.Correct) })
	}
	b.StopTimer()
	after := memory(b, service)
	for range b.N {
		timed(&shuffled, func() { submit(sorted, client.Correct) })
		timed(&differing, func() { submit(mismatch, client.Incorrect) })
		timed(&fewDiffering, func() { submit(few, client.Incorrect) })
		timed(&drained, drain)
		timed(&inside, inDatabase)
		timed(&matched, func() { submit(manyRows, client.Correct) })
	}
	atMost := memory(b, service)
	each := median(drained)
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(each, "drain-s")
	b.ReportMetric(median(matched)/each, "match/drain")
	b.ReportMetric(median(differing)/each, "mismatch/drain")
	b.ReportMetric(median(fewDiffering)/each, "ten-rows/drain")
	b.ReportMetric(median(shuffled)/each, "sorted-match/drain")
	b.ReportMetric(median(inside)/median(matched), "except-all/match")
	b.ReportMetric(after-before, "match-MB")
	b.ReportMetric(atMost-before, "mismatch-MB")
	for _, sql := range []string{mismatch, few} {
		for _, f := range submit(sql, client.Incorrect).Findings {
			b.Logf("%s: %s", f.Kind, f.Sentence)
		}
	}
}

// median returns the middle one of some figures.
func median(all []float64) float64 {
	slices.Sort(all)
	return (all[(len(all)-1)/2] + all[len(all)/2]) / 2
}

// memory is the most that a service has had resident, in MB.
func memory(b *testing.B, s *whole.Service) float64 {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.Cmd.Process.Pid))
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
