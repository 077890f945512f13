package grading

import (
	"context"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/pack"
	"examen/internal/practice"
)

// recorder notes what is run on a server.
type recorder struct {
	server
	mu   sync.Mutex
	runs []practice.Run
}

func (r *recorder) Run(ctx context.Context, run practice.Run, sink practice.Sink) (practice.Execution, error) {
	r.mu.Lock()
	r.runs = append(r.runs, run)
	r.mu.Unlock()
	return r.server.Run(ctx, run, sink)
}

// A paper of ten exercises on the apiary dataset is inspected, mutations and all, against the same queries run one
// after the other in a session of bare pgx that reads all their rows. The figure is the ratio of the mutations that are
// tried a second; both are measured by turns.
func BenchmarkMutations(b *testing.B) {
	d := openDemo(b)
	var ten []pack.Section
	for _, paper := range d.papers {
		for _, section := range paper.Sections {
			if section.Exercise != nil && len(ten) < 10 && section.Exercise.Slug != "all-about-grades" {
				ten = append(ten, section)
			}
		}
	}
	d.Paper = &pack.Paper{Slug: "ten", Sections: ten}
	sessions := map[string]*pgx.Conn{}
	inspect := func() (mutations int, took time.Duration, runs []practice.Run) {
		noted := &recorder{server: d.bench.server}
		start := time.Now()
		found, err := on(noted, seed).Inspect(ctx, d.Inspection)
		if err != nil {
			b.Fatal(err)
		}
		took = time.Since(start)
		for _, s := range found.Strengths {
			mutations += s.Mutations
		}
		return mutations, took, noted.runs
	}
	bare := func(runs []practice.Run) time.Duration {
		for _, run := range runs {
			if sessions[run.Database] == nil {
				config, err := pgx.ParseConfig(url)
				if err != nil {
					b.Fatal(err)
				}
				config.Database = run.Database
				if sessions[run.Database], err = pgx.ConnectConfig(ctx, config); err != nil {
					b.Fatal(err)
				}
				b.Cleanup(func() { _ = sessions[run.Database].Close(ctx) })
			}
		}
		start := time.Now()
		for _, run := range runs { // an error is a result, too
			_, _ = sessions[run.Database].PgConn().ExecParams(ctx, run.SQL, nil, nil, nil, nil).Close()
		}
		return time.Since(start)
	}
	_, _, runs := inspect() // warm
	bare(runs)
	var mutations int
	var ours, theirs, longest time.Duration
	b.ResetTimer()
	for b.Loop() {
		n, took, runs := inspect()
		mutations, ours, longest = mutations+n, ours+took, max(longest, took)
		theirs += bare(runs)
	}
	b.ReportMetric(float64(mutations)/ours.Seconds(), "mutations/s")
	b.ReportMetric(theirs.Seconds()/ours.Seconds(), "of-bare")
	b.ReportMetric(longest.Seconds(), "s/ten-exercises")
}

// How many of the wrong answers that would pass are told apart by the rows that are proposed: to the demo's papers, and
// to the observatory's, whose tables hold more than a million rows.
func BenchmarkProposedRows(b *testing.B) {
	for _, name := range []string{"heather-hill", "observatory"} {
		b.Run(name, func(b *testing.B) { benchmarkProposedRows(b, openPack(b, name), name) })
	}
}

func benchmarkProposedRows(b *testing.B, d *demo, name string) {
	survivors, told := 0, 0
	for b.Loop() {
		for i := range d.papers {
			d.Paper = &d.papers[i]
			found, err := d.Inspect(ctx, d.Inspection)
			if err != nil {
				b.Fatal(err)
			}
			scratch, err := d.server.Scratch(ctx, practice.Order{
				Database: fmt.Sprintf("grading_%d", time.Now().UnixNano()), Scripts: d.setup,
				Files: os.DirFS("../../packs/" + name),
			})
			if err != nil {
				b.Fatal(err)
			}
			proposed, err := d.Strengthen(ctx, Strengthening{
				Paper: d.Paper, Strengths: found.Strengths, Tables: d.Tables, Scratch: scratch,
				Applies: func(*pack.Exercise) bool { return true }, Step: func(string) {},
			})
			if closed := scratch.Close(ctx); err != nil || closed != nil {
				b.Fatal(err, closed)
			}
			for _, s := range found.Strengths {
				survivors += len(s.Survivors)
			}
			for _, p := range proposed.Proposals {
				told += len(p.Tells)
			}
			for _, left := range proposed.Left {
				b.Logf("%s/%s: no rows for: %s", d.Paper.Slug, left.Exercise, left.Survivor.Sentence)
			}
		}
	}
	b.ReportMetric(float64(told)/float64(survivors), "told-apart")
	b.ReportMetric(float64(survivors)/float64(b.N), "survivors")
}
