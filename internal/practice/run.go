package practice

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgproto3"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// A Limit names the limit that a run reached.
type Limit string

const (
	LimitTime     Limit = "time"
	LimitRows     Limit = "rows"
	LimitBytes    Limit = "bytes"
	LimitRowBytes Limit = "row bytes"
	LimitDisk     Limit = "temporary disk"
	LimitMemory   Limit = "memory"
	LimitCopy     Limit = "copy"
)

// Stopped is the error of a run that reached a limit. Its text says which limit, and how large it is.
type Stopped struct {
	Limit  Limit
	Detail string
}

func (e *Stopped) Error() string { return e.Detail }

// A DatabaseError is an error that the server reported about a query.
type DatabaseError struct {
	Code    string // SQLSTATE
	Message string
	Detail  string
	Hint    string
	Place   *sqltext.Place // in the query, where the server named one
}

func (e *DatabaseError) Error() string { return e.Message }

// A Sink receives a run's columns and then its rows as they arrive. A row is valid only until Row returns. An error
// returned by the sink ends the run and becomes the run's error. If Begin is called again, the run has started over and
// all earlier rows are void.
type Sink interface {
	Begin([]result.Column) error
	Row(result.Row) error
}

// A Run is one query to be run.
type Run struct {
	Learner  int64  // whose run it is: one learner has only so many at once
	Database string // as [Servers.Build] was told
	Checking bool   // on a seat for checking: of a reference answer, or on a hidden variant
	SQL      string // one query
	Large    bool   // many rows are expected: what each costs matters more than a round trip before
	Floats   bool   // of a large result, floats may come in their binary form; see [result.AppendBinary]
	Plan     int    // 0, or one of the [OtherPlans] by which the server is to work out the result
	Behind   bool   // nobody waits for it: it gets the processor time that others leave, from the beginning
}

// An Execution describes a run that has ended.
type Execution struct {
	Rows    int64
	Elapsed time.Duration
}

var tracer = otel.Tracer("examen/internal/practice")

// run runs a query on a seat, and again where the server had trouble of its own. With elsewhere, there is another
// server that could do it, and this one's trouble is not waited for.
func (s *server) run(ctx context.Context, run Run, sink Sink, elsewhere bool) (_ Execution, err error) {
	ctx, span := tracer.Start(ctx, "run", trace.WithAttributes(
		attribute.String("server.address", s.name), attribute.Bool("examen.checking", run.Checking),
	))
	defer func() {
		if errors.Is(err, ErrUnavailable) || errors.Is(err, ErrStalled) || errors.Is(err, ErrTrouble) {
			// What a query's error says is its learner's.
			span.SetStatus(codes.Error, "the server had trouble of its own")
		}
		span.End()
	}()
	s.health.begins()
	defer s.health.ends()
	types, err := s.typesOf(ctx, run.Database)
	if err != nil {
		return Execution{}, err
	}
	pool := s.learners
	if run.Checking {
		pool = s.checkers
	}
	repeated := elsewhere
	for begun := time.Now(); ; {
		st, err := pool.lend(ctx, run.Database)
		if err == nil {
			span.AddEvent("a seat is lent")
			r := &running{server: s, run: run, sink: sink, types: types}
			end := s.throttle.watch(run.Learner, st.session.PID(), run.Behind)
			err = r.execute(ctx, st)
			var reported *pgconn.PgError
			back := end()
			doubtful := !back || err != nil && !errors.As(err, &reported) // stopped in the middle, or still slow
			if doubtful && !elsewhere {
				st.cut()
			}
			go func() { // this is not the learner's to wait for
				if doubtful {
					st.cut()
				}
				pool.giveBack(st)
			}()
			if (errors.Is(err, ErrStalled) || errors.Is(err, ErrTrouble)) && !repeated {
				// once more: it may have passed
				repeated = true
				continue
			}
			if !errors.Is(err, ErrUnavailable) {
				return Execution{r.rows, r.elapsed}, r.outcome(err)
			}
			pool.end(run.Database)
		}
		// A session was lost, with the server and every other perhaps, as it is when another's session had to be
		// killed. That is not this run's fault: it begins again, as long as a server takes to recover.
		if !errors.Is(err, ErrUnavailable) || elsewhere || ctx.Err() != nil || !s.recovers(ctx, begun.Add(recovery)) {
			return Execution{}, err
		}
	}
}

