// Package jobs does work in the background: what takes longer than a call may. A job is taken by one worker, followed
// and stopped by whoever may see it, and goes on after a restart.
//
// A job has a kind; who knows the kind registers what to do ([Jobs.Handle]). It comes with files ([Jobs.Receive]) or
// without ([Jobs.Begin]), waits for a worker, and is done by a function that is given it as a [Work]. That ends it with
// what it made, in one transaction ([Work.Finish]), or returns an error: an [Asks] where somebody has to confirm first.
// While it runs it says how far it has come a few times a second; one that falls silent is given to another worker.
package jobs

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Jobs are all jobs of a service, stored in its records.
type Jobs struct {
	records  *records.Store
	practice *practice.Servers
	room     Room
	log      *slog.Logger
	lease    *records.Lease
	holder   string // the service, as the records know it
	kinds    map[string]Do
	guards   map[string]Guard
	tasks    map[records.TaskKind]func(ctx context.Context, id int64) error
	daily    []chore
}

// A Guard tells whether an account may see a job with such options.
type Guard func(who account.Account, options json.RawMessage) bool

// A Do carries out jobs of one kind. On success it ends the job itself; see [Work.Finish].
type Do func(ctx context.Context, w *Work) error

// A chore is done as the service starts, and once a day.
type chore struct {
	what string
	do   func(context.Context) error
}

// New returns the jobs in the records, for the service that holds a lease. Databases begun by a job that was cut short
// are dropped from the practice servers.
func New(store *records.Store, server *practice.Servers, lease *records.Lease, room Room, log *slog.Logger) *Jobs {
	j := &Jobs{
		records: store, practice: server, room: room, log: log, lease: lease, holder: lease.Holder(),
		kinds: map[string]Do{}, guards: map[string]Guard{},
	}
	j.tasks = map[records.TaskKind]func(context.Context, int64) error{records.RunJob: j.run}
	j.Daily("files of jobs", store.SweepJobFiles)
	return j
}

// Services are the services that do jobs.
func (j *Jobs) Services() []records.Replica { return j.lease.Services() }

// Handle registers the function that carries out jobs of a kind.
func (j *Jobs) Handle(kind string, do Do) { j.kinds[kind] = do }

// Guard registers who may see jobs of a kind, of those who may see jobs at all.
func (j *Jobs) Guard(kind string, may Guard) { j.guards[kind] = may }

// HandleTask registers the function for tasks of a kind: short work that nobody follows.
func (j *Jobs) HandleTask(kind records.TaskKind, do func(ctx context.Context, id int64) error) {
	j.tasks[kind] = do
}

// Daily registers something to be done when the service starts and once a day. what names it in the log if it fails.
func (j *Jobs) Daily(what string, do func(context.Context) error) {
	j.daily = append(j.daily, chore{what, do})
}

// A Job is a job as it is now.
type Job struct {
	ID      string
	Kind    string
	Name    string
	Account string // who began it
	State   State
	Bytes   int64 // of all files
	// Progress is how far it has come.
	Progress Progress
	// Report tells what it made, or, of one that asks, what it would make: as its kind has it. Nil without one.
	Report json.RawMessage
	// Problem is why it failed; nil where it has not.
	Problem    *problem.Problem
	Errors     []*practice.BuildError
	MoreErrors int
	Made       time.Time
	Ended      *time.Time
}

// State says where a job stands.
type State string

// The states of jobs.
const (
	Receiving State = "receiving" // its files are coming
	Queued    State = "queued"
	Running   State = "running"
	Asking    State = "asking" // it waits for a confirmation
	Stopping  State = "stopping"
	Done      State = "done"
	Failed    State = "failed"
	Stopped   State = "stopped"
)

// Ended reports whether the job is over.
func (s State) Ended() bool { return s == Done || s == Failed || s == Stopped }

// Progress is how far a job has come.
type Progress struct {
	Step  string `json:"step"`
	Total int64  `json:"total"` // bytes that the step has to read
	practice.Progress
}

// scriptErrors is how a job's errors are kept.
type scriptErrors struct {
	List []*practice.BuildError `json:"list"`
	More int                    `json:"more,omitempty"`
}

func jobOf(row query.Job, account string) (*Job, error) {
	j := &Job{
		ID:      strconv.FormatInt(row.ID, 10),
		Kind:    row.Kind,
		Name:    row.Name,
		Account: account,
		State:   State(row.State),
		Bytes:   row.Bytes,
		Report:  row.Report,
		Made:    row.MadeAt,
		Ended:   row.EndedAt,
	}
	var wrong scriptErrors
	for _, part := range []struct {
		from json.RawMessage
		to   any
	}{{row.Progress, &j.Progress}, {row.Problem, &j.Problem}, {row.Errors, &wrong}} {
		if len(part.from) == 0 || string(part.from) == "[]" {
			continue
		}
		if err := json.Unmarshal(part.from, part.to); err != nil {
			return nil, fmt.Errorf("job %d: %w", row.ID, err)
		}
	}
	j.Errors, j.MoreErrors = wrong.List, wrong.More
	return j, nil
}

