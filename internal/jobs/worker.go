package jobs

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"runtime/debug"
	"sync"
	"time"

	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

const (
	jobsAtOnce = 2
	mostTries  = 3
	// BeatEvery is how often a job that runs says how far it has come, and so how long after its making a database may
	// not be written down yet.
	BeatEvery  = 400 * time.Millisecond
	sweepEvery = 5 * time.Second
	silence    = 20 * time.Second // after which a worker is given up for dead
	dailyEvery = 24 * time.Hour
)

// Start begins to carry out jobs, until stop is called. Jobs of services that are dead were cut short, and are taken
// over.
func (j *Jobs) Start(ctx context.Context) (stop func(), err error) {
	if err := j.takeOver(ctx); err != nil {
		return nil, err
	}
	if err := j.queueAgain(ctx); err != nil {
		return nil, err
	}
	_, tells := j.tasks[records.DeliverMark]
	stopWork, err := j.records.Work(ctx, j.holder, jobsAtOnce, tells, j.log, j.do)
	if err != nil {
		return nil, err
	}
	working, end := context.WithCancel(context.WithoutCancel(ctx))
	go every(working, dailyEvery, func() { j.doDaily(working) })
	go every(working, sweepEvery, func() {
		if err := j.takeOver(working); err != nil && working.Err() == nil && !records.Unavailable(err) {
			j.log.Warn("jobs that were cut short cannot be taken over", "error", err)
		}
	})
	return func() { end(); stopWork() }, nil
}

// every calls f immediately and then at each interval, until the context ends.
func every(ctx context.Context, after time.Duration, f func()) {
	tick := time.NewTicker(after)
	defer tick.Stop()
	for ctx.Err() == nil {
		f()
		select {
		case <-tick.C:
		case <-ctx.Done():
		}
	}
}

func (j *Jobs) doDaily(ctx context.Context) {
	for _, c := range j.daily {
		if err := c.do(ctx); err != nil && ctx.Err() == nil && !records.Unavailable(err) {
			j.log.Warn("what is left over cannot be cleared", "what", c.what, "error", err)
		}
	}
}

// queueAgain queues the waiting jobs again, because their tasks may have been lost when a service died.
func (j *Jobs) queueAgain(ctx context.Context) error {
	return j.records.Together(ctx, func(t *records.Transaction) error {
		waiting, err := t.QueuedJobs(ctx)
		for _, id := range waiting {
			if err == nil {
				err = t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: id})
			}
		}
		return err
	})
}

