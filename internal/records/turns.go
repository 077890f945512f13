package records

import (
	"context"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// LearnerTurns are the turns of learners that all services share: each is an advisory lock, of a session that a service
// keeps for them, so that those of a service that dies are free at once. A service that is alone needs none.
type LearnerTurns struct {
	lease *Lease

	mu   sync.Mutex
	conn *pgx.Conn
	held map[int64]int // how often, by lock
}

// Turns gives access to the turns of learners.
func (l *Lease) Turns() *LearnerTurns { return &LearnerTurns{lease: l, held: map[int64]int{}} }

// turnLocks is where the locks begin; below it is the learner's number, and that of the turn.
const turnLocks = 0x6578 << 48 // "ex"

func turnLock(learner int64, number int) int64 {
	return turnLocks | learner<<8&(1<<48-1) | int64(number&0xff)
}

// turnPatience is how long the records may take to tell; then a turn is taken for granted.
const turnPatience = 2 * time.Second

// Take reports whether no other service has a learner's turn of the given number, and takes it. Where the records
// cannot be asked, it is taken for granted: what is bounded by turns is bounded by seats, too.
func (t *LearnerTurns) Take(ctx context.Context, learner int64, number int) bool {
	if t.lease.Alone() {
		return true
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), turnPatience)
	defer stop()
	got := true
	if err := t.ask(ctx, "SELECT pg_try_advisory_lock($1)", turnLock(learner, number), &got); err != nil {
		return true
	}
	if got {
		t.held[turnLock(learner, number)]++
	}
	return got
}

// GiveBack gives a turn back.
func (t *LearnerTurns) GiveBack(learner int64, number int) {
	go func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		key := turnLock(learner, number)
		if t.held[key] == 0 { // it was taken for granted
			return
		}
		if t.held[key]--; t.held[key] == 0 {
			delete(t.held, key)
		}
		ctx, stop := context.WithTimeout(context.Background(), turnPatience)
		defer stop()
		var had bool
		_ = t.ask(ctx, "SELECT pg_advisory_unlock($1)", key, &had) // with its session, the lock is gone
	}()
}

func (t *LearnerTurns) ask(ctx context.Context, sql string, key int64, answer *bool) (err error) {
	if t.conn == nil {
		if t.conn, err = pgx.ConnectConfig(ctx, t.lease.store.pool.Config().ConnConfig); err != nil {
			t.conn = nil
			return err
		}
	}
	if err = t.conn.QueryRow(ctx, sql, key).Scan(answer); err != nil {
		t.conn.Close(context.WithoutCancel(ctx))
		t.conn, t.held = nil, map[int64]int{}
	}
	return err
}

// Close gives all turns back.
func (t *LearnerTurns) Close() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.conn != nil {
		ctx, stop := context.WithTimeout(context.Background(), time.Second)
		defer stop()
		t.conn.Close(ctx)
		t.conn = nil
	}
}
