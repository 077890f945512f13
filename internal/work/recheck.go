package work

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/panics"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Recheck is the kind of the jobs that check attempts again.
const Recheck = "recheck"

// A NewRecheck asks for all attempts at a paper, or at one exercise, to be checked again on what holds now.
type NewRecheck struct {
	Paper, Exercise string // Exercise may be ""
	Course          string // "" is all that the caller instructs
	Reason          string // which the log keeps
}

// recheckOptions are those of a job that checks attempts again.
type recheckOptions struct {
	Exercise string  `json:"exercise"`
	Courses  []int64 `json:"courses"`
	Reason   string  `json:"reason"`
	// the latest attempt when it was begun; those after it are checked on what holds now
	UpTo int64 `json:"up_to"`
}

// A RecheckReport says what checking attempts again changes of marks: before it is confirmed what it would change.
type RecheckReport struct {
	Title    string              `json:"title"`
	Attempts int                 `json:"attempts"`
	Changes  []course.MarkChange `json:"changes"`
	Digest   string              `json:"digest"`
	Applied  bool                `json:"applied"`
}

// Rechecks gives access to the jobs that check attempts again.
type Rechecks struct {
	*Work
	jobs *jobs.Jobs
}

// Rechecks registers what carries these jobs out, and returns access to them.
func (w *Work) Rechecks(all *jobs.Jobs) Rechecks {
	r := Rechecks{w, all}
	all.Handle(Recheck, r.do)
	all.Guard(Recheck, r.maySee)
	return r
}

// Begin begins a job that checks attempts again. When it has checked all of them it asks, and says whose marks would
// change; confirmed, they do. One that is begun again after it was stopped goes on where it was.
func (r Rechecks) Begin(ctx context.Context, who account.Account, n NewRecheck) (*jobs.Job, error) {
	courses, err := r.courses.Rechecks().Instructed(ctx, who, n.Course)
	if err != nil {
		return nil, err
	}
	paper, err := r.library.Paper(ctx, n.Paper)
	if records.Missing(err) {
		return nil, problem.New(404, "no-paper", "There is no such paper", "No paper is called %.80q.", n.Paper)
	} else if err != nil {
		return nil, err
	}
	if n.Exercise != "" {
		e, err := r.library.Exercise(ctx, paper, n.Exercise)
		if err != nil {
			return nil, err
		}
		n.Exercise = e.Slug
	}
	if n.Reason = strings.TrimSpace(n.Reason); len(n.Reason) > 1000 || !records.IsText(n.Reason) {
		return nil, problem.New(422, "reason", "Invalid reason", "Up to 1000 characters of text are expected.")
	}
	last, err := r.records.LastEntry(ctx)
	if err != nil {
		return nil, err
	}
	return r.jobs.Begin(ctx, who, jobs.Order{Kind: Recheck, Name: paper.Slug, Options: recheckOptions{
		Exercise: n.Exercise, Courses: courses, Reason: n.Reason, UpTo: last,
	}})
}

// maySee tells whether an account may see a job, which names learners: it has to instruct all of its courses.
func (r Rechecks) maySee(who account.Account, options json.RawMessage) bool {
	var o recheckOptions
	if json.Unmarshal(options, &o) != nil {
		return false
	}
	own := map[int64]bool{}
	for _, id := range who.In(account.Instruct) {
		own[id] = true
	}
	for _, id := range o.Courses {
		if !own[id] {
			return false
		}
	}
	return true
}

// do carries out the job.
func (r Rechecks) do(ctx context.Context, w *jobs.Work) error {
	var o recheckOptions
	if err := json.Unmarshal(w.Options, &o); err != nil {
		return err
	}
	paper, err := r.library.Paper(ctx, w.Name)
	if err != nil {
		return err
	}
	exercises, err := r.library.Exercises(ctx, paper)
	if err != nil {
		return err
	}
	var only *int64
	for _, e := range exercises {
		if o.Exercise != "" && e.Slug != o.Exercise {
			continue
		} else if o.Exercise != "" {
			only = &e.ID
		}
		if err := r.exercise(ctx, w, paper, e, o); err != nil {
			return err
		}
	}
	report, _, err := r.report(ctx, r.records.Queries, paper, only, o)
	if err != nil {
		return err
	}
	if seen, err := r.seen(ctx, w); err != nil {
		return err
	} else if !w.Confirmed || seen != report.Digest {
		return &jobs.Asks{Report: report}
	}
	report.Applied = true
	defer r.records.Changed(records.SetsChanged) // after the write
	return w.Finish(ctx, report, func(t *records.Transaction) error {
		return r.apply(ctx, t, paper, only, o, report)
	})
}

// seen is the digest of the changes that the job asked about; "" if it has not asked yet.
func (r Rechecks) seen(ctx context.Context, w *jobs.Work) (string, error) {
	row, err := r.records.JobByID(ctx, w.ID)
	if err != nil || len(row.Job.Report) == 0 {
		return "", err
	}
	var asked RecheckReport
	err = json.Unmarshal(row.Job.Report, &asked)
	return asked.Digest, err
}

