package practice

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/explain"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
)

// A setup runs setup scripts in a session. All is one transaction as far as the scripts allow. INSERTs are sent many at
// a time, the next ones gathered while the server works on those sent before; a COPY's data go through as they are.
type setup struct {
	conn     *pgconn.PgConn
	order    Order
	scripts  *script.Scripts
	progress Progress
	errors   BuildErrors

	root string      // the current script, of those that were ordered
	at   script.Item // the current item
	own  bool        // the transaction was begun here, not by a script
	// statements are committed one by one, as psql does: some of the scripts' have another effect within a transaction
	apart   bool
	begun   script.Item   // the statement that began the script's own transaction
	batch   []script.Item // gathered
	size    int           // their bytes
	sent    []script.Item // the batch at work
	results *pgconn.MultiResultReader
	// Of INSERTs of single rows; see setup_rows.go.
	rows     *pgconn.Pipeline // the batch at work, if it was sent so
	shapes   map[script.Shape]*pgconn.StatementDescription
	prepared int      // shapes so far
	stale    []string // names of those that are not used any more
}

// Bounds of a batch.
const (
	batchBytes = 128 << 10
	batchItems = 1000
)

// The savepoint before what may have to be taken back.
const (
	savepoint = "SAVEPOINT examen"
	release   = "RELEASE SAVEPOINT examen"
	takeBack  = "ROLLBACK TO SAVEPOINT examen"
)

func runScripts(ctx context.Context, conn *pgconn.PgConn, order Order) ([]script.PassedOver, error) {
	s := &setup{
		conn: conn, order: order, scripts: script.Open(order.Files, order.Scripts, order.Encoding),
		shapes: map[script.Shape]*pgconn.StatementDescription{},
	}
	defer s.scripts.Close()
	err := s.all(ctx)
	if err == nil && len(s.errors.List) > 0 {
		err = &s.errors
	}
	return s.scripts.PassedOver(), err
}

func (s *setup) all(ctx context.Context) error {
	for {
		item, err := s.scripts.Next()
		if err == nil {
			err = s.item(ctx, item)
		} else if err == io.EOF {
			if err = s.settle(ctx); err == nil && s.own {
				err = s.exec(ctx, "COMMIT")
			}
			if err == nil && s.conn.TxStatus() != 'I' {
				return s.report(&BuildError{File: s.begun.File, Place: sqltext.Place{
					Line:   s.begun.Line,
					Column: 1,
					Text:   s.begun.FirstLine(),
				}, Statement: s.begun.FirstLine(),
					Message: "the transaction that begins here has no end, so nothing that follows would stay",
					Cause:   "Is COMMIT missing at the end?",
				})
			}
			if err == nil {
				s.tell(s.progress.File)
				return nil
			}
			if lost(err) || ctx.Err() != nil {
				return err
			}
			// constraints that wait to the end
			return s.fail(ctx, script.Item{File: s.progress.File, Line: 1, Text: "COMMIT"}, 0, err)
		}
		var wrong *script.Error
		if errors.As(err, &wrong) {
			if wrong.File == "" { // of a COPY's data
				wrong.File = item.File
			}
			if err = s.settle(ctx); err == nil {
				err = s.report(
					&BuildError{
						File:      wrong.File,
						Place:     sqltext.Place{Line: wrong.Line, Column: 1, Text: wrong.Text},
						Statement: wrong.Text,
						Message:   wrong.Detail,
					},
				)
			}
		}
		if err != nil {
			return err
		}
	}
}

// item runs one item, or gathers it.
func (s *setup) item(ctx context.Context, item script.Item) error {
	if root := s.scripts.Root(); root != s.root {
		if err := s.between(ctx); err != nil {
			return err
		}
		s.root = root
	}
	s.at = item
	s.tell(item.File)
	if at := invalid(item.Text); at >= 0 {
		return s.notText(ctx, item, at)
	}
	if gathered(item) {
		s.batch, s.size = append(s.batch, item), s.size+len(item.Text)
		if s.size >= batchBytes || len(s.batch) >= batchItems {
			return s.send(ctx)
		}
		return nil
	}
	if err := s.settle(ctx); err != nil {
		return err
	}
	s.apart = s.apart || setsApart(item)
	if err := s.commit(ctx); err != nil {
		return err
	}
	if item.Kind == script.Copy {
		if err := s.copy(ctx, item); err != nil {
			return err
		}
		return s.commit(ctx)
	}
	return s.one(ctx, item)
}

