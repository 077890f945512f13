package practice

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"
)

// Copies are the copies of builds, on all servers. A copy is on one server, and is not to be had while that one is
// away.
type Copies struct{ servers *Servers }

// Copies gives access to the copies of builds.
func (s *Servers) Copies() Copies { return Copies{s} }

// ErrOpenElsewhere tells that a window's transaction is open in another service.
var ErrOpenElsewhere = errors.New("the window's transaction is open in another service")

// ErrCopyAway tells that a copy is on a server that cannot be reached, while others can. It is also ErrUnavailable.
var ErrCopyAway = errors.New("the copy's server cannot be reached")

// Warm has copies of a build made ready for who will need them soon, on each server that may be asked for one.
func (c Copies) Warm(database string) {
	for _, one := range c.servers.all {
		if !one.isStandby() && (len(c.servers.all) == 1 || one.health.hasGot(database) && one.health.takes()) {
			one.copies.warm(database)
		}
	}
}

// Take gives a copy of a build: one that is ready, or else a new one. The caller must drop it. The error is
// ErrNoCopies, ErrGone, ErrFull, ErrUnavailable or the context's.
func (c Copies) Take(ctx context.Context, database string) (made *Copy, err error) {
	err = c.servers.on(ctx, database, func(ctx context.Context, one *server, _ bool) (err error) {
		made, err = one.copies.take(ctx, database)
		return err
	})
	return made, err
}

// with gives the copies on the server that has a copy.
func (c Copies) with(ctx context.Context, copied string) (*copies, error) {
	one, _, err := c.servers.pick(ctx, copied, false, nil)
	if len(c.servers.all) > 1 && (errors.Is(err, ErrUnavailable) || err == nil && !one.health.isReady()) &&
		slices.ContainsFunc(c.servers.all, func(s *server) bool { return s.health.isReady() }) {
		return nil, fmt.Errorf("%w: %w", ErrCopyAway, ErrUnavailable)
	} else if err != nil {
		return nil, err
	}
	return one.copies, nil
}

// Drop removes a copy and its role. Whoever works in it is cut off.
func (c Copies) Drop(ctx context.Context, copied string) error {
	there, err := c.with(ctx, copied)
	if errors.Is(err, ErrGone) {
		return nil
	} else if err != nil {
		return err
	}
	return there.drop(ctx, copied)
}

// Keep drops all copies of the service's range but the named ones and those that it has made: what a service that was
// killed has left. With dead, it does so for the ranges of all services that are not alive.
func (c Copies) Keep(ctx context.Context, named []string, dead bool) error {
	return c.servers.each(ctx, func(one *server) error { return one.copies.keepNamed(ctx, named, dead) })
}

// KeepReadyOnly drops the copies that are ready of builds other than the named ones.
func (c Copies) KeepReadyOnly(ctx context.Context, builds []string) error {
	return c.servers.each(ctx, func(one *server) error { return one.copies.keepReadyOnly(ctx, builds) })
}

// Sizes returns the bytes on disk of all copies, by database. all tells whether every server could be asked.
func (c Copies) Sizes(ctx context.Context) (sizes map[string]int64, all bool, err error) {
	sizes = map[string]int64{}
	asked := 0
	err = c.servers.each(ctx, func(one *server) error {
		asked++
		found, err := one.copies.sizes(ctx)
		maps.Copy(sizes, found)
		return err
	})
	primaries := 0
	for _, one := range c.servers.all {
		if !one.isStandby() {
			primaries++
		}
	}
	return sizes, asked == primaries, err
}

// Busy tells whether somebody works in a copy: a script runs there, or a transaction is open.
func (c Copies) Busy(ctx context.Context, copied string) bool {
	there, err := c.with(ctx, copied)
	return err == nil && there.isBusy(ctx, copied)
}

// Perform runs a script in a copy, up to the first error. The sink of a statement receives its rows. The error is the
// failed statement's: a *DatabaseError whose place is in that statement, a *Stopped or a *Blocked of either; or it is
// ErrLost, ErrOpenElsewhere, ErrUnavailable, ErrGone, ErrFull, ErrBusy, ErrStalled, ErrTrouble, a sink's error, or the
// context's.
func (c Copies) Perform(
	ctx context.Context, script Script, sink func(statement int) Sink,
) (performance Performance, err error) {
	own := c.servers.learners
	if script.Checking {
		own = c.servers.checkers
	} else if script.Learner != 0 {
		c.servers.calm.learner()
	}
	turn, err := c.servers.turn(ctx, own, script.Learner)
	if err != nil {
		return Performance{}, err
	}
	defer own.giveBack(script.Learner, turn)
	there, err := c.with(ctx, script.Database)
	if err != nil {
		return Performance{}, err
	}
	return there.perform(ctx, script, sink)
}

// Changes tells what is otherwise in a copy than in its build, as far as it is committed.
func (c Copies) Changes(ctx context.Context, of Copy, build string) (Changes, error) {
	there, err := c.with(ctx, of.Database)
	if err != nil {
		return Changes{}, err
	}
	return there.changes(ctx, of, build)
}

// Left tells what a script has left in a copy.
func (c Copies) Left(ctx context.Context, of Copy, build string) (*Left, error) {
	there, err := c.with(ctx, of.Database)
	if err != nil {
		return nil, err
	}
	return there.leftIn(ctx, of, build)
}

// Counters tells, of columns whose values come from sequences of their own, the last value given, by table.column; -1
// for none.
func (c Copies) Counters(ctx context.Context, copied string) (map[string]int64, error) {
	there, err := c.with(ctx, copied)
	if err != nil {
		return nil, err
	}
	return there.counters(ctx, copied)
}

// Uncommitted tells whether a window of a copy has a transaction open, since when, and until when it is kept.
func (c Copies) Uncommitted(ctx context.Context, copied, window string) (state State, since, until time.Time) {
	there, err := c.with(ctx, copied)
	if err != nil {
		return NoTransaction, time.Time{}, time.Time{}
	}
	return there.uncommitted(copied, window)
}

// shared tells whether other services may work in the same copies.
func (s *server) shared() bool { return len(s.Live()) > 1 }
