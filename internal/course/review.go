package course

import (
	"context"
	"encoding/json"
	"strconv"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Cause is why an attempt needs somebody's eye.
type Cause string

// The causes.
const (
	ByRule     Cause = "rule"     // its rows are right, and a rule of the exercise rejects it
	ByLimit    Cause = "stopped"  // it was stopped at a limit
	ByLearner  Cause = "disputed" // its learner disputes what came of it
	ByRecheck  Cause = "recheck"  // a recheck has changed the mark
	ByAnswered Cause = "answer"   // its learner has answered a note
)

// A Review is an attempt that needs somebody's eye.
type Review struct {
	ID                     int64
	Cause                  Cause
	Reason                 string // the learner's words, or what has changed
	At                     time.Time
	Course, Paper          string
	Exercise, Title        string
	Number                 int
	Attempt                int64
	Shown                  Shown
	Points, Computed, Mark marking.Points
	ByHand                 bool
	LastMark               int64  // the number of the last mark by hand; 0 for none
	MarkReason             string // why that was set
}

// Reviews are a page of the marking list. Next is "" on the last.
type Reviews struct {
	All  []Review
	Next string
}

// mostReviews is how many attempts a page of the marking list has.
const mostReviews = 200

// ReviewFilter selects what of the marking list is wanted; "" selects all.
type ReviewFilter struct {
	Course, Paper string
	Cause         Cause
	After         string // the Next of the page before
}

// List lists the attempts that need an eye, those that have waited longest first.
func (m Marking) List(ctx context.Context, who account.Account, f ReviewFilter) (*Reviews, error) {
	courses, err := followed(who, f.Course)
	if err != nil {
		return nil, err
	}
	params := query.ReviewsParams{Courses: courses, Most: mostReviews + 1}
	if f.Paper != "" {
		p, err := m.paper(ctx, who, f.Paper)
		if err != nil {
			return nil, err
		}
		params.PaperID = &p.ID
	}
	if f.Cause != "" {
		cause := string(f.Cause)
		params.Cause = &cause
	}
	if f.After != "" {
		if params.After, err = pageFrom(f.After); err != nil {
			return nil, err
		}
	}
	rows, err := m.records.Reviews(ctx, params)
	if err != nil {
		return nil, err
	}
	list := &Reviews{}
	if len(rows) > mostReviews {
		rows = rows[:mostReviews]
		list.Next = strconv.FormatInt(rows[mostReviews-1].ID, 10)
	}
	for _, row := range rows {
		list.All = append(list.All, reviewOf(row))
	}
	return list, nil
}

func reviewOf(row query.ReviewsRow) Review {
	r := Review{
		ID: row.ID, Cause: Cause(row.Cause), Reason: row.Reason, At: row.At, Course: row.Course, Paper: row.Paper,
		Exercise: row.Exercise, Number: int(row.Number), Title: row.Title, Attempt: row.AttemptID,
		Points: marking.PointsOf(row.Points), Computed: marking.PointsOf(row.Computed),
		Mark: marking.PointsOf(row.Computed), ByHand: row.ByHand != nil, LastMark: row.MarkID,
	}
	if row.ByHand != nil {
		r.Mark, r.MarkReason = marking.PointsOf(*row.ByHand), row.MarkReason
	}
	r.Shown = shownOf(row.ReceivedAt, row.Name, row.DisplayName, row.Sql, row.Outcome, row.Findings, row.Error)
	return r
}

func shownOf(at time.Time, name, called, sql, outcome string, findings, fault json.RawMessage) Shown {
	s := Shown{
		At: at, Learner: name, Name: called, SQL: sql, Outcome: marking.Outcome(outcome), Findings: []explain.Finding{},
	}
	_ = json.Unmarshal(findings, &s.Findings) // written with the check
	if fault != nil {
		s.Error = &problem.Problem{}
		_ = json.Unmarshal(fault, s.Error)
	}
	return s
}

// Finish takes an attempt off the marking list: somebody has looked, and it stands as it is. Reopen puts it back.
func (m Marking) Finish(ctx context.Context, who account.Account, id int64) error {
	return m.review(ctx, who, id, func(t *records.Transaction) error {
		return t.FinishReview(ctx, query.FinishReviewParams{ID: id, DoneBy: &who.ID})
	})
}

// Reopen puts an attempt back on the marking list.
func (m Marking) Reopen(ctx context.Context, who account.Account, id int64) error {
	return m.review(ctx, who, id, func(t *records.Transaction) error { return t.ReopenReview(ctx, id) })
}

func (m Marking) review(
	ctx context.Context, who account.Account, id int64, do func(*records.Transaction) error,
) error {
	row, err := m.records.ReviewByID(ctx, id)
	if records.Missing(err) || err == nil && who.May(account.Follow, row.Course) != nil {
		return problem.New(404, "no-review", "There is nothing to mark of this number",
			"%d is not on the marking list of your courses: list it anew.", id)
	} else if err != nil {
		return err
	}
	return m.records.As(ctx, who.ID, do)
}

// A Dispute is what a learner disputes of an attempt.
type Dispute struct {
	Attempt int64
	Reason  string
	At      time.Time
	Seen    *time.Time // when somebody who teaches had looked; nil: nobody has
	SeenBy  string     // the name to show
}

// Disputes returns what an account disputes of its work on a paper, keyed by exercise id.
func (m Marking) Disputes(ctx context.Context, who account.Account, r *Reading) (map[int64]*Dispute, error) {
	if r.Course == nil || !r.Told {
		return nil, nil
	}
	rows, err := m.records.DisputesOf(ctx, query.DisputesOfParams{
		AccountID: who.ID, CourseID: *r.Course, PaperID: r.ID,
	})
	all := map[int64]*Dispute{}
	for _, row := range rows {
		all[row.ExerciseID] = &Dispute{row.AttemptID, row.Reason, row.At, row.DoneAt, row.DoneBy}
	}
	return all, err
}

// Dispute has a learner say that what came of an attempt of theirs is wrong, and why. Somebody who teaches will look.
func (m Marking) Dispute(ctx context.Context, who account.Account, attempt int64, reason string) error {
	row, err := m.own(ctx, who, attempt)
	if err != nil {
		return err
	}
	reason = strings.TrimSpace(reason)
	if reason == "" || len(reason) > longestReason || !records.IsText(reason) {
		return problem.New(422, "reason", "A reason is missing",
			"Say in up to %d characters what is wrong with what was found.", longestReason)
	}
	if row.Outcome == string(marking.Correct) && marking.PointsOf(row.Mark).Cmp(marking.PointsOf(row.Points)) >= 0 {
		return problem.New(409, "nothing-to-dispute", "The attempt has all points", "There is nothing more to give.")
	}
	return m.records.As(ctx, who.ID, func(t *records.Transaction) error {
		made, err := t.Dispute(ctx, query.DisputeParams{AttemptID: attempt, Reason: reason})
		if err == nil && made == 0 {
			return problem.New(409, "disputed", "You have disputed this attempt already",
				"Somebody who teaches will look at it, or has. Answer their note, or speak to them.")
		}
		return err
	})
}

// WithdrawDispute has a learner take back what they disputed, as long as nobody has looked.
func (m Marking) WithdrawDispute(ctx context.Context, who account.Account, attempt int64) error {
	if _, err := m.own(ctx, who, attempt); err != nil {
		return err
	}
	return m.records.As(ctx, who.ID, func(t *records.Transaction) error {
		gone, err := t.WithdrawDispute(ctx, attempt)
		if err == nil && gone == 0 {
			return problem.New(409, "not-disputed", "There is nothing to take back",
				"You have not disputed this attempt, or somebody has looked at it by now.")
		}
		return err
	})
}

// own finds an attempt that a learner made in a course, and may know what came of.
func (m Marking) own(ctx context.Context, who account.Account, attempt int64) (query.AttemptInRow, error) {
	row, err := m.records.AttemptIn(ctx, attempt)
	if records.Missing(err) || err == nil && row.Attempt.AccountID != who.ID {
		return row, noAttempt(attempt)
	} else if err != nil {
		return row, err
	}
	r, err := m.Read(ctx, who, row.Paper)
	if err == nil && !r.Told {
		err = problem.New(409, "untold", "What came of it is told later", "Wait until outcome and mark are told.")
	}
	return row, err
}

func noAttempt(id int64) error {
	return problem.New(404, "no-attempt", "There is no such attempt",
		"%d is the number of no attempt that you can see; the history has the numbers.", id)
}
