package practice

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/dataset"
)

// named writes a relation's name as the catalogue does: with its schema, unless that is public.
const named = `CASE %[2]s.nspname WHEN 'public' THEN %[1]s.relname ELSE %[2]s.nspname || '.' || %[1]s.relname END`

var tablesQuery = `
SELECT c.oid, ` + fmt.Sprintf(named, "c", "n") + `, pg_catalog.format('%I.%I', n.nspname, c.relname), c.relkind IN
('v', 'm'),
       CASE WHEN c.relkind IN ('v', 'm') THEN pg_catalog.pg_get_viewdef(c.oid, true) ELSE '' END,
       CASE c.relkind WHEN 'p' THEN (SELECT coalesce(pg_catalog.sum(pg_catalog.pg_total_relation_size(relid)),
       0)::bigint FROM pg_catalog.pg_partition_tree(c.oid)) ELSE pg_catalog.pg_total_relation_size(c.oid) END,
       coalesce(pg_catalog.obj_description(c.oid, 'pg_class'), '')
FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm') AND NOT c.relispartition AND n.nspname !~ '^pg_'::pg_catalog.text AND
n.nspname <> 'information_schema'
  AND NOT EXISTS (SELECT FROM pg_catalog.pg_depend d WHERE d.classid = 'pg_catalog.pg_class'::regclass::oid AND
  d.objid = c.oid AND d.deptype = 'e')
ORDER BY 2`

var columnsQuery = `
SELECT a.attrelid, a.attname, pg_catalog.format_type(a.atttypid, a.atttypmod), NOT a.attnotnull,
       CASE WHEN a.attidentity <> '' THEN 'generated as identity' WHEN a.attgenerated <> '' THEN 'generated: ' ||
       pg_catalog.pg_get_expr(d.adbin, d.adrelid)
            ELSE coalesce(pg_catalog.pg_get_expr(d.adbin, d.adrelid), '') END,
       EXISTS (SELECT FROM pg_catalog.pg_constraint k WHERE k.conrelid = a.attrelid AND k.contype = 'p' AND a.attnum
       = ANY (k.conkey)),
       coalesce((SELECT ` + fmt.Sprintf(named, "c", "n") + ` || '.' || f.attname
                 FROM pg_catalog.pg_constraint k
                 JOIN pg_catalog.pg_class c ON c.oid = k.confrelid
                 JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
                 JOIN pg_catalog.pg_attribute f ON f.attrelid = k.confrelid AND f.attnum =
                 k.confkey[pg_catalog.array_position(k.conkey, a.attnum)]
                 WHERE k.conrelid = a.attrelid AND k.contype = 'f' AND a.attnum = ANY (k.conkey)
                 ORDER BY k.conname LIMIT 1), ''),
       coalesce(pg_catalog.col_description(a.attrelid, a.attnum), '')
FROM pg_catalog.pg_attribute a LEFT JOIN pg_catalog.pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
WHERE a.attrelid = ANY ($1) AND a.attnum > 0 AND NOT a.attisdropped
ORDER BY a.attrelid, a.attnum`

var constraintsQuery = `
SELECT k.conrelid, k.conname,
       CASE k.contype WHEN 'p' THEN 'primary key' WHEN 'u' THEN 'unique' WHEN 'f' THEN 'foreign key' WHEN 'c' THEN
       'check' ELSE 'exclusion' END,
       ARRAY(SELECT a.attname::text FROM pg_catalog.unnest(k.conkey) WITH ORDINALITY u (n, i) JOIN
       pg_catalog.pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = u.n ORDER BY u.i),
       coalesce(` + fmt.Sprintf(named, "c", "n") + `, ''),
       ARRAY(SELECT a.attname::text FROM pg_catalog.unnest(k.confkey) WITH ORDINALITY u (n, i) JOIN
       pg_catalog.pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = u.n ORDER BY u.i),
       pg_catalog.pg_get_constraintdef(k.oid, true)
FROM pg_catalog.pg_constraint k LEFT JOIN pg_catalog.pg_class c ON c.oid = k.confrelid LEFT JOIN
pg_catalog.pg_namespace n ON n.oid = c.relnamespace
WHERE k.conrelid = ANY ($1) AND k.contype IN ('p', 'u', 'f', 'c', 'x')
ORDER BY k.conrelid, position(k.contype in 'pufcx'), k.conname`