// setsApart tells whether a statement has another effect, or a later one may fail, where all of a script is one
// transaction: by constraints that wait to the end of it, settings and tables that last to the end of it.
func setsApart(item script.Item) bool {
	if item.Kind != script.Statement {
		return false
	}
	text := strings.ToUpper(item.Text)
	return slices.ContainsFunc(
		[]string{"DEFERRABLE", "DEFERRED", "SET LOCAL", "ON COMMIT", "SET CONSTRAINTS"},
		func(words string) bool { return strings.Contains(text, words) },
	)
}

// commit ends a transaction of ours where statements are committed one by one.
func (s *setup) commit(ctx context.Context) error {
	if !s.apart || !s.own || s.conn.TxStatus() == 'I' {
		return nil
	}
	s.own = false
	err := s.exec(ctx, "COMMIT")
	if err == nil {
		return nil
	}
	return s.fail(ctx, s.at, 0, err)
}

func (s *setup) tell(file string) {
	s.progress.File, s.progress.Bytes, s.progress.Errors = file, s.scripts.Read(), len(s.errors.List)+s.errors.More
	if s.order.Progress != nil {
		s.order.Progress(s.progress)
	}
}

// between takes back what a dump's end leaves behind: a search path that is empty, with which no other script could
// make a table.
func (s *setup) between(ctx context.Context) error {
	if s.root == "" {
		return nil
	}
	if err := s.settle(ctx); err != nil {
		return err
	}
	return s.exec(
		ctx, `SELECT set_config('search_path', 'public', false) WHERE current_setting('search_path') IN ('', '""')`,
	)
}

// invalid returns the offset of the first byte that is not UTF-8; -1 where all is.
func invalid(text string) int {
	if utf8.ValidString(text) {
		return -1
	}
	for i, r := range text {
		if _, size := utf8.DecodeRuneInString(text[i:]); r == utf8.RuneError && size == 1 {
			return i
		}
	}
	return -1
}

// notText reports a statement that is not UTF-8. The server would not even read what was sent with it.
func (s *setup) notText(ctx context.Context, item script.Item, at int) error {
	if err := s.settle(ctx); err != nil {
		return err
	}
	message := fmt.Sprintf("the byte %#x is not UTF-8", item.Text[at])
	place := sqltext.PlaceAt(strings.ToValidUTF8(item.Text[:at], "")+strings.ToValidUTF8(item.Text[at:], "\ufffd"), at)
	item.Text = strings.ToValidUTF8(item.Text, "\ufffd")
	place.Line += item.Line - 1
	return s.report(
		&BuildError{
			File:      item.File,
			Place:     place,
			Statement: item.FirstLine(),
			Message:   message,
			Cause:     explain.SetupCause(explain.SetupError{Code: "22021"}),
		},
	)
}

// gathered tells whether a statement is sent with others.
func gathered(item script.Item) bool {
	return item.Kind == script.Statement && slices.Contains([]string{"INSERT", "UPDATE", "DELETE"}, item.Head[0])
}

// exec runs SQL whose rows nobody wants.
func (s *setup) exec(ctx context.Context, sql string) error {
	_, err := drain(s.conn.Exec(ctx, sql), nil)
	return err
}

// drain reads results to their end and counts them; of each it gives its tag.
func drain(results *pgconn.MultiResultReader, each func(pgconn.CommandTag)) (done int, err error) {
	for results.NextResult() {
		reader := results.ResultReader()
		for reader.NextRow() {
		}
		tag, err := reader.Close()
		if err != nil {
			break // results.Close says it
		}
		done++
		if each != nil {
			each(tag)
		}
	}
	return done, results.Close()
}

// begin makes sure that there is a transaction.
func (s *setup) begin(ctx context.Context) error {
	if s.conn.TxStatus() != 'I' {
		return nil
	}
	s.own = true
	return s.exec(ctx, "BEGIN")
}

// settle sends what was gathered and waits for all that was sent.
func (s *setup) settle(ctx context.Context) error {
	if err := s.send(ctx); err != nil {
		return err
	}
	s.forget()
	return s.finish(ctx)
}

