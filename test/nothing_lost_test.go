package test

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/postgres"
	"examen/test/whole"
)

// A worker is a learner who goes on submitting and writing, whatever becomes of the service: what is not acknowledged
// is sent again, by the same key, until it is.
type worker struct {
	name   string
	client *client.Client
	chance *rand.Rand
	// patience is how long the worker waits before trying again; what is refused then is noted.
	patience time.Duration

	mu           sync.Mutex
	failures     int    // of calls
	last         string // the latest
	refusals     []string
	acknowledged map[string]string // attempts, by the keys that the worker made
	draft        int               // the number in the last draft that was acknowledged
}

// begin has workers work until end is called, or the test has ended.
func begin(t *testing.T, workers []*worker) (end func()) {
	t.Helper()
	done := make(chan struct{})
	var all sync.WaitGroup
	for _, w := range workers {
		all.Go(func() { w.works(done) })
	}
	end = sync.OnceFunc(func() {
		close(done)
		all.Wait()
	})
	t.Cleanup(end)
	return end
}

// works submits and keeps drafts until done is closed. Every third answer is right.
func (w *worker) works(done <-chan struct{}) {
	for n := 1; ; n++ {
		select {
		case <-done:
			return
		default:
		}
		key := fmt.Sprintf("%s-%d", w.name, n)
		answer := fmt.Sprintf("SELECT name, valley FROM apiary -- %d", n)
		if n%3 > 0 {
			answer = fmt.Sprintf("SELECT valley, name FROM apiary -- %d", n)
		}
		w.until(done, func() error {
			a, err := client.Read[client.Attempt](
				w.client.Submit(ctx, "first-look", "1", client.Submission{Sql: answer, Key: key}),
			)
			if err == nil {
				w.mu.Lock()
				w.acknowledged[key] = a.Id
				w.mu.Unlock()
			}
			return err
		})
		w.until(done, func() error {
			_, err := client.Read[client.Draft](w.client.KeepDraft(
				ctx, "first-look", "2", client.DraftText{Sql: fmt.Sprintf("SELECT %d", n)},
			))
			if err == nil {
				w.mu.Lock()
				w.draft = n
				w.mu.Unlock()
			}
			return err
		})
		if w.chance.IntN(4) == 0 { // an answer that is lost on its way: the same is sent once more
			_, _ = client.Read[client.Attempt](
				w.client.Submit(ctx, "first-look", "1", client.Submission{Sql: answer, Key: key}),
			)
		}
	}
}

// until does something again until it is acknowledged, or done is closed.
func (w *worker) until(done <-chan struct{}, f func() error) {
	for again := false; ; again = true {
		err := f()
		if err == nil {
			return
		}
		w.mu.Lock()
		w.failures, w.last = w.failures+1, err.Error()
		if again || strings.Contains(err.Error(), "Log in") {
			w.refusals = append(w.refusals, err.Error())
		}
		w.mu.Unlock()
		select {
		case <-done:
			return
		case <-time.After(w.patience):
		}
	}
}

func listen(t *testing.T) net.Listener {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	return l
}

// freePort is a port on which nothing listens.
func freePort(t *testing.T) string {
	t.Helper()
	l := listen(t)
	defer func() { _ = l.Close() }()
	return l.Addr().String()
}

// However often the service or the server of the records is killed while learners submit, every attempt that was
// acknowledged is there, once; standings and marks agree with the checks; and drafts are what was acknowledged last.
func TestNothingIsLostHoweverOften(t *testing.T) {
	t.Parallel()
	var urls [2]string
	folders := [2]string{whole.DataDir(t), whole.DataDir(t)}
	for i := range urls {
		c, err := postgres.Start(context.Background(), postgres.Options{
			Folder: folders[i] + "/server", Super: "examen", Scratch: i == 1, Log: slog.New(slog.DiscardHandler),
		})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Stop)
		urls[i] = c.URL("postgres")
	}
	address := freePort(t)
	args := []string{"--records-url", urls[0], "--practice-url", urls[1], "--listen", address, "--limit-calls",
		"1000000"}
	first, err := whole.Begin("demo", args...)
	if err != nil {
		t.Fatal(err)
	}
	var workers []*worker
	for i, name := range []string{"elio", "goran", "hana", "luca"} {
		w := &worker{
			name: name, client: whole.As(t, first.URL, name, demo.LearnerPassword), acknowledged: map[string]string{},
			chance: rand.New(rand.NewPCG(16, uint64(i))), patience: 20 * time.Millisecond,
		}
		w.client.Client = &http.Client{Timeout: 20 * time.Second}
		workers = append(workers, w)
	}
	serve := func() *whole.Service {
		s, err := whole.Begin("serve", args...)
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	first.Stop()
	s := serve()
	t.Cleanup(func() { s.Stop() })
	end := begin(t, workers)
	chance := rand.New(rand.NewPCG(26, 11))
	acknowledged := func() (n int) {
		for _, w := range workers {
			w.mu.Lock()
			n += len(w.acknowledged)
			w.mu.Unlock()
		}
		return n
	}
	kills, crashes := 100, 20
	if testing.Short() {
		kills, crashes = 10, 3
	}
	for range kills {
		before := acknowledged()
		whole.Until(t, "somebody submits", func() bool { return acknowledged() > before })
		time.Sleep(time.Duration(chance.IntN(60)) * time.Millisecond) // at a random moment
		_ = s.Cmd.Process.Kill()
		s.Ended()
		s = serve()
	}
	for range crashes {
		before := acknowledged()
		whole.Until(t, "somebody submits", func() bool { return acknowledged() > before })
		time.Sleep(time.Duration(chance.IntN(60)) * time.Millisecond)
		whole.KillServer(t, folders[0], "server")
	}
	before := acknowledged()
	whole.Until(t, "it goes on", func() bool { return acknowledged() > before+10 })
	end()
	s.Stop()
	records, err := pgxpool.New(ctx, urls[0])
	if err != nil {
		t.Fatal(err)
	}
	defer records.Close()
	for _, w := range workers {
		w.isAllThere(t, records)
	}
	t.Logf("%d attempts were acknowledged", acknowledged())
}

