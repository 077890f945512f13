package practice

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os/exec"
	"slices"

	"github.com/jackc/pgx/v5"

	"examen/internal/postgres"
)

// A build is on several servers, where there are several: it is built on one, and placed on others from a dump of that
// one (pg_dump), so that rows which scripts make by chance or by the clock are the same everywhere. What was placed is
// compared with what it was made of before anybody reads it.

// Build creates a database by running setup scripts in order, closes it to everybody but the seats, and describes its
// contents. Beside it, it keeps a template of which copies are made, unless the database is too large for that. When it
// returns, the build is on disk, on as many servers as it is to be, of those that can be reached. If it fails, with
// *BuildErrors if a script is wrong, nothing of it remains.
func (s *Servers) Build(ctx context.Context, order Order) (*Built, error) {
	first, err := s.roomiest(ctx, nil)
	if err != nil {
		return nil, err
	}
	built, err := first.build(ctx, order)
	if err != nil {
		return nil, err
	}
	first.health.with(order.Database)
	s.spread(ctx, order.Database)
	return built, nil
}

// Analyze collects planner statistics for a build, wherever it is. Queries run without them too, but some take longer.
func (s *Servers) Analyze(ctx context.Context, database string) error {
	found, err := s.having(ctx, database)
	for _, one := range found {
		if one.isStandby() || len(s.all) > 1 && !one.health.isReady() {
			continue
		}
		err = cmp.Or(err, one.analyzeBoth(ctx, database))
	}
	return err
}

// roomiest gives the server on which something is to be made, other than the given ones: the one with the most free
// disk, and of those that have about as much, the least busy.
func (s *Servers) roomiest(ctx context.Context, not []*server) (*server, error) {
	if len(s.all) == 1 {
		return s.all[0], nil
	}
	var best *server
	var room int64
	for _, one := range s.all {
		if one.isStandby() || !one.health.takes() || slices.Contains(not, one) {
			continue
		}
		free := one.free(ctx)
		much, little := max(free, room), min(free, room)
		alike := much-little <= much/10
		if best == nil || !alike && free > room || alike && one.health.load() < best.health.load() {
			best, room = one, free
		}
	}
	if best == nil {
		return nil, fmt.Errorf("%w: no server takes a build", ErrUnavailable)
	}
	return best, nil
}

// free is the free space, in bytes, on a server's disk; 0 where it cannot be told.
func (s *server) free(ctx context.Context) (bytes int64) {
	ctx, stop := context.WithTimeout(ctx, lookPatience)
	defer stop()
	_ = pgx.BeginFunc(ctx, s.admin, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, "CREATE TEMPORARY TABLE room (line text) ON COMMIT DROP; "+
			"COPY pg_temp.room FROM PROGRAM 'df -P -k .'", pgx.QueryExecModeSimpleProtocol)
		if err != nil {
			return err
		}
		return tx.QueryRow(ctx, `SELECT 1024 * (regexp_split_to_array(line, '\s+'))[4]::bigint FROM pg_temp.room
			WHERE line !~ '^Filesystem' LIMIT 1`).Scan(&bytes)
	})
	return bytes
}

// spread places a build on more servers, until it is on as many as it is to be. A server on which that fails is passed
// over; it is tried again by [Operation.Place].
func (s *Servers) spread(ctx context.Context, database string) (placed int) {
	if len(s.all) == 1 {
		return 0
	}
	found, err := s.having(ctx, database)
	if err != nil {
		return 0
	}
	lasting := 0 // not on a server that is away, or being drained
	var from *server
	for _, one := range found {
		if one.isStandby() {
			continue
		}
		if one.health.takes() {
			lasting++
		}
		if one.health.isReady() && (from == nil || one.health.takes()) {
			from = one
		}
	}
	for not := slices.Clone(found); from != nil && lasting < s.options.Copies; {
		to, err := s.roomiest(ctx, not)
		if err != nil {
			break
		}
		not = append(not, to)
		if err := to.place(ctx, from, database); err != nil {
			s.options.Log.Warn("a build cannot be placed on a practice server", "database", database,
				"from", from.name, "server", to.name, "error", err)
			if ctx.Err() != nil {
				break
			}
			continue
		}
		to.health.with(database)
		lasting++
		placed++
	}
	return placed
}

