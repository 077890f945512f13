package test

import (
	"slices"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// block wraps what somebody hides from the parser in a block.
func block(sql string) string {
	return "DO $do$ BEGIN EXECUTE $sql$" + sql + "$sql$; END $do$"
}

// hostileInCopy is what a learner who means no good may send where changes are allowed, by what it is after, and what
// the learner gets.
var hostileInCopy = []statement{
	// Extensions, languages, libraries.
	{"extensions", "CREATE EXTENSION dblink", "rejected: extensions and languages"},
	{"extensions", "CREATE EXTENSION hstore", "rejected: extensions and languages"},
	{"extensions", block("CREATE EXTENSION hstore"), "failed: not available in a copy"},
	{"extensions", block("CREATE EXTENSION postgres_fdw"), "failed: not available in a copy"},
	{"extensions", block("DROP EXTENSION plpgsql"), "failed: not available in a copy"},
	{"extensions", block("ALTER EXTENSION plpgsql ADD TABLE hive"), "failed: not available in a copy"},
	{"extensions", block("CREATE LANGUAGE plpython3u"), "failed: not available in a copy"},
	{"extensions", "LOAD 'auto_explain'", "rejected: extensions and languages"},
	{"extensions", block("LOAD 'auto_explain'"), "failed: access to library"},
	{
		"extensions", "CREATE FUNCTION f() RETURNS int LANGUAGE c AS '/lib/x86_64-linux-gnu/libc.so.6', 'system'",
		"rejected: in sql and plpgsql",
	},
	{
		"extensions", block("CREATE FUNCTION f(text) RETURNS int LANGUAGE c AS 'libc.so.6', 'system'"),
		"failed: permission denied for language c",
	},
	{
		"extensions", block("CREATE FUNCTION f() RETURNS int LANGUAGE internal AS 'pg_backend_pid'"),
		"failed: permission denied for language internal",
	},
	// Other servers.
	{"servers", "CREATE SERVER s FOREIGN DATA WRAPPER w", "rejected: acts beyond"},
	{"servers", block("CREATE SERVER s FOREIGN DATA WRAPPER w"), "failed: not available in a copy"},
	{"servers", block("CREATE FOREIGN DATA WRAPPER w"), "failed: not available in a copy"},
	{"servers", block("CREATE FOREIGN TABLE f (x int) SERVER s"), "failed: not available in a copy"},
	{"servers", block("IMPORT FOREIGN SCHEMA public FROM SERVER s INTO public"), "failed: not available in a copy"},
	{"servers", block("CREATE USER MAPPING FOR CURRENT_USER SERVER s"), "failed: not available in a copy"},
	{"servers", "CREATE SUBSCRIPTION s CONNECTION 'dbname=postgres' PUBLICATION p", "rejected: acts beyond"},
	{
		"servers", block("CREATE SUBSCRIPTION s CONNECTION 'dbname=postgres' PUBLICATION p WITH (connect = false)"),
		"failed: not available in a copy",
	},
	{"servers", "CREATE PUBLICATION p FOR ALL TABLES", "rejected: acts beyond"},
	{"servers", block("CREATE PUBLICATION p FOR TABLE hive"), "failed: not available in a copy"},
	{
		"servers", "SELECT * FROM dblink('dbname=postgres', 'SELECT 1') AS t (x int)",
		"failed: function dblink",
	},
	// Files and programs.
	{"files", "COPY hive TO '/tmp/hive'", "rejected: copy reads and writes files"},
	{"files", "COPY hive FROM STDIN", "rejected: copy reads and writes files"},
	{"files", block("COPY hive TO '/tmp/hive'"), "failed: must be superuser or have privileges"},
	{"files", block("COPY hive FROM '/etc/passwd'"), "failed: must be superuser or have privileges"},
	{"files", block("COPY hive FROM PROGRAM 'id'"), "failed: must be superuser or have privileges"},
	{"files", block("COPY hive TO PROGRAM 'id'"), "failed: must be superuser or have privileges"},
	{"files", block("COPY (SELECT 1) TO STDOUT"), "failed: cannot copy to/from client"},
	{"files", "SELECT pg_read_file('/etc/passwd'); DELETE FROM hive", "failed: permission denied for function"},
	{"files", block("SELECT pg_read_file('/etc/passwd')"), "failed: permission denied for function"},
	{"files", block("SELECT lo_import('/etc/passwd')"), "failed: permission denied for function"},
	{"files", block("SELECT pg_ls_dir('.')"), "failed: permission denied for function"},
	{"files", block("SELECT pg_file_write('x', 'y', false)"), "failed: does not exist"},
	{
		"files",
		"CREATE FUNCTION f() RETURNS text LANGUAGE plpgsql AS $$ BEGIN RETURN pg_read_file('PG_VERSION'); END $$; " +
			"SELECT f()", "failed: permission denied for function",
	},
	{
		"files",
		"CREATE FUNCTION f() RETURNS text SECURITY DEFINER LANGUAGE sql AS $$ SELECT pg_read_file('PG_VERSION') " +
			"$$; SELECT f()", "failed: permission denied for function",
	},
	{"files", "CREATE TABLESPACE t LOCATION '/tmp'", "rejected: acts beyond"},
	{"files", block("CREATE TABLESPACE t LOCATION '/tmp'"), "failed: cannot be executed from a function"},
	{"files", "CREATE TABLE t (x int) TABLESPACE pg_global", "failed: "},
	// Roles, rights and ownership.
	{"roles", "CREATE ROLE mine SUPERUSER", "rejected: roles and rights"},
	{"roles", block("CREATE ROLE mine"), "failed: permission denied to create role"},
	{"roles", block("ALTER ROLE CURRENT_USER SUPERUSER"), "failed: must be superuser"},
	{"roles", block("ALTER ROLE CURRENT_USER CREATEDB"), "failed: permission denied"},
	{"roles", block("ALTER ROLE examen_practice PASSWORD 'mine'"), "failed: must be superuser"},
	{"roles", block("ALTER ROLE examen_seat_1_01 PASSWORD 'mine'"), "failed: permission denied"},
	{"roles", block("ALTER ROLE examen_copies LOGIN"), "failed: permission denied"},
	{"roles", block("ALTER ROLE CURRENT_USER PASSWORD 'mine'"), "done: "},
	{"roles", block("ALTER ROLE CURRENT_USER SET search_path = pg_catalog"), "done: "},
	{"roles", block("ALTER ROLE CURRENT_USER SET statement_timeout = 1"), "done: "},
	{"roles", block("ALTER ROLE CURRENT_USER SET temp_file_limit = -1"), "failed: permission denied to set parameter"},
	{"roles", block("SET ROLE examen_owner"), "failed: permission denied to set role"},
	{"roles", block("SET ROLE examen_builder"), "failed: permission denied to set role"},
	{"roles", block("SET SESSION AUTHORIZATION examen_practice"), "failed: permission denied to set session"},
	{"roles", block("SET ROLE examen_copies"), "done: "},
	{"roles", "SET ROLE examen_copies", "rejected: settings stay"},
	{"roles", "GRANT ALL ON hive TO PUBLIC", "rejected: roles and rights"},
	{"roles", block("GRANT examen_checkers TO CURRENT_USER"), "failed: must have admin option"},
	{"roles", block("GRANT examen_copies TO examen_seat_1_01"), "failed: must have admin option"},
	{"roles", block("GRANT pg_read_server_files TO CURRENT_USER"), "failed: must have admin option"},
	{"roles", block("GRANT SELECT ON pg_authid TO CURRENT_USER"), "failed: not available in a copy"},
	{"roles", block("REASSIGN OWNED BY examen_owner TO CURRENT_USER"), "failed: "},
	{"roles", block("DROP OWNED BY examen_owner"), "failed: "},
	{"roles", "DROP OWNED BY examen_copies CASCADE", "rejected: roles and rights"},
	{"roles", block("ALTER TABLE hive OWNER TO examen_practice"), "failed: must be member of role"},
	{"roles", "ALTER TABLE hive OWNER TO CURRENT_USER", "rejected: in your copy"},
	{"roles", "SELECT * FROM pg_authid; DELETE FROM hive", "failed: permission denied for table"},
	{"roles", block("SELECT rolname FROM pg_roles"), "failed: permission denied for view"},
	{"roles", block("ALTER DEFAULT PRIVILEGES GRANT ALL ON TABLES TO PUBLIC"), "failed: not available in a copy"},
	{"roles", block("SECURITY LABEL ON TABLE hive IS 'x'"), "failed: "},
	// The server and its settings.
	{"settings", "ALTER SYSTEM SET work_mem = '8GB'", "rejected: acts beyond"},
	{"settings", block("ALTER SYSTEM SET work_mem = '8GB'"), "failed: "},
	{"settings", "SET statement_timeout = 0", "rejected: settings stay"},
	{"settings", "RESET ALL", "rejected: settings stay"},
	{"settings", block("SET log_min_messages = debug5"), "failed: permission denied to set parameter"},
	{"settings", block("SET session_replication_role = replica"), "failed: permission denied to set parameter"},
	{"settings", block("SELECT set_config('statement_timeout', '0', false)"), "failed: permission denied for function"},
	{"settings", "SHOW data_directory", "rejected: settings cannot be shown"},
	{"settings", block("SELECT pg_reload_conf()"), "failed: permission denied for function"},
	{"settings", "CHECKPOINT", "rejected: acts beyond"},
	{"settings", block("CHECKPOINT"), "failed: "},
	{"settings", "DISCARD ALL", "rejected: acts beyond"},
	{"settings", "VACUUM FULL", "rejected: looked after by the server"},
	{"settings", block("SET client_encoding = 'LATIN1'"), "done: "},
	// The database itself, and others.
	{"databases", "CREATE DATABASE mine", "rejected: acts beyond"},
	{"databases", block("CREATE DATABASE mine"), "failed: cannot be executed from a function"},
	{"databases", "DROP DATABASE postgres", "rejected: acts beyond"},
	{"databases", "ALTER DATABASE postgres SET work_mem = '1GB'", "rejected: acts beyond"},
	{"databases", block("ALTER DATABASE postgres SET work_mem = '1GB'"), "failed: must be owner"},
	{"databases", block("ALTER DATABASE postgres CONNECTION LIMIT 0"), "failed: must be owner"},
	{"databases", "SELECT datname FROM pg_database; DELETE FROM hive", "failed: permission denied for table"},
	{"databases", "SELECT * FROM postgres.public.hive; DELETE FROM hive", "failed: cross-database"},
	{"databases", block("COMMENT ON DATABASE postgres IS 'x'"), "failed: must be owner"},
	// What belongs to the server within the database.
	{"catalogue", "DROP TABLE pg_class", "failed: must be owner"},
	{"catalogue", "DELETE FROM pg_class", "failed: permission denied"},
	{"catalogue", "UPDATE pg_proc SET prosecdef = true", "failed: permission denied"},
	{"catalogue", "CREATE TABLE pg_catalog.mine (x int)", "failed: permission denied"},
	{"catalogue", "CREATE FUNCTION pg_catalog.mine() RETURNS int LANGUAGE sql AS 'SELECT 1'",
		"failed: permission denied"},
	{"catalogue", "DROP FUNCTION pg_catalog.examen_fence()", "failed: must be owner"},
	{
		"catalogue", "CREATE OR REPLACE FUNCTION pg_catalog.examen_fence() RETURNS event_trigger LANGUAGE plpgsql AS " +
			"'BEGIN END'", "failed: permission denied",
	},
	{"catalogue", "DROP EVENT TRIGGER examen_fence", "rejected: is not part of the copy"},
	{"catalogue", block("DROP EVENT TRIGGER examen_fence"), "failed: must be owner"},
	{"catalogue", block("ALTER EVENT TRIGGER examen_fence DISABLE"), "failed: must be owner"},
	{"catalogue", "CREATE EVENT TRIGGER mine ON ddl_command_start EXECUTE FUNCTION f()", "rejected: acts beyond"},
	{"catalogue", block("CREATE CAST (text AS int) WITHOUT FUNCTION"), "failed: not available in a copy"},
	{"catalogue", block("CREATE ACCESS METHOD m TYPE INDEX HANDLER bthandler"), "failed: not available in a copy"},
	{"catalogue", "DROP SCHEMA pg_catalog CASCADE", "failed: must be owner"},
	{"catalogue", "CREATE TABLE information_schema.mine (x int)", "failed: permission denied"},
	// Others' sessions and locks.
	{"others", block("SELECT pg_terminate_backend(1)"), "failed: permission denied for function"},
	{"others", "SELECT * FROM pg_stat_activity; DELETE FROM hive", "failed: permission denied for view"},
	{"others", block("SELECT pg_advisory_lock(1)"), "failed: permission denied for function"},
	{"others", "NOTIFY everybody", "rejected: acts beyond"},
	{"others", "LISTEN everybody", "rejected: acts beyond"},
	{"others", "PREPARE TRANSACTION 'x'", "rejected: two-phase"},
	{"others", "BEGIN; DELETE FROM inspection; PREPARE TRANSACTION 'x'", "rejected: two-phase"},
	{"others", block("SELECT pg_export_snapshot()"), "failed: permission denied for function"},
	{"others", block("SELECT pg_stat_reset()"), "failed: permission denied for function"},
	// What is one's own is one's own to destroy: it is gone with the copy.
	{"destroying", "DROP SCHEMA public CASCADE", "failed: must be owner"},
	{"destroying", "DROP TABLE hive, harvest, inspection, apiary, beekeeper CASCADE", "done: "},
	{"destroying", "TRUNCATE hive CASCADE", "done: "},
	{"destroying", block("DROP OWNED BY CURRENT_USER CASCADE"), "failed: not available in a copy"},
	{"destroying", block("DROP OWNED BY examen_copies CASCADE"), "failed: not available in a copy"},
	{"destroying", "LOCK TABLE hive IN ACCESS EXCLUSIVE MODE", "failed: can only be used in transaction blocks"},
	{"destroying", "CREATE SCHEMA mine; CREATE TABLE mine.t (x int); DROP SCHEMA mine CASCADE", "done: "},
	{
		"destroying", "CREATE FUNCTION public.count(anyelement) RETURNS bigint LANGUAGE sql AS 'SELECT 7::bigint'",
		"done: ",
	},
	{
		"destroying", "CREATE TABLE t (x int); CREATE RULE \"_RETURN\" AS ON SELECT TO t DO INSTEAD SELECT 1 AS x",
		"done: ",
	},
	{"destroying", "ALTER TABLE hive ENABLE ROW LEVEL SECURITY, FORCE ROW LEVEL SECURITY", "done: "},
	// Filling the disk, the memory, the processor.
	{"filling", "CREATE TABLE t AS SELECT repeat('x', 1000) AS x FROM generate_series(1, 10000000)",
		"stopped: limit of"},
	{"filling", "INSERT INTO beekeeper SELECT b.* FROM beekeeper b, generate_series(1, 1) AS n",
		"failed: duplicate key"},
	{
		"filling", "CREATE TABLE t (x text); DO $$ BEGIN LOOP INSERT INTO t SELECT repeat(md5(n::text), 30) FROM " +
			"generate_series(1, 10000) AS n; END LOOP; END $$", "stopped: limit of",
	},
	{
		"filling", "CREATE TEMP TABLE t AS SELECT repeat('x', 1000) AS x FROM generate_series(1, 10000000)",
		"stopped: limit of",
	},
	{"filling", "CREATE TABLE t AS SELECT repeat('x', 1000000000) || repeat('y', 900000000) AS x", "stopped: memory"},
	{
		"filling", "CREATE FUNCTION f(n int) RETURNS int LANGUAGE sql AS 'SELECT f(n + 1)'; SELECT f(1)",
		"failed: ",
	},
	{"filling", "DO $$ BEGIN LOOP NULL; END LOOP; END $$", "stopped: time limit"},
	{"filling", "DO $$ BEGIN LOOP BEGIN PERFORM 1/0; EXCEPTION WHEN OTHERS THEN END; END LOOP; END $$",
		"stopped: time limit"},
	{"filling",
		"DO $$ BEGIN LOOP BEGIN PERFORM pg_sleep(1); EXCEPTION WHEN query_canceled THEN END; END LOOP; END $$",
		"stopped: time limit"},
	{
		"filling",
		"CREATE TABLE t (x int); CREATE FUNCTION again() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT " +
			"INTO t VALUES (NEW.x + 1); RETURN NEW; END $$; CREATE TRIGGER a AFTER INSERT ON t FOR EACH ROW EXECUTE " +
			"FUNCTION again(); INSERT INTO t VALUES (1)", "failed: ",
	},
	{"filling", strings.Repeat("INSERT INTO grade VALUES ('x', 'y');", 501), "rejected: at most 500"},
	{"filling", "PREPARE p AS SELECT 1; EXECUTE p; DEALLOCATE p", "done: "},
}

// Whatever a learner sends where changes are allowed, they get what the table says; another learner's copy and the
// dataset stay as they were, the server has nothing that it did not have, and the learner's next copy is a clean one.
func TestNothingEscapesFromACopy(t *testing.T) {
	if len(hostileInCopy) < 120 {
		t.Errorf("only %d statements", len(hostileInCopy))
	}
	var quick, endless []statement
	for _, c := range hostileInCopy {
		if c.gets == "stopped: time limit" {
			endless = append(endless, c)
		} else {
			quick = append(quick, c)
		}
	}
	t.Run("quick", func(t *testing.T) { sendAllInCopy(t, "120s", quick) })
	t.Run("endless", func(t *testing.T) { sendAllInCopy(t, "1s", endless) })
}

func sendAllInCopy(t *testing.T, limit string, all []statement) {
	folder := whole.DemoDir(t)
	s := whole.Start(
		t, "demo", "--data-dir", folder, "--seats", "2", "--limit-time", limit, "--limit-memory", "1024",
		"--limit-calls", "100000", "--limit-copy", "32",
	)
	robin, wren := whole.As(t, s.URL, "robin", demo.LearnerPassword), whole.As(
		t, s.URL, demo.NewLearnerName, demo.LearnerPassword,
	)
	instructor := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	if _, err := client.Read[client.Dataset](
		instructor.AllowChanges(ctx, "apiary", client.ChangesAllowed{Allowed: true}),
	); err != nil {
		t.Fatal(err)
	}
	pool := whole.Superuser(t, folder, "practice", "postgres")
	run := func(c *client.Client, sql string) client.Run {
		t.Helper()
		got, err := client.Read[client.Run](c.Run(ctx, client.RunRequest{Dataset: "apiary", Sql: sql}))
		if err != nil {
			t.Fatalf("%s: %v", short(sql), err)
		}
		return got
	}
	// wren has a copy of her own.
	run(wren, "UPDATE hive SET name = 'Mine' WHERE hive_id = 1")
	const probe = `SELECT (SELECT count(*) FROM hive), (SELECT name FROM hive WHERE hive_id = 1), count(*) FROM harvest`
	roles := func() (names []string) {
		rows, _ := pool.Query(ctx, `SELECT rolname::text || rolsuper || rolcreatedb || rolcreaterole FROM pg_roles
			WHERE NOT starts_with(rolname, 'examen_copy_') AND NOT starts_with(rolname, 'examen_for_')
			UNION ALL SELECT datname::text FROM pg_database WHERE NOT starts_with(datname, 'copy_')
			UNION ALL SELECT spcname::text FROM pg_tablespace
			UNION ALL SELECT subname::text FROM pg_subscription
			UNION ALL SELECT format('%s in %s', member::regrole, roleid::regrole) FROM pg_auth_members
			WHERE NOT starts_with(member::regrole::text, 'examen_copy_') ORDER BY 1`)
		for rows.Next() {
			var name string
			if err := rows.Scan(&name); err != nil {
				t.Fatal(err)
			}
			names = append(names, name)
		}
		return names
	}
	before := roles()
	for _, c := range all {
		got := run(robin, c.sql)
		said := got.Error.Title + " " + got.Error.Detail
		outcome, part, _ := strings.Cut(c.gets, ": ")
		if string(got.Outcome) != outcome || !strings.Contains(strings.ToLower(said), strings.ToLower(part)) {
			t.Errorf("%s: %s\n gets %s: %s\n want %s", c.after, short(c.sql), got.Outcome, said, c.gets)
		}
		if now := roles(); !slices.Equal(now, before) {
			t.Errorf("after %s: the server has %v, and had %v", short(c.sql), now, before)
		}
		theirs := run(wren, probe)
		if theirs.Outcome != client.Done || *theirs.Rows[0][0] != "96" || *theirs.Rows[0][1] != "Mine" {
			t.Fatalf("after %s: another learner's copy gives %+v", short(c.sql), theirs)
		}
		if _, err := client.Read[struct{}](robin.ResetCopy(ctx, "apiary")); err != nil && got.Copy.Dataset != "" {
			t.Errorf("after %s: the copy cannot be reset: %v", short(c.sql), err)
		}
	}
	clean := run(robin, "CREATE TABLE mine (x int);"+probe)
	if clean.Outcome != client.Done || *clean.Rows[0][0] != "96" || *clean.Rows[0][1] == "Mine" ||
		len(clean.Copy.Changes.Made) != 1 || len(clean.Copy.Changes.Tables) != 0 {
		t.Errorf("after all of it, a new copy is %+v", clean)
	}
}
