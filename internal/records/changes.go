package records

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// What [Store.Watch] tells of.
const (
	SessionsChanged = "sessions" // a session or an account is not what it was
	PapersChanged   = "papers"   // a paper, an exercise, a build, or who may read what
)

// Watch calls changed with what has changed in the records, whoever changed it, until the context ends. heard tells whether changes are heard at
// all: nothing that was read before it became true, or while it is false, may be relied on later.
func (s *Store) Watch(ctx context.Context, heard func(bool), changed func(what string)) {
	for ctx.Err() == nil {
		_ = s.watch(ctx, heard, changed) // the connection is lost: a new one is tried
		heard(false)
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
}

func (s *Store) watch(ctx context.Context, heard func(bool), changed func(what string)) error {
	conn, err := pgx.ConnectConfig(ctx, s.pool.Config().ConnConfig)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "LISTEN examen_changes"); err != nil {
		return err
	}
	heard(true)
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		changed(n.Payload)
	}
}
