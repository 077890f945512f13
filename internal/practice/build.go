package practice

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/dataset"
	"examen/internal/core/script"
	"examen/internal/core/sqltext"
)

// An Order describes a build.
type Order struct {
	Database  string
	Files     fs.FS
	Scripts   []string // run in this order
	Encoding  string   // of the scripts; "" is UTF-8
	Variant   bool     // only checking seats may connect to it
	KeepGoing bool     // after an error too, to list them all; then the build still fails
	Progress  func(Progress)

	// Of a build that another server has: the search_path that it was given there, and that server, whose rows are to
	// be the same.
	path   *string
	sameAs *server
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

// A BuildError is an error in a setup script, with its place.
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

// BuildErrors are the errors of a build, at least one. There is more than one only with KeepGoing.
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

// Built describes what a build made.
type Built struct {
	dataset.Catalogue
	PassedOver []script.PassedOver
}

// build is [Servers.Build] on one server.
func (s *server) build(ctx context.Context, order Order) (_ *Built, err error) {
	database := order.Database
	builder, password, err := s.makeRole(ctx, "building", []string{builderRole})
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(s.reach(err), s.drop(context.WithoutCancel(ctx), database))
		}
		s.dropRole(context.WithoutCancel(ctx), builder, "")
	}()
	if err := s.create(ctx, database, builder); err != nil {
		return nil, err
	}
	built := &Built{}
	if built.PassedOver, err = s.runScripts(ctx, builder, password, order); err != nil {
		return nil, err
	}
	seated := []string{checkersRole}
	if !order.Variant {
		seated = append(seated, learnersRole)
	}
	if err := s.release(ctx, builder, database); err != nil {
		return nil, fmt.Errorf("take over the database %s: %w", database, err)
	}
	if err := s.makeTemplate(ctx, builder, database); err != nil {
		return nil, fmt.Errorf("make the template of %s: %w", database, err)
	}
	schemas, err := s.handOver(ctx, builder, database, ownerRole, append(seated, readersRole))
	if err != nil {
		return nil, fmt.Errorf("hand over the database %s: %w", database, err)
	}
	if built.Catalogue, err = s.catalogue(ctx, database); err != nil {
		return nil, fmt.Errorf("read the catalogue of %s: %w", database, err)
	}
	open := "GRANT CONNECT ON DATABASE " + quote(database) + " TO " + strings.Join(seated, ", ")
	if len(schemas) > 0 {
		path := strings.Join(schemas, ", ")
		if order.path != nil {
			path = *order.path
		}
		open = "ALTER DATABASE " + quote(database) + " SET search_path = " + path + "; " + open
	}
	if order.sameAs != nil {
		if err := s.compare(ctx, order.sameAs, database); err != nil {
			return nil, err
		}
	}
	if err := s.onDatabases(ctx, open); err != nil { // it waits for the disk, and so for all that came before
		return nil, fmt.Errorf("open the database %s: %w", database, err)
	}
	return built, nil
}

// create makes a database that is the builder's, and closed to everybody else.
func (s *server) create(ctx context.Context, database, builder string) error {
	for _, sql := range []string{
		"CREATE DATABASE " + quote(database) + " TEMPLATE " + quote(s.template) + " OWNER " + quote(builder),
		"REVOKE ALL ON DATABASE " + quote(database) + " FROM PUBLIC",
	} {
		if err := s.onDatabases(ctx, sql); err != nil {
			return fmt.Errorf("make the database %s: %w", database, err)
		}
	}
	return nil
}

// runScripts runs an order's scripts as the builder.
func (s *server) runScripts(ctx context.Context, builder, password string, order Order) ([]script.PassedOver, error) {
	config := s.config.ConnConfig.Copy()
	config.User, config.Password, config.Database = builder, password, order.Database
	delete(config.RuntimeParams, "search_path")        // names in scripts mean what the scripts make
	config.RuntimeParams["synchronous_commit"] = "off" // opening the build waits for all of it
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return nil, s.reach(err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	return runScripts(ctx, conn.PgConn(), order)
}

// analyzeBoth collects planner statistics for a build and its template.
func (s *server) analyzeBoth(ctx context.Context, database string) error {
	defer func() { // what was read of it without statistics
		s.mu.Lock()
		delete(s.readable, database)
		s.mu.Unlock()
	}()
	err := s.analyze(ctx, database, ownerRole)
	if err != nil {
		return err
	}
	s.copies.sources.Lock()
	defer s.copies.sources.Unlock()
	if err = s.analyze(ctx, templateOf(database), copiesRole); errors.Is(err, ErrGone) || state(err) == "3D000" {
		return nil // there is none
	}
	return err
}

func (s *server) analyze(ctx context.Context, database, owner string) error {
	return s.asRole(ctx, "analyzing", database, []string{owner}, func(conn *pgx.Conn) error {
		rows, _ := conn.Query(
			ctx,
			`SELECT format('%I.%I', n.nspname, c.relname) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
			WHERE c.relkind IN ('r', 'p', 'm') AND c.relowner = '`+owner+`'::regrole`,
		)
		tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil || len(tables) == 0 {
			return err
		}
		_, err = conn.Exec(ctx, "ANALYZE "+strings.Join(tables, ", "))
		return err
	})
}

// catalogue reads what a build holds.
func (s *server) catalogue(ctx context.Context, database string) (catalogue dataset.Catalogue, err error) {
	for _, role := range []string{readersRole, builderRole} {
		// builds of versions that did not hand them over belong to the latter
		err = s.asRole(ctx, "reading", database, []string{role}, func(conn *pgx.Conn) error {
			catalogue, err = readCatalogue(ctx, conn)
			return err
		})
		if state(err) != "42501" {
			break
		}
	}
	return catalogue, err
}

// drop removes a build's database, its template, and the copies of it that nobody uses yet.
func (s *server) drop(ctx context.Context, database string) error {
	s.learners.end(database)
	s.checkers.end(database)
	err := s.copies.forget(ctx, database)
	for _, name := range []string{templateOf(database), database} {
		_, failed := s.admin.Exec(ctx, "DROP DATABASE IF EXISTS "+quote(name)+" WITH (FORCE)")
		err = cmp.Or(err, failed)
	}
	if err == nil {
		s.lost(database)
	}
	return err
}

// databasesWith lists the databases whose names begin with the prefix.
func (s *server) databasesWith(ctx context.Context, prefix string) ([]string, error) {
	rows, _ := s.admin.Query(ctx, `SELECT datname FROM pg_database WHERE starts_with(datname, $1)`, prefix)
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
