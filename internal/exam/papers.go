package exam

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A PaperSummary is a paper in a list, with one's own standing.
type PaperSummary struct {
	Slug, Title, Dataset string
	State                marking.State
	Opens, Due           time.Time // zero: no bound
	Exercises            int
	Points               float64
	Mark                 float64
	Correct, Attempted   int
}

// Papers lists the papers that are set for a learner, or, for an instructor, all.
func (s *Service) Papers(ctx context.Context, who account.Account) ([]PaperSummary, error) {
	papers, err := s.records.ListPapers(ctx)
	if err != nil {
		return nil, err
	}
	times, err := s.records.LearnerPapers(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	standing, err := s.records.LearnerStanding(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	set := map[int64]query.LearnerPapersRow{}
	for _, t := range times {
		set[t.PaperID] = t
	}
	if who.Role == account.Instructor { // as the courses have them
		inCourses, err := s.records.SetPapers(ctx, nil)
		if err != nil {
			return nil, err
		}
		for _, t := range inCourses {
			set[t.PaperID] = query.LearnerPapersRow(t)
		}
	}
	own := map[int64]query.LearnerStandingRow{}
	for _, st := range standing {
		own[st.PaperID] = st
	}
	list := []PaperSummary{}
	for _, p := range papers {
		summary := PaperSummary{Slug: p.Slug, Title: p.Title, Dataset: p.Dataset, Exercises: int(p.Exercises), Points: p.Points}
		st := own[p.ID]
		summary.Mark, summary.Correct, summary.Attempted = st.Mark, int(st.Correct), int(st.Attempted)
		summary.Opens, summary.Due = timeOr(p.OpensAt), timeOr(p.DueAt)
		if t, isSet := set[p.ID]; isSet {
			summary.Opens, summary.Due = bounds(t.OpensAt, t.DueAt)
		} else if who.Role != account.Instructor {
			continue
		}
		summary.State = marking.At(time.Now(), summary.Opens, summary.Due)
		list = append(list, summary)
	}
	return list, nil
}

// A Paper is a paper as one account sees it.
type Paper struct {
	query.PaperInUse
	Opens, Due time.Time
	State      marking.State
}

// paper finds a paper that the account may read.
func (s *Service) paper(ctx context.Context, who account.Account, slug string) (*Paper, error) {
	if !records.IsText(slug) {
		slug = ""
	}
	found, err := s.records.PaperFor(ctx, query.PaperForParams{AccountID: who.ID, Slug: slug})
	if records.Missing(err) {
		return nil, noPaper(who, slug)
	} else if err != nil {
		return nil, err
	}
	p, err := readable(who, found)
	if err != nil || who.Role != account.Instructor {
		return p, err
	}
	set, err := s.records.SetPapers(ctx, &p.ID)
	if err != nil {
		return nil, err
	}
	if len(set) > 0 {
		p.Opens, p.Due = bounds(set[0].OpensAt, set[0].DueAt)
		p.State = marking.At(time.Now(), p.Opens, p.Due)
	}
	return p, nil
}

// readable is a paper as the account sees it, or why the account may not.
func readable(who account.Account, found query.PaperForRow) (*Paper, error) {
	p := &Paper{PaperInUse: found.PaperInUse}
	p.Opens, p.Due = bounds(found.OpensAt, found.DueAt)
	if who.Role == account.Instructor {
		p.Opens, p.Due = timeOr(p.OpensAt), timeOr(p.DueAt)
	}
	p.State = marking.At(time.Now(), p.Opens, p.Due)
	switch {
	case who.Role == account.Instructor:
	case found.Courses == 0:
		return nil, noPaper(who, p.Slug) // as if it were not there: nobody learns which papers there are
	case p.State == marking.Upcoming:
		return nil, problem.New(403, "not-open", "The paper is not open yet", "It opens on %s.", p.Opens.UTC().Format("2 January 2006 at 15:04 UTC"))
	}
	return p, nil
}

func noPaper(who account.Account, slug string) error {
	if who.Role == account.Instructor {
		return problem.New(404, "no-paper", "There is no such paper", "No paper is called %.80q.", slug)
	}
	return problem.New(404, "no-paper", "There is no such paper", "No paper called %.80q is set for any of your courses; ask your instructor.", slug)
}

// exercise finds an exercise of a paper that the account may read, by slug or number. It costs one query, or none.
func (s *Service) exercise(ctx context.Context, who account.Account, paperSlug, address string) (*Paper, query.Exercise, error) {
	if !records.IsText(paperSlug + address) {
		paperSlug, address = "", ""
	}
	params := query.ExerciseForParams{AccountID: who.ID, Slug: paperSlug, Address: address}
	found, err := s.papers.Load(params, func() (query.ExerciseForRow, error) { return s.records.ExerciseFor(ctx, params) })
	if records.Missing(err) {
		if _, err := s.paper(ctx, who, paperSlug); err != nil {
			return nil, query.Exercise{}, err
		}
		return nil, query.Exercise{}, problem.New(404, "no-exercise", "There is no such exercise", "The paper %q has no exercise %q: name one by its slug or its number.", paperSlug, address)
	} else if err != nil {
		return nil, query.Exercise{}, err
	}
	p, err := readable(who, query.PaperForRow{PaperInUse: found.PaperInUse, Courses: found.Courses, OpensAt: found.OpensAt, DueAt: found.DueAt})
	return p, found.Exercise, err
}

// An Exercise is an exercise with one's own standing in it.
type Exercise struct {
	query.Exercise
	Paper    string
	Dataset  string
	Blocks   []pack.Block
	Checking pack.Checking
	Ordered  bool
	Expected Expected // as much as Checking.Show says
	Standing query.PaperStandingRow
	Latest   *Attempt
	Draft    *query.Draft
}

// A PaperText is a whole paper. Sections that are exercises are filled from Exercises, by slug.
type PaperText struct {
	Summary   PaperSummary
	Sections  []pack.Section
	Exercises map[string]*Exercise
}

// Paper returns a paper, whole.
func (s *Service) Paper(ctx context.Context, who account.Account, slug string) (*PaperText, error) {
	p, err := s.paper(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	text := &PaperText{Exercises: map[string]*Exercise{}}
	sections, err := s.records.PaperSections(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(sections, &text.Sections); err != nil {
		return nil, err
	}
	exercises, err := s.records.PaperExercises(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	all, err := s.standing(ctx, who, p, exercises)
	if err != nil {
		return nil, err
	}
	text.Summary = PaperSummary{Slug: p.Slug, Title: p.Title, Dataset: p.Dataset, State: p.State, Opens: p.Opens, Due: p.Due, Exercises: len(all)}
	for _, e := range all {
		text.Exercises[e.Slug] = e
		text.Summary.Points += e.Points
		text.Summary.Mark += e.Standing.Mark
		if e.Standing.Attempts > 0 {
			text.Summary.Attempted++
		}
		if e.Standing.Outcome == string(marking.Correct) {
			text.Summary.Correct++
		}
	}
	return text, nil
}

// Exercise returns one exercise.
func (s *Service) Exercise(ctx context.Context, who account.Account, paperSlug, address string) (*Exercise, error) {
	p, e, err := s.exercise(ctx, who, paperSlug, address)
	if err != nil {
		return nil, err
	}
	all, err := s.standing(ctx, who, p, []query.Exercise{e})
	if err != nil {
		return nil, err
	}
	return all[0], nil
}

// longestExpecting is how long a paper waits for its expected results; without them it shows less.
const longestExpecting = 3 * time.Second

// standing adds to exercises of one paper what the account has done in them, and what it may see of the expected results.
func (s *Service) standing(ctx context.Context, who account.Account, p *Paper, exercises []query.Exercise) ([]*Exercise, error) {
	standing, err := s.records.PaperStanding(ctx, query.PaperStandingParams{PaperID: p.ID, AccountID: &who.ID})
	if err != nil {
		return nil, err
	}
	latest, err := s.records.LatestAttempts(ctx, query.LatestAttemptsParams{AccountID: who.ID, PaperID: p.ID})
	if err != nil {
		return nil, err
	}
	drafts, err := s.records.PaperDrafts(ctx, query.PaperDraftsParams{AccountID: who.ID, PaperID: p.ID})
	if err != nil {
		return nil, err
	}
	expecting, cancel := context.WithTimeout(ctx, longestExpecting)
	defer cancel()
	var all []*Exercise
	for _, row := range exercises {
		e := &Exercise{Exercise: row, Paper: p.Slug, Dataset: p.Dataset}
		if err := json.Unmarshal(row.Blocks, &e.Blocks); err != nil {
			return nil, fmt.Errorf("exercise %s: %w", row.Slug, err)
		}
		if err := json.Unmarshal(row.Checking, &e.Checking); err != nil {
			return nil, fmt.Errorf("exercise %s: %w", row.Slug, err)
		}
		for _, st := range standing {
			if st.ExerciseID == row.ID {
				e.Standing = st
			}
		}
		for _, a := range latest {
			if a.ExerciseID == row.ID {
				e.Latest = latestAttempt(a, who, p.Slug, row.Slug)
			}
		}
		for i := range drafts {
			if drafts[i].ExerciseID == row.ID {
				e.Draft = &drafts[i]
			}
		}
		s.addExpected(expecting, p, e)
		if who.Role != account.Instructor {
			e.Reference = ""
		}
		all = append(all, e)
	}
	return all, nil
}

// KeepDraft keeps the text of the answer space. Where a revision is given, the draft must not have been changed since.
func (s *Service) KeepDraft(ctx context.Context, who account.Account, paperSlug, address, sql string, revision *int64) (query.Draft, error) {
	_, e, err := s.exercise(ctx, who, paperSlug, address)
	if err != nil {
		return query.Draft{}, err
	}
	if err := checkText(sql); err != nil {
		return query.Draft{}, err
	}
	if err := s.accounts.AdmitText(who, len(sql)); err != nil {
		return query.Draft{}, err
	}
	draft, err := s.records.KeepDraft(ctx, query.KeepDraftParams{AccountID: who.ID, ExerciseID: e.ID, Sql: sql, Revision: revision})
	if records.Missing(err) {
		return draft, problem.New(409, "draft-changed", "The draft was changed elsewhere", "Another window or device has saved a later version of this answer. Look at that one first; nothing of either is lost.")
	}
	return draft, err
}

// LongestQuery is in bytes.
const LongestQuery = 100_000

// checkText checks a query's text before anything else is done with it.
func checkText(sql string) error {
	switch {
	case len(sql) > LongestQuery:
		return problem.New(413, "too-long", "The query is too long", "It has %d bytes; at most %d are taken.", len(sql), LongestQuery)
	case !utf8.ValidString(sql):
		return problem.New(400, "not-utf-8", "The query is not valid UTF-8", "Save the file as UTF-8 and send it again.")
	case strings.ContainsRune(sql, 0):
		return problem.New(422, "nul-byte", "The query holds a NUL byte", "SQL text cannot hold the character U+0000: remove it.")
	}
	return nil
}

// checkQuery is checkText for what is to be run.
func checkQuery(sql string) error {
	if strings.TrimSpace(sql) == "" {
		return problem.New(422, "empty", "The query is empty", "Write a query, such as SELECT ... FROM ..., and send that.")
	}
	return checkText(sql)
}
