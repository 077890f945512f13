package test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// processes are a server's process and those it began.
func processes(t *testing.T, server int) []int {
	t.Helper()
	if server <= 0 { // 0 would be the tests themselves
		t.Fatal("no server runs")
	}
	all := []int{server}
	stats, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range stats {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // it has ended
		}
		// The name, in parentheses, may hold anything; the state and the parent follow it.
		fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:]))
		if parent, _ := strconv.Atoi(fields[1]); parent == server {
			pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(file)))
			all = append(all, pid)
		}
	}
	return all
}

// While the practice server stands still no right answer is judged otherwise: it is judged later, or refused, with
// nothing stored.
func TestAStallIsNobodysFault(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder, "--limit-time", "2s")
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	const learners, rounds = 16, 6
	var judged, refused atomic.Int64
	var wrong sync.Map
	var all sync.WaitGroup
	var clients []*client.Client
	for i := range learners {
		name := fmt.Sprintf("stalled-%d", i)
		if _, err := client.Read[client.AddedMember](
			teacher.AddMember(
				ctx, "evening-group", client.NewMember{Name: name, DisplayName: name, Password: demo.LearnerPassword},
			),
		); err != nil {
			t.Fatal(err)
		}
		clients = append(clients, whole.As(t, s.URL, name, demo.LearnerPassword))
	}
	right := map[string]string{
		"1": "SELECT valley, name FROM (SELECT name, valley FROM apiary) AS a(valley, name)",
		"2": "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC",
	}
	for sql, exercise := range map[string]string{right["1"]: "1", right["2"]: "2"} {
		if a, err := client.Read[client.Attempt](
			teacher.Submit(ctx, "first-look", exercise, client.Submission{Sql: sql}),
		); err != nil || a.Outcome != client.Correct {
			t.Fatalf("%s: %s, %v", sql, a.Outcome, err)
		}
	}
	for i, c := range clients {
		all.Go(func() {
			for round := range rounds {
				exercise := strconv.Itoa(1 + round%2)
				sql := fmt.Sprintf("%s -- %d", right[exercise], i*rounds+round)
				a, err := client.Read[client.Attempt](
					c.Submit(ctx, "first-look", exercise, client.Submission{Sql: sql}),
				)
				var p *client.ProblemError
				switch {
				case err == nil && a.Outcome == client.Correct:
					judged.Add(1)
				case errors.As(err, &p) && p.Status == 503:
					refused.Add(1)
				default:
					wrong.Store(sql, fmt.Sprint(a.Outcome, sentences(a), err))
				}
			}
		})
	}
	whole.Until(t, "some answers are judged", func() bool { return judged.Load() >= 4 })
	frozen := processes(t, whole.ServerPID(folder, "practice"))
	signal := func(signal syscall.Signal) {
		for _, pid := range frozen {
			_ = syscall.Kill(pid, signal) // a session may have ended
		}
	}
	t.Cleanup(func() { signal(syscall.SIGCONT) })
	signal(syscall.SIGSTOP)
	for limit := time.Now().Add(4 * time.Minute); refused.Load() < 4; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatal("no answer is refused while the server stands still")
		}
	}
	signal(syscall.SIGCONT)
	all.Wait()
	wrong.Range(func(sql, what any) bool { t.Errorf("%s\n%s", sql, what); return true })
	stored := int64(0)
	for _, c := range clients {
		page, err := client.Read[client.HistoryPage](c.ListHistory(ctx, &client.ListHistoryParams{Limit: 100}))
		if err != nil {
			t.Fatal(err)
		}
		stored += int64(len(page.Entries))
	}
	t.Logf("%d judged, %d refused, %d stored", judged.Load(), refused.Load(), stored)
	if stored != judged.Load() {
		t.Errorf("%d are judged, and %d are stored", judged.Load(), stored)
	}
}
