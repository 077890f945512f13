package practice

import (
	"sync"
	"time"
)

// patientFor is how long a run has the processor like any other; then it has what others leave.
var patientFor = 100 * time.Millisecond

// remembered is how long a learner whose run took longer has what others leave from the beginning.
const remembered = 20 * time.Second

// An easing gives the processor to short runs first. It needs the practice server on this machine.
type easing struct {
	set func(pid uint32, low bool) error

	mu    sync.Mutex
	heavy map[int64]time.Time // until when, by learner
}

// Ease has runs that take long go on with what processor time others leave. Set changes the priority of a process of the practice server.
func (s *Server) Ease(set func(pid uint32, low bool) error) {
	s.easing = &easing{set: set, heavy: map[int64]time.Time{}}
}

// watch looks after a run in a session's process. When the run has ended, end puts the process back; it is false where that cannot be done, and the
// session has to be thrown away.
func (e *easing) watch(learner int64, pid uint32) (end func() bool) {
	if e == nil {
		return func() bool { return true }
	}
	var mu sync.Mutex
	ended, eased := false, false
	ease := func() {
		mu.Lock()
		defer mu.Unlock()
		if !ended && e.set(pid, true) == nil {
			eased = true
		}
	}
	timer := time.AfterFunc(patientFor, func() {
		e.remember(learner)
		ease()
	})
	if e.isHeavy(learner) {
		ease()
	}
	return func() bool {
		timer.Stop()
		mu.Lock()
		defer mu.Unlock()
		ended = true
		return !eased || e.set(pid, false) == nil
	}
}

func (e *easing) remember(learner int64) {
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

func (e *easing) isHeavy(learner int64) bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.heavy[learner].After(time.Now())
}
