package practice

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// A session whose query was cancelled is told to end, and if it does neither, since what it runs never looks, its
// process is killed: where the server is on this machine. The server then recovers by itself, within a second or so,
// and ends all its other sessions: their runs are begun again. Until a session has ended, its seat serves nobody.
const (
	cancelPatience = 100 * time.Millisecond
	endPatience    = 3 * time.Second // from the beginning on
)

// endSession returns when a process of the server is no session any more. Waiting ends with the context.
func (s *server) endSession(ctx context.Context, pid uint32) error {
	begun, told, counted := time.Now(), 0, false
	defer func() {
		if counted {
			s.unending.Add(-1)
		}
	}()
	for wait := time.Millisecond; ; wait = min(2*wait, 250*time.Millisecond) {
		there, err := s.isThere(ctx, pid)
		if err == nil && !there {
			return nil
		}
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		since := time.Since(begun)
		switch {
		case err != nil: // it recovers, or is gone
		case told == 0 && since > cancelPatience:
			told = 1
			s.terminate(ctx, pid)
		case told == 1 && since > endPatience:
			told, counted = 2, true
			s.unending.Add(1)
			if s.kill != nil {
				_ = s.kill(pid)
			}
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
		}
	}
}

// isThere tells whether a process of the server is a session. A server that does not answer is not waited for, so that
// what waits for it does not hold all connections.
func (s *server) isThere(ctx context.Context, pid uint32) (there bool, err error) {
	ctx, stop := context.WithTimeout(ctx, probePatience)
	defer stop()
	err = s.admin.QueryRow(
		ctx, "SELECT EXISTS (SELECT FROM pg_stat_activity WHERE pid = $1)", pgx.QueryExecModeExec, int32(pid),
	).Scan(&there)
	return there, err
}

// terminate tells a session to end.
func (s *server) terminate(ctx context.Context, pid uint32) {
	ctx, stop := context.WithTimeout(ctx, probePatience)
	defer stop()
	_, _ = s.admin.Exec(ctx, "SELECT pg_terminate_backend($1)", pgx.QueryExecModeExec, int32(pid))
}

// endSessions ends all sessions of a role or in a database: those whose column in pg_stat_activity has the value.
func (s *server) endSessions(ctx context.Context, column, value string) error {
	rows, _ := s.admin.Query(ctx, "SELECT pid FROM pg_stat_activity WHERE "+column+" = $1", value)
	pids, err := pgx.CollectRows(rows, pgx.RowTo[int32])
	if err != nil {
		return s.reach(err)
	}
	for _, pid := range pids {
		s.terminate(ctx, uint32(pid))
	}
	for _, pid := range pids {
		if err := s.endSession(ctx, uint32(pid)); err != nil {
			return fmt.Errorf("%w: a session does not end: %v", ErrUnavailable, err)
		}
	}
	return nil
}
