package records_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/records"
	"examen/internal/records/query"
)

// newJob is a job of a new account, whose files are coming.
func newJob(t *testing.T, s *records.Store, name string) query.Job {
	t.Helper()
	account := must[query.Account](t)(
		s.CreateAccount(ctx, query.CreateAccountParams{Name: "teacher-of-" + name, DisplayName: "T", Password: "x"}),
	)
	return must[query.Job](t)(
		s.CreateJob(
			ctx,
			query.CreateJobParams{Kind: "dataset", Name: name, AccountID: account.ID, Options: json.RawMessage("{}")},
		),
	)
}

func queue(t *testing.T, s *records.Store, job int64) {
	t.Helper()
	if n := must[int64](t)(s.QueueJob(ctx, job)); n != 1 {
		t.Fatalf("%d jobs are queued", n)
	}
}

// Files are kept in pieces, and read as they were.
func TestFilesOfAJob(t *testing.T) {
	s := store(t)
	job := newJob(t, s, "files")
	large := bytes.Repeat([]byte("0123456789abcdef"), 100_000) // four pieces
	for place, f := range []struct {
		name    string
		content []byte
	}{{"sub/large.sql", large}, {"empty.sql", nil}, {"a.csv", []byte("x\n")}} {
		if n := must[int64](t)(
			s.KeepFile(ctx, job.ID, place, f.name, bytes.NewReader(f.content)),
		); n != int64(len(f.content)) {
			t.Errorf("%s: %d bytes are kept", f.name, n)
		}
	}
	folder, paths, err := s.Files(ctx, job.ID)
	if err != nil || strings.Join(paths, " ") != "sub/large.sql empty.sql a.csv" {
		t.Fatalf("got %v, %v", paths, err)
	}
	if content, err := fs.ReadFile(folder, "sub/large.sql"); err != nil || !bytes.Equal(content, large) {
		t.Errorf("%d bytes, %v", len(content), err)
	}
	if content, err := fs.ReadFile(folder, "empty.sql"); err != nil || len(content) != 0 {
		t.Errorf("got %q, %v", content, err)
	}
	if info, err := fs.Stat(folder, "sub/large.sql"); err != nil || info.Size() != int64(len(large)) ||
		info.Name() != "large.sql" || info.IsDir() {
		t.Errorf("got %v, %v", info, err)
	}
	if _, err := folder.Open("none.sql"); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("got %v", err)
	}
	if kept, err := s.JobByID(ctx, job.ID); err != nil || kept.Job.Bytes != int64(len(large)+2) {
		t.Errorf("the job has %d bytes, %v", kept.Job.Bytes, err)
	}
	file, err := folder.Open("a.csv")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.DropJobFiles(ctx, job.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := io.ReadAll(file); err == nil || !strings.Contains(err.Error(), "files are gone") {
		t.Errorf("read after they were removed: %v", err)
	}
}

func TestADatasetIsBuiltOnceAtATime(t *testing.T) {
	s := store(t)
	job := newJob(t, s, "once")
	again := query.CreateJobParams{
		Kind:      "dataset",
		Name:      "once",
		AccountID: job.AccountID,
		Options:   json.RawMessage("{}"),
	}
	if _, err := s.CreateJob(ctx, again); !records.Taken(err) {
		t.Errorf("a second one: %v", err)
	}
	if state := must[string](t)(s.StopJob(ctx, job.ID)); state != "stopped" {
		t.Errorf("one that does not run is %s", state)
	}
	if _, err := s.StopJob(ctx, job.ID); !records.Missing(err) {
		t.Errorf("stopped twice: %v", err)
	}
	must[query.Job](t)(s.CreateJob(ctx, again))
}

