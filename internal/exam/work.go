package exam

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"runtime/debug"
	"strings"
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
	beatEvery  = 400 * time.Millisecond
	sweepEvery = 5 * time.Second
	silence    = 20 * time.Second // after which a worker is given up for dead
)

// Begin starts to work on jobs, until stop is called. No other service uses the same records: what was being worked on was cut short.
func (s *Service) Begin(ctx context.Context) (stop func(), err error) {
	if err := s.records.ForgetTasks(ctx); err != nil {
		return nil, err
	}
	if err := s.takeOver(ctx, 0); err != nil {
		return nil, err
	}
	if err := s.queueAgain(ctx); err != nil {
		return nil, err
	}
	stopWork, err := s.records.Work(ctx, jobsAtOnce, s.log, s.do)
	if err != nil {
		return nil, err
	}
	sweeping, end := context.WithCancel(context.WithoutCancel(ctx))
	go s.records.Follow(sweeping)
	s.practice.WhenGone(func(database string) { go s.gone(database) })
	go func() {
		if err := s.lookAfterBuilds(sweeping); err != nil && sweeping.Err() == nil {
			s.log.Warn("the builds cannot be looked at", "error", err)
		}
		for {
			s.sweep(sweeping)
			select {
			case <-time.After(dailySweep):
			case <-sweeping.Done():
				return
			}
		}
	}()
	go func() {
		for tick := time.NewTicker(sweepEvery); ; {
			select {
			case <-tick.C:
				if err := s.takeOver(sweeping, silence); err != nil && sweeping.Err() == nil && !records.Unavailable(err) {
					s.log.Warn("jobs that were cut short cannot be taken over", "error", err)
				}
			case <-sweeping.Done():
				tick.Stop()
				return
			}
		}
	}()
	return func() { end(); stopWork() }, nil
}

// queueAgain has the jobs done that wait for their turn: their tasks may have been lost with a service that ended.
func (s *Service) queueAgain(ctx context.Context) error {
	return s.records.Together(ctx, func(t *records.Transaction) error {
		waiting, err := t.QueuedJobs(ctx)
		for _, id := range waiting {
			if err == nil {
				err = t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: id})
			}
		}
		return err
	})
}

