package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"

	"github.com/gin-gonic/gin"

	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/web/contract"
	"examen/internal/work"
)

func (s *server) BuildDataset(
	ctx context.Context, request contract.BuildDatasetRequestObject,
) (contract.BuildDatasetResponseObject, error) {
	p := request.Params
	options := library.Options{
		Title: p.Title, Encoding: p.Encoding, KeepGoing: p.KeepGoing, Folder: p.Folder, Scripts: p.Script, Ask: p.Ask,
		Break: p.Break,
	}
	job, err := s.Library.Build(ctx, who(ctx), request.Dataset, options, coming(ctx), uploaded(request.Body))
	if err != nil {
		return nil, drain(ctx, err)
	}
	out, err := toJob(job)
	return contract.BuildDataset202JSONResponse(out), err
}

func (s *server) LoadPack(
	ctx context.Context, request contract.LoadPackRequestObject,
) (contract.LoadPackResponseObject, error) {
	job, err := s.Library.Load(ctx, who(ctx), request.Params.Check, coming(ctx), uploaded(request.Body))
	if err != nil {
		return nil, drain(ctx, err)
	}
	out, err := toJob(job)
	return contract.LoadPack202JSONResponse(out), err
}

// coming returns the size of a call's body in bytes, -1 if the call does not give it.
func coming(ctx context.Context) int64 { return ctx.(*gin.Context).Request.ContentLength }

// drain reads and discards some of what is still being sent, so that the caller gets to read why the files were not
// taken.
func drain(ctx context.Context, err error) error {
	_, _ = io.CopyN(io.Discard, ctx.(*gin.Context).Request.Body, drained)
	return err
}

// uploaded returns a call's files as they arrive.
func uploaded(parts *multipart.Reader) jobs.Files {
	return func() (string, io.Reader, error) {
		part, err := parts.NextRawPart()
		if err == io.EOF {
			return "", nil, io.EOF
		} else if err != nil {
			return "", nil, unreadable(err)
		}
		// FileName would drop the folder.
		_, given, err := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		if err != nil || part.FormName() != "file" || given["filename"] == "" {
			return "", nil, unreadable(errors.New(`each part is called "file" and has a filename`))
		}
		return given["filename"], cut{part}, nil
	}
}

// cut reports an upload that breaks off as the caller's error.
type cut struct{ io.Reader }

func (c cut) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	var tooLong *http.MaxBytesError
	switch {
	case err == nil || err == io.EOF:
		return n, err
	case errors.As(err, &tooLong):
		return n, &problem.Problem{
			Type:   "examen:too-long",
			Title:  "The files are too large",
			Status: 413,
			Detail: "At most " + size(longestUpload) + " are taken.",
		}
	}
	return n, unreadable(fmt.Errorf("the files do not come to their end: %w", err))
}

func (s *server) ListJobs(
	ctx context.Context, request contract.ListJobsRequestObject,
) (contract.ListJobsResponseObject, error) {
	kinds := []string{library.BuildDataset}
	if request.Params.Dataset == "" {
		kinds = append(kinds, library.LoadPack)
	}
	all, err := s.Jobs.List(ctx, who(ctx), request.Params.Dataset, kinds...)
	list := contract.ListJobs200JSONResponse{}
	for _, j := range all {
		job, err := toJob(j)
		if err != nil {
			return nil, err
		}
		list = append(list, job)
	}
	return list, err
}

func (s *server) GetJob(
	ctx context.Context, request contract.GetJobRequestObject,
) (contract.GetJobResponseObject, error) {
	job, err := s.Jobs.Job(ctx, who(ctx), request.Job)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.GetJob200JSONResponse(out), err
}

func (s *server) StopJob(
	ctx context.Context, request contract.StopJobRequestObject,
) (contract.StopJobResponseObject, error) {
	job, err := s.Jobs.Stop(ctx, who(ctx), request.Job)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.StopJob200JSONResponse(out), err
}

func (s *server) ConfirmJob(
	ctx context.Context, request contract.ConfirmJobRequestObject,
) (contract.ConfirmJobResponseObject, error) {
	job, err := s.Jobs.Confirm(ctx, who(ctx), request.Job)
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.ConfirmJob200JSONResponse(out), err
}

func (s *server) FollowJob(
	ctx context.Context, request contract.FollowJobRequestObject,
) (contract.FollowJobResponseObject, error) {
	if _, err := s.Jobs.Job(ctx, who(ctx), request.Job); err != nil {
		return nil, err
	}
	reader := who(ctx)
	return events{s, ctx, func(ctx context.Context, each func(any) error) error {
		return s.Jobs.Follow(ctx, reader, request.Job, func(j *jobs.Job) error {
			job, err := toJob(j)
			if err != nil {
				return err
			}
			return each(job)
		})
	}}, nil
}