// policiesQuery reads, of tables with row level security, the condition on which everybody sees a row: one of those
// that permit it holds, and all that restrict it.
const policiesQuery = `
SELECT c.oid, coalesce(pg_catalog.string_agg(p.condition, ' OR ' ORDER BY p.polname) FILTER (WHERE p.polpermissive),
'false'),
       coalesce(pg_catalog.string_agg(p.condition, ' AND ' ORDER BY p.polname) FILTER (WHERE NOT p.polpermissive), '')
FROM pg_catalog.pg_class c
LEFT JOIN (SELECT polrelid, polname, polpermissive, coalesce(pg_catalog.pg_get_expr(polqual, polrelid), 'true') AS
condition
           FROM pg_catalog.pg_policy WHERE polcmd IN ('r', '*') AND 0::oid = ANY (polroles)) p ON p.polrelid = c.oid
WHERE c.oid = ANY ($1) AND c.relrowsecurity
GROUP BY c.oid`

const indexesQuery = `
SELECT i.indrelid, c.relname, i.indisunique, substring(pg_catalog.pg_get_indexdef(i.indexrelid, 0, true) from
' USING (.*)$')
FROM pg_catalog.pg_index i JOIN pg_catalog.pg_class c ON c.oid = i.indexrelid
WHERE i.indrelid = ANY ($1) AND NOT EXISTS (SELECT FROM pg_catalog.pg_constraint k WHERE k.conindid = i.indexrelid
AND k.conrelid = i.indrelid)
ORDER BY i.indrelid, c.relname`

// patience is how long counting a view, or looking for examples in it, may take.
const patience = 5 * time.Second

// Of a column's values, so many examples are kept, from so many rows, of at most so many characters. All values that
// those rows have are kept of a column with at most so many, if each occurs several times.
const (
	examples      = 4
	exampleRows   = 1000
	exampleLength = 40
	mostValues    = 20
	timesEach     = 3
)

// cataloguing is a catalogue being read.
type cataloguing struct {
	conn   *pgx.Conn
	oids   []uint32
	tables map[uint32]*dataset.Table
}

// setPath has names found as learners find them, but what PostgreSQL brings always first, and returns the schemas as
// SQL writes them: types and definitions are written, and views run, by it. It is for a role that can do no more than
// read the build; what scripts made may be called then.
func setPath(ctx context.Context, conn *pgx.Conn) (schemas []string, err error) {
	if schemas, err = readSchemas(ctx, conn); err == nil {
		_, err = conn.Exec(
			ctx, "SET search_path = "+strings.Join(append(append([]string{"pg_catalog"}, schemas...), "pg_temp"), ", "),
		)
	}
	return schemas, err
}

