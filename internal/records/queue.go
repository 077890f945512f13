package records

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
)

// A Task is work to be done later. It is stored in the records until it has been done, once, by whichever service takes
// it first.
type Task struct {
	Kind TaskKind `json:"kind"`
	ID   int64    `json:"id"` // of what Kind is about
}

// TaskKind says what there is to do.
type TaskKind string

const (
	RunJob          TaskKind = "run job"          // ID is a job's
	RenewReferences TaskKind = "renew references" // ID is a build's
	InspectPaper    TaskKind = "inspect paper"    // ID is a paper's
	IndexExercises  TaskKind = "index exercises"  // all that have changed
	MeasureStrength TaskKind = "measure strength" // of all exercises of which it is not known
	DeliverMark     TaskKind = "deliver mark"     // ID is a delivery's
	SendMail        TaskKind = "send mail"        // ID is that of e-mail
)

// MostDeliveries is how often a webhook or a mail server that does not take something is tried, before it is given up.
// After the nth try it waits n^4 seconds: for almost a day after the twelfth, for a week in all.
const MostDeliveries = 20

// ErrLater is returned by a task that could not be done now and should be tried again.
var ErrLater = errors.New("the task has to come again")

type taskArgs struct{ Task }

func (taskArgs) Kind() string { return "task" }

// InsertOpts puts short tasks in a queue of their own, so that they need not wait for long ones.
func (a taskArgs) InsertOpts() river.InsertOpts {
	switch a.Task.Kind {
	case RenewReferences, IndexExercises:
		return river.InsertOpts{Queue: quickQueue, MaxAttempts: 5}
	case MeasureStrength:
		return river.InsertOpts{Queue: strengthQueue, MaxAttempts: 3}
	case InspectPaper:
		return river.InsertOpts{Queue: remarksQueue, MaxAttempts: 3}
	case DeliverMark, SendMail:
		return river.InsertOpts{Queue: postQueue, MaxAttempts: MostDeliveries}
	}
	return river.InsertOpts{MaxAttempts: 20}
}

// The queues of short tasks, each with workers of its own.
const (
	quickQueue    = "quick"
	remarksQueue  = "remarks"
	strengthQueue = "strength"
	postQueue     = "post" // what is told to others, who may be slow
)

// longestTask is how long a task may take before it is considered lost.
const longestTask = 12 * time.Hour

// Enqueue queues a task, which is done once the transaction has been committed.
func (t *Transaction) Enqueue(ctx context.Context, task Task) error {
	_, err := t.river.InsertTx(ctx, t.tx, taskArgs{task}, nil)
	return err
}

// DiscardTasks discards the tasks that services were doing which are dead. What has to go on is queued again; what was
// being told to others is told once more.
func (s *Store) DiscardTasks(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `
		UPDATE river_job SET state = CASE WHEN queue = $1 THEN 'available' ELSE 'discarded' END::river_job_state,
		                     finalized_at = CASE WHEN queue = $1 THEN NULL ELSE now() END
		WHERE state = 'running' AND NOT EXISTS (
			SELECT FROM replica WHERE replica.holder = attempted_by[array_upper(attempted_by, 1)])`, postQueue)
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

// Work calls do for each task as it arrives, at most atOnce long ones at a time, until stop is called. stop cancels the
// running tasks and waits for them to return. holder is what the service is called in the records. Only where it tells
// others something, it takes the tasks that do.
func (s *Store) Work(
	ctx context.Context, holder string, atOnce int, tells bool, log *slog.Logger, do func(context.Context, Task) error,
) (stop func(), err error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, &taskWorker{do: do})
	queues := map[string]river.QueueConfig{
		river.QueueDefault: {MaxWorkers: atOnce}, quickQueue: {MaxWorkers: 1}, remarksQueue: {MaxWorkers: 1},
		strengthQueue: {MaxWorkers: 1},
	}
	if tells {
		queues[postQueue] = river.QueueConfig{MaxWorkers: 8}
	}
	client, err := river.NewClient(riverpgxv5.New(s.pool), &river.Config{
		Queues: queues, ID: holder, Workers: workers, Logger: quiet(log),
		JobTimeout: longestTask, RescueStuckJobsAfter: longestTask + time.Hour,
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

// quiet silences the queue's own log unless everything is logged: while the records server is down it says little else,
// and a task reports its own errors.
func quiet(log *slog.Logger) *slog.Logger {
	if log.Enabled(context.Background(), slog.LevelDebug) {
		return log
	}
	return slog.New(slog.DiscardHandler)
}
