package practice

import (
	"context"
	"maps"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/definition"
	"examen/internal/core/sqltext"
)

// Left is what a script has left in a copy.
type Left struct {
	Database definition.Database
	// Tables are those that a query can read whole: tables and materialized views, then views, by name.
	Tables []LeftTable
	// Defined tells that something was made, altered or dropped.
	Defined bool
}

// A LeftTable is a table or a view, as far as one has to know of it to read and compare its rows.
type LeftTable struct {
	Name      string // as queries name it
	Qualified string // with its schema, as SQL writes it
	View      bool
	Query     bool // a view, also a materialized one: whoever defines it names its columns
	Columns   []string
	// Change is how its rows are others than in the build; of a table that was made all are added.
	Change  TableChange
	Made    bool
	Altered bool
	// Rewritten tells that all its rows were written anew, as by ALTER TABLE: which of them are others is not known.
	Rewritten bool
	// Counted are columns whose values come from a sequence of their own, with the greatest value that is the build's.
	Counted map[string]int64
}

const leftTablesQuery = `
SELECT 'c' || c.oid, CASE WHEN pg_catalog.pg_table_is_visible(c.oid) THEN '' ELSE n.nspname || '.' END || c.relname,
	pg_catalog.format('%I.%I', n.nspname, c.relname), c.relkind::text, a.attname,
	pg_catalog.format_type(a.atttypid, a.atttypmod), a.attnotnull,
	coalesce(pg_catalog.pg_get_expr(d.adbin, d.adrelid), ''), a.attgenerated <> '',
	a.attidentity <> '' OR coalesce(pg_catalog.pg_get_expr(d.adbin, d.adrelid), '') ~ '^nextval\('
FROM pg_catalog.pg_class c
JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
JOIN pg_catalog.pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
LEFT JOIN pg_catalog.pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
WHERE c.relkind IN ('r', 'p', 'v', 'm') AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
ORDER BY 2, c.oid, a.attnum`

const leftConstraintsQuery = `
SELECT 'c' || o.conrelid, o.conname, o.contype::text,
	coalesce((SELECT pg_catalog.array_agg(a.attname::text ORDER BY k.n)
		FROM pg_catalog.unnest(o.conkey) WITH ORDINALITY AS k (num, n)
		JOIN pg_catalog.pg_attribute a ON a.attrelid = o.conrelid AND a.attnum = k.num), '{}'),
	coalesce(CASE WHEN pg_catalog.pg_table_is_visible(o.confrelid) THEN '' ELSE n.nspname || '.' END || f.relname, ''),
	coalesce((SELECT pg_catalog.array_agg(a.attname::text ORDER BY k.n)
		FROM pg_catalog.unnest(o.confkey) WITH ORDINALITY AS k (num, n)
		JOIN pg_catalog.pg_attribute a ON a.attrelid = o.confrelid AND a.attnum = k.num), '{}'),
	o.confupdtype::text, o.confdeltype::text, o.condeferrable,
	coalesce(pg_catalog.pg_get_expr(o.conbin, o.conrelid), '')
FROM pg_catalog.pg_constraint o
LEFT JOIN pg_catalog.pg_class f ON f.oid = o.confrelid
LEFT JOIN pg_catalog.pg_namespace n ON n.oid = f.relnamespace
WHERE o.conrelid <> 0 AND o.contype IN ('p', 'u', 'f', 'c', 'x') AND o.conparentid = 0
ORDER BY 1, 2`

const leftIndexesQuery = `
SELECT 'c' || i.indrelid, c.relname, i.indisunique, m.amname, coalesce(pg_catalog.pg_get_expr(i.indpred, i.indrelid),
	''),
	ARRAY(SELECT pg_catalog.pg_get_indexdef(i.indexrelid, k, true)
		FROM pg_catalog.generate_series(1, i.indnatts::pg_catalog.int4) AS k)
FROM pg_catalog.pg_index i
JOIN pg_catalog.pg_class c ON c.oid = i.indexrelid
JOIN pg_catalog.pg_am m ON m.oid = c.relam
JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
WHERE n.nspname !~ '^pg_' AND NOT EXISTS (SELECT FROM pg_catalog.pg_constraint o WHERE o.conindid = i.indexrelid)
ORDER BY 1, 2`

// triggersQuery reads when triggers act.
const triggersQuery = `
SELECT 'c' || t.tgrelid, CASE WHEN t.tgtype & 2 <> 0 THEN 'before' WHEN t.tgtype & 64 <> 0 THEN 'instead of'
		ELSE 'after' END ||
	CASE WHEN t.tgtype & 4 <> 0 THEN ' insert' ELSE '' END || CASE WHEN t.tgtype & 8 <> 0 THEN ' delete' ELSE '' END ||
	CASE WHEN t.tgtype & 16 <> 0 THEN ' update' ELSE '' END || CASE WHEN t.tgtype & 32 <> 0 THEN ' truncate' ELSE '' END
FROM pg_catalog.pg_trigger t WHERE NOT t.tgisinternal ORDER BY 1, 2`

