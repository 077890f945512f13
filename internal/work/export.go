package work

import (
	"context"
	"errors"
	"io"
	"os"
	"strconv"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Export is a result as a file. It has to be closed.
type Export struct {
	Size int64
	file *os.File
	done func() // another export may begin
}

// Read reads the file.
func (e *Export) Read(p []byte) (int, error) { return e.file.Read(p) }

// Close frees the file.
func (e *Export) Close() error {
	e.done()
	return e.file.Close()
}

// Export runs the query of one of the account's own runs again and writes its rows to a file, at most so many (0: all).
// The seat is free again before the file is sent, however slowly somebody takes it; and what goes wrong is known
// before the first byte.
func (w *Work) Export(
	ctx context.Context, who account.Account, id string, format export.Format, most int64,
) (*Export, error) {
	number, err := strconv.ParseInt(id, 10, 64)
	if err != nil {
		return nil, errNoRun(id)
	}
	stored, err := w.records.OwnRun(ctx, query.OwnRunParams{ID: number, AccountID: who.ID})
	if records.Missing(err) {
		return nil, errNoRun(id)
	} else if err != nil {
		return nil, err
	}
	run := &Run{SQL: stored.Sql}
	request := RunRequest{Paper: stored.Paper, Exercise: stored.Exercise, Dataset: stored.Dataset}
	at, err := w.place(ctx, who, request, run, &query.CreateRunParams{})
	if err != nil {
		return nil, err
	}
	rows := w.rowsOf(who, at, run)
	if stored.InCopy {
		if rows, err = w.copies.rowsOf(ctx, who, at, run); err != nil {
			return nil, err
		}
	}
	leave, err := w.exports.enter(ctx, who)
	if err != nil {
		return nil, err
	}
	file, err := w.export(ctx, rows, format, most)
	if err != nil {
		leave()
		return nil, err
	}
	file.done = leave
	return file, nil
}

func errNoRun(id string) error {
	return problem.New(404, "no-run", "No such run", "There is no run %q of yours. Run the query again.", id)
}

// rowsOf runs a query on the dataset itself once more.
func (w *Work) rowsOf(who account.Account, at place, run *Run) func(context.Context, practice.Sink) error {
	return func(ctx context.Context, sink practice.Sink) error {
		q, err := w.grader.Read(run.SQL)
		if err == nil {
			asked := practice.Run{Learner: who.ID, Database: at.database, SQL: q.Text, Large: true}
			_, err = w.practice.Run(ctx, asked, sink)
		}
		if err != nil {
			err = w.faultProblem(ctx, err, run.SQL, q, at.database)
		}
		return err
	}
}

// rowsOf runs a query in the account's copy once more. What changes something is not run again.
func (c *Copies) rowsOf(ctx context.Context, who account.Account, at place, run *Run) (
	func(context.Context, practice.Sink) error, error,
) {
	own, err := c.own(ctx, who, at)
	if err != nil {
		return nil, err
	}
	statements, err := sqltext.ReadStatements(run.SQL)
	if err != nil || len(statements) != 1 || !statements[0].Reads {
		return nil, problem.New(409, "not-run-again", "The run cannot be saved as a file",
			"Its rows would have to be had by running it again, and it changes something. "+
				"Run a query by itself, and save that.")
	}
	if own == nil {
		return nil, copyGone(at.dataset)
	}
	return func(ctx context.Context, sink practice.Sink) error {
		_, err := c.work.practice.Copies().Perform(ctx, practice.Script{
			Learner: who.ID, Database: own.Database, Build: at.database, Statements: statements,
		}, func(int) practice.Sink { return sink })
		if err != nil {
			err = c.work.faultProblem(ctx, err, run.SQL, nil, at.database)
		}
		return err
	}, nil
}

func (w *Work) export(
	ctx context.Context, rows func(context.Context, practice.Sink) error, format export.Format, most int64,
) (*Export, error) {
	file, err := os.CreateTemp("", "examen-export-")
	if err != nil {
		return nil, err
	}
	_ = os.Remove(file.Name()) // its space is free once it is closed, whatever ends this service
	sink := &exportSink{file: file, format: format, most: most}
	err = rows(ctx, sink)
	if errors.Is(err, errEnough) {
		err = nil
	}
	if closed := sink.close(); err == nil {
		err = closed
	}
	var size int64
	if err == nil {
		size, err = file.Seek(0, io.SeekCurrent)
	}
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err == nil {
		return &Export{file: file, Size: size}, nil
	}
	_ = file.Close()
	var large *export.TooLarge
	if errors.As(err, &large) {
		return nil, problem.New(422, "too-large-to-export", "The result does not fit into a workbook", "%s", large)
	}
	return nil, err
}

// exportSink writes rows to a file. A run that starts over starts the file over.
type exportSink struct {
	file   *os.File
	format export.Format
	most   int64
	rows   int64
	writer export.Writer
}

// errEnough ends a run of which as many rows have come as are wanted.
var errEnough = errors.New("as many rows as are wanted")

func (s *exportSink) Begin(columns []result.Column) error {
	if err := s.close(); err != nil {
		return err
	}
	if err := s.file.Truncate(0); err != nil {
		return err
	}
	if _, err := s.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	writer, err := export.New(s.format, s.file)
	if err != nil {
		return err
	}
	s.writer, s.rows = writer, 0
	return writer.Begin(columns)
}

func (s *exportSink) Row(row result.Row) error {
	if s.most > 0 && s.rows >= s.most {
		return errEnough
	}
	s.rows++
	return s.writer.Row(row)
}

func (s *exportSink) close() error {
	if s.writer == nil {
		return nil
	}
	return s.writer.Close()
}
