package practice_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/practice"
)

// spy writes down who a script's code is run by. It replaces what the service's own statements might mean by a name, an
// operator, a cast or a default.
const spy = `
CREATE TABLE seen (who text DEFAULT current_user, super boolean);
CREATE FUNCTION public.note() RETURNS boolean LANGUAGE plpgsql AS $$
BEGIN
	IF (SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = current_user) THEN
		CREATE TABLE public.taken ();
		ALTER ROLE CURRENT_USER PASSWORD 'mine';
	END IF;
	RETURN true;
EXCEPTION WHEN OTHERS THEN RETURN true;
END $$;
CREATE FUNCTION public.quote_ident(name) RETURNS text LANGUAGE sql AS $$SELECT pg_catalog.quote_ident($1::text) WHERE
public.note()$$;
CREATE FUNCTION public.quote_ident(text) RETURNS text LANGUAGE sql AS $$SELECT pg_catalog.quote_ident($1) WHERE
public.note()$$;
CREATE FUNCTION public.format_type(oid, integer) RETURNS text LANGUAGE sql AS $$SELECT pg_catalog.format_type($1, $2)
WHERE public.note()$$;
CREATE FUNCTION public.count(anyelement) RETURNS bigint LANGUAGE sql AS $$SELECT 1::bigint WHERE public.note()$$;
CREATE FUNCTION public.same(name, name) RETURNS boolean LANGUAGE sql AS $$SELECT public.note() AND $1::text
OPERATOR(pg_catalog.=) $2::text$$;
CREATE FUNCTION public.differs(name, name) RETURNS boolean LANGUAGE sql AS $$SELECT public.note() AND $1::text
OPERATOR(pg_catalog.<>) $2::text$$;
CREATE FUNCTION public.matches(name, name) RETURNS boolean LANGUAGE sql AS $$SELECT public.note() AND $1::text
OPERATOR(pg_catalog.~) $2::text$$;
CREATE OPERATOR public.= (LEFTARG = name, RIGHTARG = name, FUNCTION = public.same);
CREATE OPERATOR public.<> (LEFTARG = name, RIGHTARG = name, FUNCTION = public.differs);
CREATE OPERATOR public.!~ (LEFTARG = name, RIGHTARG = name, FUNCTION = public.differs);
CREATE OPERATOR public.~ (LEFTARG = name, RIGHTARG = name, FUNCTION = public.matches);
CREATE FUNCTION public.indexed(text) RETURNS text IMMUTABLE LANGUAGE plpgsql AS $$BEGIN PERFORM public.note(); RETURN
$1; END $$;
CREATE TABLE hive (hive_id integer PRIMARY KEY, name text);
CREATE INDEX ON hive (public.indexed(name));
CREATE VIEW watching AS SELECT hive_id FROM hive WHERE public.note();
INSERT INTO hive VALUES (1, 'Amber');
DO $$ BEGIN
	EXECUTE format('ALTER DATABASE %I SET search_path = public, pg_catalog', current_database());
	EXECUTE format('ALTER ROLE CURRENT_USER IN DATABASE %I SET search_path = public, pg_catalog', current_database());
	EXECUTE 'ALTER ROLE CURRENT_USER SET search_path = public, pg_catalog';
	EXECUTE 'ALTER ROLE CURRENT_USER PASSWORD ''mine''';
END $$;`

// Whatever a script overloads or sets, none of its code is ever run by a superuser: neither while the build is made,
// read and looked after, nor later.
func TestAScriptsCodeIsNeverRunByASuperuser(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, files{"a.sql": spy}, false)
	if err := s.Analyze(context.Background(), database); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Catalogue(context.Background(), database); err != nil {
		t.Fatal(err)
	}
	if got, err := run(s, database, "SELECT * FROM hive"); err != nil || got != "hive_id:integer name:text | 1 Amber" {
		t.Errorf("got %s, %v", got, err)
	}
	admin := superuser(t, "postgres")
	// the test's own session, by the URL of the superuser, whose password is what it was
	inside := superuser(t, database)
	var taken bool
	if err := inside.QueryRow(
		context.Background(), "SELECT pg_catalog.to_regclass('public.taken') IS NOT NULL",
	).Scan(&taken); err != nil || taken {
		t.Errorf("a superuser ran the script's code: %v, %v", taken, err)
	}
	var left []string
	rows, _ := admin.Query(
		context.Background(), "SELECT rolname::text FROM pg_roles WHERE starts_with(rolname, 'examen_for_')",
	)
	if left, _ = pgx.CollectRows(rows, pgx.RowTo[string]); len(left) > 0 {
		t.Errorf("roles that were made for one purpose are left: %v", left)
	}
	build(t, s, hives, false) // the next is made by another role
}

