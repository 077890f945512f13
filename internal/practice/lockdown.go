package practice

import (
	"context"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
)

// revocable finds the functions to revoke: those that everybody may execute now, that are not immutable and not
// allowed, or that are named.
const revocable = `
SELECT p.oid::regprocedure::text
FROM pg_proc p
WHERE p.prorettype <> 'trigger'::regtype
  AND (p.proacl IS NULL OR EXISTS (SELECT FROM aclexplode(p.proacl) a WHERE a.grantee = 0))
  AND (p.provolatile <> 'i' AND p.proname <> ALL ($1) OR p.proname = ANY ($2))
ORDER BY 1`

// hideable finds those of the hidden relations that this server has, and the views of its statistics.
const hideable = `
SELECT c.oid::regclass::text FROM pg_class c
WHERE c.relnamespace = 'pg_catalog'::regnamespace AND c.relkind IN ('r', 'v') AND (c.relname = ANY ($1) OR c.relname
~ '^pg_stat(io)?_')
ORDER BY 1`

// told are functions that tell a session where it is, or who is who. Others need them, such as the views of the
// information schema, so they are not closed but answer the same everywhere: in the planner, which puts the answer in
// their place. Setup scripts are told their database's name.
const told = `
CREATE OR REPLACE FUNCTION pg_catalog.current_database() RETURNS name LANGUAGE sql STABLE PARALLEL SAFE
	AS $$SELECT CASE WHEN
	pg_catalog.starts_with(CURRENT_USER, '` + passingRole + `building_') THEN CURRENT_CATALOG
	ELSE 'dataset'::pg_catalog.name END$$;
CREATE OR REPLACE FUNCTION pg_catalog.pg_get_userbyid(role oid) RETURNS name LANGUAGE sql STABLE PARALLEL SAFE AS
$$SELECT 'owner'::pg_catalog.name$$;`

// fence keeps what a copy's learner defines to what a database's tables need: whatever defines something else, such as
// an extension, a foreign server or a publication, is refused, also within functions and blocks, and also what a later
// PostgreSQL brings. Only a superuser can change or drop it.
const fence = `
CREATE FUNCTION pg_catalog.examen_fence() RETURNS event_trigger LANGUAGE plpgsql SET search_path = pg_catalog AS $$
BEGIN
	IF starts_with(session_user::text, '` + copyRole + `') AND tg_tag <> ALL (ARRAY[
		'CREATE TABLE', 'CREATE TABLE AS', 'SELECT INTO', 'ALTER TABLE', 'DROP TABLE',
		'CREATE VIEW', 'ALTER VIEW', 'DROP VIEW',
		'CREATE MATERIALIZED VIEW', 'ALTER MATERIALIZED VIEW', 'DROP MATERIALIZED VIEW', 'REFRESH MATERIALIZED VIEW',
		'CREATE INDEX', 'ALTER INDEX', 'DROP INDEX', 'REINDEX', 'CREATE STATISTICS', 'ALTER STATISTICS',
			'DROP STATISTICS',
		'CREATE SEQUENCE', 'ALTER SEQUENCE', 'DROP SEQUENCE', 'CREATE SCHEMA', 'ALTER SCHEMA', 'DROP SCHEMA',
		'CREATE TYPE', 'ALTER TYPE', 'DROP TYPE', 'CREATE DOMAIN', 'ALTER DOMAIN', 'DROP DOMAIN',
		'CREATE FUNCTION', 'ALTER FUNCTION', 'DROP FUNCTION', 'CREATE PROCEDURE', 'ALTER PROCEDURE', 'DROP PROCEDURE',
		'ALTER ROUTINE', 'DROP ROUTINE', 'CREATE AGGREGATE', 'ALTER AGGREGATE', 'DROP AGGREGATE',
		'CREATE TRIGGER', 'ALTER TRIGGER', 'DROP TRIGGER', 'CREATE RULE', 'ALTER RULE', 'DROP RULE',
		'CREATE POLICY', 'ALTER POLICY', 'DROP POLICY', 'COMMENT'])
	THEN
		RAISE insufficient_privilege USING MESSAGE = tg_tag || ' is not available in a copy';
	END IF;
END $$;
REVOKE EXECUTE ON FUNCTION pg_catalog.examen_fence() FROM PUBLIC;
CREATE EVENT TRIGGER examen_fence ON ddl_command_start EXECUTE FUNCTION pg_catalog.examen_fence();`

// copiesNeed are functions that only copies have a use for: of a database's sequences, which nobody changes elsewhere,
// and of what is counted of a table's changes.
const copiesNeed = `nextval currval lastval setval pg_sequence_last_value pg_stat_force_next_flush
pg_stat_get_tuples_inserted pg_stat_get_tuples_updated pg_stat_get_tuples_deleted pg_relation_size`