// recovery is how long a run waits for a server that is recovering from the loss of a session, before it is given up.
const recovery = 20 * time.Second

// recovers waits a moment and reports whether the server is back, or may be soon. It does not wait for a server that
// does not answer at all.
func (s *server) recovers(ctx context.Context, until time.Time) bool {
	for range 30 {
		if time.Now().After(until) {
			return false
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return false
		}
		asking, stop := context.WithTimeout(ctx, probePatience)
		err := s.admin.Ping(asking)
		stop()
		if err == nil {
			return true
		}
		if errors.Is(err, context.DeadlineExceeded) { // it stands still, and whoever waits is better told so
			return false
		}
		if code := state(err); code != "" && !strings.HasPrefix(code, "57") {
			return false
		}
	}
	return false
}

// running is a run in progress.
type running struct {
	server  *server
	run     Run
	sink    Sink
	types   map[uint32]result.Type
	sinkErr error
	rows    int64
	bytes   int64
	watch   *watch
	elapsed time.Duration
}

// execute sends the query in one packet, together with the transaction around it and the commands that clean the
// session, and reads its rows. The results of the cleaning are left unread: the learner need not wait for them.
func (r *running) execute(ctx context.Context, st *seat) error {
	own, cancel := context.WithCancelCause(context.WithoutCancel(ctx))
	stop := context.AfterFunc(ctx, func() { cancel(context.Cause(ctx)) })
	r.watch = r.server.watch(st.session.PID(), func(reason error) { cancel(reason) })
	cut := st.session.Conn().Close // nobody is there who could be asked to cancel it
	defer r.server.health.whenAway(func() { _ = cut() })()
	var asked []int16
	if r.run.Large {
		if described, err := st.session.Prepare(own, "", r.run.SQL, nil); err == nil { // an error comes again below
			asked = formats(described.Fields, r.run.Floats)
		}
	}
	pipeline := st.session.StartPipeline(own)
	pipeline.SendQueryParams("BEGIN READ ONLY", nil, nil, nil, nil)
	for _, setting := range plans[r.run.Plan] {
		pipeline.SendQueryParams("SET LOCAL "+setting, nil, nil, nil, nil)
	}
	pipeline.SendQueryParams(r.run.SQL, nil, nil, nil, asked)
	pipeline.SendQueryParams("ROLLBACK", nil, nil, nil, nil)
	pipeline.SendPipelineSync()
	pipeline.SendQueryParams("DISCARD ALL", nil, nil, nil, nil)
	pipeline.SendPipelineSync()
	err := pipeline.Flush()
	if err == nil {
		err = r.read(pipeline)
	}
	elapsed, inTime := r.watch.stop()
	r.elapsed = elapsed
	inTime = stop() && inTime
	if err == nil && inTime {
		st.rest, st.cancel = pipeline, cancel
		return nil
	}
	if state(err) != "" {
		if closed := pipeline.Close(); err == nil {
			err = closed
		}
	}
	if err == nil { // it was done as its time ended: the cleaning cannot be relied on
		st.cut()
		cancel(nil)
		return nil
	}
	err = r.cause(own, err)
	cancel(nil)
	return err
}

// read reads the results up to the transaction's end: of BEGIN, the settings, the query, ROLLBACK and the
// synchronisation.
func (r *running) read(pipeline *pgconn.Pipeline) error {
	for n := 0; ; n++ {
		results, err := pipeline.GetResults()
		if err != nil {
			return err
		}
		reader, ok := results.(*pgconn.ResultReader)
		if !ok {
			return nil
		}
		if n == 1+len(plans[r.run.Plan]) {
			if err := r.readRows(reader); err != nil {
				return err
			}
		}
		if _, err := reader.Close(); err != nil {
			return err
		}
	}
}

