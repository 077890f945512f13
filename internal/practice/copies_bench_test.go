package practice_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A copy, with its role and all that fences it, beside the bare CREATE DATABASE ... TEMPLATE of the same template; and
// how long a learner waits for the first change in one that is ready. Of a small dataset, and of one of 50 MB.
func BenchmarkCopy(b *testing.B) {
	b.Run("small", func(b *testing.B) { benchmarkCopy(b, hives, "UPDATE hive SET name = name WHERE hive_id = 1") })
	b.Run("50 MB", func(b *testing.B) {
		benchmarkCopy(b, files{"s.sql": "CREATE TABLE large AS SELECT i, repeat('x', 100) AS t FROM " +
			"generate_series(1, 310000) AS i; ALTER TABLE large ADD PRIMARY KEY (i);"},
			"UPDATE large SET t = 'y' WHERE i = 1")
	})
}

func benchmarkCopy(b *testing.B, scripts files, change string) {
	ctx := context.Background()
	s, err := practice.Open(ctx, []string{url}, practice.Options{Limits: practice.DefaultLimits})
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Build(ctx, scripts.order("bench_copy")); err != nil {
		b.Fatal(err)
	}
	defer func() { _ = s.Drop(ctx, "bench_copy") }()
	admin, err := pgx.Connect(ctx, url)
	if err != nil {
		b.Fatal(err)
	}
	defer admin.Close(ctx)
	exec := func(sql string) {
		if _, err := admin.Exec(ctx, sql); err != nil {
			b.Fatal(err)
		}
	}
	statements, err := sqltext.ReadStatements(change)
	if err != nil {
		b.Fatal(err)
	}
	var bare, copied, first time.Duration
	for i := 0; b.Loop(); i++ {
		begun := time.Now()
		exec(fmt.Sprintf("CREATE DATABASE bare_%d TEMPLATE template_of_bench_copy", i))
		bare += time.Since(begun)
		exec(fmt.Sprintf("DROP DATABASE bare_%d", i))
		begun = time.Now()
		c, err := s.Copies().Make(ctx, "bench_copy")
		copied += time.Since(begun)
		if err != nil {
			b.Fatal(err)
		}
		drop(b, s, c)
		s.Copies().Warm("bench_copy")
		for s.Copies().Ready("bench_copy") < 2 {
			time.Sleep(10 * time.Millisecond)
		}
		begun = time.Now()
		if c, err = s.Copies().Take(ctx, "bench_copy"); err != nil {
			b.Fatal(err)
		}
		if _, err = s.Copies().Perform(ctx, practice.Script{
			Learner: 1, Database: c.Database, Build: "bench_copy", Statements: statements,
		}, func(int) practice.Sink { return &practice.Collector{} }); err != nil {
			b.Fatal(err)
		}
		first += time.Since(begun)
		drop(b, s, c)
	}
	b.ReportMetric(float64(copied)/float64(bare), "x-bare")
	b.ReportMetric(float64(copied.Milliseconds())/float64(b.N), "ms/copy")
	b.ReportMetric(float64(first.Milliseconds())/float64(b.N), "ms/first-change")
}

func drop(b *testing.B, s *practice.Servers, c *practice.Copy) {
	if err := s.Copies().Drop(context.Background(), c.Database); err != nil {
		b.Fatal(err)
	}
}

// Memory and disk after many copies were used and left.
func BenchmarkCopiesLeaveNothing(b *testing.B) {
	ctx := context.Background()
	s, err := practice.Open(ctx, []string{url}, practice.Options{Limits: practice.DefaultLimits})
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Build(ctx, hives.order("bench_left")); err != nil {
		b.Fatal(err)
	}
	defer func() { _ = s.Drop(ctx, "bench_left") }()
	admin, err := pgx.Connect(ctx, url)
	if err != nil {
		b.Fatal(err)
	}
	defer admin.Close(ctx)
	var data string
	if err := admin.QueryRow(ctx, "SHOW data_directory").Scan(&data); err != nil {
		b.Fatal(err)
	}
	statements, err := sqltext.ReadStatements("DELETE FROM inspection; CREATE TABLE t AS SELECT 1")
	if err != nil {
		b.Fatal(err)
	}
	use := func(n int) {
		for range n {
			c, err := s.Copies().Make(ctx, "bench_left")
			if err == nil {
				_, err = s.Copies().Perform(ctx, practice.Script{
					Learner: 1, Database: c.Database, Build: "bench_left", Statements: statements,
				}, func(int) practice.Sink { return &practice.Collector{} })
			}
			if err == nil {
				err = s.Copies().Drop(ctx, c.Database)
			}
			if err != nil {
				b.Fatal(err)
			}
		}
	}
	taken := func() (heap, disk int64) {
		_, _ = admin.Exec(ctx, "CHECKPOINT")
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		_ = filepath.WalkDir(filepath.Join(data, "base"), func(_ string, d os.DirEntry, err error) error {
			if info, failed := d.Info(); err == nil && failed == nil && !d.IsDir() {
				disk += info.Size()
			}
			return nil
		})
		return int64(m.HeapAlloc), disk
	}
	use(10)
	heap, disk := taken()
	for b.Loop() {
		use(1000)
	}
	heapThen, diskThen := taken()
	b.ReportMetric(float64(heapThen)/float64(heap), "x-heap")
	b.ReportMetric(float64(diskThen)/float64(disk), "x-disk")
}