// countersQuery reads the last value that the sequence of a counted column has given; -1 for none.
const countersQuery = `
SELECT CASE WHEN pg_catalog.pg_table_is_visible(t.oid) THEN '' ELSE n.nspname || '.' END || t.relname || '.' ||
	a.attname,
	coalesce(s.last_value, -1)
FROM pg_catalog.pg_depend d
JOIN pg_catalog.pg_class c ON c.oid = d.objid AND c.relkind = 'S'
JOIN pg_catalog.pg_namespace m ON m.oid = c.relnamespace
JOIN pg_catalog.pg_sequences s ON s.schemaname = m.nspname AND s.sequencename = c.relname
JOIN pg_catalog.pg_class t ON t.oid = d.refobjid
JOIN pg_catalog.pg_namespace n ON n.oid = t.relnamespace
JOIN pg_catalog.pg_attribute a ON a.attrelid = d.refobjid AND a.attnum = d.refobjsubid
WHERE d.classid = 'pg_catalog.pg_class'::pg_catalog.regclass
	AND d.refclassid = 'pg_catalog.pg_class'::pg_catalog.regclass AND d.deptype IN ('a', 'i')`

// counters tells, of columns whose values come from sequences of their own, the last value given, by table.column; -1
// for none.
func (c *copies) counters(ctx context.Context, copied string) (map[string]int64, error) {
	last := map[string]int64{}
	err := c.server.inCopy(ctx, copied, func(conn *pgx.Conn) error {
		if _, err := setPath(ctx, conn); err != nil {
			return err
		}
		rows, _ := conn.Query(ctx, countersQuery)
		var column string
		var value int64
		_, err := pgx.ForEachRow(rows, []any{&column, &value}, func() error {
			last[column] = value
			return nil
		})
		return err
	})
	return last, err
}

// actions are what a foreign key does, by the catalogue's letters.
var actions = map[string]string{
	"a": "no action", "r": "restrict", "c": "cascade", "n": "set null", "d": "set default", " ": "",
}

var constraintKinds = map[string]definition.Kind{
	"p": definition.PrimaryKey, "u": definition.Unique, "f": definition.ForeignKey, "c": definition.Check,
	"x": definition.Exclusion,
}

// leftIn tells what a script has left in a copy.
func (c *copies) leftIn(ctx context.Context, of Copy, build string) (*Left, error) {
	before, err := c.server.heldBy(ctx, build)
	if err != nil {
		return nil, err
	}
	l := &leaving{before: before, since: of.Since, left: &Left{}, at: map[string]int{}}
	err = c.server.inCopy(ctx, of.Database, func(conn *pgx.Conn) error {
		now, err := readObjects(ctx, conn, true)
		if err != nil {
			return err
		}
		changes := before.against(now)
		l.left.Defined = len(changes.Made)+len(changes.Altered)+len(changes.Dropped) > 0
		for _, step := range []func(context.Context, *pgx.Conn) error{
			l.readTables, l.readConstraints, l.readIndexes, l.readTriggers,
		} {
			if err := step(ctx, conn); err != nil {
				return err
			}
		}
		return l.readChanges(ctx, conn, now)
	})
	return l.left, err
}

// leaving reads what is left in a copy.
type leaving struct {
	before holds
	since  int64
	left   *Left
	tables []string       // the identifiers of left.Tables
	at     map[string]int // where a table stands in left.Database.Tables, by identifier
}

func (l *leaving) readTables(ctx context.Context, conn *pgx.Conn) error {
	rows, _ := conn.Query(ctx, leftTablesQuery)
	var id, name, qualified, kind string
	var column definition.Column
	var computed bool
	_, err := pgx.ForEachRow(rows, []any{
		&id, &name, &qualified, &kind, &column.Name, &column.Type, &column.NotNull, &column.Default, &computed,
		&column.Counted,
	}, func() error {
		if len(l.tables) == 0 || l.tables[len(l.tables)-1] != id {
			_, known := l.before.objects[id]
			l.tables = append(l.tables, id)
			l.left.Tables = append(l.left.Tables, LeftTable{
				Name: name, Qualified: qualified, View: kind == "v", Query: kind == "v" || kind == "m", Made: !known,
				Counted: map[string]int64{},
			})
			maps.Copy(l.left.Tables[len(l.tables)-1].Counted, l.before.counted[id])
			if kind == "r" || kind == "p" {
				l.at[id] = len(l.left.Database.Tables)
				l.left.Database.Tables = append(l.left.Database.Tables, definition.Table{Name: name})
			}
		}
		t := &l.left.Tables[len(l.left.Tables)-1]
		t.Columns = append(t.Columns, column.Name)
		if _, known := t.Counted[column.Name]; column.Counted && !known {
			t.Counted[column.Name] = 0 // all its values are new
		}
		if at, is := l.at[id]; is {
			own := column
			switch {
			case own.Counted:
				own.Default = ""
			case own.Default != "":
				own.Default = sqltext.PlainExpression(own.Default)
			}
			if computed {
				own.Default, own.Generated = "", own.Default
			}
			l.left.Database.Tables[at].Columns = append(l.left.Database.Tables[at].Columns, own)
		}
		return nil
	})
	return err
}

