package work

import (
	"context"
	"sync"

	"examen/internal/account"
	"examen/internal/problem"
)

// How many exports are being made or sent at once: in all, and of one account.
const (
	mostExports    = 16
	mostExportsOne = 2
)

// exportRoom bounds how many exports there are at once, so that nobody who takes files slowly keeps others from theirs.
type exportRoom struct {
	taken chan struct{} // as many as there are

	mu sync.Mutex
	of map[int64]int // by account
}

func newExportRoom() *exportRoom {
	return &exportRoom{taken: make(chan struct{}, mostExports), of: map[int64]int{}}
}

// enter waits for room for an export. leave has to be called once it is over. The error is a problem where the account
// has as many as it may, or the context's.
func (r *exportRoom) enter(ctx context.Context, who account.Account) (leave func(), err error) {
	if !r.count(who, 1) {
		return nil, problem.New(429, "exports", "Two files of yours are on their way",
			"Wait until one of them has been saved, then try again.")
	}
	select {
	case r.taken <- struct{}{}:
		return func() { <-r.taken; r.count(who, -1) }, nil
	case <-ctx.Done():
		r.count(who, -1)
		return nil, ctx.Err()
	}
}

// count adds to an account's exports, unless they would be too many.
func (r *exportRoom) count(who account.Account, more int) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	next := r.of[who.ID] + more
	if next > mostExportsOne {
		return false
	}
	if r.of[who.ID] = next; next == 0 {
		delete(r.of, who.ID)
	}
	return true
}