// send sends the batch. The server works on it while the next one is gathered.
func (s *setup) send(ctx context.Context) error {
	if err := s.finish(ctx); err != nil || len(s.batch) == 0 {
		return err
	}
	if err := s.begin(ctx); err != nil {
		return err
	}
	if err := s.exec(ctx, savepoint); err != nil { // by itself: a batch that cannot be parsed does not even begin
		return err
	}
	asRows, err := s.sendRows(ctx)
	s.sent, s.batch, s.size = s.batch, nil, 0
	if err != nil || asRows {
		return err
	}
	s.results = s.conn.Exec(ctx, joined(s.sent))
	return nil
}

// joined writes statements for sending, and the savepoint's release after them. A statement may end in a line's
// comment.
func joined(items []script.Item) string {
	var sql strings.Builder
	size := len(release)
	for _, item := range items {
		size += len(item.Text) + 3
	}
	sql.Grow(size)
	for _, item := range items {
		sql.WriteString(item.Text)
		sql.WriteString("\n;\n")
	}
	sql.WriteString(release)
	return sql.String()
}

// finish waits for the batch at work.
func (s *setup) finish(ctx context.Context) error {
	if s.rows != nil {
		inserted, failed, err := s.readRows()
		switch {
		case err != nil:
			return err
		case !failed:
			s.progress.Statements += int64(len(s.sent))
			s.progress.Rows += inserted
			s.sent = nil
			return s.commit(ctx)
		}
		if err := s.exec(ctx, takeBack); err != nil {
			return err
		}
		s.results = s.conn.Exec(ctx, joined(s.sent))
	}
	if s.results == nil {
		return nil
	}
	items := s.sent
	var rows int64
	done, err := drain(s.results, func(tag pgconn.CommandTag) { rows += tag.RowsAffected() })
	s.results, s.sent = nil, nil
	if err == nil {
		s.progress.Statements += int64(len(items))
		s.progress.Rows += rows
		return s.commit(ctx)
	}
	reported := &pgconn.PgError{}
	if !errors.As(err, &reported) {
		return err
	}
	if err := s.exec(ctx, takeBack); err != nil {
		return err
	}
	at := min(done, len(items)-1)
	if reported.Position > 0 {
		at = s.relocate(items, reported)
	}
	if s.order.KeepGoing {
		for _, item := range items {
			if err := s.one(ctx, item); err != nil {
				return err
			}
		}
		return nil
	}
	// Have what came before it, so that a row can be looked for.
	if at > 0 && s.exec(ctx, joined(items[:at])) != nil {
		return s.fail(ctx, items[at], 0, err)
	}
	return s.fail(ctx, items[at], s.rowOf(ctx, items[at], reported), err)
}

// relocate finds the statement that an error's position in a batch is in, and makes the position one in the statement.
func (s *setup) relocate(items []script.Item, e *pgconn.PgError) int {
	before := int32(0)
	for i, item := range items {
		length := int32(utf8.RuneCountInString(item.Text)) + 3
		if e.Position <= before+length || i == len(items)-1 {
			e.Position -= before
			return i
		}
		before += length
	}
	return 0
}

// one runs a statement by itself.
func (s *setup) one(ctx context.Context, item script.Item) error {
	kind := kindOf(item)
	if kind == begins {
		s.begun = item
	}
	if s.own && (kind == begins || kind == alone) {
		if err := s.exec(ctx, "COMMIT"); err != nil {
			return err
		}
		s.own = false
	}
	switch {
	case s.own && kind == ends: // as for psql, which has no transaction then
		return nil
	case kind == plain && !s.apart:
		if err := s.begin(ctx); err != nil {
			return err
		}
	}
	guarded := s.guards(item, kind)
	if guarded {
		if err := s.exec(ctx, savepoint); err != nil {
			return err
		}
	}
	_, err := drain(s.conn.Exec(ctx, item.Text), func(tag pgconn.CommandTag) {
		if tag.Insert() || tag.Update() || tag.Delete() {
			s.progress.Rows += tag.RowsAffected()
		}
	})
	if err == nil {
		s.count(item)
		if guarded {
			err = s.exec(ctx, release)
		}
		return err
	}
	var reported *pgconn.PgError
	if !errors.As(err, &reported) {
		return err
	}
	row := 0
	if guarded {
		if err := s.exec(ctx, takeBack); err != nil {
			return err
		}
	}
	if goesOn := s.conn.TxStatus() != 'E'; goesOn && item.Head[0] == "SET" && (reported.Code == "42704" ||
		reported.Code == "42501") {
		// of a newer server, or a superuser's
		s.scripts.PassOver(item)
		return nil
	}
	if guarded {
		row = s.rowOf(ctx, item, reported)
	} else if s.order.KeepGoing && s.own && s.conn.TxStatus() == 'E' {
		if err := s.exec(ctx, "ROLLBACK"); err != nil {
			return err
		}
	}
	return s.fail(ctx, item, row, err)
}

