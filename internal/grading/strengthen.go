package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"examen/internal/core/dataset"
	"examen/internal/core/explain"
	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// A Strengthening says for which wrong answers rows are wanted.
type Strengthening struct {
	Paper *pack.Paper
	// Strengths are those of its exercises, by slug, with the wrong answers that would pass.
	Strengths map[string]*Strength
	// Tables are what the dataset's build holds.
	Tables *dataset.Catalogue
	// Scratch is a copy of the dataset, in which rows are tried.
	Scratch *practice.Scratch
	// Answers are further ones that have to run on the rows: those of other papers.
	Answers []string
	// Thinned tells that the copy has fewer rows than the dataset.
	Thinned bool
	// Applies tells whether an exercise is checked on the rows.
	Applies func(*pack.Exercise) bool
	// Step is called before the search for each exercise, with its title.
	Step func(exercise string)
}

// A Proposal is a set of rows that tells wrong answers from right ones.
type Proposal struct {
	What  string         `json:"what"`
	Rows  []mutation.Row `json:"rows"`
	SQL   string         `json:"sql"`
	Tells []Telling      `json:"tells"`
}

// A Telling is a wrong answer that rows tell from the right one.
type Telling struct {
	Exercise string   `json:"exercise"`
	Survivor Survivor `json:"survivor"`
}

// Proposed is what a search for rows found.
type Proposed struct {
	Proposals []Proposal `json:"proposals"`
	// Left are the wrong answers that no rows were found for.
	Left []Telling `json:"left"`
}

// ErrEmptied tells that an accepted answer fails, or is empty, on a copy with fewer rows.
var ErrEmptied = errors.New("an accepted answer has no rows on the copy")

// Strengthen searches for rows that tell the wrong answers that would pass from the right ones, as few as it finds. On
// them every accepted answer still runs, to a result that is not empty where it was not, and those of the paper to one
// that is decided.
func (g *Grader) Strengthen(ctx context.Context, of Strengthening) (*Proposed, error) {
	s := &search{Strengthening: of, inspector: &inspector{
		grader:     on(of.Scratch, result.Seed(1)),
		Inspection: Inspection{Paper: of.Paper, Tables: of.Tables, Step: func(string) {}},
		strengths:  map[string]*Strength{},
	}}
	for _, e := range of.Paper.Exercises() {
		if strength := of.Strengths[e.Slug]; strength != nil {
			for _, survivor := range strength.Survivors {
				s.open = append(s.open, &sought{exercise: e, survivor: survivor})
			}
		}
	}
	if err := of.Scratch.Mark(ctx, "start"); err != nil {
		return nil, err
	}
	if err := s.begin(ctx); err != nil {
		return nil, err
	}
	for _, e := range of.Paper.Exercises() {
		if !of.Applies(e) {
			continue
		}
		if err := s.exercise(ctx, e); err != nil {
			return nil, err
		}
	}
	if err := s.spare(ctx); err != nil {
		return nil, err
	}
	return s.proposed(), nil
}

// longestSearch is how long rows are searched for one exercise.
const longestSearch = 60 * time.Second

// search is the state of a search for rows.
type search struct {
	Strengthening
	*inspector
	until  time.Time       // the search for the exercise at hand ends
	filled map[string]bool // the accepted answers, by whether they have rows
	state  int             // of the copy's rows: each change has a number of its own
	open   []*sought
	picked []*picked
}

// sought is a wrong answer that rows are sought for.
type sought struct {
	exercise *pack.Exercise
	survivor Survivor
	told     bool
}

// picked is a candidate that was taken.
type picked struct {
	mutation.Candidate
	tells []*sought
}

// here is the copy as it is, as a place where answers run. Each state is one of its own, so that nothing is remembered
// of another.
func (s *search) here() place { return place{database: fmt.Sprintf("state %d", s.state)} }

