package test

import (
	"fmt"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

type statement struct{ after, sql, gets string }

// hostile is what a learner who means no good may send, by what it is after, and what the learner gets: the outcome,
// and what is said.
var hostile = []statement{
	// Lifting limits from inside.
	{"limits", "SET statement_timeout = 0", "rejected: a query"},
	{"limits", "SET LOCAL work_mem = '8GB'", "rejected: a query"},
	{"limits", "RESET ALL", "rejected: a query"},
	{
		"limits", "SELECT set_config('statement_timeout', '0', false)",
		"failed: permission denied for function set_config",
	},
	{"limits", "SELECT set_config('temp_file_limit', '-1', true)", "failed: permission denied for function set_config"},
	{"limits", "ALTER ROLE CURRENT_USER SET statement_timeout = 0", "rejected: a query"},
	{"limits", "ALTER SYSTEM SET temp_file_limit = -1", "rejected: a query"},
	{"limits", "ALTER DATABASE postgres SET statement_timeout = 0", "rejected: a query"},
	{"limits", "UPDATE pg_settings SET setting = '0' WHERE name = 'statement_timeout'", "rejected: a query"},
	{"limits", "SELECT pg_reload_conf()", "failed: permission denied for function pg_reload_conf"},
	// Leaving the transaction.
	{"transaction", "COMMIT", "rejected: a query"},
	{"transaction", "ROLLBACK", "rejected: a query"},
	{"transaction", "BEGIN READ WRITE", "rejected: a query"},
	{"transaction", "SAVEPOINT a", "rejected: a query"},
	{"transaction", "SET TRANSACTION READ WRITE", "rejected: a query"},
	{
		"transaction", "SELECT set_config('transaction_read_only', 'off', false)",
		"failed: permission denied for function set_config",
	},
	{"transaction", "PREPARE TRANSACTION 'a'", "rejected: a query"},
	{"transaction", "SELECT pg_export_snapshot()", "failed: permission denied for function pg_export_snapshot"},
	{"transaction", "SET SESSION CHARACTERISTICS AS TRANSACTION READ WRITE", "rejected: a query"},
	{"transaction", "DO $$ BEGIN COMMIT; END $$", "rejected: a query"},
	{"transaction", "CALL something()", "rejected: a query"},
	// Another role.
	{"role", "SET ROLE examen_builder", "rejected: a query"},
	{"role", "SET SESSION AUTHORIZATION examen_practice", "rejected: a query"},
	{"role", "RESET ROLE", "rejected: a query"},
	{"role", "SELECT set_config('role', 'examen_builder', false)", "failed: permission denied for function set_config"},
	{"role", "ALTER ROLE CURRENT_USER PASSWORD 'mine'", "rejected: a query"},
	{"role", "CREATE ROLE mine SUPERUSER", "rejected: a query"},
	{"role", "GRANT examen_checkers TO CURRENT_USER", "rejected: a query"},
	{"role", "SELECT * FROM pg_authid", "failed: permission denied for table pg_authid"},
	{"role", "SELECT * FROM pg_shadow", "failed: permission denied for view pg_shadow"},
	{"role", "SELECT * FROM pg_roles", "failed: permission denied for view pg_roles"},
	{"role", "SELECT * FROM pg_auth_members", "failed: permission denied for table pg_auth_members"},
	// Several statements.
	{"several", "SELECT 1; DELETE FROM hive", "rejected: one query is expected"},
	{"several", "SELECT 1;; SELECT 2", "rejected: one query is expected"},
	{"several", "SELECT 1; COMMIT; DROP TABLE hive; --", "rejected: one query is expected"},
	{"several", "SELECT $$;$$; DROP TABLE hive", "rejected: one query is expected"},
	{"several", "/* ; */ SELECT 1 -- ;\n; DROP TABLE hive", "rejected: one query is expected"},
	{"several", "\\! id", "failed: Syntax error"},
	// Writing.
	{"writing", "INSERT INTO hive DEFAULT VALUES", "rejected: a query"},
	{"writing", "UPDATE hive SET name = 'x'", "rejected: a query"},
	{"writing", "DELETE FROM hive", "rejected: a query"},
	{"writing", "TRUNCATE hive", "rejected: a query"},
	{"writing", "MERGE INTO hive USING apiary ON false WHEN NOT MATCHED THEN DO NOTHING", "rejected: a query"},
	{"writing", "WITH gone AS (DELETE FROM hive RETURNING *) SELECT * FROM gone", "rejected: a query"},
	{
		"writing", "WITH a AS (INSERT INTO apiary SELECT * FROM apiary RETURNING 1) SELECT count(*) FROM a",
		"rejected: a query",
	},
	{
		"writing",
		"WITH a AS (SELECT 1), b AS (WITH c AS (UPDATE hive SET name = '' RETURNING 1) SELECT * FROM c) SELECT * " +
			"FROM b",
		"rejected: a query",
	},
	{"writing", "SELECT * INTO copied FROM hive", "rejected: a query"},
	{"writing", "SELECT * INTO TEMP copied FROM hive", "rejected: a query"},
	{"writing", "CREATE TABLE mine AS SELECT 1", "rejected: a query"},
	{"writing", "CREATE TEMPORARY TABLE mine (x int)", "rejected: a query"},
	{"writing", "CREATE VIEW mine AS SELECT 1", "rejected: a query"},
	{"writing", "CREATE FUNCTION mine() RETURNS int LANGUAGE sql AS 'SELECT 1'", "rejected: a query"},
	{
		"writing", "CREATE FUNCTION pg_temp.mine() RETURNS int LANGUAGE plpgsql AS 'BEGIN RETURN 1; END'",
		"rejected: a query",
	},
	{"writing", "CREATE SCHEMA mine", "rejected: a query"},
	{"writing", "CREATE EXTENSION pgcrypto", "rejected: a query"},
	{"writing", "DROP TABLE hive CASCADE", "rejected: a query"},
	{"writing", "ALTER TABLE hive OWNER TO CURRENT_USER", "rejected: a query"},
	{"writing", "COMMENT ON TABLE hive IS 'x'", "rejected: a query"},
	{"writing", "REFRESH MATERIALIZED VIEW hive", "rejected: a query"},
	{"writing", "EXPLAIN ANALYZE DELETE FROM hive", "rejected: a query"},
	{"writing", "SELECT lo_create(0)", "failed: permission denied for function lo_create"},
	{"writing", "SELECT lo_from_bytea(0, 'x')", "failed: permission denied for function lo_from_bytea"},
	{"writing", "SELECT lo_put(1, 0, 'x')", "failed: permission denied for function lo_put"},
	{
		"writing", "SELECT lo_unlink(oid) FROM pg_largeobject_metadata",
		"failed: permission denied for function lo_unlink",
	},
	{"writing", "SELECT nextval('hive_id')", "failed: does not exist"},
	{
		"writing", "SELECT setval(oid::regclass, 1) FROM pg_class WHERE relkind = 'S'",
		"failed: permission denied for function setval",
	},
	{"writing", "SELECT lastval()", "failed: permission denied for function lastval"},
	{
		"writing", "SELECT query_to_xml('DELETE FROM hive', true, true, '')",
		"failed: permission denied for function query_to_xml",
	},
	{"writing", "SELECT table_to_xml('hive', true, true, '')", "failed: permission denied for function table_to_xml"},
	{"writing", "SELECT database_to_xml(true, true, '')", "failed: permission denied for function database_to_xml"},
	{"writing", "SELECT * FROM ts_stat('DELETE FROM hive')", "failed: permission denied for function ts_stat"},
	{"writing", "SELECT ts_rewrite('a'::tsquery, 'SELECT 1')", "failed: permission denied for function ts_rewrite"},
	{"writing", "SELECT cursor_to_xml('a', 1, true, true, '')", "failed: permission denied for function cursor_to_xml"},
	{"writing", "SELECT * FROM hive FOR UPDATE", "rejected: locks rows"},
	// Files.
	{"files", "SELECT pg_read_file('/etc/passwd')", "failed: permission denied for function pg_read_file"},
	{"files", "SELECT pg_read_binary_file('PG_VERSION')", "failed: permission denied for function pg_read_binary_file"},
	{"files", "SELECT * FROM pg_ls_dir('.')", "failed: permission denied for function pg_ls_dir"},
	{"files", "SELECT * FROM pg_ls_logdir()", "failed: permission denied for function pg_ls_logdir"},
	{"files", "SELECT * FROM pg_stat_file('PG_VERSION')", "failed: permission denied for function pg_stat_file"},
	{"files", "SELECT pg_relation_filepath('hive')", "failed: permission denied for function pg_relation_filepath"},
	{"files", "SELECT pg_current_logfile()", "failed: permission denied for function pg_current_logfile"},
	{"files", "SELECT lo_import('/etc/passwd')", "failed: permission denied for function lo_import"},
	{"files", "SELECT lo_export(1, '/tmp/x')", "failed: permission denied for function lo_export"},
	{"files", "COPY hive TO '/tmp/hive'", "rejected: a query"},
	{"files", "COPY hive TO PROGRAM 'id'", "rejected: a query"},
	{"files", "COPY hive FROM '/etc/passwd'", "rejected: a query"},
	{"files", "COPY (SELECT 1) TO STDOUT", "rejected: a query"},
	{"files", "LOAD 'auto_explain'", "rejected: a query"},
	{
		"files",
		"SELECT xmlparse(document '<!DOCTYPE a [<!ENTITY b SYSTEM \"file:///etc/passwd\">]><a>&b;</a>')::text LIKE " +
			"'%root%'",
		"rejected: not available",
	},
	// The settings, and the server.
	{"settings", "SHOW data_directory", "rejected: a query"},
	{"settings", "SELECT current_setting('data_directory')", "failed: permission denied for function current_setting"},
	{"settings", "SELECT * FROM pg_settings", "failed: permission denied for view pg_settings"},
	{"settings", "SELECT * FROM pg_file_settings", "failed: permission denied for view pg_file_settings"},
	{"settings", "SELECT * FROM pg_hba_file_rules", "failed: permission denied for view pg_hba_file_rules"},
	{"settings", "SELECT * FROM pg_config()", "failed: permission denied for function pg_config"},
	{"settings", "SELECT * FROM pg_db_role_setting", "failed: permission denied for table pg_db_role_setting"},
	{"settings", "SELECT version()", "failed: permission denied for function version"},
	{"settings", "SELECT inet_server_addr()", "failed: permission denied for function inet_server_addr"},
	{
		"settings", "SELECT pg_postmaster_start_time()",
		"failed: permission denied for function pg_postmaster_start_time",
	},
	{"settings", "SELECT * FROM pg_tablespace", "failed: permission denied for table pg_tablespace"},
	// Other roles' activity.
	{"others", "SELECT * FROM pg_stat_activity", "failed: permission denied for view pg_stat_activity"},
	{
		"others", "SELECT * FROM pg_stat_get_activity(NULL)",
		"failed: permission denied for function pg_stat_get_activity",
	},
	{"others", "SELECT * FROM pg_locks", "failed: permission denied for view pg_locks"},
	{
		"others", "SELECT pg_cancel_backend(pid) FROM generate_series(1, 99999) AS pid",
		"failed: permission denied for function pg_cancel_backend",
	},
	{"others", "SELECT pg_terminate_backend(1)", "failed: permission denied for function pg_terminate_backend"},
	{"others", "SELECT pg_backend_pid()", "failed: permission denied for function pg_backend_pid"},
	{"others", "SELECT pg_notify('all', 'x')", "failed: permission denied for function pg_notify"},
	{"others", "NOTIFY everybody", "rejected: a query"},
	{"others", "LISTEN everybody", "rejected: a query"},
	{
		"others", "SELECT pg_log_backend_memory_contexts(1)",
		"failed: permission denied for function pg_log_backend_memory_contexts",
	},
	{"others", "SELECT pg_stat_reset()", "failed: permission denied for function pg_stat_reset"},
	{"others", "SELECT * FROM pg_prepared_statements", "failed: permission denied for function pg_prepared_statement"},
	{"others", "SELECT * FROM pg_cursors", "failed: permission denied for function pg_cursor"},
	// Other datasets, hidden variants, reference answers, records.
	{"datasets", "SELECT datname FROM pg_database", "failed: permission denied for table pg_database"},
	{"datasets", "SELECT * FROM dblink('dbname=postgres', 'SELECT 1') AS t (x int)", "failed: function dblink"},
	{
		"datasets", "SELECT has_database_privilege('postgres', 'connect')",
		"failed: permission denied for function has_database_privilege",
	},
	{"datasets", "SELECT pg_database_size('postgres')", "failed: permission denied for function pg_database_size"},
	{
		"datasets", "SELECT shobj_description(1, 'pg_database')",
		"failed: permission denied for function shobj_description",
	},
	{"datasets", "SELECT * FROM postgres.public.hive", "failed: Cross-database references are not implemented"},
	{"datasets", "SELECT reference FROM exercise", `failed: Relation "exercise" does not exist`},
	{"datasets", "SELECT * FROM attempt", `failed: Relation "attempt" does not exist`},
	{"datasets", "SELECT count(*) FROM pg_user_mappings", "done: 0"},
	{"datasets", "SELECT count(*) FROM pg_largeobject_metadata", "done: 0"},
	{"datasets", "\\connect postgres", "failed: Syntax error"},
	// Locks.
	{"locks", "SELECT pg_advisory_lock(1)", "failed: permission denied for function pg_advisory_lock"},
	{
		"locks", "SELECT pg_try_advisory_xact_lock(1)",
		"failed: permission denied for function pg_try_advisory_xact_lock",
	},
	{"locks", "LOCK TABLE hive IN ACCESS EXCLUSIVE MODE", "rejected: a query"},
	{"locks", "SELECT * FROM apiary FOR SHARE", "rejected: locks rows"},
	{"locks", "WITH a AS (SELECT * FROM apiary FOR UPDATE) SELECT * FROM a", "rejected: locks rows"},
	{"locks", "SELECT pg_sleep(600)", "stopped: time limit"},
	{"locks", "SELECT pg_sleep_until('2099-01-01')", "stopped: time limit"},
	// The WAL, the disk, the memory, the processor, the catalogue.
	{
		"filling", "SELECT pg_logical_emit_message(false, 'x', repeat('x', 1000000)) FROM generate_series(1, 1000000)",
		"failed: permission denied for function pg_logical_emit_message",
	},
	{"filling", "SELECT pg_switch_wal()", "failed: permission denied for function pg_switch_wal"},
	{"filling", "CHECKPOINT", "rejected: a query"},
	{"filling", "VACUUM FULL", "rejected: a query"},
	{"filling", "SELECT txid_current()", "failed: permission denied for function txid_current"},
	{
		"filling",
		"SELECT count(*) FROM (SELECT a.*, repeat('x', 500) FROM inspection a, inspection b, hive c ORDER BY " +
			"random()) AS t",
		"stopped: limit",
	},
	{"filling", "SELECT count(*) FROM generate_series(1, 1000000000000)", "stopped: limit"},
	{"filling", "SELECT length(string_agg(repeat('x', 90000000), '')) FROM generate_series(1, 10)", "stopped: limit"},
	{"filling", "SELECT length(repeat('x', 1000000000) || repeat('x', 900000000))", "stopped: memory limit"},
	{"filling", "SELECT repeat('x', 250000000)", "stopped: limit"},
	{"filling", "SELECT length(lpad('', 1000000000))", "failed: Requested length too large"},
	{"filling", "SELECT array_length(array_fill(1, ARRAY[130000000]), 1)", "stopped: memory limit"},
	{
		"filling",
		"SELECT sum(length(a)) FROM (SELECT array_agg(repeat('x', 1000)) AS b FROM generate_series(1, 5000000)) AS " +
			"t, unnest(b) AS a",
		"stopped: limit",
	},
	{
		"filling", "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT max(i) FROM n",
		"stopped: time limit",
	},
	{
		"filling", "WITH RECURSIVE n(s) AS (SELECT 'x' UNION ALL SELECT s || s FROM n) SELECT max(length(s)) FROM n",
		"stopped: limit",
	},
	{"filling", "SELECT count(*) FROM inspection a, inspection b, inspection c, inspection d", "stopped: time limit"},
	{"filling", "SELECT 10 ^ 100000", "failed: out of range"},
	{"filling", "SELECT length((10::numeric ^ 130000)::text)", "done: "},
	{"filling", "SELECT regexp_matches(repeat('a', 5000), '(a*)*(a*)*(a*)*b')", "done: "},
	{"filling", "SELECT " + strings.Repeat("(", 20000) + "1" + strings.Repeat(")", 20000), "failed: "},
	{"filling", "SELECT 1" + strings.Repeat(" UNION SELECT 1", 6000), "failed: nests deeper"},
	{"filling", "SELECT 1" + strings.Repeat("+1", 49000), "failed: nests deeper"},
	{"filling", "SELECT " + strings.Repeat("- ", 49000) + "1", "failed: "},
	{"filling", "SELECT " + strings.Repeat("NOT ", 24000) + "true", "failed: "},
	{"filling", "SELECT 1" + strings.Repeat("::int", 19000), "failed: nests deeper"},
	{"filling", "SELECT '{}'::int[]" + strings.Repeat("[1]", 30000), "done: {}"},
	{"filling", strings.Repeat("SELECT (", 11000) + "1" + strings.Repeat(")", 11000), "failed: "},
	{
		"filling", "SELECT " + strings.Repeat("CASE WHEN true THEN ", 4000) + "1" + strings.Repeat(" END", 4000),
		"failed: ",
	},
	{"filling", "SELECT " + strings.Repeat("abs(", 6000) + "1" + strings.Repeat(")", 6000), "failed: "},
	// Results of huge rows, columns and cells.
	{"results", "SELECT repeat('x', 9000000)", "stopped: 8 MB for one row"},
	{"results", "SELECT repeat('x', 1000000) FROM generate_series(1, 10000)", "stopped: limit"},
	{"results", "SELECT n FROM generate_series(1, 5000000) AS n", "stopped: limit"},
	{"results", "SELECT 1" + strings.Repeat(", 1", 1999), "failed: Target lists can have at most 1664 entries"},
	{"results", "SELECT " + strings.Repeat("'x' AS \"<b>\", ", 500) + "1", "done: x"},
	{"results", "SELECT", "done: "},
	{"results", "SELECT chr(0)", "failed: Null character not permitted"},
	{"results", "SELECT E'\\x1b[2J', chr(8238), '<script>alert(1)</script>', '=1+1'", "done: \x1b[2J"},
	// Sessions left dirty.
	{"session", "PREPARE mine AS SELECT 1", "rejected: a query"},
	{"session", "EXECUTE mine", "rejected: a query"},
	{"session", "DEALLOCATE ALL", "rejected: a query"},
	{"session", "DECLARE mine CURSOR WITH HOLD FOR SELECT 1", "rejected: a query"},
	{"session", "FETCH ALL FROM mine", "rejected: a query"},
	{"session", "DISCARD ALL", "rejected: a query"},
	{"session", "SET search_path = pg_catalog", "rejected: a query"},
	{"session", "SELECT setseed(0.5)", "failed: permission denied for function setseed"},
	{
		"session", "SELECT set_config('search_path', 'pg_catalog', false)",
		"failed: permission denied for function set_config",
	},
	{
		"session", "SELECT pg_catalog.pg_advisory_unlock_all()",
		"failed: permission denied for function pg_advisory_unlock_all",
	},
	{"session", "CREATE TEMP VIEW mine AS SELECT 1", "rejected: a query"},
}

// Whatever a learner sends, they get what the table says, and the next learner, on the same seat, finds it clean. What
// is to reach the time limit is sent where that is short, all else where it is so long that a slow machine does not
// reach it.
func TestNothingEscapes(t *testing.T) {
	all := append(append([]statement{}, hostile...), refusedCalls()...)
	if len(all) < 300 {
		t.Errorf("only %d statements", len(all))
	}
	var quick, endless []statement
	for _, c := range all {
		if c.gets == "stopped: time limit" || c.gets == "stopped: limit" {
			endless = append(endless, c)
		} else {
			quick = append(quick, c)
		}
	}
	t.Run("quick", func(t *testing.T) { sendAll(t, "120s", quick) })
	t.Run("endless", func(t *testing.T) { sendAll(t, "1s", endless) })
}

// sendAll sends statements to a service with one seat.
func sendAll(t *testing.T, limit string, all []statement) {
	folder := whole.DemoDir(t)
	// 256 MB for each session
	s := whole.Start(
		t, "demo", "--data-dir", folder, "--seats", "1", "--limit-time", limit, "--limit-memory", "512",
		"--limit-calls", "100000",
	)
	robin, wren := whole.As(t, s.URL, "robin", demo.LearnerPassword), whole.As(
		t, s.URL, demo.NewLearnerName, demo.LearnerPassword,
	)
	pool := whole.Superuser(t, folder, "practice", "postgres")
	run := func(c *client.Client, sql string) (client.Run, error) {
		return client.Read[client.Run](c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: sql}))
	}
	// A view of what a session can keep, and what would be wrong in another's.
	const probe = `SELECT current_schema(), date '2026-01-02'::text, (SELECT count(*) FROM hive), (SELECT count(*)
FROM pg_class WHERE relpersistence = 't'),
		(SELECT count(*) FROM pg_largeobject_metadata), '1 day 02:00'::interval::text, extract(hour FROM timestamptz
		'2026-01-02 12:00+00'), to_regclass('copied') IS NULL AND to_regclass('mine') IS NULL`
	const clean = "public 2026-01-02 96 0 0 1 day 02:00:00 12 t"
	for _, c := range all {
		got, err := run(robin, c.sql)
		if err != nil {
			t.Fatalf("%s: %s: %v", c.after, short(c.sql), err)
		}
		said := got.Error.Title + " " + got.Error.Detail
		if got.Outcome == client.Done && len(got.Rows) > 0 && len(got.Rows[0]) > 0 && got.Rows[0][0] != nil {
			said = *got.Rows[0][0]
		}
		outcome, part, _ := strings.Cut(c.gets, ": ")
		if string(got.Outcome) != outcome || !strings.Contains(strings.ToLower(said), strings.ToLower(part)) {
			t.Errorf("%s: %s\n gets %s: %s\n want %s", c.after, short(c.sql), got.Outcome, said, c.gets)
		}
		next, err := run(wren, probe)
		if err != nil || next.Outcome != client.Done {
			t.Fatalf("after %s: the next learner gets %+v, %v", short(c.sql), next.Error, err)
		}
		var cells []string
		for _, cell := range next.Rows[0] {
			cells = append(cells, *cell)
		}
		if found := strings.Join(cells, " "); found != clean {
			t.Errorf("after %s: the next learner finds %s", short(c.sql), found)
		}
	}
	var open, locks, prepared int
	if err := pool.QueryRow(ctx, `SELECT (SELECT count(*) FROM pg_stat_activity WHERE starts_with(usename,
'examen_seat') AND state LIKE 'idle in transaction%'),
		(SELECT count(*) FROM pg_locks JOIN pg_stat_activity USING
		(pid) WHERE locktype = 'advisory' AND starts_with(usename,
		'examen_seat')), (SELECT count(*) FROM pg_prepared_xacts)`).Scan(&open, &locks, &prepared); err != nil ||
		open+locks+prepared > 0 {
		t.Errorf("left on the server: %d transactions, %d locks, %d prepared, %v", open, locks, prepared, err)
	}
}

func short(sql string) string {
	if len(sql) > 120 {
		return fmt.Sprintf("%s... (%d bytes)", sql[:120], len(sql))
	}
	return sql
}