// What scripts grant, and what they leave that acts with others' rights, is gone or closed to seats.
func TestRightsThatScriptsGiveAreTakenAway(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, files{"a.sql": `
CREATE SCHEMA yard;
CREATE TABLE hive (hive_id integer, name text); INSERT INTO hive VALUES (1, 'Amber');
CREATE TABLE yard.tool (tool text);
CREATE FUNCTION secret() RETURNS text SECURITY DEFINER LANGUAGE sql AS 'SELECT current_user::text';
CREATE FUNCTION plain() RETURNS integer LANGUAGE sql AS 'SELECT 1';
CREATE PROCEDURE doing() LANGUAGE sql AS 'SELECT 1';
CREATE SEQUENCE counter;
CREATE TYPE mood AS ENUM ('calm');
DO $$ BEGIN
	EXECUTE format('GRANT ALL ON DATABASE %I TO PUBLIC', current_database());
	EXECUTE 'GRANT ALL ON ALL TABLES IN SCHEMA public, yard TO PUBLIC';
	EXECUTE 'GRANT ALL ON SCHEMA public, yard TO PUBLIC'; EXECUTE
	'GRANT ALL ON SCHEMA public, yard TO examen_learners WITH GRANT OPTION';
	EXECUTE 'GRANT UPDATE (name) ON hive TO examen_learners';
	EXECUTE 'GRANT ALL ON SEQUENCE counter TO examen_seat_1_01, PUBLIC';
	EXECUTE 'GRANT EXECUTE ON FUNCTION secret() TO examen_learners';
	EXECUTE 'GRANT USAGE ON TYPE mood TO examen_seat_1_01';
	EXECUTE 'ALTER DEFAULT PRIVILEGES GRANT ALL ON TABLES TO PUBLIC';
	EXECUTE 'ALTER DEFAULT PRIVILEGES IN SCHEMA yard GRANT ALL ON FUNCTIONS TO examen_learners';
	PERFORM lo_create(4711);
	EXECUTE 'GRANT ALL ON LARGE OBJECT 4711 TO PUBLIC';
END $$;`}, false)
	conn := superuser(t, database)
	for _, c := range []struct{ sql, want string }{
		{
			"SELECT coalesce(string_agg(DISTINCT privilege_type, ' '), '') FROM pg_class, aclexplode(relacl) AS a " +
				"WHERE relname IN ('hive', 'tool') AND a.grantee <> relowner",
			"SELECT",
		},
		{
			"SELECT coalesce(string_agg(attacl::text, ' '), '') FROM pg_attribute WHERE attrelid = " +
				"'public.hive'::regclass AND attacl <> '{}'",
			"",
		},
		{
			"SELECT coalesce(string_agg(DISTINCT grantee::regrole::text, ' '), '') FROM pg_namespace, " +
				"aclexplode(nspacl) AS a WHERE nspname IN ('public', 'yard') AND a.grantee <> nspowner",
			"examen_checkers examen_learners examen_readers",
		},
		{
			"SELECT coalesce(string_agg(DISTINCT privilege_type, ' '), '') FROM pg_namespace, aclexplode(nspacl) AS " +
				"a WHERE nspname IN ('public', 'yard') AND a.grantee <> nspowner",
			"USAGE",
		},
		{"SELECT count(*)::text FROM pg_default_acl WHERE defaclrole <> 10", "0"},
		{
			"SELECT count(*)::text FROM pg_largeobject_metadata, aclexplode(lomacl) AS a WHERE a.grantee <> lomowner",
			"0",
		},
		{
			"SELECT count(*)::text FROM pg_class, aclexplode(relacl) AS a WHERE relkind = 'S' AND a.grantee <> " +
				"relowner",
			"0",
		},
		{
			"SELECT string_agg(DISTINCT rolname, ' ') FROM pg_database JOIN pg_roles r ON r.oid = datdba WHERE " +
				"datname = '" + database + "'",
			"examen_owner",
		},
		{
			"SELECT string_agg(DISTINCT a.grantee::regrole || ' ' || privilege_type, ', ') FROM pg_database, " +
				"aclexplode(datacl) AS a WHERE datname = '" + database + "' AND a.grantee <> datdba",
			"examen_checkers CONNECT, examen_learners CONNECT",
		},
	} {
		var got string
		if err := conn.QueryRow(context.Background(), c.sql).Scan(&got); err != nil || got != c.want {
			t.Errorf("%s: got %q, %v, want %q", c.sql, got, err, c.want)
		}
	}
	for sql, runs := range map[string]bool{
		"SELECT plain()": true, "SELECT * FROM yard.tool": true, "SELECT 'calm'::mood": true, "SELECT secret()": false,
		"SELECT nextval('counter')": false, "CALL doing()": false,
	} {
		if got, err := run(s, database, sql); (err == nil) != runs {
			t.Errorf("%s: got %s, %v", sql, got, err)
		}
	}
}