// takeOver queues jobs again whose worker has died, or says that they failed; what they had begun to build is removed.
func (s *Service) takeOver(ctx context.Context, patience time.Duration) error {
	var left []string
	err := s.records.Together(ctx, func(t *records.Transaction) error {
		silent, err := t.SilentJobs(ctx, patience.Seconds())
		if err != nil {
			return err
		}
		for _, row := range silent {
			var databases []string
			_ = json.Unmarshal(row.Databases, &databases) // written by beat
			left = append(left, databases...)
			reset := query.ResetJobParams{ID: row.ID, State: string(Queued)}
			switch {
			case row.State == string(Receiving):
				reset.State, reset.Problem = string(Failed), problem.New(503, "cut-short", "The upload was cut short", "Its files did not come to the end. Send them again.").Stored()
			case row.State == string(Stopping):
				reset.State = string(StoppedBy)
			case row.Tries >= mostTries:
				reset.State, reset.Problem = string(Failed), problem.New(500, "cut-short", "The build was cut short", "The service stopped %d times during this build. Its log may say why.", row.Tries).Stored()
			}
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
		s.drop(ctx, left)
	}
	return err
}

// do does one task of the queue.
func (s *Service) do(ctx context.Context, task records.Task) (err error) {
	switch task.Kind {
	case records.RunJob:
		err = s.runJob(ctx, task.ID)
	case records.RenewReferences:
		err = s.renewReferences(ctx, task.ID)
	default:
		err = fmt.Errorf("unknown task %q", task.Kind)
	}
	if err != nil && !errors.Is(err, records.ErrLater) && ctx.Err() == nil {
		s.log.Error("a task is tried again later", "task", task.Kind, "id", task.ID, "error", err)
	}
	return err
}

// working is a job being worked on.
type working struct {
	*Service
	id      int64
	name    string
	worker  string
	tries   int // with this one
	options JobOptions
	files   fs.FS
	paths   []string
	unread  []string // CSV files that no script reads

	mu        sync.Mutex
	progress  JobProgress
	databases []string
}

// Why a job ends before it is done.
var (
	errStopped = errors.New("the job was stopped")
	errLost    = errors.New("another worker has taken the job over")
	errAsks    = errors.New("the job asks")
)

func (s *Service) runJob(ctx context.Context, id int64) error {
	worker := randomName() + randomName()
	row, err := s.records.ClaimJob(ctx, query.ClaimJobParams{ID: id, Worker: &worker})
	if records.Missing(err) {
		return nil // stopped, or another worker's
	} else if err != nil {
		return err
	}
	w := &working{Service: s, id: id, name: row.Name, worker: worker, tries: int(row.Tries)}
	if err := json.Unmarshal(row.Options, &w.options); err != nil {
		return err
	}
	outer := ctx
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	beaten := make(chan struct{})
	go func() { defer close(beaten); w.beat(ctx, cancel) }()
	var report *JobReport
	of := id
	if w.options.Remake != 0 {
		of = w.options.Files
	}
	if w.files, w.paths, err = s.records.Files(ctx, of); err == nil {
		report, err = w.work(ctx, row.Kind)
	}
	if cause := context.Cause(ctx); err != nil && cause != nil {
		if err = cause; outer.Err() != nil { // the service stops, whatever the queue calls it
			err = context.Canceled
		}
	}
	cancel(nil)
	<-beaten
	return w.end(context.WithoutCancel(ctx), report, err)
}

// work does the job. A panic is a fault of ours: it ends this job and nothing else, and is told with a reference under which the log has it all.
func (w *working) work(ctx context.Context, kind string) (report *JobReport, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			reference := randomName()
			w.log.Error("a job failed by a fault of Examen's", "reference", reference, "job", w.id, "name", w.name, "fault", fault, "stack", string(debug.Stack()))
			err = problem.New(500, "fault", "Something went wrong inside Examen", "This is a fault of Examen's, not of the files. The log of the service says more under the reference %s.", reference)
		}
	}()
	if err := w.roomToBuild(w.size(w.paths...)); err != nil {
		return nil, err
	}
	switch {
	case w.options.Remake != 0:
		return w.remakeBuild(ctx, kind)
	case kind == LoadPack && w.options.Check:
		return w.checkPack(ctx)
	case kind == LoadPack:
		return w.loadPack(ctx)
	}
	return w.buildDataset(ctx)
}

