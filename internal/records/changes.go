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

// Follow has all caches hear of changes, whoever makes them, until the context ends.
func (s *Store) Follow(ctx context.Context) {
	s.Watch(ctx, func(heard bool) { s.each("", func(c cache) { c.listen(heard) }) }, s.Changed)
}

// Changed has what is kept of something forgotten at once: whoever changes it calls this after the write, since news from the server take a moment.
func (s *Store) Changed(what string) { s.each(what, func(c cache) { c.invalidate() }) }

// cache is a [Cache] of whatever.
type cache interface {
	listen(heard bool)
	invalidate()
}

// each calls f with the caches of something; "" is all.
func (s *Store) each(what string, f func(cache)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for of, caches := range s.caches {
		for _, c := range caches {
			if what == "" || what == of {
				f(c)
			}
		}
	}
}

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
