package work

import (
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"strconv"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/core/panics"
	"examen/internal/core/result"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Attempt is a checked submission.
type Attempt struct {
	ID                       string
	At                       time.Time // when it was received
	Learner, Paper, Exercise string
	SQL                      string
	Outcome                  marking.Outcome // "" while it may not be told; so are all that follow but Build
	Mark, Points             marking.Points
	Deducted                 int        // percent, for coming late
	Rechecked                *time.Time // when it was checked again; nil: it was not
	RowCount                 int64
	ElapsedMS                float64
	Findings                 []explain.Finding
	Error                    *problem.Problem
	Build                    int // the number of the dataset's build that it was checked on
}

// untold is an attempt of which its learner may know only that it was received.
func (a *Attempt) untold() *Attempt {
	if a == nil {
		return nil
	}
	return &Attempt{
		ID: a.ID, At: a.At, Learner: a.Learner, Paper: a.Paper, Exercise: a.Exercise, SQL: a.SQL, Points: a.Points,
		Findings: []explain.Finding{}, Build: a.Build,
	}
}

// A Submission is a query handed in for an exercise.
type Submission struct {
	Paper, Exercise string
	SQL             string
	// Key is made by who sends it, anew for each: what is sent again with the same one is the same submission; "" for
	// none.
	Key string
	// Received is when it came: what counts, however long it then waits.
	Received time.Time
}

// longestKey is the greatest length of a key, in bytes.
const longestKey = 64

// Submit checks a query against the exercise's accepted answers and stores the attempt before returning it. Once begun,
// a submission is finished even if the caller goes away. A submission that was stored before is not checked again: its
// attempt is returned.
func (w *Work) Submit(ctx context.Context, who account.Account, s Submission) (*Attempt, error) {
	begun := time.Now()
	if err := checkQuery(s.SQL); err != nil {
		return nil, err
	}
	if len(s.Key) > longestKey || !records.IsText(s.Key) {
		return nil, problem.New(422, "key", "Invalid submission key",
			"It has %d bytes; at most %d are expected.", len(s.Key), longestKey)
	}
	if s.Key != "" {
		if earlier, err := w.submitted(ctx, who, s); err != nil || earlier != nil {
			return earlier, err
		}
	}
	r, e, err := w.courses.ReadExercise(ctx, who, s.Paper, s.Exercise)
	if err != nil {
		return nil, err
	}
	if err := r.MaySubmit(s.Received); err != nil {
		return nil, err
	}
	if err := w.accounts.Throttle().AdmitText(who, len(s.SQL)); err != nil {
		return nil, err
	}
	if err := attemptsLeft(ctx, w.records.Queries, who, r, e); err != nil {
		return nil, err
	}
	if err := w.mayAskAgain(ctx, r, who, e); err != nil {
		return nil, err
	}
	ctx = context.WithoutCancel(ctx)
	verdict, err := w.grader.Grade(ctx, task(r, e), who.ID, s.SQL)
	if err != nil {
		return nil, w.undecided(r, e, err)
	}
	attempt, err := w.keep(ctx, who, r, e, s, verdict)
	if errors.Is(err, errRevised) { // how the paper is set was changed meanwhile
		attempt, err = w.keepRevised(ctx, who, e, s, verdict)
	}
	if err == nil && verdict.Outcome == marking.Incorrect {
		w.explain(who, r, e, attempt)
	}
	if verdict.Hidden {
		time.Sleep(toldAfter(verdict.Elapsed, time.Since(begun)) - time.Since(begun))
	}
	return attempt, err
}

// undecided returns the error for a submission that could not be decided.
func (w *Work) undecided(r *course.Reading, e *library.Exercise, err error) error {
	var answer *grading.AnswerError
	var own *panics.Error
	if !errors.As(err, &answer) || errors.As(err, &own) {
		return err
	}
	w.log.Error("an accepted answer cannot be run", "paper", r.Slug, "exercise", e.Slug, "error", answer.Err)
	if grading.ServersFault(err) {
		return err
	}
	return problem.New(500, "reference-fails", "The attempt cannot be checked",
		"The exercise's reference answer does not run. Tell your instructor; the draft is kept.")
}

// submitted returns the attempt that a submission has already become; nil if there is none.
func (w *Work) submitted(ctx context.Context, who account.Account, s Submission) (*Attempt, error) {
	row, err := w.records.AttemptByKey(ctx, query.AttemptByKeyParams{AccountID: who.ID, ClientKey: s.Key})
	switch {
	case records.Missing(err):
		return nil, nil
	case err != nil:
		return nil, err
	case row.Attempt.Sql != s.SQL || row.Paper != s.Paper:
		return nil, problem.New(409, "key-used", "The submission key was used before",
			"It belongs to the attempt of %s, which had another text: make a new key for each submission.",
			row.Attempt.ReceivedAt.UTC().Format("2 January 2006 at 15:04 UTC"))
	}
	attempt := attemptOf(row.Attempt, row.AttemptCheck, row.BuildNumber, who, row.Paper, row.Exercise)
	if r, err := w.courses.Read(ctx, who, s.Paper); err != nil || !r.Told {
		return attempt.untold(), nil
	}
	return attempt, nil
}

// allowed is how many attempts are allowed at an exercise; 0 is no limit. Its own limit holds before that of the paper.
func allowed(r *course.Reading, e *library.Exercise) int {
	return cmp.Or(e.Checking.Attempts, r.Rules.Attempts)
}

// attemptsLeft returns a problem if all attempts at the exercise are used.
func attemptsLeft(
	ctx context.Context, q *query.Queries, who account.Account, r *course.Reading, e *library.Exercise,
) error {
	most := allowed(r, e)
	if most == 0 {
		return nil
	}
	used, err := q.AttemptsUsed(ctx, query.AttemptsUsedParams{AccountID: who.ID, ExerciseID: e.ID, CourseID: r.Course})
	if err == nil && int(used) >= most {
		return problem.New(403, "no-attempts-left", "No attempts are left",
			"This exercise allows %d, and all are used. Queries can still be run.", most)
	}
	return err
}

// errRevised tells that the paper is set otherwise by now than when the submission was judged.
var errRevised = errors.New("the paper was set anew meanwhile")

// keepRevised stores an attempt by how its paper is set now, which was changed while it was checked.
func (w *Work) keepRevised(
	ctx context.Context, who account.Account, e *library.Exercise, s Submission, v *grading.Verdict,
) (attempt *Attempt, err error) {
	for range 10 {
		w.records.Changed(records.SetsChanged) // what this replica knows by heart is older
		r, err := w.courses.Read(ctx, who, s.Paper)
		if err != nil {
			return nil, err
		}
		if err := r.MaySubmit(s.Received); err != nil {
			return nil, err
		}
		if attempt, err = w.keep(ctx, who, r, e, s, v); !errors.Is(err, errRevised) {
			return attempt, err
		}
	}
	return nil, errRevised
}

// keep stores the attempt, its check and the new standing: all of them, or nothing. It returns what the learner is
// told.
func (w *Work) keep(
	ctx context.Context, who account.Account, r *course.Reading, e *library.Exercise, s Submission, v *grading.Verdict,
) (*Attempt, error) {
	after := r.Span.After(s.Received)
	made := marking.Attempt{Outcome: v.Outcome, Points: e.Points}
	for _, f := range v.Findings {
		made.Kinds = append(made.Kinds, f.Kind)
	}
	attempt := &Attempt{
		Learner:   who.Name,
		Paper:     r.Slug,
		Exercise:  e.Slug,
		SQL:       s.SQL,
		Outcome:   v.Outcome,
		Mark:      r.Rules.Worth(made, after),
		Points:    e.Points,
		Deducted:  r.Rules.Late.Percent(after),
		RowCount:  v.Rows,
		ElapsedMS: milliseconds(v.Elapsed),
		Findings:  v.Findings,
		Build:     r.Number,
	}
	if attempt.Findings == nil {
		attempt.Findings = []explain.Finding{}
	}
	if v.Fault != nil {
		attempt.Error = library.FaultProblem(v.Fault)
	}
	findings, err := json.Marshal(attempt.Findings)
	if err != nil {
		return nil, err
	}
	entry := query.CreateAttemptParams{
		AccountID:   who.ID,
		ExerciseID:  e.ID,
		CourseID:    r.Course,
		Sql:         s.SQL,
		ReceivedAt:  s.Received,
		VersionID:   e.Version,
		BuildID:     r.Build,
		Outcome:     string(v.Outcome),
		Mark:        attempt.Mark.String(),
		Points:      e.Points.String(),
		RowCount:    v.Rows,
		ElapsedMs:   attempt.ElapsedMS,
		Findings:    findings,
		Error:       attempt.Error.Stored(),
		Fingerprint: printed(v.Fingerprint),
		Differing:   v.Differing,
		HiddenOnly:  v.HiddenOnly,
		Counted:     !v.Unread,
		SetID:       r.Set,
		Revision:    r.Revision,
		Counts:      string(r.Rules.Counts),
		Late:        after >= 0,
		Alike:       w.alike(v, s.SQL),
		Review:      review(v),
	}
	if s.Key != "" {
		entry.ClientKey = &s.Key
	}
	stored, err := w.create(ctx, who, r, e, entry)
	switch {
	case records.Taken(err) && s.Key != "": // it was sent twice at the same time, and the other was first
		return w.submitted(ctx, who, s)
	case records.Missing(err):
		return nil, errRevised
	case err != nil:
		return nil, err
	}
	if r.Set != nil && stored.LastAt.After(stored.ReceivedAt) { // a later one was stored before
		if err := w.courses.Sets().StandAgain(ctx, who, r, e.ID); err != nil {
			return nil, err
		}
	}
	if r.Course != nil {
		w.records.StandingsChanged(r.ID, records.StandingKey{Account: who.ID, Exercise: e.ID, Course: *r.Course})
	}
	attempt.ID, attempt.At = strconv.FormatInt(stored.ID, 10), stored.ReceivedAt
	if !r.Told {
		return attempt.untold(), nil
	}
	return attempt, nil
}

// alike stands for what an attempt comes to, by which notes reach it: its result, or the shape of a text without one.
func (w *Work) alike(v *grading.Verdict, sql string) []byte {
	if v.Fingerprint != nil {
		return printed(v.Fingerprint)
	}
	q, err := w.grader.Read(sql)
	if err != nil {
		return nil
	}
	_, shape := q.Shapes()
	return shape[:]
}

// review tells why an attempt needs somebody's eye; "" if it does not.
func review(v *grading.Verdict) string {
	switch {
	case v.Outcome == marking.Stopped:
		return string(course.ByLimit)
	case v.Outcome == marking.Rejected && v.Fault == nil: // all of its rows are right
		return string(course.ByRule)
	}
	return ""
}

// create stores an attempt. Where attempts are limited, it stores one at a time.
func (w *Work) create(
	ctx context.Context, who account.Account, r *course.Reading, e *library.Exercise, entry query.CreateAttemptParams,
) (stored query.CreateAttemptRow, err error) {
	if allowed(r, e) == 0 {
		return w.records.CreateAttempt(ctx, entry)
	}
	err = w.records.Together(ctx, func(t *records.Transaction) error {
		err := t.LockWork(ctx, query.LockWorkParams{
			AccountID: strconv.FormatInt(who.ID, 10), ExerciseID: strconv.FormatInt(e.ID, 10),
		})
		if err != nil {
			return err
		}
		if err := attemptsLeft(ctx, t.Queries, who, r, e); err != nil {
			return err
		}
		stored, err = t.CreateAttempt(ctx, entry)
		return err
	})
	return stored, err
}

// printed returns a fingerprint as it is stored: 16 bytes, the higher half first.
func printed(f *result.Fingerprint) []byte {
	if f == nil {
		return nil
	}
	return binary.BigEndian.AppendUint64(binary.BigEndian.AppendUint64(nil, f.Hi), f.Lo)
}

// attemptOf converts an attempt and one of its checks from the records.
func attemptOf(
	a query.Attempt, c query.AttemptCheck, build int32, who account.Account, paper, exercise string,
) *Attempt {
	attempt := &Attempt{
		ID:        strconv.FormatInt(a.ID, 10),
		At:        a.ReceivedAt,
		Learner:   who.Name,
		Paper:     paper,
		Exercise:  exercise,
		SQL:       a.Sql,
		Outcome:   marking.Outcome(c.Outcome),
		Mark:      marking.PointsOf(c.Mark),
		Points:    marking.PointsOf(c.Points),
		RowCount:  c.RowCount,
		ElapsedMS: c.ElapsedMs,
		Build:     int(build),
	}
	attempt.Findings, attempt.Error = stored(c.Findings, c.Error)
	attempt.Findings = explain.ToLearner(attempt.Findings)
	if c.Cause == "recheck" {
		attempt.Rechecked = &c.At
	}
	return attempt
}

// stored decodes findings and a problem from the records.
func stored(findings, wrong json.RawMessage) ([]explain.Finding, *problem.Problem) {
	all := []explain.Finding{}
	_ = json.Unmarshal(findings, &all) // written by keep
	if wrong == nil {
		return all, nil
	}
	p := &problem.Problem{}
	_ = json.Unmarshal(wrong, p)
	return all, p
}
