package practice

import (
	"context"
	"fmt"
	"hash/fnv"
	"strings"

	"github.com/jackc/pgx/v5"
)

// revocable finds the functions to revoke: those that everybody may execute now, that are not immutable, and that are not allowed.
const revocable = `
SELECT p.oid::regprocedure::text
FROM pg_proc p
WHERE p.prorettype <> 'trigger'::regtype
  AND (p.proacl IS NULL OR EXISTS (SELECT FROM aclexplode(p.proacl) a WHERE a.grantee = 0))
  AND p.provolatile <> 'i' AND p.proname <> ALL ($1)
ORDER BY 1`

// hideable finds those of the hidden relations that this server has, and the views of its statistics.
const hideable = `
SELECT c.oid::regclass::text FROM pg_class c
WHERE c.relnamespace = 'pg_catalog'::regnamespace AND c.relkind IN ('r', 'v') AND (c.relname = ANY ($1) OR c.relname ~ '^pg_stat(io)?_')
ORDER BY 1`

// prepareTemplate makes the database that every build is a copy of: empty, closed to PUBLIC, with functions revoked. Setup
// scripts may still use those functions. Its name stands for its contents, so that a changed list makes a new one.
func (s *Server) prepareTemplate(ctx context.Context, conn *pgx.Conn) error {
	hash := fnv.New32a()
	fmt.Fprint(hash, "3", allowedNames(), hidden)
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
		rows, _ := conn.Query(ctx, revocable, allowedNames())
		functions, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		rows, _ = conn.Query(ctx, hideable, hidden)
		relations, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		list, shown := strings.Join(functions, ", "), strings.Join(relations, ", ")
		_, err = conn.Exec(ctx, "REVOKE EXECUTE ON ROUTINE "+list+" FROM PUBLIC; GRANT EXECUTE ON ROUTINE "+list+" TO "+builderRole+
			"; REVOKE SELECT ON "+shown+" FROM PUBLIC; GRANT SELECT ON "+shown+" TO "+builderRole+
			"; REVOKE USAGE ON LANGUAGE plpgsql, sql FROM PUBLIC; GRANT USAGE ON LANGUAGE plpgsql, sql TO "+builderRole) // so that DO runs nothing
		return err
	})
	if err != nil {
		return fmt.Errorf("revoke functions: %w", err)
	}
	_, err = conn.Exec(ctx, "ALTER DATABASE "+quote(s.template)+" IS_TEMPLATE true")
	return err
}