func toJob(j *jobs.Job) (contract.Job, error) {
	out := contract.Job{
		Id:         j.ID,
		Kind:       contract.JobKind(j.Kind),
		Name:       j.Name,
		State:      contract.JobState(j.State),
		Account:    j.Account,
		Made:       j.Made,
		Bytes:      j.Bytes,
		Problem:    toProblem(j.Problem),
		MoreErrors: j.MoreErrors,
	}
	if j.Ended != nil {
		out.Ended = *j.Ended
	}
	p := j.Progress
	out.Progress = contract.JobProgress{
		Step:       p.Step,
		Total:      p.Total,
		File:       p.File,
		Bytes:      p.Bytes,
		Statements: p.Statements,
		Tables:     p.Tables,
		Rows:       p.Rows,
		Errors:     p.Errors,
	}
	if j.Kind == work.Recheck {
		return toRecheck(out, j)
	}
	r, err := library.ReportOf(j)
	if r != nil {
		out.Report = contract.JobReport{
			Pack:     r.Pack,
			Title:    r.Title,
			Datasets: []contract.BuildReport{},
			Papers:   []contract.LoadedPaper{},
			Inferred: toInferred(r.Inferred),
			Breaks:   r.Breaks,
			Version:  r.Version,
		}
		for _, d := range r.Differences {
			out.Report.Differences = append(out.Report.Differences, contract.PaperDifference{
				Paper: d.Paper, Console: toSectionChanges(d.Console), Files: toSectionChanges(d.Files),
			})
		}
		for _, b := range r.Builds {
			out.Report.Datasets = append(out.Report.Datasets, toBuildReport(b))
		}
		if r.Check != nil {
			out.Report.Check = toCheck(r.Check)
		}
		if r.Strengthening != nil {
			out.Report.Strengthening = toStrengthening(r.Strengthening)
		}
		for _, l := range r.Papers {
			out.Report.Papers = append(
				out.Report.Papers,
				contract.LoadedPaper{Slug: l.Slug, Title: l.Title, Exercises: l.Exercises, Points: l.Points},
			)
		}
	}
	for _, e := range j.Errors {
		out.Errors = append(
			out.Errors,
			contract.ScriptError{
				File:      e.File,
				Line:      e.Place.Line,
				Column:    e.Place.Column,
				Text:      e.Place.Text,
				Statement: e.Statement,
				Message:   e.Message,
				Detail:    e.Detail,
				Cause:     e.Cause,
			},
		)
	}
	return out, err
}

// toRecheck adds to a job that checks attempts again what it would change, or has changed.
func toRecheck(out contract.Job, j *jobs.Job) (contract.Job, error) {
	if len(j.Report) == 0 {
		return out, nil
	}
	var r work.RecheckReport
	if err := json.Unmarshal(j.Report, &r); err != nil {
		return out, err
	}
	out.Report = contract.JobReport{
		Title: r.Title, Datasets: []contract.BuildReport{}, Papers: []contract.LoadedPaper{},
		Recheck: contract.RecheckReport{Attempts: r.Attempts, Applied: r.Applied, Changes: []contract.MarkChange{}},
	}
	for _, c := range r.Changes {
		out.Report.Recheck.Changes = append(out.Report.Recheck.Changes, contract.MarkChange{
			Course: c.Course, Learner: c.Learner, DisplayName: c.DisplayName, Exercise: c.Exercise, Number: c.Number,
			Was: contract.Outcome(c.Was), Is: contract.Outcome(c.Is), MarkWas: c.MarkWas, MarkIs: c.MarkIs, Why: c.Why,
		})
	}
	return out, nil
}

func (s *server) Recheck(
	ctx context.Context, request contract.RecheckRequestObject,
) (contract.RecheckResponseObject, error) {
	b := request.Body
	job, err := s.Rechecks.Begin(ctx, who(ctx), work.NewRecheck{
		Paper: request.Paper, Exercise: b.Exercise, Course: b.Course, Reason: b.Reason,
	})
	if err != nil {
		return nil, err
	}
	out, err := toJob(job)
	return contract.Recheck202JSONResponse(out), err
}

func toCheck(r *library.CheckReport) contract.CheckReport {
	out := contract.CheckReport{
		Exercises: r.Exercises,
		Errors:    r.Count(grading.SeverityError),
		Warnings:  r.Count(grading.SeverityWarning),
		Notes:     toNotes(r.Notes),
	}
	for _, e := range r.Strengths {
		out.Strengths = append(out.Strengths, contract.ExerciseStrength{
			Paper: e.Paper, Exercise: e.Exercise, Number: e.Number, Title: e.Title, Strength: toStrength(e.Strength),
		})
	}
	return out
}
