package records

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/sys/unix"
)

// The records' URL may name several hosts, a primary and its standbys. Sessions are opened with the one that takes
// writes. When another one is promoted, sessions with the earlier primary are closed as they are found to be cut, or to
// be read-only.

// How long a host may take until a session is open, and how long what is sent to it may go without an answer of its
// network.
const (
	connectPatience = 5 * time.Second
	networkPatience = 10 * time.Second
)

// prepareHosts has sessions opened with the host that takes writes.
func prepareHosts(config *pgxpool.Config) {
	connect := config.ConnConfig
	if connect.ConnectTimeout == 0 {
		connect.ConnectTimeout = connectPatience
	}
	dialer := &net.Dialer{
		Timeout:         connect.ConnectTimeout,
		KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: networkPatience / 2, Interval: time.Second, Count: 5},
		Control: func(network, _ string, c syscall.RawConn) error {
			if network == "unix" {
				return nil
			}
			return c.Control(func(fd uintptr) { // without it, what is sent to a host that is gone is waited for long
				_ = unix.SetsockoptInt(
					int(fd), unix.IPPROTO_TCP, unix.TCP_USER_TIMEOUT, int(networkPatience.Milliseconds()),
				)
			})
		},
	}
	connect.DialFunc = dialer.DialContext
	if severalHosts(connect) && connect.ValidateConnect == nil {
		connect.ValidateConnect = pgconn.ValidateConnectTargetSessionAttrsReadWrite
	}
}

// severalHosts tells whether a URL names more than one host.
func severalHosts(config *pgx.ConnConfig) bool {
	for _, other := range config.Fallbacks { // of one host there may be a fallback without TLS
		if other.Host != config.Host || other.Port != config.Port {
			return true
		}
	}
	return false
}

// readOnly is the SQLSTATE of a write in a session with a server that does not take any: a primary that has become a
// standby.
const readOnly = "25006"

// How long a call waits for a session, and for an answer, of a server that stands still.
const (
	sessionPatience = 5 * time.Second
	answerPatience  = 8 * time.Second
)

// Promptly returns a context for calls that somebody waits for: what is asked of the records with it fails, as where
// they cannot be reached, if there is no answer within a few seconds.
func Promptly(ctx context.Context) context.Context { return context.WithValue(ctx, promptly{}, true) }

// Patiently returns a context with which the records are given as long as they take.
func Patiently(ctx context.Context) context.Context { return context.WithValue(ctx, promptly{}, false) }

type (
	promptly struct{} // the key of whether a context is
	waiting  struct{} // the key of what ends the waiting
)

// A watcher watches for sessions with a server that is gone, stands still, or takes no writes any more, and has all
// sessions opened anew. It bounds how long calls wait.
type watcher struct {
	reset func()
	last  atomic.Int64 // when it was, in seconds
}

// begin bounds what is asked with a context that is prompt.
func (w *watcher) begin(ctx context.Context, patience time.Duration) context.Context {
	if prompt, _ := ctx.Value(promptly{}).(bool); !prompt {
		return ctx
	}
	bounded, cancel := context.WithTimeoutCause(ctx, patience, errStill)
	return context.WithValue(bounded, waiting{}, cancel)
}

var errStill = errors.New("the records' server does not answer")

// end ends that.
func (w *watcher) end(ctx context.Context) {
	if cancel, is := ctx.Value(waiting{}).(context.CancelFunc); is {
		cancel()
	}
}

// TraceAcquireStart implements [pgxpool.AcquireTracer].
func (w *watcher) TraceAcquireStart(
	ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireStartData,
) context.Context {
	return w.begin(ctx, sessionPatience)
}

// TraceAcquireEnd implements [pgxpool.AcquireTracer].
func (w *watcher) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	w.end(ctx)
}

// TraceQueryStart implements [pgx.QueryTracer].
func (w *watcher) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return w.begin(ctx, answerPatience)
}

// TraceQueryEnd implements [pgx.QueryTracer].
func (w *watcher) TraceQueryEnd(ctx context.Context, conn *pgx.Conn, data pgx.TraceQueryEndData) {
	w.look(ctx, conn, data.Err)
	w.end(ctx)
}

// TraceBatchStart implements [pgx.BatchTracer].
func (w *watcher) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return w.begin(ctx, answerPatience)
}

// TraceBatchQuery implements [pgx.BatchTracer].
func (w *watcher) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

// TraceBatchEnd implements [pgx.BatchTracer].
func (w *watcher) TraceBatchEnd(ctx context.Context, conn *pgx.Conn, data pgx.TraceBatchEndData) {
	w.look(ctx, conn, data.Err)
	w.end(ctx)
}

// look has all sessions opened anew where an error says that one's server is gone, stands still, or takes no writes.
func (w *watcher) look(ctx context.Context, conn *pgx.Conn, err error) {
	gone := conn.IsClosed() && (ctx.Err() == nil || errors.Is(context.Cause(ctx), errStill))
	if err == nil || code(err) != readOnly && !gone {
		return
	}
	// The others are cut too, perhaps. What was opened since the last time is not.
	if now, last := time.Now().Unix(), w.last.Load(); now > last+1 && w.last.CompareAndSwap(last, now) {
		w.reset()
	}
}

// Recommend says in the log what of the records' set-up may lose what was acknowledged.
func Recommend(ctx context.Context, s *Store, log *slog.Logger) error {
	var standbys int
	var commit, names string
	err := s.pool.QueryRow(ctx, `SELECT (SELECT count(*) FROM pg_stat_replication),
		current_setting('synchronous_commit'), current_setting('synchronous_standby_names')`,
	).Scan(&standbys, &commit, &names)
	several := severalHosts(s.pool.Config().ConnConfig)
	switch {
	case err != nil:
		return err
	case commit == "off":
		log.Warn("the records' server acknowledges what is not on disk yet: set synchronous_commit to on there",
			"synchronous_commit", commit)
	case standbys > 0 && (names == "" || commit == "local"):
		log.Warn("a standby follows the records, and commits do not wait for it: what was acknowledged in the last "+
			"moments before it takes over may be lost. Set synchronous_standby_names on the records' server, and "+
			"synchronous_commit to on", "standbys", standbys, "synchronous_standby_names", names,
			"synchronous_commit", commit)
	case standbys == 0 && several:
		log.Warn("the records' URL names several hosts, and no standby follows the primary: start it, or nobody " +
			"takes over if the primary fails")
	}
	return nil
}
