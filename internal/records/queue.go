package records

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
)

// A Task is work for later, kept in the records until it is done: once, by whichever service comes to it first.
type Task struct {
	Kind TaskKind `json:"kind"`
	ID   int64    `json:"id"` // of what Kind is about
}

// TaskKind says what there is to do.
type TaskKind string

const (
	RunJob          TaskKind = "run job"          // ID is a job's
	RenewReferences TaskKind = "renew references" // ID is a build's
)

// ErrLater is returned by a task that could not be done now and has to come again.
var ErrLater = errors.New("the task has to come again")

type taskArgs struct{ Task }

func (taskArgs) Kind() string { return "task" }

// InsertOpts sends tasks that are many, and short, past those that are long.
func (a taskArgs) InsertOpts() river.InsertOpts {
	if a.Task.Kind == RenewReferences {
		return river.InsertOpts{Queue: quickQueue, MaxAttempts: 5}
	}
	return river.InsertOpts{MaxAttempts: 20}
}

const quickQueue = "quick"

// longestTask is when a task is given up for lost.
const longestTask = 12 * time.Hour

// Enqueue has a task done once the transaction holds.
func (t *Transaction) Enqueue(ctx context.Context, task Task) error {
	_, err := t.river.InsertTx(ctx, t.tx, taskArgs{task}, nil)
	return err
}

// ForgetTasks gives up the tasks that a service which is gone was at: what has to go on is enqueued again.
func (s *Store) ForgetTasks(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, "UPDATE river_job SET state = 'discarded', finalized_at = now() WHERE state = 'running'")
	return err
}

type taskWorker struct {
	river.WorkerDefaults[taskArgs]
	do func(context.Context, Task) error
}

func (w *taskWorker) Work(ctx context.Context, job *river.Job[taskArgs]) error {
	err := w.do(ctx, job.Args.Task)
	if errors.Is(err, ErrLater) {
		return river.JobSnooze(time.Second)
	}
	return err
}

// Work has do called with tasks as they come, so many long ones at once, until stop is called: stop cancels those at hand and waits for them.
func (s *Store) Work(ctx context.Context, atOnce int, log *slog.Logger, do func(context.Context, Task) error) (stop func(), err error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, &taskWorker{do: do})
	client, err := river.NewClient(riverpgxv5.New(s.pool), &river.Config{
		Queues:  map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: atOnce}, quickQueue: {MaxWorkers: 1}},
		Workers: workers, Logger: quiet(log), JobTimeout: longestTask, RescueStuckJobsAfter: longestTask + time.Hour,
	})
	if err != nil {
		return nil, err
	}
	if err := client.Start(context.WithoutCancel(ctx)); err != nil {
		return nil, err
	}
	return func() {
		ctx, cancel := context.WithTimeout(context.Background(), 15*time.Second)
		defer cancel()
		_ = client.StopAndCancel(ctx)
	}, nil
}

// quiet has the queue's own log told only to those who want to know everything: while the records server is down it speaks of little else, and
// what goes wrong with a task is the task's to tell.
func quiet(log *slog.Logger) *slog.Logger {
	if log.Enabled(context.Background(), slog.LevelDebug) {
		return log
	}
	return slog.New(slog.DiscardHandler)
}
