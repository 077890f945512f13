package course

import (
	"context"
	"encoding/json"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/records"
	"examen/internal/records/query"
)

// standAgain computes all marks of a paper as it is set again, after its rules, its times or an extension changed. It
// raises the revision, so that a submission which was judged by the one before is judged anew. The caller has locked
// the set.
func (c *Courses) standAgain(ctx context.Context, t *records.Transaction, set int64) error {
	row, err := t.ReviseSet(ctx, set)
	if err != nil {
		return err
	}
	return c.stand(ctx, t, row, nil, nil)
}

// StandAgain computes the mark of one account for one exercise again. What was submitted first may come to be stored
// last: then the rules are applied to all attempts in their order.
func (s Sets) StandAgain(ctx context.Context, who account.Account, r *Reading, exercise int64) error {
	return s.records.Together(ctx, func(t *records.Transaction) error {
		if err := t.LockSet(ctx, *r.Set); err != nil {
			return err
		}
		row, err := t.CoursePaper(ctx, query.CoursePaperParams{CourseID: *r.Course, PaperID: r.ID})
		if err != nil {
			return err
		}
		return s.stand(ctx, t, row, &who.ID, &exercise)
	})
}

// stand computes the marks of a paper as it is set from all attempts at it, or from one account's at one exercise.
func (c *Courses) stand(
	ctx context.Context, t *records.Transaction, set query.CoursePaper, account, exercise *int64,
) error {
	var rules marking.Rules
	if err := json.Unmarshal(set.Rules, &rules); err != nil {
		return err
	}
	spans, err := spansOf(ctx, t.Queries, set, rules, account)
	if err != nil {
		return err
	}
	attempts, err := t.AttemptsToStand(ctx, query.AttemptsToStandParams{
		SetID: set.ID, AccountID: account, ExerciseID: exercise,
	})
	if err != nil {
		return err
	}
	var checks query.CheckAgainParams
	stands := query.StandAgainParams{CourseID: set.CourseID}
	for len(attempts) > 0 {
		n := 1
		for n < len(attempts) && attempts[n].AccountID == attempts[0].AccountID &&
			attempts[n].ExerciseID == attempts[0].ExerciseID {
			n++
		}
		standOn(rules, spans[attempts[0].AccountID], attempts[:n], &checks, &stands)
		attempts = attempts[n:]
	}
	if len(checks.Checks) > 0 {
		if err := t.CheckAgain(ctx, checks); err != nil {
			return err
		}
	}
	if len(stands.Accounts) == 0 {
		return nil
	}
	return t.StandAgain(ctx, stands)
}

// spansOf returns when each learner, or one, may work on a paper as it is set.
func spansOf(
	ctx context.Context, q *query.Queries, set query.CoursePaper, rules marking.Rules, account *int64,
) (map[int64]marking.Span, error) {
	members, err := q.SetLearners(ctx, query.SetLearnersParams{SetID: set.ID, AccountID: account})
	spans := map[int64]marking.Span{}
	for _, m := range members {
		window, lasting := windowOf(rules, set.OpensAt, set.DueAt, m.DueAt, m.Minutes)
		spans[m.AccountID] = own(window, lasting, m.StartedAt)
	}
	return spans, err
}

// standOn adds the checks whose marks change, and the standing, of one account's attempts at one exercise.
func standOn(
	rules marking.Rules, span marking.Span, rows []query.AttemptsToStandRow,
	checks *query.CheckAgainParams, stands *query.StandAgainParams,
) {
	var attempts []marking.Attempt
	used, hidden := int32(0), int32(0)
	for _, row := range rows {
		a := marking.Attempt{
			Received: row.ReceivedAt, Outcome: marking.Outcome(row.Outcome), Kinds: row.Kinds,
			Points: marking.PointsOf(row.Points), Counted: row.Counted,
		}
		attempts = append(attempts, a)
		if worth := rules.Worth(a, span.After(a.Received)); worth.Cmp(marking.PointsOf(row.Mark)) != 0 {
			checks.Checks, checks.Marks = append(checks.Checks, row.CheckID), append(checks.Marks, worth.String())
		}
		if row.Counted {
			used++
		}
		if row.HiddenOnly {
			hidden++
		}
	}
	counts, mark := rules.Counting(span, attempts)
	stands.Accounts = append(stands.Accounts, rows[0].AccountID)
	stands.Exercises = append(stands.Exercises, rows[0].ExerciseID)
	stands.Counts = append(stands.Counts, rows[counts].ID)
	stands.Outcomes = append(stands.Outcomes, rows[counts].Outcome)
	stands.Marks = append(stands.Marks, mark.String())
	stands.Counted = append(stands.Counted, rows[counts].Counted)
	stands.Used, stands.Hidden = append(stands.Used, used), append(stands.Hidden, hidden)
}

// An Untold is a paper in a course of which an account may not be told outcomes, marks and findings yet.
type Untold struct{ Course, Paper int64 }

// Untold lists what the account may not be told yet, also in courses that it has left.
func (c *Courses) Untold(ctx context.Context, who account.Account) ([]Untold, error) {
	sets, err := c.readSets(ctx, who, nil)
	if err != nil {
		return nil, err
	}
	now := c.now()
	seen := map[int64]bool{} // papers that the account sees as staff in another course
	for _, s := range sets {
		seen[s.paper] = seen[s.paper] || s.role != account.Learner && !s.left
	}
	var all []Untold
	for _, s := range sets {
		if s.role == account.Learner && !s.told(now) && !seen[s.paper] && !who.Can(account.Prepare) {
			all = append(all, Untold{s.course, s.paper})
		}
	}
	return all, nil
}
