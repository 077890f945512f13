package course

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Sitting is an account's examination.
type Sitting struct {
	Lasts   time.Duration // from its begin, if the paper does not close before; extensions counted
	Begun   *time.Time    // nil: not yet
	Closes  time.Time     // the window in which it is written, for the account
	Shuffle bool
	// Elsewhere tells that it is written in another session than the one that asks.
	Elsewhere bool
	seed      uint64
}

// sitting is the account's examination; nil for a paper that is none.
func (s *set) sitting(who account.Account) *Sitting {
	if s.rules.Exam == nil {
		return nil
	}
	return &Sitting{
		Lasts: s.lasting, Begun: s.started, Closes: s.window.Due, Shuffle: s.rules.Exam.Shuffle,
		Elsewhere: s.started != nil && !bytes.Equal(s.session, who.Session),
		seed:      uint64(s.id)<<32 ^ uint64(who.ID),
	}
}

// mayRead returns a problem for an examination that the account has not begun, or writes in another browser. One that
// is over is read like any paper, by whoever has not begun it once outcomes are told.
func (s *Sitting) mayRead(r *Reading) error {
	switch {
	case s == nil, r.State == marking.Closed && (s.Begun != nil || r.Told):
		return nil
	case s.Begun == nil && r.State == marking.Closed:
		return problem.New(403, "past-due", "The examination is over",
			"It could be begun until %s.", when(s.Closes, r.Zone))
	case s.Begun == nil:
		return problem.New(403, "not-begun", "The examination has not begun",
			"Its %s run from when you begin it. It can be begun until %s.",
			count(int64(s.Lasts.Minutes()), "minute"), when(s.Closes, r.Zone))
	case s.Elsewhere:
		return problem.New(403, "elsewhere", "The examination is being written in another browser",
			"It can be written in one browser at a time. To go on here, say so: it then ends there, and your "+
				"instructor can see that it was moved.")
	}
	return nil
}

// Order is in which order the account has n exercises: their numbers from 0.
func (r *Reading) Order(n int) []int {
	order := make([]int, n)
	for i := range order {
		order[i] = i
	}
	if r.Sitting == nil || !r.Sitting.Shuffle {
		return order
	}
	return marking.Shuffle(order, r.Sitting.seed)
}

// Begin begins the account's examination, or with move goes on with it in the session that asks. What has begun goes
// on: begun again in the same session, it is as it was.
func (s Sets) Begin(ctx context.Context, who account.Account, slug string, move bool) (*Reading, error) {
	r, err := s.Read(ctx, who, slug)
	var p *problem.Problem
	switch {
	case err == nil && (r.Sitting == nil || r.Staff):
		return nil, problem.New(409, "no-examination", "The paper is no examination",
			"%s is open until it is due: there is nothing to begin.", slug)
	case err == nil:
		return r, nil
	case !errors.As(err, &p):
		return nil, err
	case p.Type == "examen:elsewhere" && !move, p.Type != "examen:elsewhere" && p.Type != "examen:not-begun":
		return nil, err
	}
	paper, err := s.paper(ctx, who, slug)
	if err != nil {
		return nil, err
	}
	sets, err := s.sets(ctx, who, paper.ID)
	if err != nil {
		return nil, err
	}
	r = s.reading(who, paper, sets)
	defer s.records.Changed(records.SittingChanged(who.ID)) // after the write
	err = s.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if move {
			err := t.MoveSitting(ctx, query.MoveSittingParams{
				CoursePaperID: *r.Set, AccountID: who.ID, Session: who.Session,
			})
			if err != nil || r.Sitting.Begun != nil {
				return err
			}
		}
		_, err := t.StartSitting(ctx, query.StartSittingParams{
			CoursePaperID: *r.Set, AccountID: who.ID, StartedAt: s.now(), Session: who.Session,
		})
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.Read(ctx, who, slug)
}

// A Candidate is a learner who has begun an examination.
type Candidate struct {
	Name, DisplayName string
	Begun, Ends       time.Time
	Moved             int // how often it was gone on with in another session
}

// Candidates lists who has begun an examination.
func (s Sets) Candidates(ctx context.Context, who account.Account, courseSlug, paperSlug string) ([]Candidate, error) {
	set, err := s.followed(ctx, who, courseSlug, paperSlug)
	if err != nil {
		return nil, err
	}
	rows, err := s.records.Sittings(ctx, set.ID)
	if err != nil {
		return nil, err
	}
	learners, err := s.records.SetLearners(ctx, query.SetLearnersParams{SetID: set.ID})
	if err != nil {
		return nil, err
	}
	paper, err := paperOf(set, "", "", 0, s.now())
	if err != nil {
		return nil, err
	}
	ends := map[int64]time.Time{}
	for _, l := range learners {
		window, lasting := windowOf(paper.Rules, set.OpensAt, set.DueAt, l.DueAt, l.Minutes)
		ends[l.AccountID] = own(window, lasting, l.StartedAt).Due
	}
	all := []Candidate{}
	for _, row := range rows {
		all = append(all, Candidate{
			row.Name, row.DisplayName, row.Sitting.StartedAt, ends[row.Sitting.AccountID], int(row.Sitting.Moved),
		})
	}
	return all, nil
}

