package practice

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// A Script is statements to be run in a copy, one after the other.
type Script struct {
	Learner  int64  // whose run it is: one learner has only so many at once
	Database string // the copy's
	Build    string // the database of the build that it is a copy of
	// Window is where it comes from. A transaction that is open at its end is kept for the next script from there, for
	// a minute; "" keeps none.
	Window   string
	Checking bool // it is run to be checked: it does not wait for learners who are themselves waiting for it
	// Reading tells that the statements are the service's own: what they name is PostgreSQL's first, whatever the copy
	// has made of it.
	Reading    bool
	Statements []sqltext.Statement
}

// A Step is a statement of a script that was run.
type Step struct {
	Tag     string // as the server names what was done: "UPDATE 3"
	Rows    int64  // that it gave
	Elapsed time.Duration
	Notices []string // what the server remarked, at most a few
}

// A State says how a session stands to transactions.
type State int

const (
	NoTransaction     State = iota
	OpenTransaction         // what it changed is not yet committed
	FailedTransaction       // a statement of it has failed: it can only be rolled back
)

// A Performance is a script that has been run, in whole or in part.
type Performance struct {
	Steps   []Step // one for each statement that was done
	Elapsed time.Duration
	// State is how the session stands to transactions now, and Until when it is rolled back if nothing comes.
	State State
	Until time.Time
	// Undone tells that a transaction was open when the script was ended, and was rolled back.
	Undone bool
	// Bytes is the copy's size on disk afterwards.
	Bytes int64
}

// ErrLost tells that the server was lost in the middle of a script: what it had committed is kept, the rest is not.
var ErrLost = errors.New("the practice server was lost in the middle")

// Blocked is the error of a statement that waited for what is not yet committed in another window of the same copy.
type Blocked struct {
	Since time.Time // that is open so long
	Err   error     // a *DatabaseError or *Stopped
}

func (e *Blocked) Error() string { return e.Err.Error() }
func (e *Blocked) Unwrap() error { return e.Err }

// keptOpen is how long an open transaction waits for the next script from its window, and mostOpen how many wait.
var keptOpen = time.Minute

const mostOpen = 40

// A windowed names a session that waits, by its copy and its window.
type windowed struct{ database, window string }

// inCopy is a session in a copy.
type inCopy struct {
	conn    *pgconn.PgConn
	notices []string
	since   time.Time   // that a transaction is open
	until   time.Time   // it waits
	timer   *time.Timer // ends the waiting
}

// perform runs a script in a copy, up to the first error.
func (c *copies) perform(ctx context.Context, script Script, sink func(statement int) Sink) (Performance, error) {
	seats := c.server.learners // what runs in copies and on seats shares the memory
	if script.Checking {
		seats = c.server.checkers
	}
	waiting, cancel := context.WithTimeoutCause(ctx, c.server.Limits.Wait, ErrBusy)
	defer cancel()
	if err := seats.await(waiting); err != nil {
		return Performance{}, err
	}
	defer seats.release()
	c.server.health.begins()
	defer c.server.health.ends()
	c.busy(script.Database, 1)
	defer c.busy(script.Database, -1)
	types, err := c.server.typesOf(ctx, script.Build)
	if err != nil {
		return Performance{}, err
	}
	session, err := c.sit(waiting, script)
	for begun := time.Now(); errors.Is(err, ErrUnavailable) && c.server.recovers(ctx, begun.Add(recovery)); {
		session, err = c.sit(waiting, script)
	}
	if err != nil {
		return Performance{}, err
	}
	p := &performing{
		server: c.server, script: script, session: session, build: types, types: types,
		unknown: c.hasDefined(script.Database),
	}
	end := c.server.throttle.watch(script.Learner, session.conn.PID(), false)
	err = p.run(ctx, sink)
	back := end()
	p.leave(err, back)
	if !c.has(script.Database) { // it was dropped meanwhile
		err = fmt.Errorf("%w: %s", ErrGone, script.Database)
	}
	return p.Performance, err
}

// performing is a script that is being run.
type performing struct {
	Performance
	server  *server
	script  Script
	session *inCopy
	build   map[uint32]result.Type // the types of the build
	types   map[uint32]result.Type // and those of the copy
	unknown bool                   // there may be types that are not known
	watch   *watch
	rows    int64
	bytes   int64
	size    int64 // of the copy, when the script began
}

// grownWithout is how long a statement may take without the copy's size being looked at when it ends, and lookEvery how
// often it is looked at while a script runs.
const (
	grownWithout = 10 * time.Millisecond
	lookEvery    = 100 * time.Millisecond
)

