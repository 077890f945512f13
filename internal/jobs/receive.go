package jobs

import (
	"context"
	"encoding/json"
	"io"
	"io/fs"
	"strings"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Files returns one file after another, and io.EOF after the last.
type Files func() (path string, content io.Reader, err error)

// An Order describes a job to be created. The type of Options depends on the kind.
type Order struct {
	Kind, Name string
	Options    any
}

// Begin queues a job that has no files.
func (j *Jobs) Begin(ctx context.Context, who account.Account, order Order) (*Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	row, err := j.create(ctx, who, order)
	if err != nil {
		return nil, err
	}
	if err := j.queue(ctx, row); err != nil {
		return nil, err
	}
	return j.job(ctx, row.ID)
}

// Receive stores a job's files, bytes in all (negative if unknown), and then queues the job.
func (j *Jobs) Receive(ctx context.Context, who account.Account, order Order, bytes int64, next Files) (*Job, error) {
	if err := who.May(account.Prepare); err != nil {
		return nil, err
	}
	if err := j.room.ForUpload(bytes); err != nil {
		return nil, err
	}
	row, err := j.create(ctx, who, order)
	if err != nil {
		return nil, err
	}
	if err = j.receive(ctx, row.ID, next); err == nil {
		err = j.queue(ctx, row)
	}
	if err != nil {
		drop := func() error { return j.records.DeleteJob(context.WithoutCancel(ctx), row.ID) }
		if err := j.releaseFiles(drop); err != nil {
			j.log.Warn("an upload that was cut short is left over until it is swept", "error", err)
		}
		return nil, err
	}
	return j.job(ctx, row.ID)
}

func (j *Jobs) create(ctx context.Context, who account.Account, order Order) (query.Job, error) {
	options, err := json.Marshal(order.Options)
	if err != nil {
		return query.Job{}, err
	}
	row, err := j.records.CreateJob(ctx, query.CreateJobParams{
		Kind: order.Kind, Name: order.Name, AccountID: who.ID, Options: options, Worker: &j.holder,
	})
	if records.Taken(err) {
		return row, problem.New(409, "at-hand", "The dataset is already being built",
			"%s is already being built; wait for it, or stop it: examen dataset stop %[1]s.", order.Name)
	}
	return row, err
}

// queue queues a job whose files have all arrived.
func (j *Jobs) queue(ctx context.Context, row query.Job) error {
	return j.records.Together(ctx, func(t *records.Transaction) error {
		n, err := t.QueueJob(ctx, row.ID)
		if err == nil && n == 0 {
			err = problem.New(409, "stopped", "The build was stopped", "It was stopped while its files were coming.")
		}
		if err != nil {
			return err
		}
		return t.Enqueue(ctx, records.Task{Kind: records.RunJob, ID: row.ID})
	})
}

// receive stores the files.
func (j *Jobs) receive(ctx context.Context, job int64, next Files) error {
	come := map[string]bool{}
	for place := 0; ; place++ {
		name, content, err := next()
		switch {
		case err == io.EOF && place == 0:
			return problem.New(
				400, "no-files", "No files have come", "Give at least one SQL or CSV file, or a pack's folder.",
			)
		case err == io.EOF:
			return nil
		case err != nil:
			return err
		case !fs.ValidPath(name) || !records.IsText(name) || strings.Contains(name, `\`):
			return problem.New(400, "path", "A file's path cannot be used",
				"%q: paths are relative to the folder, with forward slashes, and do not leave it.", name)
		case come[name]:
			return problem.New(400, "path", "A file has come twice", "%q: give each file once.", name)
		}
		come[name] = true
		if _, err := j.records.KeepFile(ctx, job, place, name, &bounded{Reader: content, room: j.room}); err != nil {
			return err
		}
	}
}