// guards tells whether a savepoint is made before a statement, to take it back should it fail: always to keep going,
// and where a setting may not be this server's. Some statements cannot have one before them.
func (s *setup) guards(item script.Item, kind statementKind) bool {
	second := ""
	if len(item.Head) > 1 {
		second = item.Head[1]
	}
	switch {
	case item.Head[0] == "SET" &&
		slices.Contains([]string{"TRANSACTION", "CONSTRAINTS"}, second), slices.Contains(
		[]string{"SAVEPOINT", "RELEASE", "ROLLBACK"}, item.Head[0],
	):
		return false
	case s.apart && s.conn.TxStatus() == 'I': // it stands by itself
		return false
	case kind == alone:
		return s.order.KeepGoing && s.conn.TxStatus() == 'T'
	}
	return kind == plain && (s.order.KeepGoing || item.Head[0] == "SET")
}

func (s *setup) count(item script.Item) {
	s.progress.Statements++
	if item.Head[0] == "CREATE" && slices.Contains(item.Head[1:], "TABLE") {
		s.progress.Tables++
	}
}

// What a statement means for the transaction that it runs in.
type statementKind int

const (
	plain  statementKind = iota
	begins               // begins a script's own transaction
	ends                 // ends it
	alone                // cannot run within one, or ends one itself
)

func kindOf(item script.Item) statementKind {
	second := ""
	if len(item.Head) > 1 {
		second = item.Head[1]
	}
	switch item.Head[0] {
	case "BEGIN", "START":
		return begins
	case "COMMIT", "END", "ABORT":
		return ends
	case "ROLLBACK":
		if !slices.Contains(item.Head, "TO") {
			return ends
		}
	case "VACUUM", "DO", "CALL", "DISCARD", "REINDEX", "CLUSTER":
		return alone
	case "CREATE", "DROP":
		if slices.Contains(item.Head, "CONCURRENTLY") {
			return alone
		}
	case "ALTER":
		if second == "TYPE" || strings.Contains(strings.ToUpper(item.Text), "CONCURRENTLY") {
			return alone
		}
	}
	return plain
}

// copy runs a COPY with its data.
func (s *setup) copy(ctx context.Context, item script.Item) error {
	if err := s.begin(ctx); err != nil {
		return err
	}
	if s.order.KeepGoing {
		if err := s.exec(ctx, savepoint); err != nil {
			return err
		}
	}
	data, place := s.scripts.Data()
	file, _ := place(1)
	before := s.progress.Rows
	through := &passing{Reader: data, each: func(lines int) {
		s.progress.Rows += int64(lines)
		s.tell(file)
	}}
	tag, err := s.conn.CopyFrom(ctx, through, item.Text)
	s.progress.Rows = before
	if err == nil {
		s.count(item)
		s.progress.Rows += tag.RowsAffected()
		if s.order.KeepGoing {
			err = s.exec(ctx, release)
		}
		return err
	}
	if s.conn.IsClosed() || ctx.Err() != nil {
		return err
	}
	if s.order.KeepGoing {
		if err := s.exec(ctx, takeBack); err != nil {
			return err
		}
	}
	if through.err != nil {
		return through.err // which the server only repeats
	}
	return s.failCopy(ctx, item, place, err)
}

// passing counts the lines of data on their way through, and remembers what was wrong with them.
type passing struct {
	io.Reader
	each func(lines int)
	err  error
}

func (p *passing) Read(b []byte) (int, error) {
	n, err := p.Reader.Read(b)
	p.each(bytes.Count(b[:n], []byte{'\n'}))
	if err != nil && err != io.EOF {
		p.err = err
	}
	return n, err
}

// copyLine is where PostgreSQL says an error of a COPY is: "COPY hive, line 3, column day: ...".
var copyLine = regexp.MustCompile(`^COPY .*, line (\d+)`)

// failCopy names the line of the data.
func (s *setup) failCopy(ctx context.Context, item script.Item, place func(line int) (string, int), err error) error {
	var e *pgconn.PgError
	if !errors.As(err, &e) || lost(err) {
		return err
	}
	found := copyLine.FindStringSubmatch(e.Where)
	if found == nil || e.Position > 0 {
		return s.fail(ctx, item, 0, err)
	}
	row, _ := strconv.Atoi(found[1])
	b := s.buildError(ctx, item, row, e)
	b.File, b.Place.Line = place(row)
	if _, column, ok := strings.Cut(e.Where, ", column "); ok && b.Detail == "" {
		b.Detail = "column " + column
	}
	return s.report(b)
}

