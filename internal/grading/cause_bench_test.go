package grading

import (
	"slices"
	"testing"
	"time"
)

// How long after the verdict the causes of wrong answers to the demo's exercises are there, against how long their
// checks take in the same run. Nothing else is done meanwhile.
func BenchmarkCauses(b *testing.B) {
	var all []time.Duration
	for folder, name := range mistaken {
		b.Run(name, func(b *testing.B) { all = append(all, benchmarkCauses(b, folder, name)...) })
	}
	b.Run("all", func(b *testing.B) {
		for b.Loop() { // they have been measured
		}
		b.ReportMetric(0, "ns/op")
		b.ReportMetric(ms(all, 0.5), "median-ms")
		b.ReportMetric(ms(all, 0.95), "p95-ms")
	})
}

// ms is how many milliseconds so large a part of all took at most.
func ms(all []time.Duration, part float64) float64 {
	slices.Sort(all)
	return all[int(part*float64(len(all)-1))].Seconds() * 1000
}

func benchmarkCauses(b *testing.B, folder, name string) (causes []time.Duration) {
	g, tasks, mistakes := mistakesAbout(b, folder, name)
	var checks []time.Duration
	for b.Loop() {
		for _, m := range mistakes {
			start := time.Now()
			if _, err := g.Grade(ctx, tasks[m.exercise], 1, m.sql); err != nil {
				b.Fatal(err)
			}
			decided := time.Now()
			if _, _, err := g.Cause(ctx, tasks[m.exercise], m.sql); err != nil {
				b.Fatal(err)
			}
			checks, causes = append(checks, decided.Sub(start)), append(causes, time.Since(decided))
		}
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(ms(causes, 0.5), "median-ms")
	b.ReportMetric(ms(causes, 0.95), "p95-ms")
	b.ReportMetric(ms(causes, 0.5)/ms(checks, 0.5), "checks")
	return causes
}

// How long the smallest examples of the wrong answers about the apiaries take, and how large a part of them has at most
// three rows of each table, within the limit of time; against their checks.
func BenchmarkExamples(b *testing.B) {
	g, tasks, mistakes := mistakesAbout(b, "heather-hill", "apiary")
	var checks, examples []time.Duration
	few := 0
	for b.Loop() {
		for _, m := range mistakes {
			start := time.Now()
			if _, err := g.Grade(ctx, tasks[m.exercise], 1, m.sql); err != nil {
				b.Fatal(err)
			}
			decided := time.Now()
			e, err := g.Example(ctx, tasks[m.exercise], m.sql)
			if err != nil {
				b.Fatal(err)
			}
			checks, examples = append(checks, decided.Sub(start)), append(examples, time.Since(decided))
			if e != nil && e.most() <= 3 {
				few++
			}
		}
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(float64(few)/float64(len(examples)), "small")
	b.ReportMetric(ms(examples, 0.5), "median-ms")
	b.ReportMetric(ms(examples, 0.95), "p95-ms")
	b.ReportMetric(ms(examples, 0.5)/ms(checks, 0.5), "checks")
}
