package test

import "fmt"

// closed are calls that no seat may make, by what they are after: each is sent by itself, in a subquery and in FROM,
// and gets the same.
var closed = map[string][]string{
	"names by number": {
		"pg_describe_object(1262, 1, 0)",
		"pg_identify_object(1262, 1, 0)",
		"pg_identify_object_as_address(1260, 10, 0)",
		"pg_get_object_address('role', '{examen_owner}', '{}')",
		"to_regrole('examen_owner')",
		"acldefault('r', 10)",
		"makeaclitem(10, 10, 'SELECT', false)",
		"shobj_description(10, 'pg_authid')",
		"pg_tablespace_databases(1663)",
		"pg_tablespace_location(1663)",
		"pg_stat_get_db_numbackends(1)",
		"pg_stat_get_backend_dbid(1)",
		"pg_stat_get_backend_userid(1)",
		"pg_stat_get_backend_activity(1)",
		"has_database_privilege(1, 'connect')",
		"has_tablespace_privilege(1663, 'create')",
		"pg_database_size(1)",
		"pg_relation_size('hive')",
		"pg_total_relation_size('hive')",
		"pg_table_size('hive')",
		"pg_indexes_size('hive')",
		"pg_relation_filenode('hive')",
		"pg_filenode_relation(0, 1)",
	},
	"where it runs": {
		"pg_is_in_recovery()",
		"inet_client_addr()",
		"inet_client_port()",
		"inet_server_port()",
		"pg_conf_load_time()",
		"pg_current_wal_lsn()",
		"pg_current_xact_id()",
		"txid_current_snapshot()",
		"pg_current_snapshot()",
		"pg_my_temp_schema()",
		"pg_jit_available()",
		"pg_blocking_pids(1)",
		"pg_safe_snapshot_blocking_pids(1)",
		"pg_listening_channels()",
		"pg_notification_queue_usage()",
		"pg_trigger_depth()",
		"pg_control_system()",
		"pg_control_init()",
		"pg_show_all_settings()",
		"pg_get_shmem_allocations()",
		"pg_get_backend_memory_contexts()",
		"pg_stat_get_wal()",
		"pg_stat_get_archiver()",
		"pg_hba_file_rules()",
		"pg_lock_status()",
	},
	"what has no end": {
		"xpath('//*', xmlelement(NAME a))",
		"xpath_exists('//*', xmlelement(NAME a))",
		"normalize(repeat('x', 10))",
		"is_normalized('x')",
		"'((0,0),(1,1))'::path ?# '((0,0),(1,1))'::path",
		"'((0,0),(1,1))'::path <-> '((0,0),(1,1))'::path",
		"'((0,0),(1,1))'::polygon && '((0,0),(1,1))'::polygon",
	},
	"the server's state": {
		"pg_rotate_logfile()",
		"pg_create_restore_point('a')",
		"pg_backup_start('a')",
		"pg_wal_replay_pause()",
		"pg_promote()",
		"pg_drop_replication_slot('a')",
		"pg_create_physical_replication_slot('a')",
		"pg_replication_origin_create('a')",
		"pg_stat_reset_shared('bgwriter')",
		"pg_advisory_xact_lock(1)",
		"pg_try_advisory_lock(1)",
		"lo_open(1, 131072)",
		"loread(0, 10)",
		"lowrite(0, 'x')",
		"lo_get(1)",
		"lo_truncate(0, 0)",
		"pg_import_system_collations('public')",
	},
}

// refusedCalls are those calls, written in three ways each.
func refusedCalls() []statement {
	var all []statement
	for after, calls := range closed {
		for _, call := range calls {
			denied := "failed: permission denied"
			for _, form := range []string{"SELECT %s", "SELECT (SELECT %s FROM hive LIMIT 1)"} {
				all = append(all, statement{after, fmt.Sprintf(form, call), denied})
			}
		}
	}
	for _, kind := range []string{"regrole", "regrole[]", "pg_catalog.regrole", "aclitem", "xml"} {
		// built into the language: their input and output need no right
		all = append(all, statement{"types", "SELECT NULL::" + kind, "rejected: not available"}, statement{
			"types", "SELECT CAST(NULL AS " + kind + ")", "rejected: not available",
		},
			statement{"types", "SELECT * FROM json_to_record('{}') AS t(a " + kind + ")", "rejected: not available"})
	}
	return append(all, statement{
		"types", "SELECT * FROM XMLTABLE('//*' PASSING NULL COLUMNS a text)", "rejected: not available",
	}, statement{"types", "SELECT XMLPARSE(CONTENT '<a/>')", "rejected: not available"},
		statement{"types", "SELECT 10::oid::regrole", "rejected: not available"})
}
