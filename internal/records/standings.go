package records

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Whoever follows a class is told which standings have changed, in whatever replica. A submission does not tell by
// itself: commits that notify wait for one another. What has changed is gathered for a moment, and told at once.

// A StandingKey names how an account stands on an exercise in a course.
type StandingKey struct{ Account, Exercise, Course int64 }

const (
	standingsTopic = "standings "
	gatherFor      = 100 * time.Millisecond
	mostKeys       = 200 // of a notification, which has 8000 bytes at most; of more changes only the paper is told
)

// Changes are what has changed of a paper's standings: those of some keys, or any of them.
type Changes struct {
	Any  bool
	Keys map[StandingKey]struct{}
}

func (c *Changes) add(any bool, keys ...StandingKey) {
	c.Any = c.Any || any
	if c.Keys == nil {
		c.Keys = map[StandingKey]struct{}{}
	}
	for _, k := range keys {
		c.Keys[k] = struct{}{}
	}
}

// standings are what is to be told of changed standings, and who hears of them, by paper.
type standings struct {
	mu     sync.Mutex
	untold map[int64]*Changes
	armed  bool
	ears   map[int64][]*StandingsEar
}

// StandingsChanged tells all replicas, in a moment, that standings of a paper have changed: without keys, that any may
// have. It is called after the write.
func (s *Store) StandingsChanged(paper int64, keys ...StandingKey) {
	t := &s.standings
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.untold[paper] == nil {
		t.untold[paper] = &Changes{}
	}
	t.untold[paper].add(len(keys) == 0, keys...)
	if !t.armed {
		t.armed = true
		time.AfterFunc(gatherFor, s.tellStandings)
	}
}

// tellStandings tells what was gathered. What could not be told is not lost: whoever follows looks at all now and then.
func (s *Store) tellStandings() {
	t := &s.standings
	t.mu.Lock()
	untold := t.untold
	t.untold, t.armed = map[int64]*Changes{}, false
	t.mu.Unlock()
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	for paper, changes := range untold {
		told := standingsTopic + strconv.FormatInt(paper, 10)
		if !changes.Any && len(changes.Keys) <= mostKeys {
			for k := range changes.Keys {
				told += fmt.Sprintf(" %d:%d:%d", k.Account, k.Exercise, k.Course)
			}
		}
		_, _ = s.pool.Exec(ctx, "SELECT pg_notify('examen_changes', $1)", told)
	}
}

// hearStandings passes on what was told; of "" that any standing of any paper may have changed.
func (s *Store) hearStandings(told string) {
	words := strings.Fields(told)
	t := &s.standings
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(words) == 0 {
		for _, ears := range t.ears {
			for _, e := range ears {
				e.hear(true)
			}
		}
		return
	}
	paper, err := strconv.ParseInt(words[0], 10, 64)
	if err != nil {
		return
	}
	var keys []StandingKey
	for _, word := range words[1:] {
		var k StandingKey
		if _, err := fmt.Sscanf(word, "%d:%d:%d", &k.Account, &k.Exercise, &k.Course); err != nil {
			keys = nil // it is of another version
			break
		}
		keys = append(keys, k)
	}
	for _, e := range t.ears[paper] {
		e.hear(len(keys) == 0, keys...)
	}
}

// A StandingsEar hears which standings of a paper change.
type StandingsEar struct {
	// Heard receives a value when there is something to take.
	Heard chan struct{}

	mu      sync.Mutex
	changes Changes
}

// HearStandings hears of a paper's standings until stop is called. It needs [Store.Follow].
func (s *Store) HearStandings(paper int64) (ear *StandingsEar, stop func()) {
	e := &StandingsEar{Heard: make(chan struct{}, 1)}
	t := &s.standings
	t.mu.Lock()
	defer t.mu.Unlock()
	t.ears[paper] = append(t.ears[paper], e)
	return e, func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		var left []*StandingsEar
		for _, other := range t.ears[paper] {
			if other != e {
				left = append(left, other)
			}
		}
		if t.ears[paper] = left; left == nil {
			delete(t.ears, paper)
		}
	}
}

func (e *StandingsEar) hear(any bool, keys ...StandingKey) {
	e.mu.Lock()
	e.changes.add(any, keys...)
	e.mu.Unlock()
	select {
	case e.Heard <- struct{}{}:
	default:
	}
}

// Take returns what has changed since it was last taken.
func (e *StandingsEar) Take() Changes {
	e.mu.Lock()
	defer e.mu.Unlock()
	taken := e.changes
	e.changes = Changes{}
	return taken
}
