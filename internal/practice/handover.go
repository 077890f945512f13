package practice

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
)

// When its scripts have run, a build is handed over: what they made goes to a role that nobody is, every right that
// they gave is taken away, what learners need is granted, and what is there then is checked against the list of what
// may be. All of it is done in a session of a role that is a member of the two concerned; no superuser ever has a
// session in a database that a script has been in.

// rightsOf are all rights that somebody other than the owner has on what scripts made: the kind of object, its name,
// and the grantee, as SQL writes them. {owner} is the owner, as a regrole.
const rightsOf = `
WITH object (kind, name, owner, acl) AS (
	SELECT CASE c.relkind WHEN 'S' THEN 'SEQUENCE' ELSE 'TABLE' END, pg_catalog.format('%I.%I', n.nspname,
	c.relname), c.relowner, c.relacl
	FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f', 'S')
	UNION ALL
	SELECT 'TABLE', pg_catalog.format('%I.%I', n.nspname, c.relname), c.relowner, a.attacl
	FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE
	a.attacl IS NOT NULL
	UNION ALL
	SELECT 'ROUTINE', p.oid::regprocedure::text, p.proowner, coalesce(p.proacl, pg_catalog.acldefault('f',
	p.proowner)) FROM pg_proc p
	UNION ALL
	SELECT 'SCHEMA', pg_catalog.quote_ident(n.nspname), n.nspowner, n.nspacl FROM pg_namespace n
	UNION ALL
	SELECT 'TYPE', pg_catalog.format_type(t.oid, NULL), t.typowner, t.typacl FROM pg_type t WHERE t.typacl IS NOT NULL
	UNION ALL
	SELECT 'LARGE OBJECT', l.oid::text, l.lomowner, l.lomacl FROM pg_largeobject_metadata l
)
SELECT DISTINCT kind, name, CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END
FROM object, pg_catalog.aclexplode(acl) AS a
WHERE a.grantee <> owner AND owner IN ({owner}, 'pg_database_owner'::regrole)`

// openable are the functions that seats may execute: those of scripts that run with the caller's rights, and of what
// extensions brought those that do no more than make a value.
const openable = `
SELECT p.oid::regprocedure::text
FROM pg_proc p
WHERE p.pronamespace NOT IN ('pg_catalog'::regnamespace, 'information_schema'::regnamespace) AND p.prorettype <>
'trigger'::regtype AND p.prokind <> 'p' AND NOT p.prosecdef
  AND (p.proowner = $3::text::regrole OR (p.provolatile <> 'v' OR p.proname = ANY ($1)) AND p.proname <> ` +
	`ALL ($2))`

// unexpectedIn is what no build may hold: rights other than those given, and objects by which somebody else's rights
// could be used.
const unexpectedIn = `
SELECT 'the right of ' || r.grantee || ' on the ' || pg_catalog.lower(r.kind) || ' ' || r.name
FROM (` + rightsOf + `) AS r (kind, name, grantee)
WHERE NOT (r.grantee = ANY ($1) AND r.kind IN ('TABLE', 'ROUTINE', 'SCHEMA'))
UNION ALL
SELECT 'the function ' || p.oid::regprocedure::text || ', which runs with its owner''s rights'
FROM pg_proc p, pg_catalog.aclexplode(coalesce(p.proacl, pg_catalog.acldefault('f', p.proowner))) AS a
WHERE p.prosecdef AND a.grantee <> p.proowner AND p.pronamespace <> 'pg_catalog'::regnamespace
UNION ALL
SELECT 'the event trigger ' || evtname FROM pg_event_trigger WHERE evtname <> 'examen_fence'
UNION ALL
SELECT 'the publication ' || pubname FROM pg_publication
UNION ALL
SELECT 'the foreign server ' || srvname FROM pg_foreign_server
UNION ALL
SELECT 'default privileges' FROM pg_default_acl WHERE defaclrole <> 10
UNION ALL
SELECT 'the owner ' || o.owner::regrole::text || ' of ' || o.name
FROM (SELECT relowner, relname FROM pg_class UNION ALL SELECT proowner, proname FROM pg_proc UNION ALL SELECT
nspowner, nspname FROM pg_namespace
      UNION ALL SELECT typowner, typname FROM pg_type) AS o (owner, name)
WHERE o.owner NOT IN (10, {owner}, 'pg_database_owner'::regrole)`

// of writes an owner into a query.
func of(query, owner string) string {
	return strings.ReplaceAll(query, "{owner}", "'"+owner+"'::regrole")
}