// beat keeps saying that the job is being worked on and how far it has come, and hears when it is to be stopped.
func (w *working) beat(ctx context.Context, cancel context.CancelCauseFunc) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		w.mu.Lock()
		progress, _ := json.Marshal(w.progress)
		databases, _ := json.Marshal(append([]string{}, w.databases...))
		w.mu.Unlock()
		state, err := w.records.BeatJob(ctx, query.BeatJobParams{ID: w.id, Worker: &w.worker, Progress: progress, Databases: databases})
		switch {
		case records.Missing(err):
			cancel(errLost)
			return
		case err == nil && state == string(Stopping):
			cancel(errStopped)
			return
		}
		if short := w.roomToBuild(0); short != nil {
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

// end says how the job has ended. One that was done has said so itself, together with what it made.
func (w *working) end(ctx context.Context, report *JobReport, err error) error {
	switch {
	case errors.Is(err, errLost): // the files are the other's now
		return nil
	case err == nil: // those that a build was made from are kept with it
		return w.forgetFiles(func() error { return w.records.SweepJobFiles(ctx) })
	}
	leave := query.LeaveJobParams{ID: w.id, Worker: &w.worker}
	switch {
	case errors.Is(err, errAsks):
		leave.State = string(Asking)
		leave.Report, _ = json.Marshal(report)
		_, err := w.records.LeaveJob(ctx, leave)
		return err
	case errors.Is(err, practice.ErrUnavailable) && w.tries < mostTries: // the practice server was lost, as it is when somebody's session had to be killed
		w.awaitPractice(ctx)
		fallthrough
	case errors.Is(err, context.Canceled): // the service stops: the next start goes on
		leave.State = string(Queued)
		if _, err := w.records.LeaveJob(ctx, leave); err != nil {
			return err
		}
		return records.ErrLater
	}
	ended := query.EndJobParams{ID: w.id, Worker: &w.worker, State: string(Failed), Errors: json.RawMessage("[]")}
	ended.Progress, _ = json.Marshal(w.progress)
	if errors.Is(err, errStopped) {
		ended.State = string(StoppedBy)
	} else {
		p := w.problemOf(err, &ended)
		ended.Problem = p.Stored()
	}
	n, failed := w.records.EndJob(ctx, ended)
	if failed != nil {
		return failed
	}
	if n > 0 && records.Unavailable(err) { // now it is certain that nothing was stored
		w.drop(ctx, w.databases)
	}
	return w.forgetFiles(func() error { return w.records.DropJobFiles(ctx, w.id) })
}

// practicePatience is how long a job waits for the practice server to come back, until it is tried again.
const practicePatience = 30 * time.Second

// awaitPractice waits until the practice server is there again.
func (w *working) awaitPractice(ctx context.Context) {
	ctx, stop := context.WithTimeout(ctx, practicePatience)
	defer stop()
	for w.practice.Ping(ctx) != nil {
		select {
		case <-time.After(250 * time.Millisecond):
		case <-ctx.Done():
			return
		}
	}
}

// problemOf says what was wrong, and lists a build's errors.
func (w *working) problemOf(err error, ended *query.EndJobParams) *problem.Problem {
	var broken *practice.BuildErrors
	if !errors.As(err, &broken) {
		p := AsProblem(err)
		if p.Status >= 500 {
			w.log.Error("job failed", "job", w.id, "name", w.name, "error", err)
		}
		return p
	}
	ended.Errors, _ = json.Marshal(jobErrors{broken.List, broken.More})
	first := broken.List[0]
	title := "The dataset cannot be built"
	if n := len(broken.List) + broken.More; n > 1 {
		title = fmt.Sprintf("The dataset cannot be built: %d errors", n)
	}
	p := problem.New(422, "build", title, "%s", broken.Error())
	p.File, p.Place = first.File, &first.Place
	return p
}

// step begins a step of the job, for its progress.
func (w *working) step(text string, total int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.progress = JobProgress{Step: text, Total: total}
}

// order is a build in a new database, whose progress is the job's.
func (w *working) order(database string, files fs.FS, scripts []string) practice.Order {
	w.mu.Lock()
	w.databases = append(w.databases, database)
	w.mu.Unlock()
	return practice.Order{Database: database, Files: files, Scripts: scripts, Encoding: w.options.Encoding, KeepGoing: w.options.KeepGoing,
		Progress: func(p practice.Progress) {
			w.mu.Lock()
			w.progress.Progress = p
			w.mu.Unlock()
		}}
}

// store stores what the job made, together with its end: both hold, or neither. Once begun it is not stopped.
func (w *working) store(ctx context.Context, report *JobReport, f func(*records.Transaction) error) error {
	ctx = context.WithoutCancel(ctx)
	defer w.records.Changed(records.PapersChanged)
	return w.records.Together(ctx, func(t *records.Transaction) error {
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
		n, err := t.EndJob(ctx, query.EndJobParams{ID: w.id, Worker: &w.worker, State: string(Done), Progress: progress, Report: text, Errors: json.RawMessage("[]")})
		if err == nil && n == 0 {
			err = errLost
		}
		return err
	})
}

// storeNothing is for a job that leaves nothing but its report.
func storeNothing(*records.Transaction) error { return nil }

// undo removes the databases that were begun, unless the records were lost at the end: then what was made may have been stored.
func (w *working) undo(ctx context.Context, err error) {
	if !records.Unavailable(err) {
		w.drop(ctx, w.databases)
	}
}

// size is the bytes of a file; 0 where there is none.
func (w *working) size(names ...string) (n int64) {
	for _, name := range names {
		if info, err := fs.Stat(w.files, name); err == nil {
			n += info.Size()
		}
	}
	return n
}

// kindOfFile is the file's extension, in lower case, that of what is compressed within.
func kindOfFile(name string) string {
	return path.Ext(strings.TrimSuffix(strings.ToLower(name), ".gz"))
}