func (l *leaving) readConstraints(ctx context.Context, conn *pgx.Conn) error {
	rows, _ := conn.Query(ctx, leftConstraintsQuery)
	var id, kind, onUpdate, onDelete string
	var k definition.Constraint
	_, err := pgx.ForEachRow(rows, []any{
		&id, &k.Name, &kind, &k.Columns, &k.Refers, &k.ReferredTo, &onUpdate, &onDelete, &k.Deferrable, &k.Condition,
	}, func() error {
		if at, is := l.at[id]; is {
			own := k
			own.Kind, own.OnUpdate, own.OnDelete = constraintKinds[kind], actions[onUpdate], actions[onDelete]
			own.Columns, own.ReferredTo = slices.Clone(k.Columns), slices.Clone(k.ReferredTo)
			t := &l.left.Database.Tables[at]
			t.Constraints = append(t.Constraints, own)
		}
		return nil
	})
	return err
}

func (l *leaving) readIndexes(ctx context.Context, conn *pgx.Conn) error {
	rows, _ := conn.Query(ctx, leftIndexesQuery)
	var id string
	var x definition.Index
	_, err := pgx.ForEachRow(rows, []any{&id, &x.Name, &x.Unique, &x.Method, &x.Where, &x.Covers}, func() error {
		if at, is := l.at[id]; is {
			own := x
			own.Where, own.Covers = uncast(x.Where), nil
			for _, covered := range x.Covers {
				own.Covers = append(own.Covers, uncast(covered))
			}
			t := &l.left.Database.Tables[at]
			t.Indexes = append(t.Indexes, own)
		}
		return nil
	})
	return err
}

// uncast writes an expression of an index without the casts that tell only whether a column is text or varchar.
func uncast(expression string) string {
	return sqltext.PlainExpression(strings.NewReplacer("::text", "", "::character varying", "").Replace(expression))
}

func (l *leaving) readTriggers(ctx context.Context, conn *pgx.Conn) error {
	rows, _ := conn.Query(ctx, triggersQuery)
	var id, acts string
	_, err := pgx.ForEachRow(rows, []any{&id, &acts}, func() error {
		if at, is := l.at[id]; is {
			t := &l.left.Database.Tables[at]
			t.Triggers = append(t.Triggers, definition.Object{Kind: "trigger", Name: acts})
		}
		return nil
	})
	return err
}

// readChanges counts the rows that changed, and lists what is neither a table nor a view.
func (l *leaving) readChanges(ctx context.Context, conn *pgx.Conn, now []held) error {
	var bytes int64
	for _, o := range now {
		bytes += o.Bytes
	}
	for _, o := range now {
		i := slices.Index(l.tables, o.ID)
		if was, known := l.before.objects[o.ID]; i >= 0 {
			l.left.Tables[i].Altered = known && was.Made != o.Made
			l.left.Tables[i].Rewritten = known && o.HasRows && was.File != o.File
		}
		switch was, known := l.before.objects[o.ID]; {
		case i < 0 && o.Kind != "index":
			says := ""
			if o.Kind == "type" || o.Kind == "domain" {
				says = o.Made
			}
			l.left.Database.Others = append(l.left.Database.Others, definition.Object{Kind: o.Kind, Name: o.Name,
				Says: says})
		case i < 0 || !o.HasRows:
		case !known:
			err := conn.QueryRow(ctx, "SELECT count(*) FROM ONLY "+o.Qualified).Scan(&l.left.Tables[i].Change.Added)
			if err != nil {
				return err
			}
		case bytes > lookedThrough && o.Inserted+o.Updated+o.Deleted == 0 && o.File == was.File:
		default:
			change, err := l.before.rowsOf(ctx, conn, o, l.since)
			if err != nil {
				return err
			}
			l.left.Tables[i].Change = change
		}
	}
	for i, t := range l.left.Tables {
		if _, is := l.at[l.tables[i]]; !is {
			kind := "materialized view"
			if t.View {
				kind = "view"
			}
			l.left.Database.Others = append(l.left.Database.Others, definition.Object{Kind: kind, Name: t.Name})
		}
	}
	return nil
}
