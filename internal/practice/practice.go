// Package practice runs learners' SQL on a practice server, and builds the datasets that it runs on.
//
// Everything a learner can type is hostile. What holds it:
//   - A dataset's build is a database of its own, owned by a role that no learner ever is, made from a template in which the
//     functions with effects beyond a query are revoked (lockdown.go).
//   - A seat is a role and a session opened as that role, lent to one run at a time (seats.go).
//   - A run is one statement in the extended protocol, in a read-only transaction that is rolled back, and its limits are
//     held from here, outside the session (run.go).
//   - Hidden variants are databases that only the checking seats may connect to.
package practice

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/core/result"
)

// Limits bound every run.
type Limits struct {
	Time     time.Duration // from sending the query to its last row
	Rows     int64
	Bytes    int64         // of all rows
	RowBytes int           // of one row
	TempDisk string        // as PostgreSQL writes sizes: "512MB"
	Seats    int           // of each kind, so many runs at once
	Learner  int           // runs of one learner at once
	Wait     time.Duration // the longest that a run waits for a seat
}

// DefaultLimits suit one machine and a course.
var DefaultLimits = Limits{Time: 10 * time.Second, Rows: 2_000_000, Bytes: 512 << 20, RowBytes: 8 << 20, TempDisk: "512MB", Seats: 16, Learner: 2, Wait: 30 * time.Second}

// Roles on a practice server.
const (
	builderRole  = "examen_builder"  // owns what setup scripts make
	learnersRole = "examen_learners" // may connect to datasets and read them
	checkersRole = "examen_checkers" // may connect to variants and read them
)

// A Server is a practice server.
type Server struct {
	config  *pgxpool.Config
	admin   *pgxpool.Pool
	builder string // password
	limits  Limits

	learners *seats
	checkers *seats
	easing   *easing // nil: all runs have the processor alike

	mu       sync.Mutex
	builtin  map[uint32]typeRow
	types    map[string]map[uint32]result.Type // of each database, those made there
	template string
}

// connectTimeout is how long a server may take to answer at all.
const connectTimeout = 5 * time.Second

// ErrUnavailable tells that the practice server cannot be reached.
var ErrUnavailable = errors.New("the practice server cannot be reached")

// ErrBusy tells that no seat became free in time.
var ErrBusy = errors.New("all seats are taken")

// Open connects to a practice server as a superuser and makes ready the roles, the template and the seats.
func Open(ctx context.Context, url string, limits Limits) (*Server, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("practice server: %w", err)
	}
	config.MaxConns = 4
	config.ConnConfig.ConnectTimeout = connectTimeout
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("practice server: %w", err)
	}
	s := &Server{config: config, admin: pool, builder: secret(), limits: limits, types: map[string]map[uint32]result.Type{}}
	if err := s.prepare(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("make the practice server ready: %w", err)
	}
	return s, nil
}

// Close ends all sessions.
func (s *Server) Close() {
	s.learners.close()
	s.checkers.close()
	s.admin.Close()
}

// Ping returns an error that is ErrUnavailable where the server cannot be reached.
func (s *Server) Ping(ctx context.Context) error {
	if err := s.admin.Ping(ctx); err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return nil
}

func (s *Server) prepare(ctx context.Context) error {
	var super bool
	if err := s.admin.QueryRow(ctx, `SELECT rolsuper FROM pg_roles WHERE rolname = current_user`).Scan(&super); err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	if !super {
		return errors.New("its URL has to be a superuser's, who can revoke functions and make roles")
	}
	// Roles belong to the whole server: two services that start at the same time take turns.
	conn, err := s.admin.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `SELECT pg_advisory_lock(hashtext('examen prepares'))`); err != nil {
		return err
	}
	defer conn.Exec(context.WithoutCancel(ctx), `SELECT pg_advisory_unlock(hashtext('examen prepares'))`) //nolint:errcheck // ends with the session at the latest
	for _, group := range []string{learnersRole, checkersRole} {
		if err := ensureRole(ctx, conn.Conn(), group, "NOLOGIN"); err != nil {
			return err
		}
	}
	if err := ensureRole(ctx, conn.Conn(), builderRole, "LOGIN CONNECTION LIMIT 20 PASSWORD '"+s.builder+"'"); err != nil {
		return err
	}
	if err := s.prepareTemplate(ctx, conn.Conn()); err != nil {
		return err
	}
	if s.builtin, err = readTypes(ctx, conn.Conn(), 0, firstMade); err != nil {
		return err
	}
	if s.learners, err = s.makeSeats(ctx, conn.Conn(), "examen_seat", learnersRole); err != nil {
		return err
	}
	s.checkers, err = s.makeSeats(ctx, conn.Conn(), "examen_check", checkersRole)
	return err
}

// ensureRole makes a role, or gives an existing one its options anew.
func ensureRole(ctx context.Context, conn *pgx.Conn, name, options string) error {
	options += " NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION NOBYPASSRLS"
	_, err := conn.Exec(ctx, "CREATE ROLE "+quote(name)+" "+options)
	if state(err) == "42710" { // it exists
		_, err = conn.Exec(ctx, "ALTER ROLE "+quote(name)+" "+options)
	}
	if err != nil {
		return fmt.Errorf("role %s: %w", name, err)
	}
	return nil
}

// connect opens a session as a role, in a database.
func (s *Server) connect(ctx context.Context, role, password, database string) (*pgx.Conn, error) {
	config := s.config.ConnConfig.Copy()
	config.User, config.Password, config.Database = role, password, database
	return pgx.ConnectConfig(ctx, config)
}

// in runs f as the superuser in a database.
func (s *Server) in(ctx context.Context, database string, f func(*pgx.Conn) error) error {
	conn, err := s.connect(ctx, s.config.ConnConfig.User, s.config.ConnConfig.Password, database)
	if err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	return f(conn)
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

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}