// prepareTemplate makes the database that every build is a copy of: empty, closed to PUBLIC, with functions revoked.
// Setup scripts may still use those functions. Its name stands for its contents, so that a changed list makes a new
// one.
func (s *server) prepareTemplate(ctx context.Context, conn *pgx.Conn) error {
	hash := fnv.New32a()
	fmt.Fprint(
		hash, "5", allowedNames(), runsOnly, endless, tellsNames, hidden, readersNeed, told, fence, copiesNeed,
	)
	s.template = fmt.Sprintf("examen_template_%08x", hash.Sum32())
	var ready bool
	if err := conn.QueryRow(
		ctx, `SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1 AND datistemplate)`, s.template,
	).Scan(&ready); err != nil || ready {
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
	// no script has been in it
	inside, err := s.connect(ctx, s.config.ConnConfig.User, s.config.ConnConfig.Password, s.template)
	if err != nil {
		return s.reach(err)
	}
	err = closeTemplate(ctx, inside)
	inside.Close(context.WithoutCancel(ctx))
	if err != nil {
		return fmt.Errorf("revoke functions: %w", err)
	}
	_, err = conn.Exec(ctx, "ALTER DATABASE "+quote(s.template)+" IS_TEMPLATE true")
	return err
}

func closeTemplate(ctx context.Context, conn *pgx.Conn) error {
	list := func(query string, args ...any) (string, error) {
		rows, _ := conn.Query(ctx, query, args...)
		names, err := pgx.CollectRows(rows, pgx.RowTo[string])
		return strings.Join(names, ", "), err
	}
	functions, err := list(
		revocable, allowedNames(), slices.Concat(strings.Fields(endless), strings.Fields(tellsNames)),
	)
	if err != nil {
		return err
	}
	needed, err := list(
		`SELECT p.oid::regprocedure::text FROM pg_proc p WHERE p.proname = ANY ($1)`, strings.Fields(readersNeed),
	)
	if err != nil {
		return err
	}
	waiting, err := list(
		`SELECT p.oid::regprocedure::text FROM pg_proc p WHERE p.proname = ANY ($1)`, strings.Fields(runsOnly),
	)
	if err != nil {
		return err
	}
	counting, err := list(
		`SELECT p.oid::regprocedure::text FROM pg_proc p WHERE p.proname = ANY ($1)`, strings.Fields(copiesNeed),
	)
	if err != nil {
		return err
	}
	relations, err := list(hideable, hidden)
	if err != nil {
		return err
	}
	var superuser string
	if err := conn.QueryRow(
		ctx, `SELECT quote_ident(rolname) FROM pg_roles WHERE oid = 10`,
	).Scan(&superuser); err != nil {
		return err
	}
	for _, sql := range []string{
		told,
		"REVOKE EXECUTE ON ROUTINE " + functions + " FROM PUBLIC",
		"GRANT EXECUTE ON ROUTINE " + functions + " TO " + builderRole,
		"GRANT EXECUTE ON ROUTINE " + needed + " TO " + readersRole,
		"GRANT SELECT ON pg_catalog.pg_stats TO " + readersRole,
		"GRANT EXECUTE ON ROUTINE " + waiting + " TO " + learnersRole + ", " + copiesRole,
		"GRANT EXECUTE ON ROUTINE " + counting + " TO " + copiesRole,
		"REVOKE SELECT ON " + relations + " FROM PUBLIC",
		"GRANT SELECT ON " + relations + " TO " + builderRole + ", " + ownerRole,
		"REVOKE USAGE ON LANGUAGE plpgsql, sql FROM PUBLIC", // so that DO runs nothing
		"GRANT USAGE ON LANGUAGE plpgsql, sql TO " + builderRole + ", " + copiesRole,
		// What the extensions bring that scripts may make is the superuser's: it is closed as it is made, and its
		// rights are given when the build is handed over.
		"ALTER DEFAULT PRIVILEGES FOR ROLE " + superuser + " REVOKE EXECUTE ON ROUTINES FROM PUBLIC",
		"ALTER DEFAULT PRIVILEGES FOR ROLE " + superuser + " GRANT EXECUTE ON ROUTINES TO " + builderRole,
		"ALTER DEFAULT PRIVILEGES FOR ROLE " + superuser + " GRANT EXECUTE ON ROUTINES TO " + ownerRole +
			" WITH GRANT OPTION",
		fence,
		"ALTER FUNCTION pg_catalog.examen_fence() OWNER TO " + superuser,
		"ALTER EVENT TRIGGER examen_fence OWNER TO " + superuser,
	} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%.80s: %w", sql, err)
		}
	}
	return nil
}
