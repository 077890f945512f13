package records

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"examen/internal/records/query"
)

// Attempts that come at the same time are kept together, in one commit: what is waited for longest is the disk. None is
// acknowledged before its commit. Who comes while none is being kept does not wait for others.

const (
	gatherAttempts = 2 * time.Millisecond // the longest that an attempt waits for others
	mostTogether   = 64
)

// attempts are those that wait to be kept.
type attempts struct {
	mu      sync.Mutex
	waiting []*keeping
	going   int         // groups that are being kept
	timer   *time.Timer // keeps those that wait
}

// A keeping is an attempt that waits.
type keeping struct {
	params query.CreateAttemptParams
	row    query.CreateAttemptRow
	err    error
	done   chan struct{}
}

// CreateAttempt keeps an attempt, as the query says, together with others that come at the same time. Once begun it is
// finished, even if the caller goes away.
func (s *Store) CreateAttempt(
	ctx context.Context, params query.CreateAttemptParams,
) (query.CreateAttemptRow, error) {
	k := &keeping{params: params, done: make(chan struct{})}
	a := &s.attempts
	a.mu.Lock()
	a.waiting = append(a.waiting, k)
	switch {
	case a.going == 0 && a.timer == nil || len(a.waiting) >= mostTogether:
		s.keepWaiting(ctx)
	case a.timer == nil:
		ctx := context.WithoutCancel(ctx)
		a.timer = time.AfterFunc(gatherAttempts, func() {
			a.mu.Lock()
			defer a.mu.Unlock()
			s.keepWaiting(ctx)
		})
	}
	a.mu.Unlock()
	<-k.done
	return k.row, k.err
}

// keepWaiting begins to keep those that wait. It is called with the lock.
func (s *Store) keepWaiting(ctx context.Context) {
	a := &s.attempts
	if a.timer != nil {
		a.timer.Stop()
		a.timer = nil
	}
	if len(a.waiting) == 0 { // they were too many to wait for the timer, which was about to fire
		return
	}
	group := a.waiting
	a.waiting = nil
	a.going++
	ctx = Promptly(context.WithoutCancel(ctx)) // whoever was the last to come: learners are among them
	go func() {
		s.keepGroup(ctx, group)
		a.mu.Lock()
		a.going--
		a.mu.Unlock()
	}()
}

// keepGroup keeps attempts in one commit. If that fails, each is tried alone, so that one's fault is not another's.
func (s *Store) keepGroup(ctx context.Context, group []*keeping) {
	// Groups take the standings' locks in the same order, so that none waits for another that waits for it.
	slices.SortFunc(group, func(a, b *keeping) int {
		return cmp.Or(cmp.Compare(a.params.AccountID, b.params.AccountID),
			cmp.Compare(a.params.ExerciseID, b.params.ExerciseID))
	})
	params := make([]query.CreateAttemptParams, len(group))
	for i, k := range group {
		params[i] = k.params
	}
	err := createAttempts(ctx, s.Queries, params, func(i int, row query.CreateAttemptRow, err error) {
		group[i].row, group[i].err = row, err
	})
	for i, k := range group {
		if err != nil && len(group) > 1 && !Unavailable(err) {
			alone := createAttempts(ctx, s.Queries, params[i:i+1], func(_ int, row query.CreateAttemptRow, err error) {
				k.row, k.err = row, err
			})
			k.err = cmp.Or(alone, k.err)
		} else if err != nil {
			k.err = err
		}
		close(k.done)
	}
}

// createAttempts keeps attempts together, and tells what became of each. With an error, none is kept.
func createAttempts(
	ctx context.Context, q *query.Queries, params []query.CreateAttemptParams,
	tell func(i int, row query.CreateAttemptRow, err error),
) (failed error) {
	batch := q.CreateAttempt(ctx, params)
	batch.QueryRow(func(i int, row query.CreateAttemptRow, err error) {
		tell(i, row, err)
		if err != nil && !Missing(err) {
			failed = cmp.Or(failed, err)
		}
	})
	return cmp.Or(failed, batch.Close())
}

// CreateAttempt keeps an attempt in a transaction.
func (t *Transaction) CreateAttempt(
	ctx context.Context, params query.CreateAttemptParams,
) (row query.CreateAttemptRow, err error) {
	failed := createAttempts(ctx, t.Queries, []query.CreateAttemptParams{params},
		func(_ int, r query.CreateAttemptRow, e error) { row, err = r, e })
	return row, cmp.Or(err, failed)
}