// place makes a build that another server has on this one.
func (s *server) place(ctx context.Context, from *server, database string) error {
	var open bool
	var path *string
	err := from.admin.QueryRow(ctx, `SELECT has_database_privilege('`+learnersRole+`', d.oid, 'CONNECT'),
			(SELECT substr(o, length('search_path=') + 1) FROM pg_db_role_setting AS r, unnest(r.setconfig) AS o
			WHERE r.setdatabase = d.oid AND r.setrole = 0 AND starts_with(o, 'search_path='))
		FROM pg_database AS d WHERE d.datname = $1`, database).Scan(&open, &path)
	if err != nil {
		return from.reach(err)
	}
	if err := s.drop(ctx, database); err != nil { // what was left of it when a service was killed
		return s.reach(err)
	}
	return from.lendRole(ctx, "dumping", database, []string{ownerRole, builderRole, readersRole},
		func(role, password string) error {
			command, dump, err := from.dump(ctx, role, password, database)
			if err != nil {
				return err
			}
			_, err = s.build(ctx, Order{
				Database: database, Files: dump, Scripts: []string{dumpName}, Variant: !open, path: path, sameAs: from,
			})
			dump.pipe.Close()
			if failed := command.Wait(); err == nil && failed != nil {
				err = fmt.Errorf("pg_dump: %w: %s", failed, dump.said.String())
				err = errors.Join(err, s.drop(context.WithoutCancel(ctx), database))
			}
			if err == nil {
				err = s.analyzeBoth(ctx, database)
			}
			return err
		})
}

// dump begins to write a database down as a script.
func (s *server) dump(ctx context.Context, role, password, database string) (*exec.Cmd, *dumped, error) {
	program, err := postgres.Program("pg_dump")
	if err != nil {
		return nil, nil, err
	}
	command := exec.CommandContext(ctx, program, "--no-owner", "--no-privileges", "--no-publications",
		"--no-subscriptions", "--no-tablespaces", "--encoding=UTF8",
		"--dbname="+connString(s.config.ConnConfig.ConnString(), role, database))
	command.Env = append(command.Environ(), "PGPASSWORD="+password)
	d := &dumped{}
	command.Stderr = &d.said
	if d.pipe, err = command.StdoutPipe(); err != nil {
		return nil, nil, err
	}
	return command, d, command.Start()
}

// connString is a server's URL for another role and database. The password is given otherwise.
func connString(of, role, database string) string {
	if u, err := url.Parse(of); err == nil && u.Scheme != "" {
		u.User, u.Path = url.User(role), "/"+database
		q := u.Query()
		for _, name := range []string{"user", "password", "dbname", "pool_max_conns"} {
			q.Del(name)
		}
		u.RawQuery = q.Encode()
		return u.String()
	}
	return of + fmt.Sprintf(" user=%s password='' dbname=%s", role, database)
}

// dumpName is the name of the one file in a dump.
const dumpName = "dump.sql"

// dumped is a database as it is written down. It can be read once.
type dumped struct {
	pipe io.ReadCloser
	said bytes.Buffer
}

func (d *dumped) Open(name string) (fs.File, error) {
	if name != dumpName {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	return d, nil
}

func (d *dumped) Read(p []byte) (int, error) { return d.pipe.Read(p) }
func (d *dumped) Stat() (fs.FileInfo, error) { return nil, fs.ErrInvalid }
func (d *dumped) Close() error               { return nil } // who began it ends it

// contents digests a build's rows, by table and materialized view.
func (s *server) contents(ctx context.Context, database string) (map[string]string, error) {
	found := map[string]string{}
	err := s.asRole(ctx, "comparing", database, []string{ownerRole, readersRole}, func(conn *pgx.Conn) error {
		rows, _ := conn.Query(ctx, `SELECT format('%I.%I', n.nspname, c.relname)
			FROM pg_class AS c JOIN pg_namespace AS n ON n.oid = c.relnamespace
			WHERE c.relkind IN ('r', 'm') AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'`)
		tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
		for _, table := range tables {
			var digest string
			if err == nil {
				err = conn.QueryRow(ctx, `SELECT count(*) || ' ' || coalesce(sum(hashtextextended(t::text, 0)), 0)
					FROM ONLY `+table+` AS t`).Scan(&digest)
				found[table] = digest
			}
		}
		return err
	})
	return found, err
}

// compare returns an error unless a build's rows are the same as on another server.
func (s *server) compare(ctx context.Context, other *server, database string) error {
	expected, err := other.contents(ctx, database)
	if err != nil {
		return err
	}
	got, err := s.contents(ctx, database)
	if err != nil {
		return err
	}
	for table, digest := range expected {
		if got[table] != digest {
			return fmt.Errorf("the rows of %s are not the same when they are made again from a dump", table)
		}
	}
	return nil
}