func (r *running) readRows(reader *pgconn.ResultReader) error {
	r.watch.pause()
	r.sinkErr = r.sink.Begin(r.server.columns(reader.FieldDescriptions(), r.types))
	r.watch.resume()
	if r.sinkErr != nil {
		return r.sinkErr
	}
	text := newRewriter(reader.FieldDescriptions())
	for reader.NextRow() {
		row := reader.Values()
		if text != nil {
			text.row(row)
		}
		r.rows++
		for _, cell := range row {
			r.bytes += int64(len(cell))
		}
		switch {
		case r.rows > r.server.Limits.Rows:
			return r.stopped(LimitRows)
		case r.bytes > r.server.Limits.Bytes:
			return r.stopped(LimitBytes)
		}
		if r.sinkErr = r.sink.Row(row); r.sinkErr != nil {
			return r.sinkErr
		}
	}
	return nil
}

// cause determines what an error of the connection or the server means.
func (r *running) cause(ctx context.Context, err error) error {
	var tooLarge *pgproto3.ExceededMaxBodyLenErr
	var stopped *Stopped
	code := state(err)
	switch {
	case err == nil:
		return nil
	case r.sinkErr != nil:
		return r.sinkErr
	case errors.As(err, &stopped):
		return stopped
	case errors.As(err, &tooLarge):
		return r.stopped(LimitRowBytes)
	case ctx.Err() != nil && (code == "" || code == "57014"):
		switch cause := context.Cause(ctx); {
		case errors.Is(cause, errTime):
			return r.stopped(LimitTime)
		case errors.Is(cause, errStalled):
			return ErrStalled
		default:
			return cause
		}
	case code == "57014":
		return r.stopped(LimitTime) // the server's own timer, behind ours
	case isGone(code):
		return fmt.Errorf("%w: %v", ErrGone, err)
	case code == "53100":
		return fmt.Errorf("%w: %v", ErrFull, err)
	case code == "53400":
		return r.stopped(LimitDisk)
	case code == "53200" && r.server.Limits.Memory > 0:
		// what its session may take is bounded: it is not the machine's memory that is short
		return r.stopped(LimitMemory)
	case code == protocolViolation: // of values for placeholders, which a query has none of
		return err
	case serversClass(code):
		return fmt.Errorf("%w: %v", ErrTrouble, err)
	case code == "" || strings.HasPrefix(code, "57") || strings.HasPrefix(code, "08"):
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return err
}

// protocolViolation is what the server says of a query with placeholders: no values are sent for them.
const protocolViolation = "08P01"

// serversClass reports whether errors of a class are the server's own, whatever the query: missing resources, and
// errors of the system or of PostgreSQL itself (appendix A of its documentation). Lost connections (08) and operator
// intervention (57) also end the session.
func serversClass(code string) bool {
	return slices.Contains([]string{"53", "58", "XX"}, code[:min(2, len(code))])
}

func (r *running) stopped(limit Limit) error {
	l := r.server.Limits
	detail := map[Limit]string{
		LimitTime: fmt.Sprintf("It took longer than the time limit of %s.", l.Time),
		LimitRows: fmt.Sprintf(
			"It gave more rows than the limit of %s.", message.NewPrinter(language.English).Sprint(l.Rows),
		),
		LimitBytes:    fmt.Sprintf("It gave more than the size limit of %d MB for all rows.", l.Bytes>>20),
		LimitRowBytes: fmt.Sprintf("It gave more than the size limit of %d MB for one row.", l.RowBytes>>20),
		LimitDisk: fmt.Sprintf(
			"It needed more than the limit of %s of temporary disk: it sorts or collects too many rows on the way.",
			l.TempDisk,
		),
		LimitMemory: "It reached the memory limit: it builds values that are too large.",
	}[limit]
	return &Stopped{limit, detail}
}

// longestMessage is how much of a server's message is kept, in bytes: it may repeat a value of any size.
const longestMessage = 1000

// outcome turns a server's error into one about the query as it was written.
func (r *running) outcome(err error) error {
	var e *pgconn.PgError
	if !errors.As(err, &e) {
		return err
	}
	d := &DatabaseError{
		Code:    e.Code,
		Message: sqltext.Shorten(e.Message, longestMessage),
		Detail:  sqltext.Shorten(e.Detail, longestMessage),
		Hint:    sqltext.Shorten(e.Hint, longestMessage),
	}
	if e.Position > 0 {
		place := sqltext.PlaceAtRune(r.run.SQL, int(e.Position))
		d.Place = &place
	}
	return d
}
