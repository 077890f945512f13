// Package records keeps Examen's own database: accounts, courses, papers, runs, attempts and marks.
//
// The schema is in migrations, the queries in queries; package query is generated from both.
package records

import (
	"context"
	"crypto/rand"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"examen/internal/core/result"
	"examen/internal/records/query"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the records database. Its methods are the queries; each runs on its own unless done in [Store.Together].
type Store struct {
	*query.Queries
	pool  *pgxpool.Pool
	river *river.Client[pgx.Tx] // only to enqueue

	name string // of this service, in what it tells others

	mu       sync.Mutex
	caches   map[string][]cache  // by the change that they hear of
	cachesOf map[string]counting // by what they hold
	spent    func(account int64, calls, bytes int)

	standings standings
	attempts  attempts
}

// ErrUnavailable means that the records database cannot be reached.
var ErrUnavailable = errors.New("the records server cannot be reached")

// Open connects to the records database and brings its schema up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("records server: %w", err)
	}
	config.MaxConns = max(config.MaxConns, 16)
	if _, given := config.ConnConfig.RuntimeParams["search_path"]; !given {
		config.ConnConfig.RuntimeParams["search_path"] = "public, pg_temp"
	}
	prepareHosts(config)
	watcher := &watcher{}
	config.ConnConfig.Tracer = traced(watcher)
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("records server: %w", err)
	}
	watcher.reset = pool.Reset
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, fmt.Errorf("bring the records up to date: %w", err)
	}
	enqueues, err := river.NewClient(riverpgxv5.New(pool), &river.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		pool.Close()
		return nil, err
	}
	return &Store{
		Queries: query.New(pool), pool: pool, river: enqueues, caches: map[string][]cache{},
		name:      rand.Text(),
		standings: standings{untold: map[int64]*Changes{}, ears: map[int64][]*StandingsEar{}},
	}, nil
}

func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	unlock, err := alone(ctx, db)
	if err != nil {
		return err
	}
	defer unlock()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files, goose.WithSlog(slog.New(slog.DiscardHandler)))
	if err != nil {
		return err
	}
	there, err := provider.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	sources := provider.ListSources()
	if known := sources[len(sources)-1].Version; there > known {
		return fmt.Errorf(
			"they are of a newer version of Examen (schema %d) than this one (schema %d): start the newer one, or "+
				"restore a backup that this one made",
			there, known,
		)
	}
	if _, err = provider.Up(ctx); err != nil {
		return err
	}
	queue, err := rivermigrate.New(riverpgxv5.New(pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	_, err = queue.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// alone waits until no other service is migrating the records, so that of several that start at once only one does.
func alone(ctx context.Context, db *sql.DB) (unlock func(), err error) {
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 300)) // asks every second, for five minutes
	if err != nil {
		return nil, err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return nil, err
	}
	if err := locker.SessionLock(ctx, conn); err != nil {
		conn.Close()
		return nil, err
	}
	return func() {
		_ = locker.SessionUnlock(context.WithoutCancel(ctx), conn) // it ends with the session, too
		conn.Close()
	}, nil
}

// Close ends all connections.
func (s *Store) Close() { s.pool.Close() }

// Ping returns an error where the database cannot be reached.
func (s *Store) Ping(ctx context.Context) error {
	if err := s.pool.Ping(ctx); err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return nil
}

// A Transaction runs queries that take effect together or not at all.
type Transaction struct {
	*query.Queries
	tx    pgx.Tx
	river *river.Client[pgx.Tx]
}

// Together runs f in a transaction, which is committed if f returns nil and rolled back otherwise.
func (s *Store) Together(ctx context.Context, f func(*Transaction) error) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error { return f(&Transaction{s.WithTx(tx), tx, s.river}) })
}

// As is like [Store.Together] for changes that somebody makes: the audit log names the account given.
func (s *Store) As(ctx context.Context, actor int64, f func(*Transaction) error) error {
	return s.Together(ctx, func(t *Transaction) error {
		_, err := t.tx.Exec(ctx, "SELECT set_config('examen.actor', $1, true)", strconv.FormatInt(actor, 10))
		if err != nil {
			return err
		}
		return f(t)
	})
}

// Seed is the seed of the fingerprints of results that the records keep.
func (s *Store) Seed(ctx context.Context) (result.Seed, error) {
	value, err := s.SettingValue(ctx, "fingerprint seed")
	if err != nil {
		return 0, err
	}
	seed, err := strconv.ParseUint(value, 10, 64)
	return result.Seed(seed), err
}

// Missing reports whether a query found no row.
func Missing(err error) bool { return errors.Is(err, pgx.ErrNoRows) }

// Taken reports whether a row could not be stored because its name is already in use.
func Taken(err error) bool {
	var e *pgconn.PgError
	return errors.As(err, &e) && e.Code == "23505"
}

// Full reports whether something could not be stored because the server's disk is full.
func Full(err error) bool {
	var e *pgconn.PgError
	return errors.As(err, &e) && e.Code == "53100"
}

// code is the SQLSTATE of an error that the server reported, "" for any other.
func code(err error) string {
	var e *pgconn.PgError
	if errors.As(err, &e) {
		return e.Code
	}
	return ""
}

// Unavailable reports whether an error means that the database could not be reached.
func Unavailable(err error) bool {
	if err == nil || errors.Is(err, pgx.ErrNoRows) || errors.Is(err, context.Canceled) {
		return false
	}
	if errors.Is(err, ErrUnavailable) {
		return true
	}
	if c := code(err); c != "" { // shutting down, crashed, starting up, or a standby now
		return c == "57P01" || c == "57P02" || c == "57P03" || c == readOnly
	}
	var connect *pgconn.ConnectError
	var cut *net.OpError
	return errors.As(err, &connect) || errors.As(err, &cut) || pgconn.SafeToRetry(err) || pgconn.Timeout(err) ||
		errors.Is(err, context.DeadlineExceeded) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
}

// IsText reports whether a string can be stored as text: valid UTF-8 without NUL.
func IsText(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }

// Text returns what can be stored of a string as text, at most so many bytes.
func Text(s string, most int) string {
	s = strings.ToValidUTF8(strings.ReplaceAll(s, "\x00", ""), "")
	if len(s) > most {
		s = strings.ToValidUTF8(s[:most], "")
	}
	return s
}
