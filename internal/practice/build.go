package practice

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/pack"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
)

// A BuildError is what stopped a build, with its place in a setup script.
type BuildError struct {
	File      string
	Place     sqltext.Place
	Statement string // its first line; "" where the script cannot be read
	Message   string // the database's, or the parser's
	Hint      string
}

func (e *BuildError) Error() string {
	s := fmt.Sprintf("%s:%d: %s", e.File, e.Place.Line, e.Message)
	if e.Hint != "" {
		s += " (" + e.Hint + ")"
	}
	if e.Statement != "" {
		s += ", in: " + e.Statement
	}
	return s
}

// A Built tells what a build made.
type Built struct {
	Catalogue
	PassedOver []PassedOver
}

// PassedOver is something in a setup script that has no bearing on the data and was not done.
type PassedOver struct {
	File string
	Line int
	Text string // its first line
}

func (p PassedOver) String() string { return fmt.Sprintf("%s:%d: %s", p.File, p.Line, p.Text) }

// Build makes a database by running setup scripts in order, closes it to all but seats, and tells what it holds. With
// an error, a *BuildError where a script is wrong, nothing of it is left.
func (s *Server) Build(ctx context.Context, database string, scripts []pack.Script, variant bool) (_ *Built, err error) {
	create := "CREATE DATABASE " + quote(database) + " TEMPLATE " + quote(s.template) + " OWNER " + builderRole
	if _, err := s.admin.Exec(ctx, create); err != nil {
		return nil, fmt.Errorf("make the database %s: %w", database, err)
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, s.Drop(context.WithoutCancel(ctx), database))
		}
	}()
	if _, err := s.admin.Exec(ctx, "REVOKE ALL ON DATABASE "+quote(database)+" FROM PUBLIC"); err != nil {
		return nil, err
	}
	built := &Built{}
	err = s.asBuilder(ctx, database, func(conn *pgx.Conn) error {
		for _, file := range scripts {
			if err := built.run(ctx, conn.PgConn(), file); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = s.asBuilder(ctx, database, func(conn *pgx.Conn) error { // a new session: scripts change settings
		built.Catalogue, err = readCatalogue(ctx, conn)
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("read the catalogue of %s: %w", database, err)
	}
	groups := checkersRole
	if !variant {
		groups += ", " + learnersRole
	}
	err = s.in(ctx, database, func(conn *pgx.Conn) error { return handOver(ctx, conn, database, groups) })
	if err != nil {
		return nil, fmt.Errorf("hand over the database %s: %w", database, err)
	}
	return built, nil
}

// asBuilder runs f as the role that setup scripts run as.
func (s *Server) asBuilder(ctx context.Context, database string, f func(*pgx.Conn) error) error {
	conn, err := s.connect(ctx, builderRole, s.builder, database)
	if err != nil {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	return f(conn)
}

// Drop removes a build's database.
func (s *Server) Drop(ctx context.Context, database string) error {
	s.learners.end(database)
	s.checkers.end(database)
	_, err := s.admin.Exec(ctx, "DROP DATABASE IF EXISTS "+quote(database)+" WITH (FORCE)")
	return err
}

// Databases returns the names of all builds' databases: those with the prefix.
func (s *Server) Databases(ctx context.Context, prefix string) ([]string, error) {
	rows, _ := s.admin.Query(ctx, `SELECT datname FROM pg_database WHERE starts_with(datname, $1)`, prefix)
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// run runs one setup script.
func (b *Built) run(ctx context.Context, conn *pgconn.PgConn, file pack.Script) error {
	reader := script.NewReader(strings.NewReader(file.Text))
	for {
		item, err := reader.Next()
		if err == nil {
			err = b.do(ctx, conn, file.Path, item, reader)
		}
		var wrong *script.Error
		switch {
		case err == io.EOF:
			return nil
		case errors.As(err, &wrong):
			return &BuildError{File: file.Path, Place: sqltext.Place{Line: wrong.Line, Column: 1}, Message: wrong.Detail}
		case err != nil:
			return err
		}
	}
}

// do does what one item of a script says, or passes it over.
func (b *Built) do(ctx context.Context, conn *pgconn.PgConn, file string, item script.Item, reader *script.Reader) (err error) {
	switch item.Kind {
	case script.Command:
		name, _, _ := strings.Cut(item.Text, " ")
		if !slices.Contains(idle, name) {
			return &script.Error{Line: item.Line, Detail: fmt.Sprintf("\\%s is a command of psql's that is not taken here; write what it does as SQL, or list another script under setup", name)}
		}
		b.passOver(file, item.Line, `\`+item.Text)
		return nil
	case script.Copy:
		data := &remembering{Reader: reader.Data()}
		if _, err = conn.CopyFrom(ctx, data, item.Text); data.err != nil {
			return data.err // which the server only repeats
		}
	default:
		if mayBePassedOver(item.Head) && sqltext.NoBearing(item.Text) {
			b.passOver(file, item.Line, item.Text)
			return nil
		}
		_, err = conn.Exec(ctx, item.Text).ReadAll()
	}
	if err != nil {
		return buildError(file, item, err)
	}
	return nil
}

// remembering is a reader that remembers what was wrong with it.
type remembering struct {
	io.Reader
	err error
}

func (r *remembering) Read(p []byte) (int, error) {
	n, err := r.Reader.Read(p)
	if err != nil && err != io.EOF {
		r.err = err
	}
	return n, err
}

// idle are the commands of psql's that change nothing but what psql shows, or where it connects to.
var idle = []string{"connect", "c", "restrict", "unrestrict", "echo", "qecho", "warn", "timing", "pset", "x", "encoding", "q"}

// mayBePassedOver spares parsing statements that begin otherwise.
func mayBePassedOver(head []string) bool {
	return len(head) > 1 && (slices.Contains([]string{"ALTER", "GRANT", "REVOKE", "COMMENT", "SECURITY"}, head[0]) || head[0] == "CREATE" && head[1] == "DATABASE")
}

func (b *Built) passOver(file string, line int, text string) {
	first, _, _ := strings.Cut(text, "\n")
	b.PassedOver = append(b.PassedOver, PassedOver{file, line, strings.TrimSpace(first)})
}

func buildError(file string, item script.Item, err error) error {
	var e *pgconn.PgError
	if !errors.As(err, &e) {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	first, _, _ := strings.Cut(item.Text, "\n")
	b := &BuildError{File: file, Place: sqltext.Place{Line: item.Line, Column: 1, Text: first}, Statement: strings.TrimSpace(first), Message: e.Message, Hint: e.Detail}
	switch {
	case b.Hint != "":
	case e.Hint != "":
		b.Hint = e.Hint
	case item.Kind == script.Copy:
		b.Hint = e.Where // the line of the data, and the column
	}
	if e.Position > 0 {
		inner := sqltext.PlaceAtRune(item.Text, int(e.Position))
		b.Place = sqltext.Place{Line: item.Line + inner.Line - 1, Column: inner.Column, Text: inner.Text}
	}
	return b
}

// handOver takes the database from the builder, so that no other script can drop it, and lets groups read it.
func handOver(ctx context.Context, conn *pgx.Conn, database, groups string) error {
	rows, _ := conn.Query(ctx, `SELECT quote_ident(nspname) FROM pg_namespace
		WHERE nspname !~ '^pg_' AND nspname <> 'information_schema'`)
	schemas, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	sql := []string{
		"ALTER DATABASE " + quote(database) + " OWNER TO CURRENT_USER",
		"GRANT CONNECT ON DATABASE " + quote(database) + " TO " + groups,
		"ANALYZE",
	}
	for _, schema := range schemas {
		sql = append(sql, "REVOKE CREATE ON SCHEMA "+schema+" FROM PUBLIC", "GRANT USAGE ON SCHEMA "+schema+" TO "+groups, "GRANT SELECT ON ALL TABLES IN SCHEMA "+schema+" TO "+groups)
	}
	for _, statement := range sql {
		if _, err := conn.Exec(ctx, statement); err != nil {
			return fmt.Errorf("%s: %w", statement, err)
		}
	}
	return nil
}