var errSize = errors.New("the copy is full")

func (p *performing) run(ctx context.Context, sink func(int) Sink) error {
	own, cancel := context.WithCancelCause(context.WithoutCancel(ctx))
	defer cancel(nil)
	stop := context.AfterFunc(ctx, func() { cancel(context.Cause(ctx)) })
	defer stop()
	p.watch = p.server.watch(p.session.conn.PID(), func(reason error) { cancel(reason) })
	defer func() { p.Elapsed, _ = p.watch.stop() }()
	p.size = p.server.copies.sizeBefore(ctx, p.script.Database)
	looking := make(chan struct{})
	defer close(looking)
	go p.look(looking, cancel)
	for i, statement := range p.script.Statements {
		if err := own.Err(); err != nil {
			return p.cause(own, err, statement)
		}
		step, err := p.step(own, statement, sink(i))
		if err != nil {
			return err
		}
		p.Steps = append(p.Steps, step)
	}
	return nil
}

// look ends a script under which its copy grows too large.
func (p *performing) look(ended <-chan struct{}, cancel context.CancelCauseFunc) {
	for {
		select {
		case <-ended:
			return
		case <-time.After(lookEvery):
			if p.overgrown() {
				cancel(errSize)
				return
			}
		}
	}
}

// overgrown tells whether the copy has grown past its limit. Statements that make a full copy smaller may run.
func (p *performing) overgrown() bool {
	ctx, stop := context.WithTimeout(context.Background(), probePatience)
	defer stop()
	size, err := p.server.copies.sizeOf(ctx, p.script.Database)
	if err != nil {
		return false
	}
	return size > p.server.Limits.Copy && size > p.size
}

// step runs one statement.
func (p *performing) step(ctx context.Context, statement sqltext.Statement, sink Sink) (Step, error) {
	begun, conn := time.Now(), p.session.conn
	p.session.notices = nil
	// What may take room is run in a transaction even where none is asked for, so that it can be taken back.
	guarded := statement.Grows && conn.TxStatus() == 'I'
	if p.unknown && !statement.Defines && conn.TxStatus() != 'E' {
		if types, err := p.server.typesIn(ctx, conn, p.build); err == nil { // otherwise they have no names
			p.types, p.unknown = types, false
		}
	}
	if statement.Defines {
		p.unknown = true
		p.server.copies.defines(p.script.Database)
	}
	r := &running{
		server: p.server, run: Run{SQL: statement.Text}, sink: sink, types: p.types, watch: p.watch,
		rows: p.rows, bytes: p.bytes,
	}
	var tag pgconn.CommandTag
	err := func() error {
		if guarded {
			if _, err := conn.Exec(ctx, "BEGIN").ReadAll(); err != nil {
				return err
			}
		}
		reader := conn.ExecParams(ctx, statement.Text, nil, nil, nil, nil)
		var failed error
		if len(reader.FieldDescriptions()) > 0 {
			failed = r.readRows(reader)
		}
		if failed != nil { // the rest of the rows is not wanted
			_ = conn.CancelRequest(ctx)
			_, _ = reader.Close()
			return failed
		}
		var err error
		tag, err = reader.Close()
		return err
	}()
	given := r.rows - p.rows
	p.rows, p.bytes = r.rows, r.bytes
	if err == nil && conn.TxStatus() == 'T' && time.Since(begun) > grownWithout && statement.Grows && p.overgrown() {
		err = p.full()
	}
	if err == nil && guarded {
		_, err = conn.Exec(ctx, "COMMIT").ReadAll()
	}
	if err != nil {
		err = p.cause(ctx, cmp.Or(r.sinkErr, err), statement)
		if guarded {
			p.rollBack()
		}
		return Step{}, err
	}
	return Step{tag.String(), given, time.Since(begun), slices.Clone(p.session.notices)}, nil
}

func (p *performing) full() error {
	return &Stopped{LimitCopy, fmt.Sprintf("Your copy grew past its limit of %d MB: what the statement did was taken "+
		"back.", p.server.Limits.Copy>>20)}
}

// cause determines what an error means for a statement.
func (p *performing) cause(ctx context.Context, err error, statement sqltext.Statement) error {
	r := &running{server: p.server, run: Run{SQL: statement.Text}}
	var stopped *Stopped
	if errors.As(err, &stopped) {
		return err
	}
	if errors.Is(context.Cause(ctx), errSize) {
		return p.full()
	}
	lost := p.session.conn.IsClosed() && ctx.Err() == nil
	err = r.outcome(r.cause(ctx, err))
	if errors.Is(err, ErrUnavailable) && lost && (len(p.Steps) > 0 || p.session.since != (time.Time{})) {
		return fmt.Errorf("%w: %v", ErrLost, err)
	}
	var reported *DatabaseError
	timed := errors.As(err, &stopped) && stopped.Limit == LimitTime
	if timed || errors.As(err, &reported) && reported.Code == "55P03" {
		if since, is := p.server.copies.openElsewhere(p.script); is {
			return &Blocked{since, err}
		}
	}
	return err
}

