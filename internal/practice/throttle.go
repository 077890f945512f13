package practice

import (
	"sync"
	"time"
)

// patientFor is how long a run has the processor like any other; then it has what others leave.
var patientFor = 100 * time.Millisecond

// remembered is how long a learner whose run took longer has what others leave from the beginning.
const remembered = 20 * time.Second

// A Share is how much of the processors a session's process has.
type Share int

const (
	Ordinary Share = iota
	Leftover       // what others leave
	Confined       // what others leave, of all processors but one: for when so many want them that those who wake up would wait
)

// A throttle gives the processors to short runs first. It needs the practice server on this machine.
type throttle struct {
	set        func(pid uint32, share Share) error
	processors int

	mu     sync.Mutex
	heavy  map[int64]time.Time // until when, by learner
	shares map[uint32]Share    // of the processes of long runs
}

// Throttle has runs that take long go on with what processor time others leave. Set changes the share of a process of the practice server, which has
// so many processors.
func (s *Server) Throttle(set func(pid uint32, share Share) error, processors int) {
	s.throttle = &throttle{set: set, processors: processors, heavy: map[int64]time.Time{}, shares: map[uint32]Share{}}
}

// watch looks after a run in a session's process. When the run has ended, end puts the process back; it is false where that cannot be done, and the
// session has to be thrown away.
func (e *throttle) watch(learner int64, pid uint32) (end func() bool) {
	if e == nil {
		return func() bool { return true }
	}
	ended := false
	lower := func() {
		e.mu.Lock()
		defer e.mu.Unlock()
		if !ended {
			e.shares[pid] = Ordinary
			e.share()
		}
	}
	timer := time.AfterFunc(patientFor, func() {
		e.remember(learner)
		lower()
	})
	if e.isHeavy(learner) {
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

// share gives every long run its share. One that cannot be changed keeps what it has.
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
