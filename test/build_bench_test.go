package test

import (
	"bufio"
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"examen/test/whole"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/postgres"
	"examen/internal/practice"
	"examen/internal/server"
)

// Building from a script against `psql -1 -f` of the same file, by turns in one run on the same server. The figure is
// the ratio of the times. What is measured of Examen is the whole build: making the database, running the script,
// counting rows, reading the catalogue.
func benchmarkBuild(b *testing.B, write func(w *bufio.Writer)) {
	folder := b.TempDir()
	file := filepath.Join(folder, "setup.sql")
	f, err := os.Create(file)
	if err != nil {
		b.Fatal(err)
	}
	w := bufio.NewWriter(f)
	write(w)
	if err := w.Flush(); err != nil {
		b.Fatal(err)
	}
	f.Close()
	info, _ := os.Stat(file)

	options := server.PracticeCluster
	options.Folder, options.Log = filepath.Join(whole.DataDir(b), "practice"), slog.New(slog.DiscardHandler)
	cluster, err := postgres.Start(ctx, options)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(cluster.Stop)
	pool, err := pgxpool.New(ctx, cluster.URL("postgres"))
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(pool.Close)
	own, err := practice.Open(ctx, []string{cluster.URL("postgres")}, practice.Options{Limits: practice.DefaultLimits})
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(own.Close)
	psql := func() {
		if _, err := pool.Exec(ctx, "CREATE DATABASE bench_psql TEMPLATE template0"); err != nil {
			b.Fatal(err)
		}
		defer pool.Exec(ctx, "DROP DATABASE bench_psql WITH (FORCE)") //nolint:errcheck // the next run says
		start := time.Now()
		if out, err := exec.Command(
			"psql", "-X", "-q", "-v", "ON_ERROR_STOP=1", "-1", "-f", file, cluster.URL("bench_psql"),
		).CombinedOutput(); err != nil {
			b.Fatalf("%v: %s", err, out)
		}
		theirs += time.Since(start)
	}
	examen := func() {
		start := time.Now()
		if _, err := own.Build(
			context.Background(),
			practice.Order{Database: "bench_examen", Files: os.DirFS(folder), Scripts: []string{"setup.sql"}},
		); err != nil {
			b.Fatal(err)
		}
		ours += time.Since(start)
		if err := own.Drop(ctx, "bench_examen"); err != nil {
			b.Fatal(err)
		}
	}
	psql() // both warm
	examen()
	ours, theirs = 0, 0
	rounds := 0
	b.ResetTimer()
	for b.Loop() {
		psql()
		examen()
		rounds++
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(float64(info.Size())/(1<<20), "MB")
	b.ReportMetric(ours.Seconds()/float64(rounds), "build-s")
	b.ReportMetric(theirs.Seconds()/float64(rounds), "psql-s")
	b.ReportMetric(ours.Seconds()/theirs.Seconds(), "ratio")
}

var ours, theirs time.Duration

func BenchmarkBuildOfInserts(b *testing.B) {
	benchmarkBuild(b, func(w *bufio.Writer) {
		fmt.Fprintln(
			w,
			"CREATE TABLE reading (reading_id integer PRIMARY KEY, station text NOT NULL, at timestamp NOT NULL, "+
				"value numeric(8,2));",
		)
		for i := range 200_000 {
			fmt.Fprintf(
				w, "INSERT INTO reading VALUES (%d, 'station %d', '2026-01-01 00:00:%02d', %d.%02d);\n", i, i%40, i%60,
				i%1000, i%100,
			)
		}
	})
}

func BenchmarkBuildOfACopy(b *testing.B) {
	benchmarkBuild(b, func(w *bufio.Writer) {
		fmt.Fprintln(
			w,
			"CREATE TABLE reading (reading_id integer PRIMARY KEY, station text NOT NULL, at timestamp NOT NULL, "+
				"value numeric(8,2));\nCOPY reading FROM stdin;",
		)
		for i := range 1_000_000 {
			fmt.Fprintf(w, "%d\tstation %d\t2026-01-01 00:00:%02d\t%d.%02d\n", i, i%40, i%60, i%1000, i%100)
		}
		fmt.Fprintln(w, `\.`)
	})
}
