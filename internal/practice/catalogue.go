package practice

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// A Catalogue describes the tables of a build.
type Catalogue struct {
	Tables []Table `json:"tables"`
}

// A Table is a table or view. Its name carries the schema, unless that is public.
type Table struct {
	Name    string   `json:"name"`
	View    bool     `json:"view,omitempty"`
	Meaning string   `json:"meaning,omitempty"`
	Rows    int64    `json:"rows"`
	Columns []Column `json:"columns"`
}

// A Column is a column of a table.
type Column struct {
	Name       string `json:"name"`
	Type       string `json:"type"`
	Nullable   bool   `json:"nullable"`
	Key        bool   `json:"key"`                  // part of the primary key
	References string `json:"references,omitempty"` // "table.column"
	Meaning    string `json:"meaning,omitempty"`
}

// Rows returns the number of rows of all tables together.
func (c *Catalogue) Rows() int64 {
	var n int64
	for _, t := range c.Tables {
		if !t.View {
			n += t.Rows
		}
	}
	return n
}

const tablesQuery = `
SELECT c.oid, CASE n.nspname WHEN 'public' THEN c.relname ELSE n.nspname || '.' || c.relname END,
       format('%I.%I', n.nspname, c.relname), c.relkind IN ('v', 'm')
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm') AND NOT c.relispartition AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
ORDER BY 2`

const columnsQuery = `
SELECT a.attrelid, a.attname, format_type(a.atttypid, a.atttypmod), NOT a.attnotnull,
       EXISTS (SELECT FROM pg_constraint k WHERE k.conrelid = a.attrelid AND k.contype = 'p' AND a.attnum = ANY (k.conkey)),
       coalesce((SELECT CASE n.nspname WHEN 'public' THEN c.relname ELSE n.nspname || '.' || c.relname END || '.' || f.attname
                 FROM pg_constraint k
                 JOIN pg_class c ON c.oid = k.confrelid
                 JOIN pg_namespace n ON n.oid = c.relnamespace
                 JOIN pg_attribute f ON f.attrelid = k.confrelid AND f.attnum = k.confkey[array_position(k.conkey, a.attnum)]
                 WHERE k.conrelid = a.attrelid AND k.contype = 'f' AND a.attnum = ANY (k.conkey)
                 ORDER BY k.conname LIMIT 1), '')
FROM pg_attribute a
WHERE a.attrelid = ANY ($1) AND a.attnum > 0 AND NOT a.attisdropped
ORDER BY a.attrelid, a.attnum`

func readCatalogue(ctx context.Context, conn *pgx.Conn) (Catalogue, error) {
	type found struct {
		oid    uint32
		quoted string
		table  Table
	}
	var tables []*found
	place := map[uint32]*found{}
	rows, _ := conn.Query(ctx, tablesQuery)
	var f found
	if _, err := pgx.ForEachRow(rows, []any{&f.oid, &f.table.Name, &f.quoted, &f.table.View}, func() error {
		next := f
		tables = append(tables, &next)
		place[f.oid] = &next
		return nil
	}); err != nil {
		return Catalogue{}, err
	}
	oids := make([]uint32, len(tables))
	for i, t := range tables {
		oids[i] = t.oid
		if err := conn.QueryRow(ctx, "SELECT count(*) FROM "+t.quoted).Scan(&t.table.Rows); err != nil {
			return Catalogue{}, err
		}
	}
	rows, _ = conn.Query(ctx, columnsQuery, oids)
	var oid uint32
	var c Column
	if _, err := pgx.ForEachRow(rows, []any{&oid, &c.Name, &c.Type, &c.Nullable, &c.Key, &c.References}, func() error {
		place[oid].table.Columns = append(place[oid].table.Columns, c)
		return nil
	}); err != nil {
		return Catalogue{}, err
	}
	var catalogue Catalogue
	for _, t := range tables {
		catalogue.Tables = append(catalogue.Tables, t.table)
	}
	return catalogue, nil
}