// rollBack ends the transaction; a session that does not do so is cut.
func (p *performing) rollBack() {
	ctx, cancel := context.WithTimeout(context.Background(), longestCleaning)
	defer cancel()
	if !p.session.conn.IsClosed() && p.session.conn.TxStatus() != 'I' {
		if _, err := p.session.conn.Exec(ctx, "ROLLBACK").ReadAll(); err != nil {
			p.server.copies.end(p.session)
		}
	}
}

// leave decides what becomes of the session: with a transaction open it waits for the next script of its window.
func (p *performing) leave(err error, calm bool) {
	var reported *DatabaseError
	conn := p.session.conn
	sound := calm && (err == nil || errors.As(err, &reported)) && !conn.IsClosed() && !conn.IsBusy()
	if sound && conn.TxStatus() != 'I' && p.script.Window != "" {
		p.State = OpenTransaction
		if conn.TxStatus() == 'E' {
			p.State = FailedTransaction
		}
		p.Until = p.server.copies.await(p.script, p.session)
		return
	}
	p.Undone = conn.IsClosed() && !p.session.since.IsZero() || !conn.IsClosed() && conn.TxStatus() != 'I'
	p.rollBack()
	if sound { // so that what is counted of changes is there when it is asked for
		ctx, cancel := context.WithTimeout(context.Background(), longestCleaning)
		_, _ = conn.Exec(ctx, "SELECT pg_catalog.pg_stat_force_next_flush()").ReadAll()
		cancel()
	}
	p.server.copies.end(p.session)
	measuring, stop := context.WithTimeout(context.Background(), probePatience)
	defer stop()
	if size, err := p.server.copies.sizeOf(measuring, p.script.Database); err == nil {
		p.Bytes = p.server.copies.measured(p.script.Database, size)
	}
}

// sit gives a session in a script's copy: the one that waits in its window, or a new one.
func (c *copies) sit(ctx context.Context, script Script) (*inCopy, error) {
	c.mu.Lock()
	name := windowed{script.Database, script.Window}
	if waiting := c.sessions[name]; waiting != nil && script.Window != "" {
		delete(c.sessions, name)
		c.mu.Unlock()
		waiting.timer.Stop()
		if !waiting.conn.IsClosed() {
			return waiting, nil
		}
	} else {
		c.mu.Unlock()
	}
	if err := c.openInAnother(ctx, name); err != nil {
		return nil, err
	}
	session := &inCopy{}
	err := c.logIn(ctx, script.Database, func(role, password string) (err error) {
		config := c.server.sessionConfig(role, password, script.Database)
		config.OnNotice = session.note
		maps.Copy(config.RuntimeParams, c.server.pinned())
		config.RuntimeParams["application_name"] = name.application()
		if script.Reading {
			config.RuntimeParams["search_path"] = "pg_catalog, public"
		}
		session.conn, err = pgconn.ConnectConfig(ctx, config)
		return err
	})
	return session, err
}

// application is how a window's session is called, so that other services see whose it is.
func (w windowed) application() string {
	if w.window == "" {
		return "examen"
	}
	hash := fnv.New64a()
	_, _ = hash.Write([]byte(w.window))
	return fmt.Sprintf("examen window %016x", hash.Sum64())
}

// openInAnother returns ErrOpenElsewhere where a window's transaction is open in another service.
func (c *copies) openInAnother(ctx context.Context, name windowed) error {
	if name.window == "" || !c.server.shared() {
		return nil
	}
	var open bool
	err := c.server.admin.QueryRow(ctx, `SELECT EXISTS (SELECT FROM pg_stat_activity
		WHERE datname = $1 AND usename = $2 AND application_name = $3 AND xact_start IS NOT NULL)`,
		name.database, roleOf(name.database), name.application()).Scan(&open)
	if err == nil && open {
		return ErrOpenElsewhere
	}
	return c.server.reach(err)
}