// fail reports a statement's error.
func (s *setup) fail(ctx context.Context, item script.Item, row int, err error) error {
	var e *pgconn.PgError
	if !errors.As(err, &e) || lost(err) { // what ended the session is not the statement's fault
		return err
	}
	return s.report(s.buildError(ctx, item, row, e))
}

// report keeps an error, and returns what ends the build: nothing where it is to go on.
func (s *setup) report(b *BuildError) error {
	s.errors.add(b)
	if s.order.KeepGoing {
		return nil
	}
	return &s.errors
}

func (s *setup) buildError(ctx context.Context, item script.Item, row int, e *pgconn.PgError) *BuildError {
	b := &BuildError{File: item.File, Place: sqltext.Place{
		Line:   item.Line,
		Column: 1,
		Text:   item.FirstLine(),
	}, Statement: item.FirstLine(), Message: sqltext.Shorten(e.Message, longestMessage),
		Detail: sqltext.Shorten(e.Detail, longestMessage)}
	if b.Detail == "" {
		b.Detail = sqltext.Shorten(e.Hint, longestMessage)
	}
	switch rows := script.ValueRows(item.Text); {
	case e.Position > 0:
		inner := sqltext.PlaceAtRune(item.Text, int(e.Position))
		b.Place = sqltext.Place{Line: item.Line + inner.Line - 1, Column: inner.Column, Text: inner.Text}
	case row > 0 && row <= len(rows):
		inner := sqltext.PlaceAt(item.Text, rows[row-1].From)
		b.Place = sqltext.Place{Line: item.Line + inner.Line - 1, Column: inner.Column, Text: inner.Text}
	}
	cause := explain.SetupError{Code: e.Code, Message: e.Message, Detail: e.Detail, Statement: item.Text, Row: row}
	if name := explain.Missing(e.Code, e.Message); name != "" && !s.order.KeepGoing {
		cause.MadeLater = s.madeLater(ctx, name)
	}
	b.Cause = explain.SetupCause(cause)
	return b
}

// madeLater reads on to where the scripts make a table, view or type: "file:line".
func (s *setup) madeLater(ctx context.Context, name string) string {
	item, err := s.at, error(nil) // it may have been read when those before it failed
	for ; ctx.Err() == nil; item, err = s.scripts.Next() {
		if err != nil {
			return ""
		}
		if item.Kind == script.Statement && item.Head[0] == "CREATE" && sqltext.Makes(item.Text, name) {
			return fmt.Sprintf("%s:%d", item.File, item.Line)
		}
	}
	return ""
}

// rowOf finds which row of an INSERT's VALUES the database does not take: the first rows are tried, half of what is in
// doubt at a time. It is 0 where there is but one, or where that cannot be told.
func (s *setup) rowOf(ctx context.Context, item script.Item, e *pgconn.PgError) int {
	class := e.Code[:min(2, len(e.Code))]
	if item.Head[0] != "INSERT" || e.Position > 0 || class != "22" && class != "23" {
		return 0
	}
	rows := script.ValueRows(item.Text)
	if len(rows) < 2 {
		return 0
	}
	fails := func(n int) bool {
		sql := item.Text[:rows[n-1].To] + item.Text[rows[len(rows)-1].To:]
		if s.exec(ctx, savepoint) != nil {
			return false
		}
		err := s.exec(ctx, sql)
		return s.exec(ctx, takeBack) == nil && state(err) == e.Code
	}
	taken, refused := 0, len(rows)
	for taken+1 < refused {
		if middle := (taken + refused) / 2; fails(middle) {
			refused = middle
		} else {
			taken = middle
		}
	}
	if !fails(refused) {
		return 0
	}
	return refused
}

// lost tells whether an error is the connection's, and not one that the server reported of a statement.
func lost(err error) bool {
	var e *pgconn.PgError
	if errors.As(err, &e) {
		return strings.HasPrefix(e.Code, "57P") || strings.HasPrefix(e.Code, "08")
	}
	var b *BuildErrors
	return err != nil && !errors.As(err, &b) && !errors.Is(err, context.Canceled)
}
