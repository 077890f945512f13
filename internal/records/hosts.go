package records

import (
	"context"
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

// A demotion watches for sessions with a server that is gone, or takes no writes any more, and has all sessions opened
// anew.
type demotion struct {
	reset func()
	last  atomic.Int64 // when it was, in seconds
}

// TraceQueryStart implements [pgx.QueryTracer].
func (d *demotion) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return ctx
}

// TraceQueryEnd implements [pgx.QueryTracer].
func (d *demotion) TraceQueryEnd(ctx context.Context, conn *pgx.Conn, data pgx.TraceQueryEndData) {
	d.look(ctx, conn, data.Err)
}

// TraceBatchStart implements [pgx.BatchTracer].
func (d *demotion) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return ctx
}

// TraceBatchQuery implements [pgx.BatchTracer].
func (d *demotion) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

// TraceBatchEnd implements [pgx.BatchTracer].
func (d *demotion) TraceBatchEnd(ctx context.Context, conn *pgx.Conn, data pgx.TraceBatchEndData) {
	d.look(ctx, conn, data.Err)
}

// look has all sessions opened anew where an error says that one's server is gone, or takes no writes.
func (d *demotion) look(ctx context.Context, conn *pgx.Conn, err error) {
	if err == nil || code(err) != readOnly && (!conn.IsClosed() || ctx.Err() != nil) {
		return
	}
	// The others are cut too, perhaps. What was opened since the last time is not.
	if now, last := time.Now().Unix(), d.last.Load(); now > last+1 && d.last.CompareAndSwap(last, now) {
		d.reset()
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
