package practice

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/dataset"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
)

// An Order says what to build.
type Order struct {
	Database  string
	Files     fs.FS
	Scripts   []string // run in this order
	Encoding  string   // of the scripts; "" is UTF-8
	Variant   bool     // only checking seats may connect to it
	KeepGoing bool     // after an error too, to list them all; then the build still fails
	Progress  func(Progress)
}

// Progress is how far a build has come.
type Progress struct {
	File       string `json:"file"`       // that is being read
	Bytes      int64  `json:"bytes"`      // read of all files, as they are stored
	Statements int64  `json:"statements"` // run
	Tables     int    `json:"tables"`     // made
	Rows       int64  `json:"rows"`       // inserted or copied
	Errors     int    `json:"errors"`     // found so far, with KeepGoing
}

// A BuildError is what stopped a build, or one of its errors, with its place in a setup script.
type BuildError struct {
	File      string        `json:"file"`
	Place     sqltext.Place `json:"place"`
	Statement string        `json:"statement,omitempty"` // its first line; "" where the script cannot be read
	Message   string        `json:"message"`             // the database's, or the parser's
	Detail    string        `json:"detail,omitempty"`    // the database's
	Cause     string        `json:"cause,omitempty"`     // a likely one, and what to do
}

func (e *BuildError) Error() string {
	s := fmt.Sprintf("%s:%d: %s", e.File, e.Place.Line, e.Message)
	if e.Detail != "" {
		s += " (" + e.Detail + ")"
	}
	if e.Statement != "" {
		s += ", in: " + e.Statement
	}
	if e.Cause != "" {
		s += ". " + e.Cause
	}
	return s
}

// BuildErrors are the errors of a build: at least one. Only with KeepGoing there are more.
type BuildErrors struct {
	List []*BuildError
	More int // that are not listed
}

func (e *BuildErrors) Error() string {
	if n := len(e.List) + e.More - 1; n > 0 {
		return fmt.Sprintf("%s (and %d more)", e.List[0], n)
	}
	return e.List[0].Error()
}

// mostErrors is how many errors are listed.
const mostErrors = 10_000

func (e *BuildErrors) add(err *BuildError) {
	if len(e.List) < mostErrors {
		e.List = append(e.List, err)
	} else {
		e.More++
	}
}

// A Built tells what a build made.
type Built struct {
	dataset.Catalogue
	PassedOver []script.PassedOver
}

// Build makes a database by running setup scripts in order, closes it to all but seats, and tells what it holds. With
// an error, a *BuildErrors where a script is wrong, nothing of it is left.
func (s *Server) Build(ctx context.Context, order Order) (_ *Built, err error) {
	database := order.Database
	create := "CREATE DATABASE " + quote(database) + " TEMPLATE " + quote(s.template) + " OWNER " + builderRole
	if _, err := s.admin.Exec(ctx, create); err != nil {
		return nil, s.builds(fmt.Errorf("make the database %s: %w", database, err))
	}
	defer func() {
		if err != nil {
			err = errors.Join(s.builds(err), s.Drop(context.WithoutCancel(ctx), database))
		}
	}()
	if _, err := s.admin.Exec(ctx, "REVOKE ALL ON DATABASE "+quote(database)+" FROM PUBLIC"); err != nil {
		return nil, err
	}
	built := &Built{}
	err = s.asBuilder(ctx, database, func(conn *pgx.Conn) error {
		built.PassedOver, err = runScripts(ctx, conn.PgConn(), order)
		return err
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
	if !order.Variant {
		groups += ", " + learnersRole
	}
	err = s.in(ctx, database, func(conn *pgx.Conn) error { return handOver(ctx, conn, database, groups) })
	if err != nil {
		return nil, fmt.Errorf("hand over the database %s: %w", database, err)
	}
	return built, nil
}

// Analyze gathers the planner's statistics of a build. Queries run without them too, some of them longer.
func (s *Server) Analyze(ctx context.Context, database string) error {
	return s.in(ctx, database, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, "ANALYZE")
		return err
	})
}

// builds says of a lost connection that the server cannot be reached.
func (s *Server) builds(err error) error {
	if lost(err) {
		return fmt.Errorf("%w: %v", ErrUnavailable, err)
	}
	return err
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
	if err == nil {
		s.mu.Lock()
		delete(s.types, database)
		s.mu.Unlock()
	}
	return err
}

// Databases returns the names of all builds' databases: those with the prefix.
func (s *Server) Databases(ctx context.Context, prefix string) ([]string, error) {
	rows, _ := s.admin.Query(ctx, `SELECT datname FROM pg_database WHERE starts_with(datname, $1)`, prefix)
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// ofExtensions finds the functions of extensions that a seat may not execute.
const ofExtensions = `
SELECT p.oid::regprocedure::text
FROM pg_proc p JOIN pg_depend d ON d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype = 'e'
WHERE p.prorettype <> 'trigger'::regtype AND p.pronamespace <> 'pg_catalog'::regnamespace
  AND (p.provolatile = 'v' AND p.proname <> ALL ($1) OR p.proname = ANY ($2))`

// handOver takes the database from the builder, so that no other script can drop it, and lets groups read it.
func handOver(ctx context.Context, conn *pgx.Conn, database, groups string) error {
	// Public first, and then the others as they were made: names need no schema where they are clear without.
	rows, _ := conn.Query(ctx, `SELECT quote_ident(nspname) FROM pg_namespace
		WHERE nspname !~ '^pg_' AND nspname <> 'information_schema' ORDER BY nspname <> 'public', oid`)
	schemas, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	rows, _ = conn.Query(ctx, ofExtensions, allowedOfExtensions, runText)
	functions, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	sql := []string{
		"ALTER DATABASE " + quote(database) + " OWNER TO CURRENT_USER",
		"ALTER DATABASE " + quote(database) + " RESET ALL", // what the scripts have set
		"ALTER DATABASE " + quote(database) + " SET search_path = " + strings.Join(schemas, ", "),
		"GRANT CONNECT ON DATABASE " + quote(database) + " TO " + groups,
	}
	if len(schemas) == 0 {
		sql = slices.Delete(sql, 2, 3)
	}
	for _, f := range functions {
		sql = append(sql, "REVOKE EXECUTE ON ROUTINE "+f+" FROM PUBLIC")
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
