package practice

import (
	"context"
	"fmt"
	"math"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/result"
)

// firstMade is the first object identifier that a server gives to what is made after initdb.
const firstMade = 16384

// A typeRow is a type as the server's catalogue has it.
type typeRow struct {
	result.Type
	parts []uint32 // of what it consists
	base  uint32   // of a domain, 0 otherwise
}

// readTypes reads the types of a database from the given object identifier on. Arrays, ranges and composites name their
// parts.
func readTypes(ctx context.Context, conn *pgx.Conn, from, to uint32) (map[uint32]typeRow, error) {
	types := map[uint32]typeRow{}
	rows, _ := conn.Query(ctx, `
		SELECT t.oid, pg_catalog.format_type(t.oid, NULL), t.typtype::text, t.typbasetype,
			CASE WHEN t.typsubscript = 'array_subscript_handler'::regproc THEN ARRAY[t.typelem]
			     WHEN t.typtype = 'r' THEN (SELECT ARRAY[rngsubtype] FROM pg_range WHERE rngtypid = t.oid)
			     WHEN t.typtype = 'm' THEN (SELECT ARRAY[rngsubtype] FROM pg_range WHERE rngmultitypid = t.oid)
			     WHEN t.typtype = 'c' THEN ARRAY(SELECT atttypid FROM pg_attribute WHERE attrelid = t.typrelid AND
			     attnum > 0 AND NOT attisdropped ORDER BY attnum)
			     ELSE '{}' END
		FROM pg_type AS t WHERE t.oid >= $1 AND t.oid < $2`, from, to)
	var oid, base uint32
	var name, typtype string
	var parts []uint32
	_, err := pgx.ForEachRow(rows, []any{&oid, &name, &typtype, &base, &parts}, func() error {
		t := typeRow{Type: result.Type{OID: oid, Name: name}, parts: parts, base: base}
		switch typtype {
		case "e", "r", "m", "c":
			t.Kind = result.Kind(typtype[0])
		default:
			if len(parts) > 0 {
				t.Kind = result.Array
			}
		}
		types[oid] = t
		return nil
	})
	return types, err
}

// deepestType bounds how far types are followed into their parts.
const deepestType = 20

// whole gives a type with its parts.
func whole(oid uint32, types ...map[uint32]typeRow) result.Type {
	var find func(oid uint32, depth int) result.Type
	find = func(oid uint32, depth int) result.Type {
		for _, known := range types {
			row, ok := known[oid]
			if !ok {
				continue
			}
			if row.base != 0 {
				return find(row.base, depth)
			}
			t := row.Type
			for _, part := range row.parts {
				if depth < deepestType {
					t.Parts = append(t.Parts, find(part, depth+1))
				}
			}
			return t
		}
		return result.Type{OID: oid}
	}
	return find(oid, 0)
}

// typesOf returns the types defined in a database. They are read once, since a build never changes.
func (s *Server) typesOf(ctx context.Context, database string) (map[uint32]result.Type, error) {
	s.mu.Lock()
	types, known := s.types[database]
	s.mu.Unlock()
	if known {
		return types, nil
	}
	s.reading.Lock() // the learners who wait read them once
	defer s.reading.Unlock()
	s.mu.Lock()
	types, known = s.types[database]
	s.mu.Unlock()
	if known {
		return types, nil
	}
	types = map[uint32]result.Type{}
	err := s.asRole(ctx, "reading", database, []string{readersRole}, func(conn *pgx.Conn) error {
		if _, err := setPath(ctx, conn); err != nil {
			return err
		}
		made, err := readTypes(ctx, conn, firstMade, math.MaxInt32)
		for oid := range made {
			types[oid] = whole(oid, made, s.builtin)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	s.types[database] = types
	s.mu.Unlock()
	return types, nil
}

// columns describes a result's columns.
func (s *Server) columns(fields []pgconn.FieldDescription, made map[uint32]result.Type) []result.Column {
	columns := make([]result.Column, len(fields))
	for i, f := range fields {
		t, ok := made[f.DataTypeOID]
		if !ok {
			t = whole(f.DataTypeOID, s.builtin)
			t.Name = withModifier(t.Name, f.TypeModifier)
		}
		columns[i] = result.Column{Name: f.Name, Type: t}
	}
	return columns
}

// withModifier writes a type's modifier as format_type does.
func withModifier(name string, modifier int32) string {
	if modifier < 0 {
		return name
	}
	switch name {
	case "numeric":
		m := modifier - 4
		return fmt.Sprintf("numeric(%d,%d)", m>>16&0xffff, m&0x7ff^1024-1024)
	case "character varying", "character":
		return fmt.Sprintf("%s(%d)", name, modifier-4)
	}
	return name
}
