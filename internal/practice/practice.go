// Package practice runs learners' SQL on a practice server, and builds the datasets that it runs on.
//
// Everything a learner can type is hostile. What holds it:
//   - A dataset's build is a database of its own, owned by a role that no learner ever is, made from a template in
//     which the functions with effects beyond a query are revoked (lockdown.go).
//   - A seat is a role and a session opened as that role, lent to one run at a time (seats.go).
//   - A run is one statement in the extended protocol, in a read-only transaction that is rolled back, and its limits
//     are held from here, outside the session (run.go).
//   - Hidden variants are databases that only the checking seats may connect to.
//   - Statements that change something run in a copy of a build, a database with a role of its own that can connect to
//     nothing else (copies.go, script.go). What may be defined in it is listed in an event trigger (lockdown.go).
package practice

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/core/result"
	"examen/internal/postgres"
)

// Limits bound every run.
type Limits struct {
	Time     time.Duration // from sending the query to its last row
	Rows     int64
	Bytes    int64         // of all rows
	RowBytes int           // of one row
	TempDisk string        // as PostgreSQL writes sizes: "512MB"
	Memory   uint64        // bytes that the sessions of all seats may take together; 0 is half of the machine's
	Seats    int           // of each kind, so many runs at once
	Learner  int           // runs of one learner at once
	Wait     time.Duration // the longest that a run waits for a seat
	Copy     int64         // bytes of a copy on disk; a larger dataset has none
}

// DefaultLimits suit one machine and a course.
var DefaultLimits = Limits{
	Time:     10 * time.Second,
	Rows:     2_000_000,
	Bytes:    512 << 20,
	RowBytes: 8 << 20,
	TempDisk: "512MB",
	Seats:    16,
	Learner:  2,
	Wait:     30 * time.Second,
	Copy:     256 << 20,
}

// A server is one practice server.
type server struct {
	*Options
	name string // its address: host:port
	// Of a standby, the servers of which one is its primary, and that one once it is known.
	primaries []*server
	of        *server
	config    *pgxpool.Config
	admin     *pgxpool.Pool // of the superuser, in a database that no script has been in

	learners *seats
	checkers *seats
	copies   *copies
	calm     *calm
	throttle *throttle                               // nil: all runs have the processor alike
	kill     func(pid uint32) error                  // nil: the server is on another machine
	measure  func(pid uint32) (time.Duration, error) // likewise
	seated   atomic.Bool                             // the seats of this service's range are made
	open     context.Context                         // ends with close
	shut     func()
	taken    atomic.Bool  // another installation has taken the server, while this one had lost it
	unending atomic.Int64 // sessions that were told to end and have not
	health   health

	reading   sync.Mutex // held while types are read
	databases sync.Mutex // held while rights on databases are changed

	mu       sync.Mutex
	passing  map[string]bool // roles made for one purpose that are at work
	builtin  map[uint32]typeRow
	types    map[string]map[uint32]result.Type // of each database, those made there
	readable map[string]readable               // of each database
	holds    map[string]holds                  // of each build
	template string
}

// connectTimeout is how long a server may take to answer at all.
const connectTimeout = 5 * time.Second

// ErrUnavailable tells that the practice server cannot be reached.
var ErrUnavailable = errors.New("the practice server cannot be reached")

// ErrGone tells that a build's database is not on the server any more, or is damaged.
var ErrGone = errors.New("the dataset's database is gone")

// ErrFull tells that the server's disk is full.
var ErrFull = errors.New("the practice server's disk is full")

// ErrStalled tells that the server did not work on a query, twice: it stalled, or has far too much to do.
var ErrStalled = errors.New("the practice server does not keep up")

// ErrTrouble tells that the server reported an error of its own, twice: it has too little of something, or is damaged.
var ErrTrouble = errors.New("the practice server reported an error of its own")

// ErrBusy tells that no seat became free in time.
var ErrBusy = errors.New("all seats are taken")

// newServer connects to a practice server as a superuser. It need not be there yet.
func newServer(url string, o *Options, calm *calm) (*server, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("practice server: %w", err)
	}
	config.MaxConns = 4
	// Names in the service's own statements mean PostgreSQL's own objects and no others, from the connection on; and
	// what it says is done is on disk.
	config.ConnConfig.RuntimeParams["search_path"] = "pg_catalog, pg_temp"
	config.ConnConfig.RuntimeParams["synchronous_commit"] = "on"
	config.ConnConfig.RuntimeParams["application_name"] = "examen"
	config.ConnConfig.ConnectTimeout = connectTimeout
	pool, err := pgxpool.NewWithConfig(context.Background(), config)
	if err != nil {
		return nil, fmt.Errorf("practice server: %w", err)
	}
	s := &server{
		Options:  o,
		name:     nameOf(config.ConnConfig),
		config:   config,
		admin:    pool,
		calm:     calm,
		types:    map[string]map[uint32]result.Type{},
		readable: map[string]readable{},
		holds:    map[string]holds{},
		passing:  map[string]bool{},
	}
	s.health.doubt = make(chan struct{}, 1)
	s.learners, s.checkers = s.newSeats("examen_seat", learnersRole), s.newSeats("examen_check", checkersRole)
	s.open, s.shut = context.WithCancel(context.Background())
	s.copies = newCopies(s)
	return s, nil
}

// nameOf is a server's address, as operators are told it.
func nameOf(config *pgx.ConnConfig) string {
	if strings.HasPrefix(config.Host, "/") {
		return "this-machine"
	}
	return net.JoinHostPort(config.Host, strconv.Itoa(int(config.Port)))
}

