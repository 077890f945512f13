package practice

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"examen/internal/core/dataset"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// Options configure how practice servers are used.
type Options struct {
	Limits Limits
	// Installation names the records whose services may use the servers; see [postgres.Claim].
	Installation string
	// Range is the service's own: its seats and copies carry the number in their names. Live are the ranges that
	// services have now, with this one's. Both are nil where there is no other service.
	Range func() int
	Live  func() []int
	// Key is what the passwords of copies are derived from, so that all services know them; nil makes them known to
	// this one only.
	Key []byte
	// Turns bound what a learner runs in all services; nil where there is no other.
	Turns Turns
	// Copies is on how many servers a build is, where there are so many.
	Copies int
	// Standbys are the URLs of streaming standbys of the servers, on which queries may run, too.
	Standbys []string
	Log      *slog.Logger // nil logs nothing
}

// DefaultCopies is on how many servers a build is where nothing else is said.
const DefaultCopies = 2

// Servers are all practice servers. A dataset's build is on some of them; whatever reads it is done on the least busy
// one that has it, and on another where that one is lost.
type Servers struct {
	options  Options
	all      []*server
	learners *turns // of each learner, on seats and in copies
	checkers *turns
	calm     calm
	stop     func()

	asking sync.Mutex // held while it is found out where a database is

	mu     sync.Mutex
	gone   func(database string) // is told of databases that are gone; nil
	back   func()                // is told that a server has come back; nil
	number int                   // counts runs: of servers that are alike, each has its turn
}

// Open connects to practice servers as a superuser, and makes ready the roles, the template and the seats on each. At
// least one has to be there; the others are made ready when they come.
func Open(ctx context.Context, urls []string, options Options) (_ *Servers, err error) {
	if options.Copies == 0 {
		options.Copies = DefaultCopies
	}
	if options.Range == nil {
		options.Range = func() int { return 1 }
		options.Live = func() []int { return []int{1} }
	}
	if options.Key == nil {
		options.Key = []byte(secret())
	}
	if options.Log == nil {
		options.Log = slog.New(slog.DiscardHandler)
	}
	s := &Servers{
		options: options, learners: newTurns(options.Limits.Learner, 0, options.Turns),
		checkers: newTurns(options.Limits.Learner, options.Limits.Learner, options.Turns),
	}
	defer func() {
		if err != nil {
			s.Close()
		}
	}()
	for _, url := range urls {
		one, err := newServer(url, &s.options, &s.calm)
		if err != nil {
			return nil, err
		}
		s.name(one)
		s.all = append(s.all, one)
	}
	var ready sync.WaitGroup
	failed := make([]error, len(s.all))
	for i, one := range s.all {
		ready.Go(func() { failed[i] = one.start(ctx) })
	}
	ready.Wait()
	for i, one := range s.all {
		switch {
		case failed[i] == nil:
		case len(s.all) > 1 && errors.Is(failed[i], ErrUnavailable) && slices.Contains(failed, nil):
			options.Log.Warn("a practice server is away", "server", one.name, "error", failed[i])
		default:
			return nil, fmt.Errorf("make the practice server %s ready: %w", one.name, failed[i])
		}
	}
	if err := s.addStandbys(ctx, options.Standbys); err != nil {
		return nil, err
	}
	following, stop := context.WithCancel(context.WithoutCancel(ctx))
	s.stop = stop
	for _, one := range s.all {
		if !one.isStandby() {
			go one.copies.keep(one.open)
		}
		if len(s.all) > 1 {
			go s.follow(following, one)
		}
	}
	return s, nil
}

// name tells a server apart from those that are on sockets of the same machine.
func (s *Servers) name(one *server) {
	if slices.ContainsFunc(s.all, func(other *server) bool { return other.name == one.name }) {
		one.name += fmt.Sprint("-", len(s.all)+1)
	}
}

// Close ends all sessions.
func (s *Servers) Close() {
	if s.stop != nil {
		s.stop()
	}
	for _, one := range s.all {
		one.close()
	}
}

// Ping returns an error that is ErrUnavailable where no server can be reached.
func (s *Servers) Ping(ctx context.Context) (err error) {
	for _, one := range s.all {
		if err = one.ping(ctx); err == nil {
			return nil
		}
	}
	return err
}

// Unending is the number of sessions that should have ended and are still being waited for.
func (s *Servers) Unending() (n int) {
	for _, one := range s.all {
		n += int(one.unending.Load())
	}
	return n
}

// WhenGone has f called with each database that a run finds to be gone or damaged, on all servers that had it.
func (s *Servers) WhenGone(f func(database string)) {
	s.mu.Lock()
	s.gone = f
	s.mu.Unlock()
}

// lost says that a database is gone, to whoever wants to hear it.
func (s *Servers) lost(database string) {
	s.mu.Lock()
	f := s.gone
	s.mu.Unlock()
	if f != nil {
		f(database)
	}
}