// begin looks which accepted answers have rows on the copy as it is.
func (s *search) begin(ctx context.Context) error {
	s.filled = map[string]bool{}
	for _, e := range s.Paper.Exercises() {
		if s.Applies(e) && !e.ByState() { // rows are searched for queries
			s.Answers = append(s.Answers, e.Accepted()...)
		}
	}
	for _, sql := range s.Answers {
		a, err := s.grader.answers.get(ctx, sql, s.here().database)
		if err != nil && FaultOf(err, "", nil) == nil {
			return err
		}
		s.filled[sql] = err == nil && a.count > 0
		if s.Thinned && !s.filled[sql] {
			return ErrEmptied
		}
	}
	return nil
}

// exercise searches rows for the wrong answers to one exercise.
func (s *search) exercise(ctx context.Context, e *pack.Exercise) error {
	if e.ByState() {
		return nil
	}
	s.Strengthening.Step(e.Title)
	s.until = time.Now().Add(longestSearch)
	for n, sql := range e.Accepted() {
		for len(s.wanted(e, n)) > 0 {
			candidates, err := s.candidates(ctx, sql, s.wanted(e, n))
			if err != nil {
				return err
			}
			best, err := s.best(ctx, candidates, s.wanted(e, n))
			if err != nil {
				return err
			}
			if best == nil {
				break
			}
			s.picked = append(s.picked, best)
			if err := s.insert(ctx, best); err != nil {
				return err
			}
			for _, w := range s.open { // of the other exercises, too
				if w.told || !s.Applies(w.exercise) || w.exercise.ByState() {
					continue
				}
				if w.told, err = s.tells(ctx, w); err != nil {
					return err
				}
				if w.told && !slices.Contains(best.tells, w) {
					best.tells = append(best.tells, w)
				}
			}
		}
	}
	return nil
}

// wanted are the wrong answers made from one answer that are not told apart yet.
func (s *search) wanted(e *pack.Exercise, answer int) (all []*sought) {
	for _, w := range s.open {
		if !w.told && w.exercise == e && w.survivor.Answer == answer {
			all = append(all, w)
		}
	}
	return all
}

func (s *search) candidates(ctx context.Context, sql string, wanted []*sought) ([]mutation.Candidate, error) {
	q, err := sqltext.ReadQuery(sql)
	if err != nil {
		return nil, err
	}
	var mutations []*sqltext.Query
	for _, w := range wanted {
		if m, err := sqltext.ReadQuery(w.survivor.SQL()); err == nil {
			mutations = append(mutations, m)
		}
	}
	return mutation.Candidates(q, mutations, s.Strengthening.Tables, func(sql string, most int) ([][]*string, error) {
		rows := &practice.Collector{MostRows: most, MostBytes: keepBytes}
		_, err := s.Scratch.Run(ctx, practice.Run{SQL: sql}, rows)
		if FaultOf(err, "", nil) != nil { // this tells nothing
			return nil, nil
		}
		var all [][]*string
		for _, row := range rows.Rows {
			all = append(all, explain.Cells(row, longestValue))
		}
		return all, err
	})
}

// longestValue is how much of a value is taken into a proposed row, in bytes.
const longestValue = 2000

// best tries candidates, and returns the one that tells most of the wanted apart, of those the first; nil for none.
func (s *search) best(ctx context.Context, candidates []mutation.Candidate, wanted []*sought) (*picked, error) {
	var best *picked
	for _, c := range candidates {
		if time.Now().After(s.until) {
			break
		}
		if err := s.Scratch.Mark(ctx, "candidate"); err != nil {
			return nil, err
		}
		one := &picked{Candidate: c}
		fits := s.Scratch.Try(ctx, c.SQL)
		s.state++
		var refused *practice.DatabaseError
		if fits != nil && !errors.As(fits, &refused) {
			return nil, fits
		}
		if fits == nil {
			for _, w := range wanted {
				is, err := s.tells(ctx, w)
				if err != nil {
					return nil, err
				}
				if is {
					one.tells = append(one.tells, w)
				}
			}
			if len(one.tells) > 0 && (best == nil || len(one.tells) > len(best.tells)) {
				fine, err := s.sound(ctx, s.Paper.Exercises())
				if err != nil {
					return nil, err
				}
				if fine {
					best = one
				}
			}
		}
		if err := s.Scratch.Back(ctx, "candidate"); err != nil {
			return nil, err
		}
		s.state++
		if best != nil && len(best.tells) == len(wanted) {
			break
		}
	}
	return best, nil
}

