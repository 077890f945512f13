package practice

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgconn/ctxwatch"
	"github.com/jackc/pgx/v5/pgproto3"

	"examen/internal/core/result"
)

// A seat is a role with a few sessions logged in as that role, each in a different database. A seat serves one run at a
// time.
type seat struct {
	role     string
	password string
	sessions []session      // the last used at the end
	session  *pgconn.PgConn // of the current run, or the last; nil where there is none
	doubtful uint32         // the process of a session that was cut: it may run still

	// Of a run that ended well: the results still to be read, of what makes the session clean, and what ends the
	// waiting for them.
	rest   *pgconn.Pipeline
	cancel context.CancelCauseFunc
}

// A session is a seat's connection to one database.
type session struct {
	database string
	session  *pgconn.PgConn
}

// mostSessions is the number of sessions that a seat keeps open, so that learners of several datasets, and checks on
// several variants, need not open a new one each time.
const mostSessions = 3

// seats are all seats of one kind that a service has on a server: its range of them.
type seats struct {
	server *server
	prefix string // of the roles' names; behind it stand the range and a number
	group  string // whose rights the roles have
	slots  chan struct{}
	waits  atomic.Int32 // runs that wait for a slot
	all    []*seat
	mu     sync.Mutex
	free   []*seat // the last given back at the end
}

// newSeats has seats of one kind, for which roles are still to be made.
func (s *server) newSeats(prefix, group string) *seats {
	p := &seats{server: s, prefix: prefix, group: group, slots: make(chan struct{}, s.Limits.Seats)}
	for range s.Limits.Seats {
		p.all = append(p.all, &seat{password: secret()})
	}
	p.free = slices.Clone(p.all)
	return p
}

// make makes the roles of this service's range, or gives those that are there its own passwords, and ends any sessions
// that another service may still have as one of them.
func (p *seats) make(ctx context.Context, conn *pgx.Conn) error {
	settings := p.server.roleSettings()
	settings["default_transaction_read_only"] = "on"
	for i, st := range p.all {
		role := fmt.Sprintf("%s_%d_%02d", p.prefix, p.server.Range(), i+1)
		if err := ensureRole(
			ctx, conn, role, "LOGIN INHERIT CONNECTION LIMIT 6 PASSWORD '"+verifier(st.password)+"'",
		); err != nil {
			return err
		}
		if _, err := conn.Exec(ctx, "GRANT "+p.group+" TO "+quote(role)+setAll(role, settings)); err != nil {
			return fmt.Errorf("seat %s: %w", role, err)
		}
		p.mu.Lock()
		st.role = role
		p.mu.Unlock()
	}
	p.close()
	for _, st := range p.all {
		if err := p.server.endSessions(ctx, "usename", st.role); err != nil {
			return err
		}
	}
	return nil
}

// roleSettings are the settings of a role as which learners' SQL runs.
func (s *server) roleSettings() map[string]string {
	settings := map[string]string{
		// should this service die
		"statement_timeout":                   strconv.FormatInt((s.Limits.Time + 5*time.Second).Milliseconds(), 10),
		"lock_timeout":                        "2s",
		"log_min_messages":                    "fatal", // learners' errors are told to them, and fill no log
		"log_min_error_statement":             "panic",
		"idle_in_transaction_session_timeout": "1min",
		"temp_file_limit":                     s.Limits.TempDisk,
		"work_mem":                            "16MB",
		"max_parallel_workers_per_gather":     "0",
		"lo_compat_privileges":                "off",
		"lc_messages":                         "C", // errors are read: their causes and places are told by their words
	}
	for k, v := range result.Settings {
		settings[k] = v
	}
	return settings
}

// setAll writes the statements that give a role its settings, each after a semicolon.
func setAll(role string, settings map[string]string) string {
	var sql strings.Builder
	for _, name := range slices.Sorted(maps.Keys(settings)) {
		fmt.Fprintf(&sql, "; ALTER ROLE %s SET %s = '%s'", quote(role), name, settings[name])
	}
	return sql.String()
}

// lend waits for a free seat with a session in the database. The caller must give the seat back.
func (p *seats) lend(ctx context.Context, database string) (*seat, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, p.server.Limits.Wait, ErrBusy)
	defer cancel()
	if err := p.await(ctx); err != nil {
		return nil, err
	}
	st := p.take(database)
	if err := p.sit(ctx, st, database); err != nil {
		go p.giveBack(st) // which may wait for the server
		return nil, err
	}
	return st, nil
}