// having gives the servers that have a database, whether they can be reached or not. The error is ErrGone where none
// has, and ErrUnavailable where one may that cannot be reached.
func (s *Servers) having(ctx context.Context, database string) ([]*server, error) {
	if len(s.all) == 1 {
		return s.all, nil
	}
	known := func() (found []*server) {
		for _, one := range s.all {
			if one.health.hasGot(database) {
				found = append(found, one)
			}
		}
		return found
	}
	if found := known(); len(found) > 0 {
		return found, nil
	}
	s.asking.Lock() // those who wait are answered together
	defer s.asking.Unlock()
	if found := known(); len(found) > 0 {
		return found, nil
	}
	away := false
	for _, one := range s.all {
		if !one.health.isReady() || one.seek(ctx, database) != nil {
			away = true
		}
	}
	switch found := known(); {
	case len(found) > 0:
		return found, nil
	case away:
		return nil, fmt.Errorf("%w: who has %s", ErrUnavailable, database)
	}
	return nil, fmt.Errorf("%w: %s", ErrGone, database)
}

// pick gives the least busy server that has a database, of those that have not been tried. Only where there is no other
// is it one that is being drained, or that cannot be reached. more tells whether there is a further one to be tried.
func (s *Servers) pick(
	ctx context.Context, database string, standbys bool, tried []*server,
) (_ *server, more bool, err error) {
	found, err := s.having(ctx, database)
	if err != nil {
		return nil, false, err
	}
	if !standbys {
		found = slices.DeleteFunc(slices.Clone(found), (*server).isStandby)
		if len(found) == 0 {
			return nil, false, fmt.Errorf("%w: only standbys have %s", ErrUnavailable, database)
		}
	}
	if len(found) == 1 {
		return found[0], false, nil
	}
	s.mu.Lock()
	s.number++
	at := s.number
	s.mu.Unlock()
	var best *server
	least, ready := 0, 0
	for i := range found {
		one := found[(at+i)%len(found)]
		if slices.Contains(tried, one) {
			continue
		}
		load := one.health.load()
		if load < unreachable {
			ready++
		}
		if best == nil || load < least {
			best, least = one, load
		}
	}
	if best == nil {
		return found[0], false, nil // who has tried them all sees it
	}
	return best, ready > 1, nil
}

// on calls f with the least busy server that has a database, and where that one is lost, with another.
func (s *Servers) on(
	ctx context.Context, database string, f func(ctx context.Context, one *server, elsewhere bool) error,
) error {
	return s.onAny(ctx, database, false, f)
}

// while calls f with a context that ends when a server cannot be reached any more, where there are others.
func (s *Servers) while(ctx context.Context, one *server, f func(context.Context) error) error {
	if len(s.all) == 1 {
		return f(ctx)
	}
	within, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	defer one.health.whenAway(func() { cancel(ErrUnavailable) })()
	err := f(within)
	if err != nil && ctx.Err() == nil && errors.Is(context.Cause(within), ErrUnavailable) {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return err
}

// onAny is the same, with standbys too if they are wanted.
func (s *Servers) onAny(
	ctx context.Context, database string, standbys bool,
	f func(ctx context.Context, one *server, elsewhere bool) error,
) error {
	var tried []*server
	for last := error(nil); ; {
		one, more, err := s.pick(ctx, database, standbys, tried)
		switch {
		case err != nil && (last == nil || errors.Is(last, ErrGone)):
			return err
		case err != nil || slices.Contains(tried, one):
			return last
		}
		last = s.while(ctx, one, func(ctx context.Context) error { return f(ctx, one, more) })
		var reported *DatabaseError
		switch {
		case last == nil || len(s.all) == 1 || ctx.Err() != nil:
			return last
		case errors.Is(last, ErrGone):
			one.lost(database) // another may have it still
		case errors.Is(last, ErrUnavailable):
			one.health.doubted()
		case errors.Is(last, ErrStalled), errors.Is(last, ErrTrouble), errors.Is(last, ErrFull):
		case one.isStandby() && errors.As(last, &reported): // a primary may not say so
			standbys = false
		default:
			return last
		}
		tried = append(tried, one)
	}
}

// Run runs a query on a seat and passes its rows to the sink. Where a server is lost it is run on another that has the
// build. The error is a *DatabaseError, a *Stopped, ErrUnavailable, ErrGone, ErrFull, ErrBusy, ErrStalled, ErrTrouble,
// the sink's error, or the context's.
func (s *Servers) Run(ctx context.Context, run Run, sink Sink) (execution Execution, err error) {
	own := s.learners
	if run.Checking {
		own = s.checkers
	}
	if run.Behind {
		s.calm.pause(ctx)
	} else if run.Learner != 0 {
		s.calm.learner()
	}
	turn, err := s.turn(ctx, own, run.Learner)
	if err != nil {
		return Execution{}, err
	}
	defer own.giveBack(run.Learner, turn)
	err = s.onAny(ctx, run.Database, true, func(ctx context.Context, one *server, elsewhere bool) (err error) {
		execution, err = one.run(ctx, run, sink, elsewhere)
		return err
	})
	if errors.Is(err, ErrGone) {
		for _, one := range s.all {
			one.lost(run.Database)
		}
		s.lost(run.Database)
	}
	return execution, err
}

// turn waits for a learner's turn.
func (s *Servers) turn(ctx context.Context, own *turns, learner int64) (int, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, s.options.Limits.Wait, ErrBusy)
	defer cancel()
	return own.take(ctx, learner)
}

