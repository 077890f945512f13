package practice

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"
)

// A streaming standby of a practice server is used for runs of queries, and for nothing else: its roles, its seats'
// among them, and its databases are the primary's. What fails on it is run on a primary before anybody is told, since
// a standby refuses a few things that a primary does not, such as to read unlogged tables, and ends queries that stand
// in the way of what it has to take over.

// ErrNoStandby tells that a server named as a standby is none of any of the practice servers.
var ErrNoStandby = errors.New("it is no standby of any of the practice servers")

// addStandbys adds the standbys at the given URLs, once the servers are ready. One that cannot be reached yet is made
// ready when it comes.
func (s *Servers) addStandbys(ctx context.Context, urls []string) error {
	primaries := slices.Clone(s.all)
	for _, url := range urls {
		one, err := newServer(url, &s.options, &s.calm)
		if err != nil {
			return err
		}
		one.primaries = primaries
		s.name(one)
		s.all = append(s.all, one)
		switch err := one.start(ctx); {
		case errors.Is(err, ErrUnavailable):
			s.options.Log.Warn("a standby of a practice server is away", "server", one.name, "error", err)
		case err != nil:
			return fmt.Errorf("the standby %s: %w", one.name, err)
		}
	}
	return nil
}

// isStandby tells whether the server was named as a standby.
func (s *server) isStandby() bool { return s.primaries != nil }

const identityQuery = "SELECT system_identifier, pg_is_in_recovery() FROM pg_control_system()"

// startStandby finds a standby's primary, and has the standby's seats be those of the primary.
func (s *server) startStandby(ctx context.Context) error {
	var own, of int64
	var standby bool
	if err := s.admin.QueryRow(ctx, identityQuery, pgx.QueryExecModeExec).Scan(&own, &standby); err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	for _, primary := range s.primaries {
		err := primary.admin.QueryRow(ctx, identityQuery, pgx.QueryExecModeExec).Scan(&of, new(bool))
		if err != nil || own != of {
			continue
		}
		if !standby {
			return fmt.Errorf("%w: it takes writes", ErrNoStandby)
		}
		databases, err := s.complete(ctx)
		if err != nil { // it may not have come so far yet
			return fmt.Errorf("%w: %v", ErrUnavailable, err)
		}
		s.learners.close() // sessions of before
		s.checkers.close()
		s.builtin = primary.builtin
		s.learners.share(primary.learners)
		s.checkers.share(primary.checkers)
		s.of = primary
		s.health.comes(databases)
		return nil
	}
	if slices.ContainsFunc(s.primaries, func(p *server) bool { return !p.health.isReady() }) {
		return fmt.Errorf("%w: its primary is away", ErrUnavailable)
	}
	return ErrNoStandby
}

// share has seats be those of a primary, on its standby: of the same roles, with the same passwords.
func (p *seats) share(of *seats) {
	of.mu.Lock()
	defer of.mu.Unlock()
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, st := range of.all {
		p.all[i].role, p.all[i].password = st.role, st.password
	}
}
