package exam

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"strconv"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/pack"
	"examen/internal/core/script"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Job is the build of a dataset or the load of a pack, from its upload to its end.
type Job struct {
	ID         string
	Kind       string // BuildDataset or LoadPack
	Name       string
	Account    string // who began it
	State      JobState
	Bytes      int64 // of all files
	Progress   JobProgress
	Report     *JobReport
	Problem    *problem.Problem
	Errors     []*practice.BuildError
	MoreErrors int
	Made       time.Time
	Ended      *time.Time
}

// Kinds of jobs.
const (
	BuildDataset = "dataset"
	LoadPack     = "pack"
)

// JobState says where a job stands.
type JobState string

const (
	Receiving JobState = "receiving" // its files are coming
	Queued    JobState = "queued"
	Running   JobState = "running"
	Asking    JobState = "asking" // it waits for a confirmation
	Stopping  JobState = "stopping"
	Done      JobState = "done"
	Failed    JobState = "failed"
	StoppedBy JobState = "stopped"
)

// Ended tells whether nothing more will happen.
func (s JobState) Ended() bool { return s == Done || s == Failed || s == StoppedBy }

// JobOptions say how a dataset is to be built.
type JobOptions struct {
	Title     string   `json:"title,omitempty"`
	Encoding  string   `json:"encoding,omitempty"`
	KeepGoing bool     `json:"keep_going,omitempty"`
	Folder    bool     `json:"folder,omitempty"`  // the files are a folder's: find out what to run
	Scripts   []string `json:"scripts,omitempty"` // what to run, where not all
	Ask       bool     `json:"ask,omitempty"`     // before tables are made from CSV files
	Confirmed bool     `json:"confirmed,omitempty"`
	Check     bool     `json:"check,omitempty"`  // of a pack: only check its exercises
	Break     bool     `json:"break,omitempty"`  // what papers use may be broken without asking
	Remake    int64    `json:"remake,omitempty"` // a build that was lost, to be made again ...
	Files     int64    `json:"files,omitempty"`  // ... from the files of this job
}

// JobProgress is how far a job has come.
type JobProgress struct {
	Step  string `json:"step"`
	Total int64  `json:"total"` // bytes that the step has to read
	practice.Progress
}

// A JobReport tells what a job made, or, of one that asks, what it would make.
type JobReport struct {
	Pack     string            `json:"pack,omitempty"`
	Title    string            `json:"title"`
	Builds   []BuildReport     `json:"builds,omitempty"`
	Papers   []PaperReport     `json:"papers,omitempty"`
	Inferred []script.CSVTable `json:"inferred,omitempty"`
	Check    *CheckReport      `json:"check,omitempty"`
	Breaks   []string          `json:"breaks,omitempty"` // what a job that asks would break
}

// A PaperReport tells of a paper that was loaded.
type PaperReport struct {
	Slug      string  `json:"slug"`
	Title     string  `json:"title"`
	Exercises int     `json:"exercises"`
	Points    float64 `json:"points"`
}

// jobErrors is how a job's errors are kept.
type jobErrors struct {
	List []*practice.BuildError `json:"list"`
	More int                    `json:"more,omitempty"`
}

func readJob(row query.Job, account string) (*Job, error) {
	j := &Job{ID: strconv.FormatInt(row.ID, 10), Kind: row.Kind, Name: row.Name, Account: account, State: JobState(row.State), Bytes: row.Bytes, Made: row.MadeAt, Ended: row.EndedAt}
	var wrong jobErrors
	for _, part := range []struct {
		from json.RawMessage
		to   any
	}{{row.Progress, &j.Progress}, {row.Report, &j.Report}, {row.Problem, &j.Problem}, {row.Errors, &wrong}} {
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

// An Upload gives one file after another, io.EOF after the last.
type Upload func() (path string, content io.Reader, err error)

// Receive takes a job's files, of so many bytes in all (below zero: not known), and queues it.
func (s *Service) Receive(ctx context.Context, who account.Account, kind, name string, options JobOptions, bytes int64, next Upload) (*Job, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	if kind == BuildDataset && !pack.IsSlug(name) {
		return nil, problem.New(400, "name", "This is no name for a dataset", "%.80q: use up to %d lower-case letters, digits and hyphens.", name, pack.LongestSlug)
	}
	if !records.IsText(options.Title + options.Encoding + strings.Join(options.Scripts, "")) {
		return nil, problem.New(400, "unreadable", "Invalid request", "The title, the encoding and the scripts' names have to be text without NUL characters.")
	}
	if err := s.roomFor(bytes); err != nil {
		return nil, err
	}
	given, _ := json.Marshal(options)
	row, err := s.records.CreateJob(ctx, query.CreateJobParams{Kind: kind, Name: name, AccountID: who.ID, Options: given})
	if records.Taken(err) {
		return nil, problem.New(409, "at-hand", "The dataset is already being built", "%s is already being built; wait for it, or stop it: examen dataset stop %s.", name, name)
	} else if err != nil {
		return nil, err
	}
	if err = s.receive(ctx, row.ID, next); err == nil {
		err = s.records.Together(ctx, func(t *records.Transaction) error {
			n, err := t.QueueJob(ctx, query.QueueJobParams{ID: row.ID, Options: given, FromStates: []string{string(Receiving)}})
			if err == nil && n == 0 {
				err = problem.New(409, "stopped", "The build was stopped", "It was stopped while its files were coming.")
			}
			if err != nil {
				return err
			}
			return t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: row.ID})
		})
	}
	if err != nil {
		if err := s.forgetFiles(func() error { return s.records.DeleteJob(context.WithoutCancel(ctx), row.ID) }); err != nil {
			s.log.Warn("an upload that was cut short is left over until it is swept", "error", err)
		}
		return nil, err
	}
	return s.job(ctx, row.ID)
}