// A role of one build can change neither the next one's, nor the server's others.
func TestAScriptCannotSpoilLaterBuilds(t *testing.T) {
	s := server(t, limits)
	for _, script := range []string{
		"DO $$ BEGIN EXECUTE 'ALTER ROLE ' || current_user || ' SET default_transaction_read_only = on'; EXECUTE " +
			"'ALTER ROLE ' || current_user || ' PASSWORD NULL'; END $$; CREATE TABLE a ();",
		"DO $$ BEGIN EXECUTE 'ALTER ROLE examen_builder SET default_transaction_read_only = on'; END $$;",
		"DO $$ BEGIN EXECUTE 'ALTER ROLE examen_builder RENAME TO gone'; END $$;",
		"DO $$ BEGIN EXECUTE 'ALTER ROLE examen_owner LOGIN'; END $$;",
		"DO $$ BEGIN EXECUTE 'GRANT examen_owner TO ' || current_user; END $$;",
		"DO $$ BEGIN EXECUTE 'GRANT ' || current_user || ' TO examen_seat_1_01'; END $$;",
		"DO $$ BEGIN EXECUTE 'DROP OWNED BY examen_owner'; END $$;",
		"DO $$ BEGIN EXECUTE 'SET SESSION AUTHORIZATION examen_owner'; END $$;",
		"DO $$ BEGIN EXECUTE 'CREATE ROLE mine'; END $$;",
		"DO $$ BEGIN EXECUTE 'ALTER SYSTEM SET fsync = off'; END $$;",
		"DO $$ BEGIN EXECUTE 'CREATE EVENT TRIGGER mine ON ddl_command_start EXECUTE FUNCTION " +
			"suppress_redundant_updates_trigger()'; END $$;",
		"DO $$ BEGIN EXECUTE 'COPY (SELECT 1) TO PROGRAM ''id'''; END $$;",
		"DO $$ BEGIN PERFORM pg_catalog.pg_read_file('PG_VERSION'); END $$;",
		"DO $$ BEGIN EXECUTE 'CREATE FUNCTION f() RETURNS int LANGUAGE internal AS ''pg_backend_pid'''; END $$;",
		"DO $$ BEGIN EXECUTE 'CREATE OR REPLACE FUNCTION pg_catalog.current_database() RETURNS name LANGUAGE sql AS " +
			"''SELECT 1::name'''; END $$;",
	} {
		order := files{"a.sql": script}.order("test_spoils")
		_, err := s.Build(context.Background(), order)
		var wrong *practice.BuildErrors
		if err != nil && !errors.As(err, &wrong) {
			t.Errorf("%s: %v", script, err)
		}
		_ = s.Drop(context.Background(), "test_spoils")
		build(t, s, hives, false)
	}
}

// A database that a seat is in, or that a build is in, cannot be told by name; nor can roles, by whatever number.
func TestNamesAreNotTold(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	for _, c := range []struct{ sql, want string }{
		{"SELECT current_database() AS n", "n:name | dataset"},
		{"SELECT * FROM current_database() AS n", "n:name | dataset"},
		{
			"SELECT table_catalog::text AS n FROM information_schema.tables WHERE table_name = 'hive'",
			"n:text | dataset",
		},
		{"SELECT DISTINCT tableowner AS n FROM pg_tables WHERE tablename = 'hive'", "n:name | owner"},
		{
			"SELECT string_agg(DISTINCT pg_get_userbyid(n), ' ') AS n FROM generate_series(1, 40000) AS n",
			"n:text | owner",
		},
	} {
		if got, err := run(s, database, c.sql); err != nil || got != c.want {
			t.Errorf("%s: got %s, %v", c.sql, got, err)
		}
	}
	for _, call := range []string{
		"pg_describe_object(1262, 1, 0)", "pg_identify_object(1262, 1, 0)",
		"pg_identify_object_as_address(1260, 10, 0)", "pg_get_object_address('role', '{examen_owner}', '{}')",
		"to_regrole('examen_owner')", "acldefault('r', 10)", "makeaclitem(10, 10, 'SELECT', false)",
		"shobj_description(10, 'pg_authid')", "pg_stat_get_db_numbackends(1)",
	} {
		if got, err := run(s, database, "SELECT "+call); err == nil {
			t.Errorf("%s: got %s", call, got)
		}
	}
}