// Catalogue reads what a build holds.
func (s *Servers) Catalogue(ctx context.Context, database string) (catalogue dataset.Catalogue, err error) {
	err = s.on(ctx, database, func(ctx context.Context, one *server, _ bool) (err error) {
		catalogue, err = one.catalogue(ctx, database)
		return err
	})
	return catalogue, err
}

// Look returns ErrGone where a build's database is on no server, or nobody may connect to it.
func (s *Servers) Look(ctx context.Context, database string) error {
	return s.on(ctx, database, func(ctx context.Context, one *server, _ bool) error { return one.look(ctx, database) })
}

// Relations tells what a build's queries can read from: its tables and views. It is read once, and again after
// [Servers.Analyze].
func (s *Servers) Relations(ctx context.Context, database string) (found sqltext.Relations, err error) {
	err = s.on(ctx, database, func(ctx context.Context, one *server, _ bool) error {
		r, err := one.read(ctx, database)
		found = r.relations
		return err
	})
	return found, err
}

// OwnCollations tells whether a build's texts may be equal although they differ: it has collations of its own that say
// so.
func (s *Servers) OwnCollations(ctx context.Context, database string) (own bool, err error) {
	err = s.on(ctx, database, func(ctx context.Context, one *server, _ bool) error {
		r, err := one.read(ctx, database)
		own = r.collations
		return err
	})
	return own, err
}

// Databases lists the databases whose names begin with the prefix, on any server that can be reached.
func (s *Servers) Databases(ctx context.Context, prefix string) (all []string, err error) {
	err = s.each(ctx, func(one *server) error {
		found, err := one.databasesWith(ctx, prefix)
		all = append(all, found...)
		return err
	})
	slices.Sort(all)
	return slices.Compact(all), err
}

// Drop removes a build's database, its template, and the copies of it that nobody uses yet, from all servers that can
// be reached.
func (s *Servers) Drop(ctx context.Context, database string) error {
	return s.each(ctx, func(one *server) error { return one.drop(ctx, database) })
}

// Sweep drops roles that were made for one purpose, and left by a service that was killed.
func (s *Servers) Sweep(ctx context.Context) error {
	return s.each(ctx, func(one *server) error { return one.sweep(ctx) })
}

// each calls f with every server that can be reached. The error is the first one.
func (s *Servers) each(ctx context.Context, f func(one *server) error) (err error) {
	for _, one := range s.all {
		if one.isStandby() || len(s.all) > 1 && !one.health.isReady() {
			continue
		}
		if failed := f(one); failed != nil && err == nil {
			err = failed
		}
		if ctx.Err() != nil {
			break
		}
	}
	return err
}

// Local is what can be done on the machine on which a server runs: with the processes of its sessions.
type Local struct {
	// SetShare changes the share of the processors that a process gets; there are so many processors.
	SetShare   func(pid uint32, share Share) error
	Processors int
	// Used tells how long a process has used the processors, and Kill kills it.
	Used func(pid uint32) (time.Duration, error)
	Kill func(pid uint32) error
}

// Beside tells that the only server runs on this machine: long runs continue on the processor time that others leave,
// what counts of a run is the time that it was worked on, and sessions which do not end when they are told to are
// killed. What of it is nil is not done.
func (s *Servers) Beside(local Local) {
	one := s.all[0]
	if local.SetShare != nil {
		one.throttle = newThrottle(local.SetShare, local.Processors)
	}
	one.measure, one.kill = local.Used, local.Kill
}

// Equal asks a server which of the texts are equal when compared as values of the given column, whose type or collation
// defines its own equality. The result maps each text that equals an earlier one to the text that represents it. It is
// nil if the server cannot tell, as for types that have no order.
func (s *Servers) Equal(
	ctx context.Context, database string, texts []string, column result.Column,
) (map[string]string, error) {
	return equal(ctx, s, database, texts, column)
}

// Scratch makes a scratch copy from an order's scripts. The caller must close it.
func (s *Servers) Scratch(ctx context.Context, order Order) (*Scratch, error) {
	one, err := s.roomiest(ctx, nil)
	if err != nil {
		return nil, err
	}
	return one.scratch(ctx, order)
}
