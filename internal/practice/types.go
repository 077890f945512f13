package practice

import (
	"context"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

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
	rows, _ := conn.Query(ctx, typesQuery, from, to)
	var oid, base uint32
	var name, typtype string
	var parts []uint32
	_, err := pgx.ForEachRow(rows, []any{&oid, &name, &typtype, &base, &parts}, func() error {
		types[oid] = newTypeRow(oid, name, typtype, base, parts)
		return nil
	})
	return types, err
}

// typesQuery reads types with object identifiers from $1 up to $2.
const typesQuery = `
SELECT t.oid, pg_catalog.format_type(t.oid, NULL), t.typtype::pg_catalog.text, t.typbasetype,
	CASE WHEN t.typsubscript = 'pg_catalog.array_subscript_handler'::pg_catalog.regproc THEN ARRAY[t.typelem]
	     WHEN t.typtype = 'r' THEN (SELECT ARRAY[r.rngsubtype] FROM pg_catalog.pg_range r WHERE r.rngtypid = t.oid)
	     WHEN t.typtype = 'm' THEN
	         (SELECT ARRAY[r.rngsubtype] FROM pg_catalog.pg_range r WHERE r.rngmultitypid = t.oid)
	     WHEN t.typtype = 'c' THEN ARRAY(SELECT a.atttypid FROM pg_catalog.pg_attribute a
	         WHERE a.attrelid = t.typrelid AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum)
	     ELSE '{}' END
FROM pg_catalog.pg_type AS t WHERE t.oid >= $1 AND t.oid < $2`

func newTypeRow(oid uint32, name, typtype string, base uint32, parts []uint32) typeRow {
	t := typeRow{Type: result.Type{OID: oid, Name: name}, parts: parts, base: base}
	switch typtype {
	case "e", "r", "m", "c":
		t.Kind = result.Kind(typtype[0])
	default:
		if len(parts) > 0 {
			t.Kind = result.Array
		}
	}
	return t
}

// typesIn reads the types that a copy has, in one of its sessions; build are those of its build.
func (s *server) typesIn(
	ctx context.Context, conn *pgconn.PgConn, build map[uint32]result.Type,
) (map[uint32]result.Type, error) {
	read := conn.ExecParams(ctx, typesQuery, [][]byte{
		strconv.AppendInt(nil, firstMade, 10), strconv.AppendInt(nil, math.MaxInt32, 10),
	}, nil, nil, nil).Read()
	if read.Err != nil {
		return nil, read.Err
	}
	number := func(text []byte) uint32 {
		n, _ := strconv.ParseUint(string(text), 10, 32) // the server's own
		return uint32(n)
	}
	made := map[uint32]typeRow{}
	for _, row := range read.Rows {
		var parts []uint32
		for part := range strings.SplitSeq(strings.Trim(string(row[4]), "{}"), ",") {
			if part != "" {
				parts = append(parts, number([]byte(part)))
			}
		}
		oid := number(row[0])
		made[oid] = newTypeRow(oid, string(row[1]), string(row[2]), number(row[3]), parts)
	}
	types := maps.Clone(build)
	for oid := range made {
		if _, known := build[oid]; !known {
			types[oid] = byName(whole(oid, made, s.builtin))
		}
	}
	return types, nil
}

// byName gives a type an identifier by its name, unless it is built in: what scripts and statements make has another
// identifier on each server, and in each copy.
func byName(t result.Type) result.Type {
	if t.OID >= firstMade {
		name := fnv.New32a()
		_, _ = name.Write([]byte(string(rune(t.Kind)) + t.Name))
		t.OID = name.Sum32() | 1<<31 // which no server gives so soon
	}
	t.Parts = slices.Clone(t.Parts)
	for i := range t.Parts {
		t.Parts[i] = byName(t.Parts[i])
	}
	return t
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
func (s *server) typesOf(ctx context.Context, database string) (map[uint32]result.Type, error) {
	if s.of != nil {
		return s.of.typesOf(ctx, database)
	}
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
			types[oid] = byName(whole(oid, made, s.builtin))
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
func (s *server) columns(fields []pgconn.FieldDescription, made map[uint32]result.Type) []result.Column {
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
