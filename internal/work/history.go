package work

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/explain"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A HistoryFilter selects runs and attempts. An empty field selects all.
type HistoryFilter struct {
	Paper, Exercise string
	Learner         string // for those who follow a course; a learner sees their own
	Dataset         string
	Outcome, Kind   string
	Text            string // somewhere in the first 5,000 characters, or in the name under which it is kept
	Since, Until    time.Time
	Kept            bool   // only what the account keeps
	Before          string // the Next of the page before
	Limit           int
}

// An Entry is a run or an attempt.
type Entry struct {
	ID                              string
	Kind                            string
	At                              time.Time
	Learner, DisplayName            string
	Paper, Exercise, Title, Dataset string // "" for none
	SQL                             string
	Outcome                         marking.Outcome
	Mark, Points                    *marking.Points // nil for a run
	RowCount                        int64
	ElapsedMS                       float64
	Findings                        []explain.Finding
	Error                           *problem.Problem
	Kept                            bool
	Name                            string // under which it is kept; "" for none
}

func entryOf(row query.HistoryRow) Entry {
	e := Entry{
		ID:          strconv.FormatInt(row.ID, 10),
		Kind:        row.Kind,
		At:          row.At,
		Learner:     row.Learner,
		DisplayName: row.DisplayName,
		Paper:       orNone(row.Paper),
		Exercise:    orNone(row.Exercise),
		Title:       orNone(row.Title),
		Dataset:     row.Dataset,
		SQL:         row.Sql,
		Outcome:     marking.Outcome(row.Outcome),
		Mark:        points(row.Mark),
		Points:      points(row.Points),
		RowCount:    row.RowCount,
		ElapsedMS:   row.ElapsedMs,
		Kept:        row.Kept,
		Name:        row.Name,
	}
	e.Findings, e.Error = stored(row.Findings, row.Error)
	return e
}

// untold takes out of an attempt what its learner may not know yet.
func (e *Entry) untold() {
	e.Outcome, e.Mark, e.RowCount, e.ElapsedMS, e.Findings, e.Error = "", nil, 0, 0, []explain.Finding{}, nil
}

func orNone(text *string) string {
	if text == nil {
		return ""
	}
	return *text
}

func points(text *string) *marking.Points {
	if text == nil {
		return nil
	}
	p := marking.PointsOf(*text)
	return &p
}

// A HistoryPage is a page of entries, latest first. Next is "" on the last page.
type HistoryPage struct {
	Entries []Entry
	Next    string
}

// A page has so many entries where nothing else is asked for, so many at most, and ends early where what they hold
// comes to more than so many bytes.
const (
	usualPage   = 50
	longestPage = 500
	largestPage = 2 << 20
)

// History lists runs and attempts.
func (w *Work) History(ctx context.Context, who account.Account, f HistoryFilter) (*HistoryPage, error) {
	if f.Limit == 0 {
		f.Limit = usualPage
	}
	if !records.IsText(f.Outcome + f.Kind + f.Learner + f.Dataset + f.Text) {
		return nil, problem.New(422, "filter", "Invalid filter",
			"The outcome, the kind, the learner, the dataset and what is searched have to be text.")
	}
	if f.Limit < 1 || f.Limit > longestPage {
		return nil, problem.New(422, "page-size", "Invalid page size",
			"%d to %d entries can be asked for, not %d.", 1, longestPage, f.Limit)
	}
	params := query.HistoryParams{
		Page: int32(f.Limit) + 1, MostBytes: largestPage, Outcome: filter(f.Outcome), Kind: filter(f.Kind),
		Reader: who.ID, Since: instant(f.Since), Until: instant(f.Until),
	}
	if f.Before != "" {
		before, err := strconv.ParseInt(f.Before, 10, 64)
		if err != nil {
			return nil, problem.New(422, "page", "There is no such page",
				"%q is not what an earlier page gave as its next.", f.Before)
		}
		params.Before = &before
	}
	everybody, err := w.whose(ctx, who, f.Learner, &params)
	if err != nil {
		return nil, err
	}
	if err := w.ofWhat(ctx, who, f, &params); err != nil {
		return nil, err
	}
	if err := w.among(ctx, f, &params, everybody); err != nil {
		return nil, err
	}
	untold, err := w.courses.Untold(ctx, who)
	if err != nil {
		return nil, err
	}
	params.Untold = []string{}
	for _, u := range untold {
		params.Untold = append(params.Untold, fmt.Sprintf("%d %d", u.Paper, u.Course))
	}
	rows, err := w.entries(ctx, params, everybody)
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
		e := entryOf(row)
		if row.AccountID == who.ID {
			e.Findings = explain.ToLearner(e.Findings)
		}
		if row.AccountID == who.ID && row.Kind == "attempt" && row.CourseID != nil &&
			slices.Contains(untold, course.Untold{Course: *row.CourseID, Paper: *row.PaperID}) {
			e.untold()
		}
		page.Entries = append(page.Entries, e)
	}
	return page, nil
}

