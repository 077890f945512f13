package exam

import (
	"context"
	"strconv"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// HistoryFilter says which runs and attempts to list; an empty field is no condition.
type HistoryFilter struct {
	Paper, Exercise string
	Learner         string // for instructors; a learner sees their own
	Outcome, Kind   string
	Before          string // the Next of the page before
	Limit           int
}

// An Entry is a run or an attempt.
type Entry struct {
	query.HistoryRow
	Findings []explain.Finding
	Error    *problem.Problem
}

// A HistoryPage is some entries, the latest first. Next is "" on the last page.
type HistoryPage struct {
	Entries []Entry
	Next    string
}

// A page has so many entries at most, and ends early where what they hold comes to more than so many bytes.
const (
	longestPage = 500
	largestPage = 2 << 20
)

// History lists runs and attempts.
func (s *Service) History(ctx context.Context, who account.Account, f HistoryFilter) (*HistoryPage, error) {
	if f.Limit == 0 {
		f.Limit = 50
	}
	if !records.IsText(f.Outcome + f.Kind + f.Learner) {
		return nil, problem.New(422, "filter", "Invalid filter", "The outcome, the kind and the learner have to be text.")
	}
	if f.Limit < 1 || f.Limit > longestPage {
		return nil, problem.New(422, "page-size", "Invalid page size", "%d to %d entries can be asked for, not %d.", 1, longestPage, f.Limit)
	}
	params := query.HistoryParams{Page: int32(f.Limit) + 1, MostBytes: largestPage, Outcome: filter(f.Outcome), Kind: filter(f.Kind)}
	if f.Before != "" {
		before, err := strconv.ParseInt(f.Before, 10, 64)
		if err != nil {
			return nil, problem.New(422, "page", "There is no such page", "%q is not what an earlier page gave as its next.", f.Before)
		}
		params.Before = &before
	}
	if err := s.whoseHistory(ctx, who, f.Learner, &params); err != nil {
		return nil, err
	}
	if err := s.historyOf(ctx, who, f, &params); err != nil {
		return nil, err
	}
	rows, err := s.records.History(ctx, params)
	if err != nil {
		return nil, err
	}
	page := &HistoryPage{}
	last := len(rows) - 1
	if len(rows) > f.Limit || last >= 0 && rows[last].More {
		rows = rows[:min(len(rows), f.Limit)]
		page.Next = strconv.FormatInt(rows[len(rows)-1].ID, 10)
	}
	for _, row := range rows {
		e := Entry{HistoryRow: row}
		e.Findings, e.Error = stored(row.Findings, row.Error)
		page.Entries = append(page.Entries, e)
	}
	return page, nil
}

func (s *Service) whoseHistory(ctx context.Context, who account.Account, name string, params *query.HistoryParams) error {
	if who.Role != account.Instructor {
		if name != "" && name != who.Name {
			return problem.New(403, "not-allowed", "Only instructors may see others' history", "Leave the learner out to see your own.")
		}
		params.AccountID = &who.ID
		return nil
	}
	if name == "" {
		return nil
	}
	if name == who.Name {
		params.AccountID = &who.ID
		return nil
	}
	learner, err := s.courses.Learner(ctx, who, name)
	params.AccountID = &learner.ID
	return err
}

// historyOf looks up the paper and the exercise. A learner's own history stays when a paper is closed to them.
func (s *Service) historyOf(ctx context.Context, who account.Account, f HistoryFilter, params *query.HistoryParams) error {
	paper, exercise := f.Paper, f.Exercise
	if paper == "" {
		if exercise != "" {
			return problem.New(422, "exercise-of-what", "The exercise's paper is missing", "Name the paper as well as the exercise.")
		}
		return nil
	}
	if !records.IsText(paper + exercise) {
		paper = ""
	}
	p, err := s.records.PaperBySlug(ctx, paper)
	if records.Missing(err) {
		return noPaper(who, paper)
	} else if err != nil {
		return err
	}
	params.PaperID = &p.ID
	if who.Role != account.Instructor {
		if err := s.mayKnow(ctx, who, p); err != nil {
			return err
		}
	}
	if exercise == "" {
		return nil
	}
	e, err := s.records.ExerciseIn(ctx, query.ExerciseInParams{PaperID: p.ID, Address: exercise})
	if records.Missing(err) {
		return problem.New(404, "no-exercise", "There is no such exercise", "The paper %q has no exercise %q.", paper, exercise)
	}
	params.ExerciseID = &e.ID
	return err
}

// mayKnow is the problem of a paper that a learner neither has nor ever had anything to do with: it is as if it were not there.
func (s *Service) mayKnow(ctx context.Context, who account.Account, p query.Paper) error {
	found, err := s.records.PaperFor(ctx, query.PaperForParams{AccountID: who.ID, Slug: p.Slug})
	if err != nil || found.Courses > 0 {
		return err
	}
	rows, err := s.records.History(ctx, query.HistoryParams{AccountID: &who.ID, PaperID: &p.ID, Page: 1, MostBytes: largestPage})
	if err == nil && len(rows) == 0 {
		err = noPaper(who, p.Slug)
	}
	return err
}

func filter(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}