// claim makes the practice server this installation's alone: the seats' roles are its own.
func (s *server) claim(ctx context.Context) error {
	err := postgres.Claim(s.open, s.config.ConnConfig, s.Installation, func() { s.taken.Store(true) })
	if err != nil && !errors.Is(err, postgres.ErrClaimed) {
		err = fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return cmp.Or(err, ctx.Err())
}

// close ends all sessions.
func (s *server) close() {
	s.shut()
	s.learners.close()
	s.checkers.close()
	s.copies.close()
	s.admin.Close()
}

// ping returns an error that is ErrUnavailable where the server cannot be reached.
func (s *server) ping(ctx context.Context) error {
	if s.taken.Load() {
		return fmt.Errorf("%w: %v", ErrUnavailable, postgres.ErrClaimed)
	}
	if err := s.admin.Ping(ctx); err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return nil
}

// prepare makes ready the roles, the template and the seats.
func (s *server) prepare(ctx context.Context) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	defer context.AfterFunc(s.open, stop)() // to close the server is not to wait for the lock below
	var super bool
	if err := s.admin.QueryRow(
		ctx, `SELECT rolsuper FROM pg_roles WHERE rolname = current_user`,
	).Scan(&super); err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	if !super {
		return errors.New("its URL has to be a superuser's, who can revoke functions and make roles")
	}
	conn, err := s.admin.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	return exclusively(ctx, conn.Conn(), func() error {
		for _, group := range []string{learnersRole, checkersRole, readersRole, builderRole, ownerRole, copiesRole} {
			if err := ensureRole(ctx, conn.Conn(), group, "NOLOGIN PASSWORD NULL"); err != nil {
				return err
			}
		}
		if err := s.sweepRoles(ctx, conn.Conn()); err != nil {
			return err
		}
		if err := s.prepareTemplate(ctx, conn.Conn()); err != nil {
			return err
		}
		if s.builtin, err = readTypes(ctx, conn.Conn(), 0, firstMade); err != nil {
			return err
		}
		if err := s.learners.make(ctx, conn.Conn()); err != nil {
			return err
		}
		if err := s.checkers.make(ctx, conn.Conn()); err != nil {
			return err
		}
		s.seated.Store(true)
		return s.checkRights(ctx, conn.Conn())
	})
}

// preparing is the advisory lock under which a server's roles are made: of services that start at once, one after the
// other.
const preparing = 0x6578616d656f

// exclusively calls f while no other service prepares the server.
func exclusively(ctx context.Context, conn *pgx.Conn, f func() error) error {
	if _, err := conn.Exec(ctx, "SELECT pg_advisory_lock($1)", int64(preparing)); err != nil {
		return err
	}
	defer func() {
		_, _ = conn.Exec(context.WithoutCancel(ctx), "SELECT pg_advisory_unlock($1)", int64(preparing))
	}()
	return f()
}

// connect opens a session as a role, in a database.
func (s *server) connect(ctx context.Context, role, password, database string) (*pgx.Conn, error) {
	return pgx.ConnectConfig(ctx, s.connectConfig(role, password, database))
}

func (s *server) connectConfig(role, password, database string) *pgx.ConnConfig {
	config := s.config.ConnConfig.Copy()
	config.User, config.Password, config.Database = role, password, database
	return config
}

// isGone tells by an SQLSTATE that a database, or its files, cannot be used any more: it does not exist, nobody may
// connect to it, its data are corrupted, or a file is missing.
func isGone(code string) bool {
	return code == "3D000" || code == "58P01" || code == "XX001" || code == "XX002"
}

// lost forgets what is known of a database that is gone.
func (s *server) lost(database string) {
	s.mu.Lock()
	delete(s.types, database)
	delete(s.readable, database)
	delete(s.holds, database)
	s.mu.Unlock()
	s.health.without(database)
}

// look returns ErrGone where a build's database is not there, or nobody may connect to it.
func (s *server) look(ctx context.Context, database string) error {
	var usable bool
	err := s.admin.QueryRow(
		ctx, `SELECT has_database_privilege('`+checkersRole+`', oid, 'CONNECT') FROM pg_database WHERE datname = $1`,
		database,
	).Scan(&usable)
	if errors.Is(err, pgx.ErrNoRows) || err == nil && !usable {
		return fmt.Errorf("%w: %s", ErrGone, database)
	} else if err != nil {
		return s.reach(err)
	}
	return s.asRole(ctx, "looking", database, []string{readersRole}, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, "SELECT count(*) FROM pg_class")
		return s.reach(err)
	})
}

// sweep drops roles that were made for one purpose, and left by a service that was killed.
func (s *server) sweep(ctx context.Context) error {
	conn, err := s.admin.Acquire(ctx)
	if err != nil {
		return s.reach(err)
	}
	defer conn.Release()
	return s.sweepRoles(ctx, conn.Conn())
}

// reach says of an error that is not the server's word that the server cannot be reached.
func (s *server) reach(err error) error {
	switch code := state(err); {
	case isGone(code):
		return fmt.Errorf("%w: %v", ErrGone, err)
	case code == "53100":
		return fmt.Errorf("%w: %v", ErrFull, err)
	case lost(err):
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return err
}

func quote(name string) string { return pgx.Identifier{name}.Sanitize() }

// state is the SQLSTATE of an error that the server reported, "" for any other.
func state(err error) string {
	var e *pgconn.PgError
	if errors.As(err, &e) {
		return e.Code
	}
	return ""
}
