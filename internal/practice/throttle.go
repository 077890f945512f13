package practice

import (
	"sync"
	"time"
)

// patientFor is how long a run has the processors on equal terms. After that it gets what other runs leave.
var patientFor = 100 * time.Millisecond

// remembered is how long a learner whose run took longer starts each further run with what others leave.
const remembered = 20 * time.Second

// A Share is the share of the processors that a session's process gets.
type Share int

const (
	Ordinary Share = iota
	Leftover       // what others leave
	// what others leave, of all processors but one: for when so many want them that those who wake up would wait
	Confined
)

// A throttle gives short runs precedence over long ones. It needs the practice server on this machine.
type throttle struct {
	set        func(pid uint32, share Share) error
	processors int

	mu     sync.Mutex
	heavy  map[int64]time.Time // until when, by learner
	shares map[uint32]Share    // of the processes of long runs
}

func newThrottle(set func(pid uint32, share Share) error, processors int) *throttle {
	return &throttle{set: set, processors: processors, heavy: map[int64]time.Time{}, shares: map[uint32]Share{}}
}

// watch follows a run in a session's process; one that is behind is a long one from the beginning. When the run has
// ended, end restores the process; it returns false if
// that fails, and the session must then be discarded.
func (e *throttle) watch(learner int64, pid uint32, behind bool) (end func() bool) {
	if e == nil {
		return func() bool { return true }
	}
	ended := false
	lower := func() {
		e.mu.Lock()
		defer e.mu.Unlock()
		if _, is := e.shares[pid]; !ended && !is {
			e.shares[pid] = Ordinary
			e.share()
		}
	}
	timer := time.AfterFunc(patientFor, func() {
		e.remember(learner)
		lower()
	})
	if behind || e.isHeavy(learner) {
		lower()
	}
	return func() bool {
		timer.Stop()
		e.mu.Lock()
		defer e.mu.Unlock()
		ended = true
		share := e.shares[pid]
		delete(e.shares, pid)
		e.share()
		return share == Ordinary || e.set(pid, Ordinary) == nil
	}
}

// share assigns every long run its share. A process whose share cannot be changed keeps the one it has.
func (e *throttle) share() {
	share := Leftover
	if len(e.shares) > e.processors {
		share = Confined
	}
	for pid, has := range e.shares {
		if has != share && e.set(pid, share) == nil {
			e.shares[pid] = share
		}
	}
}

func (e *throttle) remember(learner int64) {
	if learner == 0 { // a reference answer's run is nobody's
		return
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	now := time.Now()
	for l, until := range e.heavy {
		if until.Before(now) {
			delete(e.heavy, l)
		}
	}
	e.heavy[learner] = now.Add(remembered)
}

func (e *throttle) isHeavy(learner int64) bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.heavy[learner].After(time.Now())
}
