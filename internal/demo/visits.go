package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"examen/internal/account"
	"examen/internal/client"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/work"
)

// Work is what a learner does at a paper. Unlike the calls of the service it takes what was received in the past.
type Work interface {
	Run(ctx context.Context, who account.Account, request work.RunRequest) (*work.Run, error)
	Submit(ctx context.Context, who account.Account, s work.Submission) (*work.Attempt, error)
}

// A step is a query that a learner runs or submits.
type step struct {
	learner, paper, exercise, sql string
	submit                        bool
	at                            time.Time
}

// Most do not get this exercise right; and some are stuck at another.
const (
	hard = "how-many-each"
	maze = "never-sold"
)

var stuck = []string{"delphi", "gwen", "leif"}

// steps are what a learner does at the exercises of a paper: for each that is not left out its mistakes, each run and
// submitted, and then what is right, unless the learner has given up. Some stop half-way.
func steps(paper, learner string, chance *rand.Rand) (all [][]step) {
	exercises := Answers[paper]
	last := len(exercises)
	if chance.IntN(3) == 0 {
		last = 1 + chance.IntN(len(exercises)-1)
	}
	if learner == LearnerName {
		last = min(5, len(exercises))
	}
	for i, e := range exercises[:last] {
		if i > 2 && chance.IntN(12) == 0 {
			continue // left out
		}
		var steps []step
		add := func(sql string, submit bool) {
			steps = append(steps, step{learner: learner, paper: paper, exercise: e.Slug, sql: sql, submit: submit})
		}
		mistakes := max(0, chance.IntN(4)-1)
		switch {
		case e.Slug == hard:
			mistakes++
		case e.Slug == maze && slices.Contains(stuck, learner):
			mistakes = 5
		}
		for s := range mistakes {
			sql := e.Mistakes[(chance.IntN(len(e.Mistakes))+s)%len(e.Mistakes)]
			add(sql, false)
			add(sql, true)
		}
		if mistakes < 2 || mistakes < 5 && chance.IntN(3) == 0 {
			right := e.Right[chance.IntN(len(e.Right))]
			if len(right)%3 > 0 { // most look at the rows first
				add(right, false)
			}
			add(right, true)
		}
		all = append(all, steps)
	}
	return all
}

// visits are when the course's learners work on a paper, up to now: in one go or two, around the usual hour, few of
// them on the first days and many shortly before it is due. Some come late where that is accepted.
func (g *group) visits(p client.CoursePaper, begun map[string]bool, now time.Time) (all []step) {
	until := p.Due
	if now.Before(until) {
		until = now
	}
	days := max(1, int(until.Sub(p.Opens).Hours()/24))
	for i, m := range g.members {
		if m.role != "" || m.name == NewLearnerName || begun[m.name] {
			continue
		}
		chance := rand.New(rand.NewPCG(uint64(i+100*(18-g.hour)), uint64(1+len(p.Paper)))) // others in each course
		visit := func(day int, done [][]step) {
			opened := p.Opens.Add(time.Duration(day) * 24 * time.Hour)
			begins := hourOf(opened, 0, g.hour, g.zone).Add(time.Duration(chance.IntN(3*3600)-3600) * time.Second)
			all = append(all, inTime(slices.Concat(done...), begins, now, chance)...)
		}
		done := steps(p.Paper, m.name, chance)
		if p.Closes.After(p.Due) && now.After(p.Closes) && i%6 == 4 {
			all = append(all, inTime(slices.Concat(done...), hourOf(p.Due, 1, g.hour, g.zone), now, chance)...)
			continue
		}
		first := days - 1 - chance.IntN(days)*chance.IntN(days)/days
		split := len(done)
		if first < days-1 && len(done) > 2 && chance.IntN(2) == 0 {
			split = 1 + chance.IntN(len(done)-1)
		}
		visit(first, done[:split])
		if split < len(done) {
			visit(first+1+chance.IntN(days-first-1), done[split:])
		}
	}
	return all
}

// inTime gives the steps of a visit their times, some minutes apart and none of them later than now.
func inTime(steps []step, begins, now time.Time, chance *rand.Rand) []step {
	at := begins
	for i := range steps {
		if steps[i].submit {
			at = at.Add(time.Duration(20+chance.IntN(200)) * time.Second)
		} else {
			at = at.Add(time.Duration(60+chance.IntN(300)) * time.Second)
		}
		steps[i].at = at
	}
	if ahead := at.Sub(now); ahead > 0 {
		for i := range steps {
			steps[i].at = steps[i].at.Add(-ahead)
		}
	}
	return steps
}

// do has the learners do all steps in the order of time, as histories are; each learner one after the other.
func do(ctx context.Context, accounts Accounts, w Work, all []step) error {
	slices.SortStableFunc(all, func(a, b step) int { return a.at.Compare(b.at) })
	done := map[string]chan struct{}{} // closed once the learner's last step is
	var group errgroup.Group
	group.SetLimit(8)
	for _, s := range all {
		before, after := done[s.learner], make(chan struct{})
		done[s.learner] = after
		group.Go(func() error {
			defer close(after)
			if before != nil {
				<-before
			}
			if err := s.do(ctx, accounts, w); err != nil {
				return fmt.Errorf("%s at %s of %s: %w", s.learner, s.exercise, s.paper, err)
			}
			return nil
		})
	}
	return group.Wait()
}

// do does a step. What a slow machine does not keep up with is tried again, as a learner does who reads that.
func (s *step) do(ctx context.Context, accounts Accounts, w Work) error {
	for tries := 1; ; tries++ {
		err := s.once(ctx, accounts, w)
		if tries == 10 || ctx.Err() != nil || !records.Unavailable(err) && practice.Problem(err) == nil {
			return err
		}
		time.Sleep(time.Second)
	}
}

func (s *step) once(ctx context.Context, accounts Accounts, w Work) error {
	who, err := accounts.ByName(ctx, s.learner)
	if err != nil {
		return err
	}
	if !s.submit {
		_, err = w.Run(ctx, who, work.RunRequest{Paper: s.paper, Exercise: s.exercise, SQL: s.sql, Received: s.at})
		return err
	}
	_, err = w.Submit(ctx, who, work.Submission{Paper: s.paper, Exercise: s.exercise, SQL: s.sql, Received: s.at})
	return err
}