// entries reads a page of one account's entries, or of everybody's in the courses.
func (w *Work) entries(ctx context.Context, params query.HistoryParams, everybody bool) ([]query.HistoryRow, error) {
	if !everybody {
		return w.records.History(ctx, params)
	}
	found, err := w.records.CourseHistory(ctx, query.CourseHistoryParams{
		Courses: params.Courses, Reader: params.Reader, PaperID: params.PaperID, ExerciseID: params.ExerciseID,
		Outcome: params.Outcome, Kind: params.Kind, Before: params.Before, Ids: params.Ids,
		DatasetID: params.DatasetID, Since: params.Since, Until: params.Until, Untold: params.Untold,
		Page: params.Page, MostBytes: params.MostBytes,
	})
	rows := make([]query.HistoryRow, 0, len(found))
	for _, row := range found {
		rows = append(rows, query.HistoryRow(row))
	}
	return rows, err
}

// whose decides whose entries are listed: the account's own, or, for somebody who follows courses, also those made in
// these courses by all members or by one.
func (w *Work) whose(ctx context.Context, who account.Account, name string, params *query.HistoryParams) (
	everybody bool, err error,
) {
	courses := who.In(account.Follow)
	params.AccountID = who.ID
	switch {
	case name == who.Name || name == "" && len(courses) == 0:
		return false, nil
	case len(courses) == 0:
		return false, problem.New(403, "not-allowed", "Only instructors may see others' history",
			"Leave the learner out to see your own.")
	}
	params.Courses = courses
	if name == "" {
		return true, nil
	}
	learner, err := w.accounts.ByName(ctx, name)
	if err != nil && !records.Missing(err) {
		return false, err
	}
	if err != nil || !who.Can(account.Follow, learner.Slugs()...) {
		return false, problem.New(
			404, "no-learner", "There is no such learner", "Nobody in your courses is called %q.", name,
		)
	}
	params.AccountID = learner.ID
	return false, nil
}

// ofWhat looks up the paper and the exercise. Learners keep their own history of a paper that is closed to them.
func (w *Work) ofWhat(ctx context.Context, who account.Account, f HistoryFilter, params *query.HistoryParams) error {
	if f.Dataset != "" {
		d, err := w.records.DatasetByName(ctx, f.Dataset)
		if err != nil && !records.Missing(err) {
			return err
		}
		params.DatasetID = &d.ID // of one that is not there, nothing is found
	}
	if f.Paper == "" {
		if f.Exercise != "" {
			return problem.New(422, "exercise-of-what", "The exercise's paper is missing",
				"Name the paper as well as the exercise.")
		}
		return nil
	}
	p, err := w.courses.Known(ctx, who, f.Paper, func(paper int64) (bool, error) {
		rows, err := w.records.History(ctx, query.HistoryParams{
			AccountID: who.ID, PaperID: &paper, Reader: who.ID, Page: 1, MostBytes: largestPage,
		})
		return len(rows) > 0, err
	})
	if err != nil {
		return err
	}
	params.PaperID = &p.ID
	if f.Exercise == "" {
		return nil
	}
	e, err := w.library.Exercise(ctx, p, f.Exercise)
	if err == nil {
		params.ExerciseID = &e.ID
	}
	return err
}

// mostFound is how many of the latest texts that are found are looked through for what else is asked.
const mostFound = 5000

// among looks up the entries among which those asked for are: those whose texts are found, and those that are kept.
func (w *Work) among(ctx context.Context, f HistoryFilter, params *query.HistoryParams, everybody bool) error {
	if f.Text != "" {
		most := int32(mostFound)
		if everybody && f == (HistoryFilter{Text: f.Text, Limit: f.Limit}) {
			most = int32(f.Limit) + 1 // whatever is found is of the page
		}
		pattern := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(f.Text) + "%"
		found, err := w.records.FoundTexts(ctx, query.FoundTextsParams{
			AccountID: params.AccountID, Reader: params.Reader, Pattern: pattern, Most: most,
		})
		if err == nil && everybody {
			var others []int64
			others, err = w.records.CourseFoundTexts(ctx, query.CourseFoundTextsParams{
				Courses: params.Courses, Reader: params.Reader, Pattern: pattern, Most: most,
			})
			found = append(found, others...)
		}
		if err != nil {
			return err
		}
		params.Ids = append([]int64{}, found...) // empty is not the same as nil
	}
	if f.Kept {
		kept, err := w.records.KeptEntries(ctx, params.Reader)
		if err != nil {
			return err
		}
		if params.Ids != nil {
			kept = slices.DeleteFunc(kept, func(id int64) bool { return !slices.Contains(params.Ids, id) })
		}
		params.Ids = append([]int64{}, kept...)
	}
	return nil
}

func instant(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func filter(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}
