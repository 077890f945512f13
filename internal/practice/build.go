package practice

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/pack"
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

// Build makes a database by running setup scripts in order, closes it to all but seats, and returns its catalogue. With
// an error, a *BuildError where a script is wrong, nothing of it is left.
func (s *Server) Build(ctx context.Context, database string, scripts []pack.Script, variant bool) (_ *Catalogue, err error) {
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
	if err := s.asBuilder(ctx, database, func(conn *pgx.Conn) error { return runScripts(ctx, conn, scripts) }); err != nil {
		return nil, err
	}
	var catalogue *Catalogue
	err = s.asBuilder(ctx, database, func(conn *pgx.Conn) error { // a new session: scripts change settings
		catalogue, err = readCatalogue(ctx, conn)
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
	return catalogue, nil
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

func runScripts(ctx context.Context, conn *pgx.Conn, scripts []pack.Script) error {
	for _, script := range scripts {
		statements, err := sqltext.Split(script.Text)
		if err != nil {
			var syntax *sqltext.SyntaxError
			if errors.As(err, &syntax) {
				return &BuildError{File: script.Path, Place: syntax.Place, Message: syntax.Message}
			}
			return err
		}
		for _, st := range statements {
			if _, err := conn.PgConn().Exec(ctx, st.Text).ReadAll(); err != nil {
				return buildError(script, st, err)
			}
		}
	}
	return nil
}

func buildError(script pack.Script, st sqltext.Statement, err error) error {
	var e *pgconn.PgError
	if !errors.As(err, &e) {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	first, _, _ := strings.Cut(st.Text, "\n")
	b := &BuildError{File: script.Path, Place: sqltext.PlaceAt(script.Text, st.Offset), Statement: strings.TrimSpace(first), Message: e.Message, Hint: e.Detail}
	if e.Hint != "" && b.Hint == "" {
		b.Hint = e.Hint
	}
	if e.Position > 0 {
		inner := sqltext.PlaceAtRune(st.Text, int(e.Position))
		b.Place.Column = inner.Column
		if inner.Line > 1 {
			b.Place.Line += inner.Line - 1
		}
		b.Place.Text = inner.Text
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
