package practice

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"
)

// Changes are what is otherwise in a copy than in the build that it was made of.
type Changes struct {
	Tables                 []TableChange // whose rows are others
	Made, Altered, Dropped []Object
}

// A TableChange counts the rows of a table that were added, changed and removed.
type TableChange struct {
	Table                   string
	Added, Changed, Removed int64
}

// An Object is what a statement can define: a table, a view, a function.
type Object struct{ Kind, Name string }

// objectsQuery reads what a database holds, each with what it is made of as text, by which one tells that it was
// altered; and of tables how many bytes they take and what was counted of their changes. $1 tells whether to look at
// the latter. It is run with search_path as learners have it, behind pg_catalog.
const objectsQuery = `
SELECT 'c' || c.oid, CASE c.relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'materialized view' WHEN 'S' THEN 'sequence'
	WHEN 'c' THEN 'type' WHEN 'i' THEN 'index' WHEN 'I' THEN 'index' ELSE 'table' END,
	CASE WHEN pg_catalog.pg_table_is_visible(c.oid) THEN '' ELSE n.nspname || '.' END || c.relname,
	pg_catalog.format('%I.%I', n.nspname, c.relname), c.relkind IN ('r', 'm'),
	coalesce((SELECT pg_catalog.string_agg(pg_catalog.concat_ws(' ', a.attname,
			pg_catalog.format_type(a.atttypid, a.atttypmod), a.attnotnull, a.attidentity, a.attgenerated,
			pg_catalog.pg_get_expr(d.adbin, d.adrelid)), ',' ORDER BY a.attnum)
		FROM pg_catalog.pg_attribute a
		LEFT JOIN pg_catalog.pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
		WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
			AND c.relkind IN ('r', 'p', 'v', 'm', 'c')), '') ||
	coalesce((SELECT pg_catalog.string_agg(o.conname || pg_catalog.pg_get_constraintdef(o.oid), ',' ORDER BY o.conname)
		FROM pg_catalog.pg_constraint o WHERE o.conrelid = c.oid), '') ||
	coalesce((SELECT pg_catalog.string_agg(pg_catalog.pg_get_triggerdef(t.oid), ',' ORDER BY t.tgname)
		FROM pg_catalog.pg_trigger t WHERE t.tgrelid = c.oid AND NOT t.tgisinternal), '') ||
	CASE WHEN c.relkind IN ('v', 'm') THEN pg_catalog.pg_get_viewdef(c.oid) ELSE '' END,
	CASE WHEN $1 AND c.relkind IN ('r', 'm') THEN pg_catalog.pg_relation_size(c.oid) ELSE 0 END,
	CASE WHEN $1 THEN coalesce(pg_catalog.pg_stat_get_tuples_inserted(c.oid), 0) ELSE 0 END,
	CASE WHEN $1 THEN coalesce(pg_catalog.pg_stat_get_tuples_updated(c.oid), 0) ELSE 0 END,
	CASE WHEN $1 THEN coalesce(pg_catalog.pg_stat_get_tuples_deleted(c.oid), 0) ELSE 0 END,
	c.relfilenode::bigint
FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
WHERE n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
	AND (c.relkind IN ('r', 'p', 'v', 'm', 'S', 'c') OR c.relkind IN ('i', 'I') AND NOT EXISTS (
		SELECT FROM pg_catalog.pg_constraint o WHERE o.conindid = c.oid))
	AND NOT (c.relkind = 'S' AND EXISTS (SELECT FROM pg_catalog.pg_depend d
		WHERE d.objid = c.oid AND d.deptype IN ('a', 'i') AND d.classid = 'pg_catalog.pg_class'::pg_catalog.regclass))
UNION ALL
SELECT 'p' || p.oid, CASE WHEN p.prokind = 'p' THEN 'procedure' WHEN p.prorettype =
		'pg_catalog.trigger'::pg_catalog.regtype THEN 'trigger function' ELSE 'function' END,
	CASE WHEN pg_catalog.pg_function_is_visible(p.oid) THEN '' ELSE n.nspname || '.' END || p.proname, '', false,
	pg_catalog.concat_ws(' ', pg_catalog.pg_get_function_arguments(p.oid), pg_catalog.pg_get_function_result(p.oid),
		p.prosrc, pg_catalog.pg_get_function_sqlbody(p.oid)), 0, 0, 0, 0, 0
FROM pg_catalog.pg_proc p JOIN pg_catalog.pg_namespace n ON n.oid = p.pronamespace
WHERE n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
UNION ALL
SELECT 't' || t.oid, CASE t.typtype WHEN 'd' THEN 'domain' ELSE 'type' END,
	CASE WHEN pg_catalog.pg_type_is_visible(t.oid) THEN '' ELSE n.nspname || '.' END || t.typname, '', false,
	coalesce((SELECT pg_catalog.string_agg(e.enumlabel, ',' ORDER BY e.enumsortorder) FROM pg_catalog.pg_enum e
		WHERE e.enumtypid = t.oid), '') || CASE WHEN t.typtype = 'd' THEN pg_catalog.format_type(t.typbasetype,
		t.typtypmod) || t.typnotnull || coalesce(t.typdefault, '') || '; ' ELSE '' END ||
	coalesce((SELECT pg_catalog.string_agg(
			pg_catalog.pg_get_constraintdef(o.oid), ',' ORDER BY o.conname)
		FROM pg_catalog.pg_constraint o WHERE o.contypid = t.oid), ''), 0, 0, 0, 0, 0
FROM pg_catalog.pg_type t JOIN pg_catalog.pg_namespace n ON n.oid = t.typnamespace
WHERE n.nspname !~ '^pg_' AND n.nspname <> 'information_schema' AND t.typtype IN ('d', 'e', 'r')
UNION ALL
SELECT 'n' || n.oid, 'schema', n.nspname, '', false, '', 0, 0, 0, 0, 0
FROM pg_catalog.pg_namespace n WHERE n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
ORDER BY 2, 3`

