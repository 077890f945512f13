package records

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// What [Store.Watch] tells of.
const (
	SessionsChanged = "sessions"   // a session or an account is not what it was
	PapersChanged   = "papers"     // a paper, an exercise or a build
	SetsChanged     = "sets"       // when and how somebody may work on what
	MembersChanged  = "members"    // who is in a course
	NoticesChanged  = "notices"    // what is said to all who work on a paper
	DeliveriesMade  = "deliveries" // marks are to be told to webhooks
	ServersChanged  = "servers"    // practice servers are to be drained, or no longer
)

// SittingChanged is what [Store.Watch] tells of an account's examination.
func SittingChanged(account int64) string { return "sitting " + strconv.FormatInt(account, 10) }

// NotesChanged is what [Store.Watch] tells of the notes in the margins of an account's attempts.
func NotesChanged(account int64) string { return "notes " + strconv.FormatInt(account, 10) }

// Follow keeps all caches informed of changes, by this replica or another, until the context ends.
func (s *Store) Follow(ctx context.Context) {
	s.Watch(ctx, func(heard bool) {
		s.each("", func(c cache) { c.listen(heard) })
		s.hearStandings("")
	}, func(what string) {
		if told, ok := strings.CutPrefix(what, standingsTopic); ok {
			s.hearStandings(told)
		} else if told, ok := strings.CutPrefix(what, spentTopic); ok {
			s.hearSpent(told)
		} else {
			s.Changed(what)
		}
	})
}

// Changed invalidates the caches of something. Whoever changes it calls this after the write, because news from the
// server takes a moment to arrive.
func (s *Store) Changed(what string) { s.each(what, func(c cache) { c.invalidate() }) }

// Hear returns a channel that receives a value after changes of some things, of several at once only one, until stop is
// called. It needs [Store.Follow].
func (s *Store) Hear(what ...string) (changes <-chan struct{}, stop func()) {
	e := &ear{changes: make(chan struct{}, 1)}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, w := range what {
		s.caches[w] = append(s.caches[w], e)
	}
	return e.changes, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		for _, w := range what {
			s.caches[w] = slices.DeleteFunc(s.caches[w], func(c cache) bool { return c == e })
			if len(s.caches[w]) == 0 {
				delete(s.caches, w)
			}
		}
	}
}

// An ear hears of changes as a cache does.
type ear struct{ changes chan struct{} }

func (e *ear) listen(bool) { e.invalidate() } // what was missed may have changed anything

func (e *ear) invalidate() {
	select {
	case e.changes <- struct{}{}:
	default: // it has heard of one already
	}
}

// cache is a [Cache] of any type.
type cache interface {
	listen(heard bool)
	invalidate()
}

// each calls f with the caches that hear of a change; "" means all caches.
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

// Watch calls changed for every change to the records, by whoever makes it, until the context ends. It calls
// heard(true) once changes are heard of and heard(false) when the connection is lost: nothing read before heard(true),
// or while it is false, may be relied on later.
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