// receive keeps the files.
func (s *Service) receive(ctx context.Context, job int64, next Upload) error {
	known := map[string]bool{}
	for place := 0; ; place++ {
		name, content, err := next()
		switch {
		case err == io.EOF && place == 0:
			return problem.New(400, "no-files", "No files have come", "Give at least one SQL or CSV file, or a pack's folder.")
		case err == io.EOF:
			return nil
		case err != nil:
			return err
		case !fs.ValidPath(name) || !records.IsText(name) || strings.Contains(name, `\`):
			return problem.New(400, "path", "A file's path cannot be used", "%q: paths are relative to the folder, with forward slashes, and do not leave it.", name)
		case known[name]:
			return problem.New(400, "path", "A file has come twice", "%q: give each file once.", name)
		}
		known[name] = true
		if _, err := s.records.KeepFile(ctx, job, place, name, &bounded{Reader: content, service: s}); err != nil {
			return err
		}
	}
}

func (s *Service) job(ctx context.Context, id int64) (*Job, error) {
	row, err := s.records.JobByID(ctx, id)
	if records.Missing(err) {
		return nil, problem.New(404, "no-job", "There is no such build", "No build or load has the number %d.", id)
	} else if err != nil {
		return nil, err
	}
	return readJob(row.Job, row.Account)
}

// Job returns a job as it is now.
func (s *Service) Job(ctx context.Context, who account.Account, id string) (*Job, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	number, err := strconv.ParseInt(id, 10, 64)
	if err != nil {
		return nil, problem.New(404, "no-job", "There is no such build", "%q is not the number of a build or load.", id)
	}
	return s.job(ctx, number)
}

// Jobs lists the latest jobs; of one dataset, where it is named.
func (s *Service) Jobs(ctx context.Context, who account.Account, dataset string) ([]*Job, error) {
	if err := who.InstructorsOnly(); err != nil {
		return nil, err
	}
	var filter query.ListJobsParams
	if dataset != "" && records.IsText(dataset) {
		kind := BuildDataset
		filter = query.ListJobsParams{Name: &dataset, Kind: &kind}
	}
	rows, err := s.records.ListJobs(ctx, filter)
	if err != nil {
		return nil, err
	}
	list := []*Job{}
	for _, row := range rows {
		row.Job.Errors = nil // they may be many
		j, err := readJob(row.Job, row.Account)
		if err != nil {
			return nil, err
		}
		list = append(list, j)
	}
	return list, nil
}

// followEvery is how often a job that is followed is looked at.
const followEvery = 250 * time.Millisecond

// Follow calls each with the job as it is now, and again whenever it has changed, until it has ended or each returns an error.
func (s *Service) Follow(ctx context.Context, who account.Account, id string, each func(*Job) error) error {
	tick := time.NewTicker(followEvery)
	defer tick.Stop()
	last := ""
	for {
		j, err := s.Job(ctx, who, id)
		if err != nil {
			return err
		}
		if now := fmt.Sprint(j.State, j.Progress, j.Bytes); now != last {
			last = now
			if err := each(j); err != nil {
				return err
			}
		}
		if j.State.Ended() {
			return nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

// StopJob stops a job. One that runs ends within a moment.
func (s *Service) StopJob(ctx context.Context, who account.Account, id string) (*Job, error) {
	j, err := s.Job(ctx, who, id)
	if err != nil {
		return nil, err
	}
	number, _ := strconv.ParseInt(id, 10, 64)
	state, err := s.records.StopJob(ctx, number)
	if records.Missing(err) {
		return j, nil // it has ended
	} else if err != nil {
		return nil, err
	}
	if JobState(state).Ended() {
		if err := s.forgetFiles(func() error { return s.records.DropJobFiles(ctx, number) }); err != nil {
			return nil, err
		}
	}
	return s.job(ctx, number)
}

// ConfirmJob has a job that asks go on.
func (s *Service) ConfirmJob(ctx context.Context, who account.Account, id string) (*Job, error) {
	if _, err := s.Job(ctx, who, id); err != nil {
		return nil, err
	}
	number, _ := strconv.ParseInt(id, 10, 64)
	row, err := s.records.JobByID(ctx, number)
	if err != nil {
		return nil, err
	}
	var options JobOptions
	if err := json.Unmarshal(row.Job.Options, &options); err != nil {
		return nil, err
	}
	options.Confirmed = true
	given, _ := json.Marshal(options)
	err = s.records.Together(ctx, func(t *records.Transaction) error {
		n, err := t.QueueJob(ctx, query.QueueJobParams{ID: number, Options: given, FromStates: []string{string(Asking)}})
		if err == nil && n == 0 {
			err = problem.New(409, "not-asking", "The build does not ask", "It is %s.", row.Job.State)
		}
		if err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: number})
	})
	if err != nil {
		return nil, err
	}
	return s.job(ctx, number)
}
