package practice

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/sqltext"
)

// relationsQuery reads tables and views with their columns, in order: of texts the collation, where it is one under
// which texts that differ may be equal. It is run with search_path as learners have it, behind pg_catalog.
const relationsQuery = `
SELECT n.nspname, c.relname, pg_catalog.pg_table_is_visible(c.oid), greatest(c.reltuples, 0)::bigint, CASE WHEN
c.relkind IN ('v', 'm') THEN pg_catalog.pg_get_viewdef(c.oid) ELSE '' END,
       a.attname, pg_catalog.format_type(coalesce(nullif(t.typbasetype, 0), t.oid), NULL),
       coalesce(pg_catalog.quote_ident(m.nspname) || '.' || pg_catalog.quote_ident(l.collname), '')
FROM pg_catalog.pg_class c
JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
JOIN pg_catalog.pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
JOIN pg_catalog.pg_type t ON t.oid = a.atttypid
LEFT JOIN pg_catalog.pg_collation l ON l.oid = a.attcollation AND NOT l.collisdeterministic
LEFT JOIN pg_catalog.pg_namespace m ON m.oid = l.collnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm') AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
ORDER BY c.oid, a.attnum`

// sizesQuery reads the largest magnitude of each column's numbers that the planner's statistics know.
const sizesQuery = `
SELECT s.schemaname, s.tablename, s.attname, pg_catalog.max(pg_catalog.abs(v::float8))
FROM pg_catalog.pg_stats s, LATERAL pg_catalog.unnest(coalesce(s.histogram_bounds::text::text[], '{}') ||
coalesce(s.most_common_vals::text::text[], '{}')) v
WHERE s.schemaname !~ '^pg_' AND s.schemaname <> 'information_schema' AND v ~
'^-?[0-9]{1,30}([.][0-9]{1,30})?(e[-+][0-9]{1,2})?$'
GROUP BY 1, 2, 3`

// collationsQuery tells whether there are collations under which texts that differ may be equal.
const collationsQuery = `SELECT EXISTS (SELECT FROM pg_catalog.pg_collation WHERE NOT collisdeterministic)`

// readable is what a build's queries can read from, and whether it has collations under which texts that differ may be
// equal.
type readable struct {
	relations  sqltext.Relations
	collations bool
}

// read reads what a build's queries can read from. It is read once, and again after the build was analyzed.
func (s *server) read(ctx context.Context, database string) (readable, error) {
	s.mu.Lock()
	r, read := s.readable[database]
	s.mu.Unlock()
	if read {
		return r, nil
	}
	r.relations = sqltext.Relations{}
	err := s.asRole(ctx, "reading", database, []string{readersRole}, func(conn *pgx.Conn) error {
		if err := conn.QueryRow(ctx, collationsQuery).Scan(&r.collations); err != nil {
			return err
		}
		if err := readRelations(ctx, conn, r.relations); err != nil {
			return err
		}
		err := readSizes(ctx, conn, r.relations)
		if state(err) == "42501" { // a build of an earlier version, of which they may not be read
			return nil
		}
		return err
	})
	if err != nil {
		return readable{}, err
	}
	s.mu.Lock()
	s.readable[database] = r
	s.mu.Unlock()
	return r, nil
}

func readRelations(ctx context.Context, conn *pgx.Conn, relations sqltext.Relations) error {
	if _, err := setPath(ctx, conn); err != nil {
		return err
	}
	rows, _ := conn.Query(ctx, relationsQuery)
	var schema, name string
	var visible bool
	var of sqltext.Relation
	var column sqltext.RelationColumn
	into := []any{
		&schema, &name, &visible, &of.Rows, &of.Query, &column.Name, &column.Type, &column.Collation,
	}
	_, err := pgx.ForEachRow(rows, into, func() error {
		names := []string{schema + "." + name}
		if visible {
			names = append(names, name)
		}
		for _, key := range names {
			r := relations[key]
			r.Name = names[len(names)-1]
			r.Rows, r.Query = of.Rows, strings.TrimSuffix(of.Query, ";")
			r.Columns = append(r.Columns, column)
			relations[key] = r
		}
		return nil
	})
	return err
}

func readSizes(ctx context.Context, conn *pgx.Conn, relations sqltext.Relations) error {
	rows, _ := conn.Query(ctx, sizesQuery)
	var schema, name, column string
	var size float64
	_, err := pgx.ForEachRow(rows, []any{&schema, &name, &column, &size}, func() error {
		for _, name := range []string{schema + "." + name, name} {
			for i, c := range relations[name].Columns {
				if c.Name == column {
					relations[name].Columns[i].Size = max(c.Size, size)
				}
			}
		}
		return nil
	})
	return err
}
