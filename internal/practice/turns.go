package practice

import (
	"context"
	"sync"
)

// turns bound how many runs take place at once: in all, and of one learner.
type turns struct {
	slots chan struct{} // one for each run
	own   int           // of one learner at once

	mu    sync.Mutex
	lent  map[int64]chan struct{} // by learner: one for each run
	users map[int64]int           // runs in progress or waiting, so that lent can be cleared
}

func newTurns(limits Limits) *turns {
	return &turns{
		slots: make(chan struct{}, limits.Seats),
		own:   limits.Learner,
		lent:  map[int64]chan struct{}{},
		users: map[int64]int{},
	}
}

// take waits for a turn, which the caller must give back. The error is the context's cause.
func (t *turns) take(ctx context.Context, learner int64) error {
	t.mu.Lock()
	own := t.lent[learner]
	if own == nil {
		own = make(chan struct{}, t.own)
		t.lent[learner] = own
	}
	t.users[learner]++
	t.mu.Unlock()
	select {
	case own <- struct{}{}:
	case <-ctx.Done():
		t.leave(learner)
		return context.Cause(ctx)
	}
	select {
	case t.slots <- struct{}{}:
		return nil
	case <-ctx.Done():
		<-own
		t.leave(learner)
		return context.Cause(ctx)
	}
}

// giveBack lets the next run have the turn.
func (t *turns) giveBack(learner int64) {
	t.mu.Lock()
	own := t.lent[learner]
	t.mu.Unlock()
	<-t.slots
	<-own
	t.leave(learner)
}

// leave removes a learner who has no runs from the books.
func (t *turns) leave(learner int64) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.users[learner]--; t.users[learner] == 0 {
		delete(t.users, learner)
		delete(t.lent, learner)
	}
}