// insert has the copy hold a candidate's rows.
func (s *search) insert(ctx context.Context, c *picked) error {
	s.state++
	return s.Scratch.Try(ctx, c.SQL)
}

// tells tells whether the copy's rows tell a wrong answer from the right one.
func (s *search) tells(ctx context.Context, w *sought) (bool, error) {
	q, err := sqltext.ReadQuery(w.survivor.SQL())
	if err != nil {
		return false, err
	}
	is, err := s.told(ctx, w.exercise, w.survivor.Answer, q, s.here())
	return is == apart, err
}

// sound tells whether every accepted answer runs on the copy's rows, to a result that is not empty where it was not,
// and
// those of the given exercises to one that is decided.
func (s *search) sound(ctx context.Context, decided []*pack.Exercise) (bool, error) {
	for _, sql := range s.Answers {
		a, err := s.grader.answers.get(ctx, sql, s.here().database)
		if FaultOf(err, "", nil) != nil {
			return false, nil
		} else if err != nil {
			return false, err
		}
		if a.count == 0 && s.filled[sql] {
			return false, nil
		}
	}
	for _, e := range decided {
		if !s.Applies(e) {
			continue
		}
		q, err := sqltext.ReadQuery(e.Reference)
		if err != nil {
			return false, err
		}
		if fine, err := s.stable(ctx, e, q, s.here()); err != nil || !fine {
			return false, err
		}
	}
	return true, nil
}

// spare leaves out what was picked and is not needed: later picks tell the same.
func (s *search) spare(ctx context.Context) error {
	var told []*sought
	for _, w := range s.open {
		if w.told {
			told = append(told, w)
		}
	}
	for i := len(s.picked) - 1; i >= 0 && len(s.picked) > 1; i-- {
		rest := slices.Delete(slices.Clone(s.picked), i, i+1)
		enough, err := s.enough(ctx, rest, told)
		if err != nil {
			return err
		}
		if enough {
			s.picked = rest
		}
	}
	_, err := s.enough(ctx, s.picked, told) // and say once more who tells what
	return err
}

// enough tells whether some of the picks tell all that was told, and notes what each does.
func (s *search) enough(ctx context.Context, picks []*picked, told []*sought) (bool, error) {
	for _, to := range []func(context.Context, string) error{s.Scratch.Back, s.Scratch.Mark} {
		if err := to(ctx, "start"); err != nil {
			return false, err
		}
	}
	s.state++
	tells := make([][]*sought, len(picks))
	left := slices.Clone(told)
	for i, c := range picks {
		if err := s.insert(ctx, c); err != nil {
			var refused *practice.DatabaseError
			if errors.As(err, &refused) {
				return false, nil
			}
			return false, err
		}
		var still []*sought
		for _, w := range left {
			is, err := s.tells(ctx, w)
			if err != nil {
				return false, err
			}
			if is {
				tells[i] = append(tells[i], w)
			} else {
				still = append(still, w)
			}
		}
		left = still
	}
	fine, err := s.sound(ctx, s.Paper.Exercises())
	if err != nil || !fine || len(left) > 0 {
		return false, err
	}
	for i, c := range picks {
		c.tells = tells[i]
	}
	return true, nil
}

func (s *search) proposed() *Proposed {
	p := &Proposed{Proposals: []Proposal{}, Left: []Telling{}}
	telling := func(w *sought) Telling { return Telling{w.exercise.Slug, w.survivor} }
	for _, c := range s.picked {
		proposal := Proposal{What: c.What, Rows: c.Rows, SQL: c.SQL, Tells: []Telling{}}
		for _, w := range c.tells {
			proposal.Tells = append(proposal.Tells, telling(w))
		}
		p.Proposals = append(p.Proposals, proposal)
	}
	for _, w := range s.open {
		if !w.told {
			p.Left = append(p.Left, telling(w))
		}
	}
	return p
}