// readSchemas reads which schemas a build has: public first, and then the others as they were made, since names need no
// schema where they are clear without.
func readSchemas(ctx context.Context, conn *pgx.Conn) ([]string, error) {
	rows, _ := conn.Query(ctx, `SELECT pg_catalog.quote_ident(nspname) FROM pg_catalog.pg_namespace
		WHERE nspname !~ '^pg_'::pg_catalog.text AND nspname <> 'information_schema' ORDER BY nspname <> 'public', oid`)
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func readCatalogue(ctx context.Context, conn *pgx.Conn) (dataset.Catalogue, error) {
	c := &cataloguing{conn: conn, tables: map[uint32]*dataset.Table{}}
	var catalogue dataset.Catalogue
	if _, err := conn.Exec(ctx, "SET default_transaction_read_only = on"); err != nil {
		return catalogue, err
	}
	if _, err := setPath(ctx, conn); err != nil {
		return catalogue, err
	}
	for _, step := range []func(context.Context) error{
		c.readTables, c.readColumns, c.readConstraints, c.readIndexes, c.readRows,
	} {
		if err := step(ctx); err != nil {
			return catalogue, err
		}
	}
	for _, oid := range c.oids {
		catalogue.Tables = append(catalogue.Tables, *c.tables[oid])
		catalogue.Bytes += c.tables[oid].Bytes
	}
	return catalogue, nil
}

func (c *cataloguing) readTables(ctx context.Context) error {
	rows, _ := c.conn.Query(ctx, tablesQuery)
	var oid uint32
	var t dataset.Table
	_, err := pgx.ForEachRow(rows, []any{
		&oid, &t.Name, &t.SQLName, &t.View, &t.Query, &t.Bytes, &t.Meaning,
	}, func() error {
		next := t
		c.oids, c.tables[oid] = append(c.oids, oid), &next
		return nil
	})
	return err
}

func (c *cataloguing) readColumns(ctx context.Context) error {
	rows, _ := c.conn.Query(ctx, columnsQuery, c.oids)
	var oid uint32
	var column dataset.Column
	_, err := pgx.ForEachRow(rows, []any{
		&oid, &column.Name, &column.Type, &column.Nullable, &column.Default, &column.Key, &column.References,
		&column.Meaning,
	}, func() error {
		c.tables[oid].Columns = append(c.tables[oid].Columns, column)
		return nil
	})
	return err
}

func (c *cataloguing) readConstraints(ctx context.Context) error {
	rows, _ := c.conn.Query(ctx, constraintsQuery, c.oids)
	var oid uint32
	var kind string
	var columns, referred []string
	var k dataset.Constraint
	_, err := pgx.ForEachRow(rows, []any{
		&oid, &k.Name, &kind, &columns, &k.Table, &referred, &k.Definition,
	}, func() error {
		k.Kind, k.Columns, k.Referred = dataset.ConstraintKind(kind), columns, referred
		c.tables[oid].Constraints = append(c.tables[oid].Constraints, k)
		columns, referred = nil, nil
		return nil
	})
	if err != nil {
		return err
	}
	return c.readPolicies(ctx)
}

func (c *cataloguing) readPolicies(ctx context.Context) error {
	rows, _ := c.conn.Query(ctx, policiesQuery, c.oids)
	var oid uint32
	var permits, restricts string
	_, err := pgx.ForEachRow(rows, []any{&oid, &permits, &restricts}, func() error {
		if restricts != "" && permits != "false" {
			permits = "(" + permits + ") AND " + restricts
		}
		c.tables[oid].Constraints = append(
			c.tables[oid].Constraints,
			dataset.Constraint{Name: "policies", Kind: dataset.RowSecurity, Definition: permits},
		)
		return nil
	})
	return err
}

func (c *cataloguing) readIndexes(ctx context.Context) error {
	rows, _ := c.conn.Query(ctx, indexesQuery, c.oids)
	var oid uint32
	var i dataset.Index
	_, err := pgx.ForEachRow(rows, []any{&oid, &i.Name, &i.Unique, &i.Definition}, func() error {
		c.tables[oid].Indexes = append(c.tables[oid].Indexes, i)
		return nil
	})
	return err
}

// readRows counts each table's rows and takes examples of its values. A view that takes too long, or that fails, is not
// counted.
func (c *cataloguing) readRows(ctx context.Context) error {
	for _, oid := range c.oids {
		t := c.tables[oid]
		err := c.look(ctx, t)
		if t.View && state(err) != "" {
			t.Rows = dataset.UnknownRows
			_, err = c.conn.Exec(ctx, "SET statement_timeout = 0")
		}
		if t.View && c.conn.IsClosed() {
			return fmt.Errorf("reading the view %s does not end within %s, and cannot be stopped", t.Name, 2*patience)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", t.Name, err)
		}
	}
	return nil
}

func (c *cataloguing) look(ctx context.Context, t *dataset.Table) error {
	if t.View {
		var cancel context.CancelFunc // behind the server's own limit, for what does not heed it
		ctx, cancel = context.WithTimeout(ctx, 2*patience)
		defer cancel()
		if _, err := c.conn.Exec(ctx, fmt.Sprintf("SET statement_timeout = %d", patience.Milliseconds())); err != nil {
			return err
		}
		defer c.conn.Exec(ctx, "SET statement_timeout = 0") //nolint:errcheck // the next statement tells
	}
	if err := c.conn.QueryRow(ctx, "SELECT pg_catalog.count(*) FROM "+t.SQLName).Scan(&t.Rows); err != nil ||
		len(t.Columns) == 0 {
		return err
	}
	wanted := make([]string, len(t.Columns))
	for i, column := range t.Columns {
		name := quote(column.Name)
		wanted[i] = fmt.Sprintf(
			`ARRAY(SELECT pg_catalog.left(v, %d) FROM (SELECT v, pg_catalog.min(n) AS n FROM (SELECT `+
				`%s::pg_catalog.text AS v, pg_catalog.row_number() OVER () AS n FROM sample) AS a WHERE v IS NOT `+
				`NULL GROUP BY v ORDER BY n LIMIT %d) AS b)`,
			exampleLength+1,
			name,
			mostValues+1,
		)
	}
	found := make([][]string, len(wanted))
	into := make([]any, len(wanted))
	for i := range found {
		into[i] = &found[i]
	}
	query := fmt.Sprintf(
		"WITH sample AS MATERIALIZED (SELECT * FROM %s LIMIT %d) SELECT %s", t.SQLName, exampleRows,
		strings.Join(wanted, ", "),
	)
	if err := c.conn.QueryRow(ctx, query).Scan(into...); err != nil {
		return err
	}
	for i, values := range found {
		few := len(values) <= mostValues && int64(len(values)*timesEach) <= min(t.Rows, exampleRows)
		for j, value := range values {
			if r := []rune(value); len(r) > exampleLength {
				values[j] = string(r[:exampleLength-1]) + "…"
				few = false
			}
		}
		t.Columns[i].Examples = values[:min(len(values), examples)]
		if few {
			t.Columns[i].Values = values
		}
	}
	return nil
}
