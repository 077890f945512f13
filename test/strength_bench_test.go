package test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/core/pack"
	"examen/packs"
	"examen/test/whole"
)

// tenExercises is a paper of ten exercises of the demo's, whose answers are other texts with each number: what was
// found of them before does not count.
func tenExercises(b *testing.B, number int) string {
	b.Helper()
	var text strings.Builder
	text.WriteString("---\npaper: ten\ntitle: Ten\ndataset: apiary\n---\n")
	n := 0
	for _, name := range []string{"first-look", "what-is-missing", "in-the-honey-room"} {
		content, err := packs.Files.ReadFile("heather-hill/papers/" + name + ".md")
		if err != nil {
			b.Fatal(err)
		}
		for _, part := range pack.Parts(string(content)) {
			if part.Exercise && n < 10 {
				text.WriteString(strings.Replace(
					part.Text, "```sql answer\n", fmt.Sprintf("```sql answer\n-- %d\n", number), 1,
				))
				n++
			}
		}
	}
	return text.String()
}

// How much longer a submission takes while papers of ten exercises are inspected, mutations and all, one after the
// other, against the same on an idle service in the same run, by turns. The figure is the ratio of the medians.
func BenchmarkSubmissionBesideAnInspection(b *testing.B) {
	_, learner := whole.Newcomer(b)
	teacher := whole.Hazel(b)
	setBenchPaper(b)
	if _, err := client.Read[client.Writing](teacher.CreatePaper(ctx, client.NewPaper{
		Slug: "ten", Title: "Ten", Dataset: "apiary",
	})); err != nil {
		b.Fatal(err)
	}
	number, inspected := 0, 0
	var inspecting time.Duration
	inspect := func() {
		number++
		start := time.Now()
		base, err := client.Read[string](teacher.GetWritingText(ctx, "ten"))
		if err != nil {
			b.Error(err)
			return
		}
		_, err = client.Read[client.Replaced](teacher.ReplaceWriting(ctx, "ten", client.WholeText{
			Base: base, Text: tenExercises(b, number),
		}))
		if err != nil {
			b.Error(err)
			return
		}
		job, err := client.Read[client.Job](teacher.CheckPaper(ctx, "ten"))
		if err != nil {
			b.Error(err)
			return
		}
		job, err = client.Follow(ctx, teacher, job, nil)
		if err != nil || len(job.Report.Check.Strengths) != 10 {
			b.Errorf("got %+v, %v", job, err)
		}
		inspected, inspecting = inspected+1, inspecting+time.Since(start)
	}
	times := func(n int) []time.Duration { return submissionTimes(b, learner, n) }
	times(50) // warm
	inspect()
	var idle, busy []time.Duration
	b.ResetTimer()
	for b.Loop() {
		idle = append(idle, times(100)...)
		during, end := context.WithCancel(ctx)
		ended := make(chan struct{})
		go func() {
			defer close(ended)
			for during.Err() == nil {
				inspect()
			}
		}()
		time.Sleep(300 * time.Millisecond)
		busy = append(busy, times(200)...)
		end()
		<-ended
		time.Sleep(2 * time.Second) // until the remarks are renewed, too
	}
	reportBeside(b, idle, busy)
	b.ReportMetric(inspecting.Seconds()/float64(inspected), "s/inspection")
}