// What tells how much time has passed is for looking only, not for checking.
func TestSeatsForCheckingHaveNoClock(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	for _, call := range []string{"pg_sleep(0)", "clock_timestamp()", "statement_timestamp()", "timeofday()"} {
		for _, checking := range []bool{false, true} {
			_, err := s.Run(
				context.Background(),
				practice.Run{Learner: 1, Database: database, Checking: checking, SQL: "SELECT " + call}, &table{},
			)
			if (err != nil) != checking {
				t.Errorf("%s, checking %v: %v", call, checking, err)
			}
		}
	}
}

// A query that heeds nothing is killed at last, and stopped by its time limit for the one who sent it; the server
// recovers, and the runs of others begin again.
func TestAQueryThatHeedsNothingIsKilled(t *testing.T) {
	s := server(t, within(5*time.Second)) // far more than the other learner's runs take
	killed := make(chan uint32, 10)
	s.Beside(practice.Local{Kill: func(pid uint32) error {
		killed <- pid
		return syscall.Kill(int(pid), syscall.SIGKILL)
	}})
	database := build(t, s, hives, false)
	other := make(chan error)
	done := make(chan struct{})
	go func() {
		var err error
		for n := 0; err == nil; n++ {
			select {
			case <-done:
				other <- nil
				return
			default:
			}
			var got string
			if got, err = run(
				s, database, "SELECT count(*) AS n FROM hive, generate_series(1, 50000)",
			); err == nil && got != "n:bigint | 100000" {
				err = fmt.Errorf("run %d: %s", n, got)
			}
		}
		other <- err
	}()
	_, err := s.Run(
		context.Background(),
		practice.Run{
			Learner:  2,
			Database: database,
			SQL: "SELECT ARRAY(SELECT generate_series(1, 1000000)) <@ ARRAY(SELECT generate_series(1000000, 1, " +
				"-1))",
		},
		&table{},
	)
	var stopped *practice.Stopped
	if !errors.As(err, &stopped) || stopped.Limit != practice.LimitTime {
		t.Errorf("got %v", err)
	}
	select {
	case <-killed:
	case <-time.After(time.Minute):
		t.Fatal("nobody was killed")
	}
	for limit := time.Now().Add(time.Minute); s.Unending() > 0; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatal("it does not end")
		}
	}
	if got, err := run(s, database, "SELECT 1 AS n"); err != nil || got != "n:integer | 1" {
		t.Errorf("the server is back: got %s, %v", got, err)
	}
	close(done)
	if err := <-other; err != nil {
		t.Errorf("another learner's runs: %v", err)
	}
}

// What the log of a server may hold is no password: not of a seat, nor of any other role.
func TestPasswordsAreNotInTheLog(t *testing.T) {
	var logged []string
	config, _ := pgx.ParseConfig(url)
	config.OnNotice = func(*pgconn.PgConn, *pgconn.Notice) {}
	conn, err := pgx.ConnectConfig(context.Background(), config)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	for range 2 { // roles that are made, and roles that are there
		s, err := practice.Open(context.Background(), []string{url}, practice.Options{Limits: limits})
		if err != nil {
			t.Fatal(err)
		}
		s.Close()
	}
	rows, _ := conn.Query(
		context.Background(), "SELECT rolpassword FROM pg_authid WHERE rolcanlogin AND starts_with(rolname, 'examen_')",
	)
	logged, err = pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(logged) == 0 || slices.ContainsFunc(
		logged, func(p string) bool { return !strings.HasPrefix(p, "SCRAM-SHA-256$4096:") },
	) {
		t.Errorf("got %v, %v", logged, err)
	}
}
