package practice

import (
	"context"
	"sync"
	"time"
)

// Turns bound how many runs of one learner take place at once in all services together. Take reports whether there is a
// turn of the given number that no other service has; what was taken is given back. Where there is no telling, there is
// a turn.
type Turns interface {
	Take(ctx context.Context, learner int64, number int) bool
	GiveBack(learner int64, number int)
}

// turns bound how many runs of one learner take place at once.
type turns struct {
	most   int
	from   int   // the number of the first, as other services know it
	shared Turns // nil: there is no other service

	mu    sync.Mutex
	lent  map[int64]chan int // by learner: the numbers of those turns that are free
	users map[int64]int      // runs in progress or waiting, so that lent can be cleared
}

func newTurns(most, from int, shared Turns) *turns {
	return &turns{
		most: most, from: from, shared: shared, lent: map[int64]chan int{}, users: map[int64]int{},
	}
}

// askAgain is after how long a learner's run asks again whether another service has given a turn back.
const askAgain = 20 * time.Millisecond

// take waits for a turn, which has a number and which the caller must give back. The error is the context's cause.
func (t *turns) take(ctx context.Context, learner int64) (number int, err error) {
	t.mu.Lock()
	free := t.lent[learner]
	if free == nil {
		free = make(chan int, t.most)
		for n := range t.most {
			free <- n
		}
		t.lent[learner] = free
	}
	t.users[learner]++
	t.mu.Unlock()
	for {
		select {
		case number = <-free:
		case <-ctx.Done():
			t.leave(learner)
			return 0, context.Cause(ctx)
		}
		if t.shared == nil || learner == 0 || t.shared.Take(ctx, learner, t.from+number) {
			return number, nil
		}
		free <- number // another service has that one: the next is tried, or the same again in a moment
		select {
		case <-time.After(askAgain):
		case <-ctx.Done():
			t.leave(learner)
			return 0, context.Cause(ctx)
		}
	}
}

// giveBack lets the learner's next run have the turn.
func (t *turns) giveBack(learner int64, number int) {
	if t.shared != nil && learner != 0 {
		t.shared.GiveBack(learner, t.from+number)
	}
	t.mu.Lock()
	free := t.lent[learner]
	t.mu.Unlock()
	free <- number
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