// held is an object as objectsQuery reads it.
type held struct {
	ID, Kind, Name, Qualified  string
	HasRows                    bool
	Made                       string // of what
	Bytes                      int64
	Inserted, Updated, Deleted int64
	File                       int64 // of its rows; another one means that they were written anew
}

// holds is what a build holds: its objects by identifier, and how many rows each table has.
type holds struct {
	objects map[string]held
	rows    map[string]int64
	// The greatest values of columns whose values come from sequences of their own.
	counted map[string]map[string]int64
}

// countedQuery reads which columns have values that come from sequences of their own.
const countedQuery = `
SELECT 'c' || a.attrelid, a.attrelid::pg_catalog.regclass::pg_catalog.text, a.attname::pg_catalog.text
FROM pg_catalog.pg_attribute a
JOIN pg_catalog.pg_class c ON c.oid = a.attrelid AND c.relkind IN ('r', 'p')
JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
LEFT JOIN pg_catalog.pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
WHERE n.nspname !~ '^pg_' AND n.nspname <> 'information_schema' AND a.attnum > 0 AND NOT a.attisdropped
	AND a.atttypid IN (20, 21, 23)
	AND (a.attidentity <> '' OR pg_catalog.pg_get_expr(d.adbin, d.adrelid) ~ '^nextval\(')`

func (h holds) readCounted(ctx context.Context, conn *pgx.Conn) error {
	rows, _ := conn.Query(ctx, countedQuery)
	columns, err := pgx.CollectRows(rows, pgx.RowToStructByPos[struct{ ID, Table, Column string }])
	for _, c := range columns {
		var last int64
		if h.counted[c.ID] == nil {
			h.counted[c.ID] = map[string]int64{}
		}
		sql := "SELECT coalesce(max(" + quote(c.Column) + "), 0)::int8 FROM " + c.Table
		if err := conn.QueryRow(ctx, sql).Scan(&last); err != nil {
			return err
		}
		h.counted[c.ID][c.Column] = last
	}
	return err
}

func readObjects(ctx context.Context, conn *pgx.Conn, counted bool) ([]held, error) {
	if _, err := setPath(ctx, conn); err != nil {
		return nil, err
	}
	rows, _ := conn.Query(ctx, objectsQuery, counted)
	return pgx.CollectRows(rows, pgx.RowToStructByPos[held])
}