func (j *Jobs) job(ctx context.Context, id int64) (*Job, error) {
	row, err := j.records.JobByID(ctx, id)
	if records.Missing(err) {
		return nil, problem.New(404, "no-job", "There is no such build", "No build or load has the number %d.", id)
	} else if err != nil {
		return nil, err
	}
	return jobOf(row.Job, row.Account)
}

// Job returns a job as it is now.
func (j *Jobs) Job(ctx context.Context, who account.Account, id string) (*Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	number, err := strconv.ParseInt(id, 10, 64)
	if err != nil {
		return nil, problem.New(404, "no-job", "There is no such build", "%q is not the number of a build or load.", id)
	}
	row, err := j.records.JobByID(ctx, number)
	if err == nil && j.guards[row.Job.Kind] != nil && !j.guards[row.Job.Kind](who, row.Job.Options) {
		return nil, problem.New(404, "no-job", "There is no such build", "No build or load has the number %d.", number)
	}
	return j.job(ctx, number)
}

// List lists the latest jobs of the given kinds, and of one name if it is not empty.
func (j *Jobs) List(ctx context.Context, who account.Account, name string, kinds ...string) ([]*Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	filter := query.ListJobsParams{Kinds: kinds}
	if name != "" && records.IsText(name) {
		filter.Name = &name
	}
	rows, err := j.records.ListJobs(ctx, filter)
	if err != nil {
		return nil, err
	}
	list := []*Job{}
	for _, row := range rows {
		row.Job.Errors = nil // they may be many
		job, err := jobOf(row.Job, row.Account)
		if err != nil {
			return nil, err
		}
		list = append(list, job)
	}
	return list, nil
}

// followEvery is how often a job that is followed is looked at.
const followEvery = 250 * time.Millisecond

// Follow calls each with the job's current state, and again after every change, until the job has ended or each returns
// an error.
func (j *Jobs) Follow(ctx context.Context, who account.Account, id string, each func(*Job) error) error {
	tick := time.NewTicker(followEvery)
	defer tick.Stop()
	last := ""
	for {
		job, err := j.Job(ctx, who, id)
		if err != nil {
			return err
		}
		if now := fmt.Sprint(job.State, job.Progress, job.Bytes); now != last {
			last = now
			if err := each(job); err != nil {
				return err
			}
		}
		if job.State.Ended() {
			return nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

// Stop stops a job. A running job ends within a moment.
func (j *Jobs) Stop(ctx context.Context, who account.Account, id string) (*Job, error) {
	job, err := j.Job(ctx, who, id)
	if err != nil {
		return nil, err
	}
	number, _ := strconv.ParseInt(id, 10, 64)
	state, err := j.records.StopJob(ctx, number)
	if records.Missing(err) {
		return job, nil // it has ended
	} else if err != nil {
		return nil, err
	}
	if State(state).Ended() {
		if err := j.releaseFiles(func() error { return j.records.DropJobFiles(ctx, number) }); err != nil {
			return nil, err
		}
	}
	return j.job(ctx, number)
}

// Confirm lets a job that asks continue.
func (j *Jobs) Confirm(ctx context.Context, who account.Account, id string) (*Job, error) {
	job, err := j.Job(ctx, who, id)
	if err != nil {
		return nil, err
	}
	number, _ := strconv.ParseInt(id, 10, 64)
	err = j.records.Together(ctx, func(t *records.Transaction) error {
		n, err := t.ConfirmJob(ctx, number)
		if err == nil && n == 0 {
			err = problem.New(409, "not-asking", "The build does not ask", "It is %s.", job.State)
		}
		if err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: number})
	})
	if err != nil {
		return nil, err
	}
	return j.job(ctx, number)
}

// Drop drops databases that are no longer needed. One that cannot be dropped now is left to a later sweep.
func (j *Jobs) Drop(ctx context.Context, databases ...string) {
	for _, database := range databases {
		if err := j.practice.Drop(ctx, database); err != nil {
			j.log.Error("a database that is not needed any more is left over", "database", database, "error", err)
		}
	}
}

// releaseFiles deletes the files of a job that has ended, and returns their space to the disk.
func (j *Jobs) releaseFiles(drop func() error) error {
	if err := drop(); err != nil {
		return err
	}
	go func() {
		if err := j.records.Reclaim(); err != nil && !records.Unavailable(err) {
			j.log.Warn("the room of files cannot be given back", "error", err)
		}
	}()
	return nil
}
