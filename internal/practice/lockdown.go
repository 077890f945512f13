package practice

import (
	"context"
	"fmt"
	"hash/fnv"
	"strings"

	"github.com/jackc/pgx/v5"
)

// allowedVolatile are the volatile functions of PostgreSQL that a seat may execute. Every other volatile function is
// revoked, those of newer servers too: they may act beyond the query, on the session, the server or its files.
var allowedVolatile = []string{
	"random", "clock_timestamp", "timeofday", "gen_random_uuid", // give a value and leave nothing behind
	"pg_sleep", "pg_sleep_for", "pg_sleep_until", // end at the time limit at the latest
}

// revokedStable are the functions that are not volatile and are revoked all the same: they run SQL given as text, or tell of
// the server, its settings, or other sessions. A name that ends in % stands for all that begin so.
var revokedStable = []string{
	"query_to_xml%", "cursor_to_xml%", "table_to_xml%", "schema_to_xml%", "database_to_xml%", "ts_stat", "ts_rewrite",
	"current_setting", "pg_show_all_settings", "pg_settings_get_flags", "pg_show_all_file_settings", "pg_hba_file_rules", "pg_ident_file_mappings",
	"pg_stat_get_%", "pg_stat_%", "pg_get_backend_memory_contexts", "pg_get_shmem_allocations", "pg_lock_status", "pg_blocking_pids", "pg_safe_snapshot_blocking_pids",
	"pg_prepared_%", "pg_cursor", "pg_get_replication_%", "pg_get_wal_%", "pg_current_%", "pg_last_%", "pg_control_%", "pg_config", "pg_ls_%", "pg_read_%",
	"txid_%", "pg_xact_%", "pg_snapshot_%", "pg_conf_load_time", "pg_postmaster_start_time", "pg_backend_pid", "pg_my_temp_schema",
	"inet_server_%", "inet_client_%", "pg_database_size", "pg_tablespace_size", "pg_tablespace_location", "pg_tablespace_databases",
	"pg_listening_channels", "pg_notification_queue_usage", "pg_trigger_depth", "pg_available_extension%", "pg_extension_update_paths",
	"has_parameter_privilege", "pg_is_%", "version",
}

// revocable finds the functions to revoke: those that everybody may execute now.
const revocable = `
SELECT p.oid::regprocedure::text
FROM pg_proc p
WHERE p.pronamespace IN ('pg_catalog'::regnamespace, 'information_schema'::regnamespace)
  AND p.prorettype <> 'trigger'::regtype
  AND (p.proacl IS NULL OR EXISTS (SELECT FROM aclexplode(p.proacl) a WHERE a.grantee = 0))
  AND (p.provolatile = 'v' AND p.proname <> ALL ($1) OR p.proname LIKE ANY ($2))
ORDER BY 1`

// prepareTemplate makes the database that every build is a copy of: empty, closed to PUBLIC, with functions revoked. Setup
// scripts may still use those functions. Its name stands for its contents, so that a changed list makes a new one.
func (s *Server) prepareTemplate(ctx context.Context, conn *pgx.Conn) error {
	patterns := make([]string, len(revokedStable))
	for i, name := range revokedStable {
		patterns[i] = strings.ReplaceAll(name, "_", `\_`)
	}
	hash := fnv.New32a()
	fmt.Fprint(hash, "2", allowedVolatile, revokedStable)
	s.template = fmt.Sprintf("examen_template_%08x", hash.Sum32())
	var ready bool
	if err := conn.QueryRow(ctx, `SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1 AND datistemplate)`, s.template).Scan(&ready); err != nil || ready {
		return err
	}
	for _, sql := range []string{
		"DROP DATABASE IF EXISTS " + quote(s.template), // what a start that was cut short left
		"CREATE DATABASE " + quote(s.template) + " TEMPLATE template0",
		"REVOKE ALL ON DATABASE " + quote(s.template) + ", postgres, template1 FROM PUBLIC",
	} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return err
		}
	}
	err := s.in(ctx, s.template, func(conn *pgx.Conn) error {
		rows, _ := conn.Query(ctx, revocable, allowedVolatile, patterns)
		functions, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		list := strings.Join(functions, ", ")
		_, err = conn.Exec(ctx, "REVOKE EXECUTE ON ROUTINE "+list+" FROM PUBLIC; GRANT EXECUTE ON ROUTINE "+list+" TO "+builderRole+
			"; REVOKE USAGE ON LANGUAGE plpgsql, sql FROM PUBLIC; GRANT USAGE ON LANGUAGE plpgsql, sql TO "+builderRole) // so that DO runs nothing
		return err
	})
	if err != nil {
		return fmt.Errorf("revoke functions: %w", err)
	}
	_, err = conn.Exec(ctx, "ALTER DATABASE "+quote(s.template)+" IS_TEMPLATE true")
	return err
}