// release takes a database from its builder, whose scripts have run: the builder's sessions have ended, and there are
// no others; what it set for itself or for the database is undone from outside.
func (s *server) release(ctx context.Context, builder, database string) error {
	if _, err := s.admin.Exec(ctx, "ALTER ROLE "+quote(builder)+" NOLOGIN PASSWORD NULL"); err != nil {
		return err
	}
	if err := s.endSessions(ctx, "datname", database); err != nil {
		return err
	}
	for _, sql := range []string{
		"ALTER ROLE " + quote(builder) + " RESET ALL",
		"ALTER DATABASE " + quote(database) + " OWNER TO " + ownerRole,
		"ALTER DATABASE " + quote(database) + " RESET ALL",
	} {
		if err := s.onDatabases(ctx, sql); err != nil {
			return err
		}
	}
	rows, _ := s.admin.Query(ctx, `SELECT DISTINCT CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END
		FROM pg_database, aclexplode(datacl) AS a WHERE datname = $1 AND a.grantee <> datdba`, database)
	grantees, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for _, grantee := range grantees {
		if err := s.onDatabases(
			ctx, "REVOKE ALL ON DATABASE "+quote(database)+" FROM "+grantee+" CASCADE",
		); err != nil {
			return err
		}
	}
	return nil
}

// handOver gives what the builder has made to an owner, and lets groups read it. It returns the schemas, as SQL writes
// them, in the order in which names are looked up.
func (s *server) handOver(
	ctx context.Context, builder, database, owner string, groups []string,
) (schemas []string, err error) {
	members := []string{builder, ownerRole}
	if owner != ownerRole {
		members = append(members, owner)
	}
	err = s.asRole(ctx, "handing_over", database, members, func(conn *pgx.Conn) error {
		made, err := readSchemas(ctx, conn)
		if err != nil {
			return err
		}
		for _, schema := range made { // only who may make something in a schema can be given what is in it
			if _, err := conn.Exec(ctx, "GRANT CREATE ON SCHEMA "+schema+" TO "+owner); err != nil {
				return err
			}
		}
		for _, sql := range []string{
			"REASSIGN OWNED BY " + quote(builder) + " TO " + owner, "DROP OWNED BY " + quote(builder),
		} {
			if _, err := conn.Exec(ctx, sql); err != nil {
				return err
			}
		}
		if err := revokeAll(ctx, conn, owner); err != nil {
			return err
		}
		if schemas, err = grantReading(ctx, conn, owner, groups); err != nil {
			return err
		}
		rows, _ := conn.Query(ctx, of(unexpectedIn, owner), groups)
		found, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err == nil && len(found) > 0 {
			err = fmt.Errorf(
				"the scripts leave what no dataset may have: %s", strings.Join(found[:min(len(found), 5)], "; "),
			)
		}
		return err
	})
	return schemas, err
}

// revokeAll takes away every right that the scripts gave.
func revokeAll(ctx context.Context, conn *pgx.Conn, owner string) error {
	var sql strings.Builder
	rows, _ := conn.Query(ctx, of(rightsOf, owner))
	var kind, name, grantee string
	if _, err := pgx.ForEachRow(rows, []any{&kind, &name, &grantee}, func() error {
		fmt.Fprintf(&sql, "REVOKE ALL ON %s %s FROM %s CASCADE;\n", kind, name, grantee)
		return nil
	}); err != nil {
		return err
	}
	_, err := conn.Exec(ctx, sql.String())
	return err
}

// grantReading lets groups read all tables and execute what is no danger. The owner itself may also make what is new.
func grantReading(ctx context.Context, conn *pgx.Conn, owner string, groups []string) (schemas []string, err error) {
	if schemas, err = readSchemas(ctx, conn); err != nil {
		return nil, err
	}
	rows, _ := conn.Query(ctx, openable, allowedOfExtensions, runText, owner)
	functions, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return nil, err
	}
	var sql strings.Builder
	to := " TO " + strings.Join(groups, ", ") + ";\n"
	for _, schema := range schemas {
		sql.WriteString("GRANT USAGE ON SCHEMA " + schema + to + "GRANT SELECT ON ALL TABLES IN SCHEMA " + schema + to)
		if owner == copiesRole {
			sql.WriteString("GRANT CREATE ON SCHEMA " + schema + to)
		}
	}
	for _, f := range functions {
		sql.WriteString("GRANT EXECUTE ON ROUTINE " + f + to)
	}
	_, err = conn.Exec(ctx, sql.String())
	return schemas, err
}