// One worker has a job; what another says of it changes nothing.
func TestAJobIsOneWorkers(t *testing.T) {
	s := store(t)
	job := newJob(t, s, "claimed")
	queue(t, s, job.ID)
	one, other := "one", "other"
	if claimed := must[query.Job](t)(
		s.ClaimJob(ctx, query.ClaimJobParams{ID: job.ID, Worker: &one}),
	); claimed.Tries != 1 {
		t.Errorf("got %+v", claimed)
	}
	if _, err := s.ClaimJob(ctx, query.ClaimJobParams{ID: job.ID, Worker: &other}); !records.Missing(err) {
		t.Errorf("claimed twice: %v", err)
	}
	beat := func(worker *string) (string, error) {
		return s.BeatJob(
			ctx,
			query.BeatJobParams{
				ID:        job.ID,
				Worker:    worker,
				Progress:  json.RawMessage(`{"rows": 5}`),
				Databases: json.RawMessage(`["dataset_x"]`),
			},
		)
	}
	if state, err := beat(&one); err != nil || state != "running" {
		t.Errorf("got %s, %v", state, err)
	}
	if _, err := beat(&other); !records.Missing(err) {
		t.Errorf("another worker speaks for it: %v", err)
	}
	if state := must[string](t)(s.StopJob(ctx, job.ID)); state != "stopping" {
		t.Errorf("one that runs is %s", state)
	}
	if state, err := beat(&one); err != nil || state != "stopping" {
		t.Errorf("its worker hears %s, %v", state, err)
	}
	end := query.EndJobParams{
		ID:       job.ID,
		State:    "done",
		Progress: json.RawMessage("{}"),
		Errors:   json.RawMessage("[]"),
		Worker:   &other,
	}
	if n := must[int64](t)(s.EndJob(ctx, end)); n != 0 {
		t.Error("another worker ends it")
	}
	end.Worker = &one
	if n := must[int64](t)(s.EndJob(ctx, end)); n != 1 {
		t.Error("its worker cannot end it")
	}
}

func TestJobsThatNobodySpeaksForAreFound(t *testing.T) {
	s := store(t)
	silent, finished := newJob(t, s, "silent"), newJob(t, s, "finished")
	must[string](t)(s.StopJob(ctx, finished.ID))
	find := func(seconds float64) (found bool) {
		t.Helper()
		err := s.Together(ctx, func(tx *records.Transaction) error {
			jobs, err := tx.SilentJobs(ctx, seconds)
			for _, j := range jobs {
				if j.ID == finished.ID {
					t.Error("a job that has ended is found")
				}
				found = found || j.ID == silent.ID
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	if find(3600) || !find(0) {
		t.Error("a job that was heard of a moment ago is silent for a moment, not for an hour")
	}
}

// A task is done once its transaction holds, and again when it says so; one of a transaction that does not hold is not.
func TestTasks(t *testing.T) {
	s := store(t)
	done := make(chan records.Task, 10)
	tries := 0
	quiet := slog.New(slog.DiscardHandler)
	stop, err := s.Work(ctx, "test", 1, true, quiet, func(_ context.Context, task records.Task) error {
		if task.ID == 2 {
			if tries++; tries == 1 {
				return records.ErrLater
			}
		}
		done <- task
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	defer stop()
	enqueue := func(id int64, fail error) error {
		return s.Together(ctx, func(tx *records.Transaction) error {
			if err := tx.Enqueue(ctx, records.Task{Kind: records.RenewReferences, ID: id}); err != nil {
				return err
			}
			return fail
		})
	}
	taken := errors.New("taken back")
	if err := enqueue(1, taken); !errors.Is(err, taken) {
		t.Fatal(err)
	}
	for _, id := range []int64{2, 3} {
		if err := enqueue(id, nil); err != nil {
			t.Fatal(err)
		}
	}
	seen := map[int64]int{}
	for range 2 {
		select {
		case task := <-done:
			seen[task.ID]++
		case <-time.After(time.Minute):
			t.Fatal("still waiting for the tasks")
		}
	}
	if seen[2] != 1 || seen[3] != 1 || tries != 2 {
		t.Errorf("done: %v, the second one tried %d times", seen, tries)
	}
}

// A mark that was being told as the service died is told once more; a job is queued again by who knows how far it was.
func TestTasksOfAServiceThatDied(t *testing.T) {
	s := store(t)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	if err := s.Together(ctx, func(tx *records.Transaction) error {
		for _, kind := range []records.TaskKind{records.DeliverMark, records.RunJob} {
			if err := tx.Enqueue(ctx, records.Task{Kind: kind, ID: 1 << 50}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	const own = "args ->> 'id' = (1::bigint << 50)::text"
	if _, err := pool.Exec(ctx, "UPDATE river_job SET state = 'running' WHERE "+own); err != nil {
		t.Fatal(err)
	}
	if err := s.DiscardTasks(ctx); err != nil {
		t.Fatal(err)
	}
	var told, ran string
	if err := pool.QueryRow(ctx, `SELECT max(state::text) FILTER (WHERE args ->> 'kind' = 'deliver mark'),
		max(state::text) FILTER (WHERE args ->> 'kind' = 'run job') FROM river_job WHERE `+own,
	).Scan(&told, &ran); err != nil {
		t.Fatal(err)
	}
	if told != "available" || ran != "discarded" {
		t.Errorf("telling a mark is %s, running a job %s", told, ran)
	}
	if _, err := pool.Exec(ctx, "DELETE FROM river_job WHERE "+own); err != nil {
		t.Fatal(err)
	}
}