// await waits until one run more may take place. The error is the context's cause.
func (p *seats) await(ctx context.Context) error {
	p.waits.Add(1)
	defer p.waits.Add(-1)
	select {
	case p.slots <- struct{}{}:
		return nil
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// release lets another run take place.
func (p *seats) release() { <-p.slots }

// take picks a free seat: one with a session in the database if there is one, otherwise the least recently used.
func (p *seats) take(database string) *seat {
	p.mu.Lock()
	defer p.mu.Unlock()
	at := 0
	for i := len(p.free) - 1; i >= 0; i-- {
		if p.free[i].in(database) >= 0 {
			at = i
			break
		}
	}
	st := p.free[at]
	p.free = slices.Delete(p.free, at, at+1)
	return st
}

// sit makes sure that the seat has a session in the database.
func (p *seats) sit(ctx context.Context, st *seat, database string) error {
	if i := st.in(database); i >= 0 {
		found := st.sessions[i]
		st.sessions = append(slices.Delete(st.sessions, i, i+1), found)
		st.session = found.session
		return nil
	}
	for len(st.sessions) >= mostSessions {
		st.close(0)
	}
	p.mu.Lock()
	role := st.role
	p.mu.Unlock()
	config := p.server.sessionConfig(role, st.password, database)
	conn, err := pgconn.ConnectConfig(ctx, config)
	if code := state(err); isGone(code) || code == "42501" { // nobody may connect to it
		return fmt.Errorf("%w: %v", ErrGone, err)
	} else if err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	st.session, st.sessions = conn, append(st.sessions, session{database, conn})
	return nil
}

// sessionConfig says how a session is opened in which learners' SQL runs.
func (s *server) sessionConfig(role, password, database string) *pgconn.Config {
	config := s.config.ConnConfig.Config.Copy()
	config.User, config.Password, config.Database = role, password, database
	config.RuntimeParams = map[string]string{"application_name": "examen"} // the search path is the dataset's
	config.BuildFrontend = func(r io.Reader, w io.Writer) *pgproto3.Frontend {
		frontend := pgproto3.NewFrontend(r, w)
		frontend.SetMaxBodyLen(s.Limits.RowBytes)
		return frontend
	}
	config.BuildContextWatcherHandler = cancels(2 * time.Second) // when the time is up
	return config
}

// cancels has a query cancelled when its context ends. A session that does not answer to that in time is cut.
func cancels(patience time.Duration) func(*pgconn.PgConn) ctxwatch.Handler {
	return func(conn *pgconn.PgConn) ctxwatch.Handler {
		return &pgconn.CancelRequestContextWatcherHandler{Conn: conn, DeadlineDelay: patience}
	}
}

// in finds the seat's session in a database; -1 where there is none. Sessions that have ended are forgotten.
func (st *seat) in(database string) int {
	st.sessions = slices.DeleteFunc(st.sessions, func(s session) bool { return s.session.IsClosed() })
	return slices.IndexFunc(st.sessions, func(s session) bool { return s.database == database })
}

// close ends one of the seat's sessions.
func (st *seat) close(i int) {
	session := st.sessions[i].session
	st.sessions = slices.Delete(st.sessions, i, i+1)
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	session.Close(ctx)
	if st.session == session {
		st.session = nil
	}
}

// leave ends the session of the current run.
func (st *seat) leave() {
	if i := slices.IndexFunc(st.sessions, func(s session) bool { return s.session == st.session }); i >= 0 {
		st.close(i)
	}
}

// cut closes the session of the current run, and asks the server to end whatever it may still be doing.
func (st *seat) cut() {
	if st.session == nil {
		return
	}
	st.doubtful = st.session.PID()
	if st.cancel != nil {
		st.cancel(nil)
		st.rest, st.cancel = nil, nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = st.session.CancelRequest(ctx) // the server's own timer is behind it
	st.leave()
}

// giveBack cleans the seat for the next run and returns it to the free seats, once no session of an earlier run is
// still working on it.
func (p *seats) giveBack(st *seat) {
	if st.session != nil && !st.clean() {
		st.doubtful = st.session.PID()
		st.leave()
	}
	if st.doubtful != 0 {
		_ = p.server.endSession(p.server.open, st.doubtful) // what ends the waiting otherwise is the service's own end
		st.doubtful = 0
	}
	p.mu.Lock()
	p.free = append(p.free, st)
	p.mu.Unlock()
	p.release()
}

// clean ends the transaction and discards all that a session can keep. Where that fails the session is in doubt.
func (st *seat) clean() bool {
	if st.rest != nil {
		return st.cleaned()
	}
	if st.session.IsClosed() || st.session.IsBusy() {
		return false
	}
	ctx, cancel := context.WithTimeout(context.Background(), longestCleaning)
	defer cancel()
	pipeline := st.session.StartPipeline(ctx)
	for _, sql := range []string{"ROLLBACK", "DISCARD ALL"} {
		pipeline.SendQueryParams(sql, nil, nil, nil, nil)
		pipeline.SendPipelineSync()
	}
	if err := pipeline.Flush(); err != nil {
		return false
	}
	return readThrough(pipeline, 4) && pipeline.Close() == nil && st.session.TxStatus() == 'I'
}

const longestCleaning = 2 * time.Second

// cleaned reads that the session was made clean by what was sent along with the run.
func (st *seat) cleaned() bool {
	pipeline, cancel := st.rest, st.cancel
	st.rest, st.cancel = nil, nil
	timer := time.AfterFunc(longestCleaning, func() { cancel(errTime) })
	defer func() {
		timer.Stop()
		cancel(nil)
	}()
	return readThrough(pipeline, 2) && pipeline.Close() == nil && st.session.TxStatus() == 'I'
}

// readThrough reads so many results and synchronisations.
func readThrough(pipeline *pgconn.Pipeline, n int) bool {
	for range n {
		results, err := pipeline.GetResults()
		if err != nil {
			return false
		}
		if reader, ok := results.(*pgconn.ResultReader); ok {
			if _, err := reader.Close(); err != nil {
				return false
			}
		}
	}
	return true
}

// end ends every session in a database that no run has now.
func (p *seats) end(database string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, st := range p.free {
		if i := st.in(database); i >= 0 {
			st.close(i)
		}
	}
}

func (p *seats) close() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, st := range p.free {
		for len(st.sessions) > 0 {
			st.close(0)
		}
	}
}

// closeRoles has roles log in no more, and ends their sessions.
func (s *server) closeRoles(ctx context.Context, rows pgx.Rows) error {
	roles, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return s.reach(err)
	}
	for _, role := range roles {
		if _, err := s.admin.Exec(ctx, "ALTER ROLE "+quote(role)+" NOLOGIN PASSWORD NULL"); err != nil {
			return s.reach(err)
		}
	}
	for _, role := range roles {
		err = cmp.Or(err, s.endSessions(ctx, "usename", role))
	}
	return err
}
