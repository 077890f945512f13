package practice

import (
	"context"
	"errors"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// A watch ends a run whose time is up. What counts is the time that the run's own session took: not what the sink takes
// to make itself ready, and not what a server takes that stalls or has too much to do.
type watch struct {
	server *server
	pid    uint32
	cancel func(error)

	mu    sync.Mutex
	timer *time.Timer
	began time.Time     // of the current stretch; zero while it is paused
	took  time.Duration // before it
	noted bool          // what the session has used was looked at, or cannot be
	used  time.Duration // of processors, by the session before that
	known bool          // that can be told
	ended bool          // the run has, or is being ended
}

// The errors that a watch ends a run with.
var (
	errTime    = errors.New("time is up")
	errStalled = errors.New("the server did not work on it")
)

const (
	probePatience = 2 * time.Second
	// What a session used before its run is looked at after this part of the limit: most runs have ended by then.
	notedAfter = 10
	// A run is ended when its limit is past and it has used the processor for a part of that. One that has not is given
	// longer, up to a few times its limit; if it has then used hardly any, it was the server that did not go on.
	fairShare = 2   // the part of the limit
	longest   = 3   // times the limit
	hardly    = 200 // the part of what has passed: a session of low priority gets little of a busy machine, but more
)

// watch starts watching a session.
func (s *server) watch(pid uint32, cancel func(error)) *watch {
	w := &watch{server: s, pid: pid, cancel: cancel, began: time.Now(), noted: s.measure == nil}
	w.mu.Lock() // it may be due before the timer is noted, where this thread has to wait for a processor
	defer w.mu.Unlock()
	w.timer = time.AfterFunc(w.until(), w.due)
	return w
}

// until is how long the run may take yet, or until what its session has used is to be looked at.
func (w *watch) until() time.Duration {
	limit := w.server.Limits.Time
	if !w.noted {
		limit /= notedAfter
	}
	return max(limit-w.took, 0)
}

// processorTime is how long a session has used the processors. known is false if that cannot be determined.
func (s *server) processorTime(pid uint32) (used time.Duration, known bool) {
	if s.measure == nil {
		return 0, false
	}
	used, err := s.measure(pid)
	return used, err == nil
}

// pause stops the clock until resume is called.
func (w *watch) pause() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.began.IsZero() {
		w.took, w.began = w.took+time.Since(w.began), time.Time{}
		w.timer.Stop()
	}
}

func (w *watch) resume() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.began.IsZero() && !w.ended {
		w.began = time.Now()
		w.timer.Reset(w.until())
	}
}

// stop ends the watch. It returns what the run took, and whether it ended by itself.
func (w *watch) stop() (took time.Duration, inTime bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.timer.Stop()
	if !w.began.IsZero() {
		w.took += time.Since(w.began)
	}
	inTime, w.ended = !w.ended, true
	return w.took, inTime
}

// note looks at what the session has used, if that was not looked at. It tells whether that is all there is to do yet.
func (w *watch) note() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.noted {
		return false
	}
	if !w.ended && !w.began.IsZero() {
		w.noted = true
		w.used, w.known = w.server.processorTime(w.pid)
		w.timer.Reset(max(w.until()-time.Since(w.began), 0))
	}
	return true
}

// due is called when a run's time is up. It decides whose fault that is, and whether the run may continue.
func (w *watch) due() {
	if w.note() {
		return
	}
	again, reason := w.look()
	w.mu.Lock()
	defer w.mu.Unlock()
	switch {
	case w.ended || w.began.IsZero():
	case again > 0:
		w.timer.Reset(again)
	default:
		w.ended = true
		w.cancel(reason)
	}
}

// look says how long to wait until the next look, or gives the reason to end the run.
func (w *watch) look() (again time.Duration, reason error) {
	limit := w.server.Limits.Time
	asleep, err := w.asleep()
	used, known := w.server.processorTime(w.pid)
	w.mu.Lock()
	defer w.mu.Unlock()
	took := w.took
	if !w.began.IsZero() {
		took += time.Since(w.began)
	}
	used -= w.used
	switch {
	case err != nil:
		return 0, errStalled
	case asleep, !known || !w.known, used >= limit/fairShare:
		return 0, errTime
	case took < longest*limit:
		return max(limit/4, 10*time.Millisecond), nil
	case used < took/hardly:
		return 0, errStalled
	}
	return 0, errTime
}

// asleep tells whether a session waits because its query says so. An error means that the server does not answer.
func (w *watch) asleep() (asleep bool, err error) {
	ctx, stop := context.WithTimeout(context.Background(), probePatience)
	defer stop()
	err = w.server.admin.QueryRow(
		ctx, "SELECT coalesce((SELECT wait_event = 'PgSleep' FROM pg_stat_activity WHERE pid = $1), false)",
		pgx.QueryExecModeExec, int32(w.pid),
	).Scan(&asleep)
	return asleep, err
}