// takeOver queues the jobs of dead workers again, or marks them as failed, and drops the databases that they had begun.
func (j *Jobs) takeOver(ctx context.Context) error {
	if err := j.records.DiscardTasks(ctx); err != nil {
		return err
	}
	var left []string
	err := j.records.Together(ctx, func(t *records.Transaction) error {
		silent, err := t.SilentJobs(ctx, silence.Seconds())
		if err != nil {
			return err
		}
		for _, row := range silent {
			var databases []string
			_ = json.Unmarshal(row.Databases, &databases) // written by beat
			left = append(left, databases...)
			reset := afterSilence(row)
			if err := t.ResetJob(ctx, reset); err != nil {
				return err
			}
			if reset.State == string(Queued) {
				err = t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: row.ID})
			} else {
				err = t.DropJobFiles(ctx, row.ID)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		j.Drop(ctx, left...)
	}
	return err
}

// afterSilence decides what becomes of a job whose worker is dead.
func afterSilence(row query.Job) query.ResetJobParams {
	reset := query.ResetJobParams{ID: row.ID, State: string(Queued)}
	switch {
	case row.State == string(Receiving):
		reset.State = string(Failed)
		reset.Problem = problem.New(503, "cut-short", "The upload was cut short",
			"Its files did not come to the end. Send them again.").Stored()
	case row.State == string(Stopping):
		reset.State = string(Stopped)
	case row.Tries >= mostTries:
		reset.State = string(Failed)
		reset.Problem = problem.New(500, "cut-short", "The build was cut short",
			"The service stopped %d times during this build. Its log may say why.", row.Tries).Stored()
	}
	return reset
}

// do does one task of the queue.
func (j *Jobs) do(ctx context.Context, task records.Task) error {
	do, known := j.tasks[task.Kind]
	if !known {
		return fmt.Errorf("unknown task %q", task.Kind)
	}
	err := do(ctx, task.ID)
	if err != nil && !errors.Is(err, records.ErrLater) && ctx.Err() == nil {
		j.log.Error("a task is tried again later", "task", task.Kind, "id", task.ID, "error", err)
	}
	return err
}

// Work is a job in progress.
type Work struct {
	ID   int64
	Kind string
	Name string
	// Options are as the kind has them; Confirmed tells that what the job asked was confirmed.
	Options   json.RawMessage
	Confirmed bool
	// Files are those that came with the job, Paths theirs in the order in which they came.
	Files fs.FS
	Paths []string
	// Account is who began it.
	Account int64

	jobs   *Jobs
	worker string
	tries  int // with this one

	mu        sync.Mutex
	progress  Progress
	databases []string
}

// common are the options that jobs of every kind may have.
type common struct {
	Confirmed bool  `json:"confirmed"`
	Files     int64 `json:"files"` // the job whose files are used; 0: its own
}

// Why a job ends before it is done.
var (
	errStopped = errors.New("the job was stopped")
	errLost    = errors.New("another worker has taken the job over")
)

// Asks is the error of a job that needs confirmation. Report says what the job would do.
type Asks struct{ Report any }

func (*Asks) Error() string { return "the job asks" }

// run claims a job and carries it out.
func (j *Jobs) run(ctx context.Context, id int64) error {
	worker := j.holder + "/" + rand.Text()
	row, err := j.records.ClaimJob(ctx, query.ClaimJobParams{ID: id, Worker: &worker})
	if records.Missing(err) {
		return nil // stopped, or another worker's
	} else if err != nil {
		return err
	}
	w := &Work{ID: id, Kind: row.Kind, Name: row.Name, Options: row.Options, jobs: j, worker: worker}
	w.Account, w.tries = row.AccountID, int(row.Tries)
	var options common
	if err := json.Unmarshal(row.Options, &options); err != nil {
		return err
	}
	w.Confirmed = options.Confirmed
	outer := ctx
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	beaten := make(chan struct{})
	go func() { defer close(beaten); w.beat(ctx, cancel) }()
	of := id
	if options.Files != 0 {
		of = options.Files
	}
	if w.Files, w.Paths, err = j.records.Files(ctx, of); err == nil {
		err = w.do(ctx)
	}
	if cause := context.Cause(ctx); err != nil && cause != nil {
		if err = cause; outer.Err() != nil { // the service stops, whatever the queue calls it
			err = context.Canceled
		}
	}
	cancel(nil)
	<-beaten
	return w.end(context.WithoutCancel(ctx), err)
}

// do carries out the job. A panic is a fault in Examen: it ends this job and nothing else, and is reported with a
// reference under which the log has the details.
func (w *Work) do(ctx context.Context) (err error) {
	defer func() {
		if fault := recover(); fault != nil {
			reference := rand.Text()[:6]
			w.jobs.log.Error("a job failed by a fault of Examen's",
				"reference", reference, "job", w.ID, "name", w.Name, "fault", fault, "stack", string(debug.Stack()))
			err = problem.New(500, "fault", "Something went wrong inside Examen",
				"This is a fault of Examen's, not of the files. The log of the service says more under the "+
					"reference %s.",
				reference)
		}
	}()
	if err := w.jobs.room.ToBuild(w.Size(w.Paths...)); err != nil {
		return err
	}
	do, known := w.jobs.kinds[w.Kind]
	if !known {
		return fmt.Errorf("unknown kind of job %q", w.Kind)
	}
	return do(ctx, w)
}

// beat reports regularly that the job is alive and how far it has got, and notices when it is to be stopped.
func (w *Work) beat(ctx context.Context, cancel context.CancelCauseFunc) {
	tick := time.NewTicker(BeatEvery)
	defer tick.Stop()
	for {
		w.mu.Lock()
		progress, _ := json.Marshal(w.progress)
		databases, _ := json.Marshal(append([]string{}, w.databases...))
		w.mu.Unlock()
		state, err := w.jobs.records.BeatJob(ctx, query.BeatJobParams{
			ID: w.ID, Worker: &w.worker, Progress: progress, Databases: databases,
		})
		switch {
		case records.Missing(err):
			cancel(errLost)
			return
		case err == nil && state == string(Stopping):
			cancel(errStopped)
			return
		}
		if short := w.jobs.room.ToBuild(0); short != nil {
			cancel(short)
			return
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// end records how the job ended. A successful job has already done so, in the transaction that stored its results.
func (w *Work) end(ctx context.Context, err error) error {
	j := w.jobs
	switch {
	case errors.Is(err, errLost): // the files are the other's now
		return nil
	case err == nil: // those that a build was made from are kept with it
		return j.releaseFiles(func() error { return j.records.SweepJobFiles(ctx) })
	}
	leave := query.LeaveJobParams{ID: w.ID, Worker: &w.worker}
	var asks *Asks
	switch {
	case errors.As(err, &asks):
		leave.State = string(Asking)
		leave.Report, _ = json.Marshal(asks.Report)
		_, err := j.records.LeaveJob(ctx, leave)
		return err
	case errors.Is(err, practice.ErrUnavailable) && w.tries < mostTries:
		// the practice server was lost, as it is when somebody's session had to be killed
		w.awaitPractice(ctx)
		fallthrough
	case errors.Is(err, context.Canceled): // the service stops: the next start goes on
		leave.State = string(Queued)
		if _, err := j.records.LeaveJob(ctx, leave); err != nil {
			return err
		}
		return records.ErrLater
	}
	ended := query.EndJobParams{ID: w.ID, Worker: &w.worker, State: string(Failed), Errors: json.RawMessage("[]")}
	ended.Progress, _ = json.Marshal(w.progress)
	if errors.Is(err, errStopped) {
		ended.State = string(Stopped)
	} else {
		ended.Problem = w.problemOf(err, &ended).Stored()
	}
	n, failed := j.records.EndJob(ctx, ended)
	if failed != nil {
		return failed
	}
	if n > 0 && records.Unavailable(err) { // now it is certain that nothing was stored
		j.Drop(ctx, w.databases...)
	}
	return j.releaseFiles(func() error { return j.records.DropJobFiles(ctx, w.ID) })
}

// practicePatience is how long a job waits for the practice server to come back, until it is tried again.
const practicePatience = 30 * time.Second

// awaitPractice waits until the practice server is there again.
func (w *Work) awaitPractice(ctx context.Context) {
	ctx, stop := context.WithTimeout(ctx, practicePatience)
	defer stop()
	for w.jobs.practice.Ping(ctx) != nil {
		select {
		case <-time.After(250 * time.Millisecond):
		case <-ctx.Done():
			return
		}
	}
}

// problemOf says what was wrong, and lists a build's errors.
func (w *Work) problemOf(err error, ended *query.EndJobParams) *problem.Problem {
	var broken *practice.BuildErrors
	if !errors.As(err, &broken) {
		p := problem.Of(err, practice.Problem, records.Problem)
		if p.Status >= 500 {
			w.jobs.log.Error("job failed", "job", w.ID, "name", w.Name, "error", err)
		}
		return p
	}
	ended.Errors, _ = json.Marshal(scriptErrors{broken.List, broken.More})
	first := broken.List[0]
	title := "The dataset cannot be built"
	if n := len(broken.List) + broken.More; n > 1 {
		title = fmt.Sprintf("The dataset cannot be built: %d errors", n)
	}
	p := problem.New(422, "build", title, "%s", broken.Error())
	p.File, p.Place = first.File, &first.Place
	return p
}

// Step starts a new step of the job's progress, with a description and the number of bytes to be read.
func (w *Work) Step(text string, total int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.progress = Progress{Step: text, Total: total}
}

// Building reports the progress of a build within the current step.
func (w *Work) Building(p practice.Progress) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.progress.Progress = p
}

// Read adds to the number of bytes read in the current step.
func (w *Work) Read(bytes int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.progress.Bytes += int64(bytes)
}

// Begins records that the job is creating a database, so that it is dropped if the job does not succeed.
func (w *Work) Begins(database string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.databases = append(w.databases, database)
}

// SetName names the job, if its name becomes known only while it runs.
func (w *Work) SetName(ctx context.Context, name string) error {
	w.Name = name
	return w.jobs.records.NameJob(ctx, query.NameJobParams{ID: w.ID, Worker: &w.worker, Name: name})
}

// Finish ends the job successfully. Its report and whatever f stores are committed in one transaction, which is not
// interrupted once it has begun.
func (w *Work) Finish(ctx context.Context, report any, f func(*records.Transaction) error) error {
	ctx = context.WithoutCancel(ctx)
	return w.jobs.records.As(ctx, w.Account, func(t *records.Transaction) error {
		if err := f(t); err != nil {
			return err
		}
		w.mu.Lock()
		progress, _ := json.Marshal(w.progress)
		w.mu.Unlock()
		text, err := json.Marshal(report)
		if err != nil {
			return err
		}
		n, err := t.EndJob(ctx, query.EndJobParams{
			ID: w.ID, Worker: &w.worker, State: string(Done), Progress: progress, Report: text,
			Errors: json.RawMessage("[]"),
		})
		if err == nil && n == 0 {
			err = errLost
		}
		return err
	})
}

// Undo drops the databases that the job has begun. If the records were lost at the end, the databases are kept, because
// the results may have been stored.
func (w *Work) Undo(ctx context.Context, err error) {
	if !records.Unavailable(err) {
		w.jobs.Drop(context.WithoutCancel(ctx), w.databases...)
	}
}

// Size is the total size of files in bytes. Missing files count as zero.
func (w *Work) Size(names ...string) (n int64) {
	for _, name := range names {
		if info, err := fs.Stat(w.Files, name); err == nil {
			n += info.Size()
		}
	}
	return n
}
