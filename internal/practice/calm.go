package practice

import (
	"context"
	"sync"
	"sync/atomic"
	"time"
)

// calm lets runs that nobody waits for go on slowly while learners' runs come: between any two there is a pause, longer
// than what was done since the last. Their processes have the lowest priority anyway; what the service itself computes
// for them has not.
type calm struct {
	seen atomic.Int64 // when a learner's run began last, in nanoseconds

	mu    sync.Mutex // held in a pause: whoever else comes waits for the next
	since time.Time  // when the last pause ended
}

// Bounds of a pause, and how much longer it is than what was done before it.
const (
	disturbedFor = time.Second // after a learner's run
	pauseTimes   = 3
	leastPause   = 2 * time.Millisecond
	mostPause    = 50 * time.Millisecond
)

// learner notes that a learner's run begins.
func (c *calm) learner() { c.seen.Store(time.Now().UnixNano()) }

// pause waits for a while, if learners' runs have come in the last moment.
func (c *calm) pause(ctx context.Context) {
	c.mu.Lock()
	defer c.mu.Unlock()
	now := time.Now()
	if now.UnixNano()-c.seen.Load() < int64(disturbedFor) {
		select {
		case <-time.After(min(max(pauseTimes*now.Sub(c.since), leastPause), mostPause)):
		case <-ctx.Done():
		}
	}
	c.since = time.Now()
}
