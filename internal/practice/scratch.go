package practice

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// A Scratch is a copy of a dataset in which rows are tried: a database of its own, made from the dataset's scripts and
// dropped after use. All is done in one session, of the role that ran the scripts, which can do no more than they; and
// in one transaction, so that every change can be taken back. It is safe for concurrent use; one call waits for
// another.
type Scratch struct {
	server         *server
	database, role string
	types          map[uint32]result.Type
	readable       readable

	mu   sync.Mutex
	conn *pgx.Conn
	calm func() bool // ends that its process gets what others leave
}

const (
	longestTry = 2 * time.Second  // that a statement in a scratch copy may take
	lostAfter  = 30 * time.Second // that its session does not answer
)

// scratch makes a scratch copy from an order's scripts. The caller must close it.
func (s *server) scratch(ctx context.Context, order Order) (_ *Scratch, err error) {
	builder, password, err := s.makeRole(ctx, "trying", []string{builderRole})
	if err != nil {
		return nil, err
	}
	c := &Scratch{server: s, database: order.Database, role: builder, types: map[uint32]result.Type{}}
	defer func() {
		if err != nil {
			err = errors.Join(s.reach(err), c.Close(context.WithoutCancel(ctx)))
		}
	}()
	if err := s.create(ctx, order.Database, builder); err != nil {
		return nil, err
	}
	if _, err := s.runScripts(ctx, builder, password, order); err != nil {
		return nil, err
	}
	config := s.connectConfig(builder, password, order.Database)
	config.BuildContextWatcherHandler = cancels(lostAfter) // what was tried in the copy stays when a run's time is up
	if c.conn, err = pgx.ConnectConfig(ctx, config); err != nil {
		return nil, err
	}
	c.calm = s.throttle.watch(0, c.conn.PgConn().PID(), true)
	return c, c.begin(ctx)
}

// begin reads what the copy holds, and begins the transaction.
func (c *Scratch) begin(ctx context.Context) error {
	c.readable.relations = sqltext.Relations{}
	if _, err := c.conn.Exec(ctx, "ANALYZE"); err != nil {
		return err
	}
	if err := c.conn.QueryRow(ctx, collationsQuery).Scan(&c.readable.collations); err != nil {
		return err
	}
	if err := readRelations(ctx, c.conn, c.readable.relations); err != nil {
		return err
	}
	if err := readSizes(ctx, c.conn, c.readable.relations); err != nil {
		return err
	}
	made, err := readTypes(ctx, c.conn, firstMade, 1<<31-1)
	if err != nil {
		return err
	}
	for oid := range made {
		c.types[oid] = byName(whole(oid, made, c.server.builtin))
	}
	_, err = c.conn.Exec(ctx, fmt.Sprintf("BEGIN; SET LOCAL statement_timeout = %d; SET LOCAL jit = off",
		longestTry.Milliseconds()))
	return err
}

// Try runs statements that change rows. With an error, which is a *DatabaseError where it is theirs, nothing of them
// stays.
func (c *Scratch) Try(ctx context.Context, sql string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	_, err := c.conn.Exec(ctx, "SAVEPOINT try; "+strings.TrimSuffix(strings.TrimSpace(sql), ";")+
		"; SET CONSTRAINTS ALL IMMEDIATE; RELEASE SAVEPOINT try", pgx.QueryExecModeSimpleProtocol)
	if err == nil {
		return nil
	}
	_, lost := c.conn.Exec(ctx, "ROLLBACK TO SAVEPOINT try; RELEASE SAVEPOINT try", pgx.QueryExecModeSimpleProtocol)
	if lost != nil {
		return c.server.reach(errors.Join(err, lost))
	}
	return (&running{}).outcome(err)
}

// Mark marks the state of the copy's rows under a name, an SQL identifier.
func (c *Scratch) Mark(ctx context.Context, name string) error { return c.exec(ctx, "SAVEPOINT "+name) }

// Back takes the copy's rows back to the state that was marked last under a name. The mark is gone then.
func (c *Scratch) Back(ctx context.Context, name string) error {
	return c.exec(ctx, "ROLLBACK TO SAVEPOINT "+name+"; RELEASE SAVEPOINT "+name)
}

func (c *Scratch) exec(ctx context.Context, sql string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	_, err := c.conn.Exec(ctx, sql, pgx.QueryExecModeSimpleProtocol)
	return c.server.reach(err)
}

// undoRun takes back whatever a run has done.
var undoRun = []string{"ROLLBACK TO SAVEPOINT run", "RELEASE SAVEPOINT run"}

// Run runs a query on the copy, as [Servers.Run] does on a build. Whose it is, and on which database, is not looked at.
func (c *Scratch) Run(ctx context.Context, run Run, sink Sink) (Execution, error) {
	c.server.calm.pause(ctx)
	c.mu.Lock()
	defer c.mu.Unlock()
	r := &running{server: c.server, run: run, sink: sink, types: c.types}
	conn := c.conn.PgConn()
	r.watch = c.server.watch(conn.PID(), func(error) {}) // the session's own limit is shorter
	pipeline := conn.StartPipeline(ctx)
	pipeline.SendQueryParams("SAVEPOINT run", nil, nil, nil, nil)
	for _, setting := range plans[run.Plan] {
		pipeline.SendQueryParams("SET LOCAL "+setting, nil, nil, nil, nil)
	}
	pipeline.SendQueryParams(run.SQL, nil, nil, nil, nil)
	for _, undo := range undoRun { // a savepoint that stays would be one level more for each run
		pipeline.SendQueryParams(undo, nil, nil, nil, nil)
	}
	pipeline.SendPipelineSync()
	err := pipeline.Flush()
	if err == nil {
		err = r.read(pipeline)
	}
	r.elapsed, _ = r.watch.stop()
	if closed := pipeline.Close(); err == nil {
		err = closed
	}
	if err != nil {
		err = r.outcome(r.cause(ctx, err))
		_, lost := c.conn.Exec(context.WithoutCancel(ctx), strings.Join(undoRun, "; "), pgx.QueryExecModeSimpleProtocol)
		if lost != nil {
			return Execution{}, fmt.Errorf("%w: %w", ErrUnavailable, err)
		}
	}
	return Execution{r.rows, r.elapsed}, err
}

// Relations tells what the copy's queries can read from.
func (c *Scratch) Relations(context.Context, string) (sqltext.Relations, error) {
	return c.readable.relations, nil
}

// OwnCollations tells whether the copy's texts may be equal although they differ.
func (c *Scratch) OwnCollations(context.Context, string) (bool, error) {
	return c.readable.collations, nil
}

// Equal cannot tell which texts a type's own equality takes for equal: of a copy it is not asked.
func (c *Scratch) Equal(context.Context, string, []string, result.Column) (map[string]string, error) {
	return nil, nil
}

// Close ends the session and drops the copy.
func (c *Scratch) Close(ctx context.Context) error {
	if c.calm != nil {
		c.calm()
	}
	if c.conn != nil {
		_ = c.conn.Close(ctx)
	}
	err := c.server.drop(ctx, c.database)
	c.server.dropRole(ctx, c.role, "")
	return err
}