// apply makes what was found the checks that hold.
func (r Rechecks) apply(
	ctx context.Context, t *records.Transaction, paper *library.Paper, only *int64, o recheckOptions,
	report *RecheckReport,
) error {
	if err := r.courses.Rechecks().Lock(ctx, t, paper.ID, o.Courses); err != nil {
		return err
	}
	now, all, err := r.report(ctx, t.Queries, paper, only, o)
	if err != nil {
		return err
	}
	if now.Digest != report.Digest { // a learner, or somebody who publishes, was quicker
		return &jobs.Asks{Report: now}
	}
	if err := r.courses.Rechecks().Apply(ctx, t, all); err != nil {
		return err
	}
	return t.CreateRecheck(ctx, query.CreateRecheckParams{
		PaperID: paper.ID, ExerciseID: only, Reason: o.Reason,
		Attempts: int32(report.Attempts), Changed: int32(len(report.Changes)),
	})
}

// report says what would change.
func (r Rechecks) report(
	ctx context.Context, q *query.Queries, paper *library.Paper, only *int64, o recheckOptions,
) (*RecheckReport, []course.Rechecked, error) {
	all, err := r.courses.Rechecks().Load(ctx, q, paper.ID, only, o.Courses, o.UpTo)
	if err != nil {
		return nil, nil, err
	}
	report := &RecheckReport{Title: paper.Title, Changes: []course.MarkChange{}}
	for i := range all {
		changes, attempts := all[i].Changes()
		report.Changes = append(report.Changes, changes...)
		report.Attempts += attempts
	}
	digest := sha256.New()
	for _, c := range report.Changes {
		fmt.Fprintf(digest, "%s %s %s %s %s %s\n", c.Course, c.Learner, c.Exercise, c.Is, c.MarkWas, c.MarkIs)
	}
	report.Digest = hex.EncodeToString(digest.Sum(nil))
	return report, all, nil
}

// exercise checks the attempts at one exercise again. The same text comes to the same, and is checked once.
func (r Rechecks) exercise(
	ctx context.Context, w *jobs.Work, paper *library.Paper, e *library.Exercise, o recheckOptions,
) error {
	attempts, err := r.records.AttemptsToRecheck(ctx, query.AttemptsToRecheckParams{
		ExerciseID: e.ID, Courses: o.Courses, UpTo: o.UpTo, VersionID: e.Version, BuildID: paper.Build,
	})
	if err != nil {
		return err
	}
	var done atomic.Int64
	var all errgroup.Group
	all.SetLimit(max(2, runtime.NumCPU()))
	for begin, worker := 0, int64(0); begin < len(attempts); worker++ {
		end := begin + 1
		for end < len(attempts) && attempts[end].Sql == attempts[begin].Sql {
			end++
		}
		same := attempts[begin:end]
		begin = end
		if ctx.Err() != nil {
			break
		}
		all.Go(panics.Caught(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := r.texts(ctx, paper, e, -1-worker%1000, same); err != nil {
				return err
			}
			n := done.Add(int64(len(same)))
			w.Step(fmt.Sprintf("Exercise %d: %d of %d attempts checked", e.Number, n, len(attempts)), 0)
			return nil
		}))
	}
	return errors.Join(all.Wait(), ctx.Err())
}

// texts checks attempts with the same text, on behalf of no learner: seat numbers a seat that is no learner's.
func (r Rechecks) texts(
	ctx context.Context, paper *library.Paper, e *library.Exercise, seat int64, same []query.AttemptsToRecheckRow,
) error {
	verdict, err := r.grader.Grade(ctx, grading.Task{
		Accepted: e.Accepted(), Rules: e.Checking, Database: paper.Database, Hidden: paper.Hidden(&e.Checking),
	}, seat, same[0].Sql)
	if err != nil {
		return r.undecided(&course.Reading{Paper: paper}, e, err)
	}
	kept := query.KeepRecheckParams{
		VersionID: e.Version, BuildID: paper.Build, Outcome: string(verdict.Outcome), Points: e.Points.String(),
		RowCount: verdict.Rows, ElapsedMs: milliseconds(verdict.Elapsed), Fingerprint: printed(verdict.Fingerprint),
		HiddenOnly: verdict.HiddenOnly, Counted: !verdict.Unread, Differing: verdict.Differing,
	}
	if verdict.Findings == nil {
		verdict.Findings = []explain.Finding{}
	}
	if kept.Findings, err = json.Marshal(verdict.Findings); err != nil {
		return err
	}
	if verdict.Fault != nil {
		kept.Error = library.FaultProblem(verdict.Fault).Stored()
	}
	for _, a := range same {
		kept.Attempts = append(kept.Attempts, a.ID)
	}
	return r.records.KeepRecheck(ctx, kept)
}