// isAllThere compares what was acknowledged with the records.
func (w *worker) isAllThere(t *testing.T, records *pgxpool.Pool) {
	t.Helper()
	stored := map[string]string{}
	rows, err := records.Query(ctx, `SELECT client_key, attempt.id FROM attempt JOIN account ON account.id = account_id
		WHERE account.name = $1 AND client_key LIKE $1 || '-%'`, w.name)
	if err != nil {
		t.Fatal(err)
	}
	for rows.Next() {
		var key string
		var id int64
		if err := rows.Scan(&key, &id); err != nil {
			t.Fatal(err)
		}
		if stored[key] != "" {
			t.Errorf("%s is there twice", key)
		}
		stored[key] = strconv.FormatInt(id, 10)
	}
	for key, id := range w.acknowledged {
		if stored[key] != id {
			t.Errorf("%s was acknowledged as %s and is stored as %q", key, id, stored[key])
		}
	}
	if more := len(stored) - len(w.acknowledged); more < 0 || more > 1 { // the last may not have been acknowledged
		t.Errorf("%s: %d are stored, %d were acknowledged", w.name, len(stored), len(w.acknowledged))
	}
	// Every attempt has its check, and the standing is what comes of all checks, best first and of these the first.
	var attempts, checks, standing int
	var computed, best string
	var counts, bestID int64
	if err := records.QueryRow(ctx, `
		WITH work AS (
			SELECT attempt.id, held.mark, stands.attempts, stands.computed, stands.counts_id, held.id AS check_id
			FROM standing AS stands JOIN account ON account.id = stands.account_id
			JOIN exercise ON exercise.id = stands.exercise_id JOIN paper ON paper.id = exercise.paper_id
			JOIN attempt ON attempt.account_id = stands.account_id AND attempt.exercise_id = stands.exercise_id
			LEFT JOIN attempt_check AS held ON held.attempt_id = attempt.id
			WHERE account.name = $1 AND paper.slug = 'first-look' AND exercise.number = 1
		)
		SELECT count(DISTINCT id), count(check_id), max(attempts), max(computed)::text, max(mark)::text, max(counts_id),
		       (SELECT id FROM work ORDER BY mark DESC, id LIMIT 1)
		FROM work`, w.name).Scan(&attempts, &checks, &standing, &computed, &best, &counts, &bestID); err != nil {
		t.Fatal(err)
	}
	if attempts != checks || attempts != standing || computed != best || counts != bestID {
		t.Errorf("%s: %d attempts with %d checks stand as %d; %s is computed, %s is the best; %d counts, %d should",
			w.name, attempts, checks, standing, computed, best, counts, bestID)
	}
	var draft string
	if err := records.QueryRow(ctx, `SELECT draft.sql FROM draft JOIN account ON account.id = account_id
		JOIN exercise ON exercise.id = exercise_id JOIN paper ON paper.id = paper_id
		WHERE account.name = $1 AND paper.slug = 'first-look' AND exercise.number = 2`, w.name,
	).Scan(&draft); err != nil {
		t.Fatal(err)
	}
	kept, err := strconv.Atoi(strings.TrimPrefix(draft, "SELECT "))
	if err != nil || kept < w.draft || kept > w.draft+1 {
		t.Errorf("%s: the draft is %q, acknowledged was %d", w.name, draft, w.draft)
	}
}