// followed finds a paper as it is set for a course, for somebody who follows the course.
func (s Sets) followed(ctx context.Context, who account.Account, courseSlug, paperSlug string) (
	query.CoursePaper, error,
) {
	if err := who.May(account.Follow, courseSlug); err != nil {
		return query.CoursePaper{}, err
	}
	course, err := s.find(ctx, courseSlug)
	if err != nil {
		return query.CoursePaper{}, err
	}
	paper, err := s.paper(ctx, who, paperSlug)
	if err != nil {
		return query.CoursePaper{}, err
	}
	return s.ofCourse(ctx, course, paper)
}

// longestNotice is the greatest length of a word to all, in bytes.
const longestNotice = 1000

// A Notice is a word from an instructor to all who work on a paper.
type Notice struct {
	ID   int64
	Text string
	By   string // the name to show
	At   time.Time
}

// Tell says something to all learners of the course who work on a paper: it appears on their pages at once.
func (s Sets) Tell(ctx context.Context, who account.Account, courseSlug, paperSlug, text string) (Notice, error) {
	course, paper, err := s.setting(ctx, who, courseSlug, paperSlug)
	if err != nil {
		return Notice{}, err
	}
	set, err := s.ofCourse(ctx, course, paper)
	if err != nil {
		return Notice{}, err
	}
	text = strings.TrimSpace(text)
	if text == "" || len(text) > longestNotice || !records.IsText(text) {
		return Notice{}, problem.New(422, "notice", "There is nothing to say",
			"Write up to %d characters for the learners to read.", longestNotice)
	}
	var made query.Notice
	defer s.records.Changed(records.NoticesChanged) // after the write
	err = s.records.As(ctx, who.ID, func(t *records.Transaction) (err error) {
		made, err = t.CreateNotice(ctx, query.CreateNoticeParams{CoursePaperID: set.ID, Text: text, MadeBy: who.ID})
		return err
	})
	return Notice{made.ID, text, who.DisplayName, made.MadeAt}, err
}

// Notices lists what was said to all who work on a paper as the account reads it.
func (s Sets) Notices(ctx context.Context, r *Reading) ([]Notice, error) {
	if r.Set == nil {
		return nil, nil
	}
	rows, err := s.records.Notices(ctx, []int64{*r.Set})
	var all []Notice
	for _, row := range rows {
		all = append(all, Notice{row.ID, row.Text, row.DisplayName, row.MadeAt})
	}
	return all, err
}

// News is what may change of a paper while somebody works on it.
type News struct {
	State       marking.State
	Due, Closes time.Time
	Now         time.Time
	Told        bool
	Elsewhere   bool // the examination was gone on with in another session
	Notices     []Notice
	Margin      string // another one whenever what the account reads in its margins is another
}

// newsEvery is after how long news are looked at in any case: what changes by the clock alone is told no later.
const newsEvery = 20 * time.Second

// Follow calls each with the news of a paper that the account reads, and again after every change, until the context
// ends or each returns an error.
func (s Sets) Follow(ctx context.Context, who account.Account, slug string, each func(News) error) error {
	changes, stop := s.records.Hear(
		records.SetsChanged, records.NoticesChanged, records.SittingChanged(who.ID), records.NotesChanged(who.ID),
	)
	defer stop()
	tick := time.NewTicker(newsEvery)
	defer tick.Stop()
	last := ""
	for {
		news, err := s.News(ctx, who, slug)
		if err != nil {
			return err
		}
		now := fmt.Sprint(news.State, news.Due, news.Closes, news.Told, news.Elsewhere, len(news.Notices), news.Margin)
		if now != last {
			last = now
			if err := each(news); err != nil {
				return err
			}
		}
		select {
		case <-changes:
		case <-tick.C:
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

// News returns what may change of a paper while the account works on it, also where it may not read it at the moment.
func (s Sets) News(ctx context.Context, who account.Account, slug string) (n News, err error) {
	p, err := s.paper(ctx, who, slug)
	if err != nil {
		return n, err
	}
	sets, err := s.sets(ctx, who, p.ID)
	if err != nil {
		return n, err
	}
	r := s.reading(who, p, sets)
	if r == nil {
		return n, noPaper(who, slug)
	}
	n = News{State: r.State, Due: r.Span.Due, Closes: r.Span.Closes(), Now: s.now(), Told: r.Told}
	n.Elsewhere = r.Sitting != nil && r.Sitting.Elsewhere
	if n.Notices, err = s.Notices(ctx, r); err != nil {
		return n, err
	}
	margin, err := s.Courses.Notes().Margin(ctx, who, r)
	for _, note := range margin {
		n.Margin += fmt.Sprintf("%d.%d ", note.ID, len(note.Readers[0].Answers))
	}
	return n, err
}