// pinned are the settings of a session in a copy that hold whatever its role has set for itself.
func (s *server) pinned() map[string]string {
	settings := maps.Clone(result.Settings)
	all := s.roleSettings()
	for _, name := range []string{"statement_timeout", "lock_timeout"} {
		settings[name] = all[name]
	}
	settings["default_transaction_read_only"] = "off"
	// should this service die; as long as it lives it ends what waits for too long itself
	settings["idle_in_transaction_session_timeout"] = strconv.FormatInt((keptOpen + 10*time.Second).Milliseconds(), 10)
	return settings
}

// logIn opens a session in a copy as its own role.
func (c *copies) logIn(ctx context.Context, database string, connect func(role, password string) error) error {
	c.note(database)
	for again := false; ; again = true {
		err := connect(roleOf(database), c.passwordOf(database))
		switch code := state(err); {
		case err == nil:
			return nil
		case strings.HasPrefix(code, "28") && !again:
			if err := c.renew(ctx, database); err != nil {
				return err
			}
		case isGone(code) || code == "42501" || strings.HasPrefix(code, "28"):
			return fmt.Errorf("%w: %v", ErrGone, err)
		case code == "53300":
			return fmt.Errorf("%w: %v", ErrBusy, err)
		default:
			return fmt.Errorf("%w: %v", ErrUnavailable, err)
		}
	}
}

// mostNotices is how many of a statement's notices are kept.
const mostNotices = 20

func (session *inCopy) note(_ *pgconn.PgConn, n *pgconn.Notice) {
	if len(session.notices) < mostNotices {
		session.notices = append(session.notices, sqltext.Shorten(n.Message, longestMessage))
	}
}

// await keeps a session for the next script of its window. It returns until when.
func (c *copies) await(script Script, session *inCopy) time.Time {
	name := windowed{script.Database, script.Window}
	if session.since.IsZero() {
		session.since = time.Now()
	}
	until := time.Now().Add(keptOpen)
	session.until = until
	c.mu.Lock()
	var ending []*inCopy
	if before := c.sessions[name]; before != nil { // of a script that ran at the same time
		ending = append(ending, before)
	}
	c.sessions[name] = session
	if len(c.sessions) > mostOpen {
		oldest := name
		for other, s := range c.sessions {
			if s.since.Before(c.sessions[oldest].since) {
				oldest = other
			}
		}
		ending = append(ending, c.sessions[oldest])
		delete(c.sessions, oldest)
	}
	session.timer = time.AfterFunc(keptOpen, func() {
		c.mu.Lock()
		still := c.sessions[name] == session
		if still {
			delete(c.sessions, name)
		}
		c.mu.Unlock()
		if still {
			c.end(session)
		}
	})
	c.mu.Unlock()
	for _, s := range ending {
		s.timer.Stop()
		c.end(s)
	}
	return until
}

// openElsewhere tells since when another window of a script's copy has had a transaction open.
func (c *copies) openElsewhere(script Script) (since time.Time, is bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for name, session := range c.sessions {
		if name.database == script.Database && name.window != script.Window && (!is || session.since.Before(since)) {
			since, is = session.since, true
		}
	}
	return since, is
}

// uncommitted tells whether a window of a copy has a transaction open, since when, and until when it is kept.
func (c *copies) uncommitted(copied, window string) (state State, since, until time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	session := c.sessions[windowed{copied, window}]
	switch {
	case session == nil || window == "":
		return NoTransaction, time.Time{}, time.Time{}
	case session.conn.TxStatus() == 'E':
		return FailedTransaction, session.since, session.until
	}
	return OpenTransaction, session.since, session.until
}

// close ends all sessions that wait.
func (c *copies) close() {
	c.mu.Lock()
	databases := map[string]bool{}
	for name := range c.sessions {
		databases[name.database] = true
	}
	c.mu.Unlock()
	for database := range databases {
		c.leave(database)
	}
}

// leave ends the sessions that wait in a copy.
func (c *copies) leave(database string) {
	c.mu.Lock()
	var ending []*inCopy
	for name, session := range c.sessions {
		if name.database == database {
			ending = append(ending, session)
			delete(c.sessions, name)
		}
	}
	c.mu.Unlock()
	for _, session := range ending {
		session.timer.Stop()
		c.end(session)
	}
}

// end ends a session, and with it its transaction. One that does not end by itself is ended by the server, which is
// waited for a moment.
func (c *copies) end(session *inCopy) {
	if session.conn.IsClosed() {
		select {
		case <-session.conn.CleanupDone():
		case <-time.After(time.Second):
		}
	} else {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		if session.conn.Close(ctx) == nil {
			return
		}
	}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_ = c.server.endSession(c.server.open, session.conn.PID())
	}()
	select {
	case <-ended:
	case <-time.After(endPatience + time.Second):
	}
}