// heldBy tells what a build holds. It is read once.
func (s *server) heldBy(ctx context.Context, build string) (holds, error) {
	s.mu.Lock()
	found, ok := s.holds[build]
	s.mu.Unlock()
	if ok {
		return found, nil
	}
	found = holds{map[string]held{}, map[string]int64{}, map[string]map[string]int64{}}
	err := s.asRole(ctx, "reading", build, []string{readersRole}, func(conn *pgx.Conn) error {
		objects, err := readObjects(ctx, conn, false)
		if err != nil {
			return err
		}
		for _, o := range objects {
			found.objects[o.ID] = o
			if !o.HasRows {
				continue
			}
			var n int64
			if err := conn.QueryRow(ctx, "SELECT count(*) FROM ONLY "+o.Qualified).Scan(&n); err != nil {
				return err
			}
			found.rows[o.ID] = n
		}
		return found.readCounted(ctx, conn)
	})
	if err != nil {
		return holds{}, err
	}
	s.mu.Lock()
	s.holds[build] = found
	s.mu.Unlock()
	return found, nil
}

// lookedThrough is how many bytes of tables are looked through for rows that changed, whatever was counted: a server
// that had to recover has lost its counts.
const lookedThrough = 32 << 20

// changesQuery counts a table's rows: all, and those that were written since a transaction.
const changesQuery = `SELECT count(*), count(*) FILTER (WHERE
	(xmin::pg_catalog.text::pg_catalog.int8 - %d) & 4294967295 < 2147483648) FROM ONLY %s`

// changes tells what is otherwise in a copy than in its build, as far as it is committed.
func (c *copies) changes(ctx context.Context, of Copy, build string) (changes Changes, err error) {
	before, err := c.server.heldBy(ctx, build)
	if err != nil {
		return changes, err
	}
	err = c.server.inCopy(ctx, of.Database, func(conn *pgx.Conn) error {
		now, err := readObjects(ctx, conn, true)
		if err != nil {
			return err
		}
		changes = before.against(now)
		var bytes int64
		for _, o := range now {
			bytes += o.Bytes
		}
		for _, o := range now {
			if was, known := before.objects[o.ID]; !known || !o.HasRows || bytes > lookedThrough &&
				o.Inserted+o.Updated+o.Deleted == 0 && o.File == was.File {
				continue
			}
			change, err := before.rowsOf(ctx, conn, o, of.Since)
			if err != nil {
				return err
			}
			if change.Added+change.Changed+change.Removed > 0 {
				changes.Tables = append(changes.Tables, change)
			}
		}
		return nil
	})
	return changes, err
}

// against tells which objects were made, altered and dropped.
func (h holds) against(now []held) Changes {
	var changes Changes
	there := map[string]bool{}
	for _, o := range now {
		there[o.ID] = true
		was, known := h.objects[o.ID]
		switch {
		case !known:
			changes.Made = append(changes.Made, Object{o.Kind, o.Name})
		case was.Made != o.Made || was.Name != o.Name:
			changes.Altered = append(changes.Altered, Object{o.Kind, o.Name})
		}
	}
	for _, o := range h.objects {
		if !there[o.ID] {
			changes.Dropped = append(changes.Dropped, Object{o.Kind, o.Name})
		}
	}
	slices.SortFunc(changes.Dropped, func(a, b Object) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
	return changes
}

// rowsOf counts a table's changed rows. What was changed and what was removed and added again is told apart by the
// server's own count.
func (h holds) rowsOf(ctx context.Context, conn *pgx.Conn, o held, since int64) (TableChange, error) {
	change := TableChange{Table: o.Name}
	var all, written int64
	err := conn.QueryRow(ctx, fmt.Sprintf(changesQuery, since, o.Qualified)).Scan(&all, &written)
	if err != nil {
		return change, err
	}
	had := h.rows[o.ID]
	if o.Inserted+o.Updated == 0 && h.objects[o.ID].File != o.File && written == all {
		// the whole table was written anew, as by ALTER TABLE: which rows are others cannot be told
		change.Added, change.Removed = max(all-had, 0), max(had-all, 0)
		return change, nil
	}
	gone := had - (all - written)
	change.Changed = min(written, gone, o.Updated)
	change.Added, change.Removed = written-change.Changed, gone-change.Changed
	return change, nil
}

// inCopy runs f in a session of a copy's own role, in which it can change nothing.
func (s *server) inCopy(ctx context.Context, database string, f func(*pgx.Conn) error) error {
	var conn *pgx.Conn
	err := s.copies.logIn(ctx, database, func(role, password string) (err error) {
		config := s.config.ConnConfig.Copy()
		config.User, config.Password, config.Database = role, password, database
		maps.Copy(config.RuntimeParams, s.pinned())
		conn, err = pgx.ConnectConfig(ctx, config)
		return err
	})
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "SET default_transaction_read_only = on"); err != nil {
		return s.reach(err)
	}
	return s.reach(f(conn))
}
