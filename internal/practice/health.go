package practice

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// health is how a server stands: whether it can be reached, what is on it, and how much it has to do.
type health struct {
	mu        sync.Mutex
	ready     bool
	draining  bool
	prepared  bool
	running   int
	databases map[string]bool    // that are complete
	away      context.Context    // ends when the server cannot be reached any more
	lose      context.CancelFunc // ends it
	doubt     chan struct{}      // receives when a run has lost its session
}

// unreachable is more than any server has to do; a server that cannot be reached is not preferred to any other.
const (
	draining    = 1 << 20
	unreachable = 1 << 30
)

// load is how many runs there are, on a server that can be reached and is not being drained.
func (h *health) load() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	load := h.running
	if h.draining {
		load += draining
	}
	if !h.ready {
		load += unreachable
	}
	return load
}

func (h *health) begins() {
	h.mu.Lock()
	h.running++
	h.mu.Unlock()
}

func (h *health) ends() {
	h.mu.Lock()
	h.running--
	h.mu.Unlock()
}

func (h *health) isReady() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.ready
}

// takes tells whether builds and copies may be made on the server.
func (h *health) takes() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.ready && !h.draining
}

func (h *health) drain(on bool) {
	h.mu.Lock()
	h.draining = on
	h.mu.Unlock()
}

// hasGot tells whether the server has a database.
func (h *health) hasGot(database string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.databases[database]
}

// with and without note that a database is on the server, or is not.
func (h *health) with(database string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.databases == nil {
		h.databases = map[string]bool{}
	}
	h.databases[database] = true
}

func (h *health) without(database string) {
	h.mu.Lock()
	delete(h.databases, database)
	h.mu.Unlock()
}

// comes notes that the server can be reached, with the databases that are on it.
func (h *health) comes(databases map[string]bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.ready, h.databases = true, databases
	h.away, h.lose = context.WithCancel(context.Background())
}

// goes notes that the server cannot be reached. Runs on it end.
func (h *health) goes() {
	h.mu.Lock()
	h.ready = false
	lose := h.lose
	h.mu.Unlock()
	if lose != nil {
		lose()
	}
}

// whenAway calls f when the server cannot be reached any more, unless it is stopped before.
func (h *health) whenAway(f func()) (stop func() bool) {
	h.mu.Lock()
	away := h.away
	h.mu.Unlock()
	if away == nil {
		return func() bool { return true }
	}
	return context.AfterFunc(away, f)
}

// doubted has the server looked at: a run has lost its session.
func (h *health) doubted() {
	select {
	case h.doubt <- struct{}{}:
	default:
	}
}

// How often a server is looked at, how long it may take to answer, and how often it may not answer at all until it
// counts as away. One that refuses does so at once.
const (
	lookAtEvery  = time.Second
	lookPatience = 2 * time.Second
	mostSilence  = 2
)

// start makes a server ready.
func (s *server) start(ctx context.Context) error {
	if s.isStandby() {
		return s.startStandby(ctx)
	}
	if err := s.claim(ctx); err != nil {
		return err
	}
	if err := s.prepare(ctx); err != nil {
		return err
	}
	databases, err := s.complete(ctx)
	if err == nil {
		s.health.prepared = true
		s.health.comes(databases)
	}
	return err
}

// follow looks at a server from time to time: one that cannot be reached is passed over until it is back.
func (s *Servers) follow(ctx context.Context, one *server) {
	silent := 0
	for {
		again := lookAtEvery
		if silent > 0 {
			again = 0
		}
		select {
		case <-time.After(again):
		case <-one.health.doubt:
		case <-ctx.Done():
			return
		}
		asking, stop := context.WithTimeout(ctx, lookPatience)
		databases, err := one.complete(asking)
		stop()
		switch {
		case ctx.Err() != nil:
			return
		case err == nil && one.health.isReady():
			silent = 0
			one.health.has(databases)
		case err == nil:
			silent = 0
			if err := one.restart(ctx); err != nil {
				s.options.Log.Warn("a practice server cannot be made ready", "server", one.name, "error", err)
				break
			}
			s.options.Log.Warn("a practice server is back", "server", one.name)
			s.returned()
		case one.health.isReady():
			if silent++; silent >= mostSilence || !errors.Is(err, context.DeadlineExceeded) {
				silent = 0
				one.health.goes()
				s.options.Log.Warn("a practice server is away", "server", one.name, "error", err)
			}
		}
	}
}

// restart makes a server ready that has come, or come back.
func (s *server) restart(ctx context.Context) error {
	if !s.health.prepared || s.isStandby() {
		return s.start(ctx)
	}
	same, err := s.stillHas(ctx)
	if err == nil && (!same || !s.seated.Load()) { // it is another one, or an earlier one; or the service has moved
		err = s.prepare(ctx)
	}
	if err != nil {
		return err
	}
	s.learners.close() // sessions of before
	s.checkers.close()
	databases, err := s.complete(ctx)
	if err == nil {
		s.health.comes(databases)
	}
	return err
}

// stillHas tells whether the server has the roles of the seats.
func (s *server) stillHas(ctx context.Context) (has bool, err error) {
	var roles []string
	for _, p := range []*seats{s.learners, s.checkers} {
		for _, st := range p.all {
			roles = append(roles, st.role)
		}
	}
	err = s.admin.QueryRow(
		ctx, "SELECT count(*) = cardinality($1::text[]) FROM pg_roles WHERE rolname = ANY ($1)", roles,
	).Scan(&has)
	return has, s.reach(err)
}

// completeQuery lists builds that are complete, which checking seats may connect to, and copies.
const completeQuery = `SELECT datname::text FROM pg_database WHERE starts_with(datname, '` + copyPrefix + `') OR
	NOT datistemplate AND EXISTS (SELECT FROM aclexplode(datacl) AS a WHERE a.grantee = '` + checkersRole +
	`'::regrole AND a.privilege_type = 'CONNECT')`

// complete lists the databases that can be used.
func (s *server) complete(ctx context.Context) (map[string]bool, error) {
	rows, _ := s.admin.Query(ctx, completeQuery, pgx.QueryExecModeExec)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	found := map[string]bool{}
	for _, name := range names {
		found[name] = true
	}
	if err != nil && state(err) == "" {
		err = fmt.Errorf("%w: %w", ErrUnavailable, err)
	}
	return found, err
}

// seek finds out whether the server has a database.
func (s *server) seek(ctx context.Context, database string) error {
	ctx, stop := context.WithTimeout(ctx, lookPatience)
	defer stop()
	var has bool
	err := s.admin.QueryRow(
		ctx, "SELECT EXISTS (SELECT FROM ("+completeQuery+") AS d WHERE datname = $1)", database,
	).Scan(&has)
	if has {
		s.health.with(database)
	}
	return err
}

// has notes what is on the server.
func (h *health) has(databases map[string]bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if !maps.Equal(h.databases, databases) {
		h.databases = databases
	}
}

// returned says that a server is back.
func (s *Servers) returned() {
	s.mu.Lock()
	f := s.back
	s.mu.Unlock()
	if f != nil {
		f()
	}
}
