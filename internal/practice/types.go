package practice

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"examen/internal/core/result"
)

// firstMade is the first object identifier that a server gives to what is made after initdb.
const firstMade = 16384

func builtinTypes(ctx context.Context, conn *pgx.Conn) (map[uint32]string, error) {
	names := map[uint32]string{}
	rows, _ := conn.Query(ctx, `SELECT oid, format_type(oid, NULL) FROM pg_type WHERE oid < $1`, firstMade)
	var oid uint32
	var name string
	_, err := pgx.ForEachRow(rows, []any{&oid, &name}, func() error {
		names[oid] = name
		return nil
	})
	return names, err
}

// typesOf returns the types that were made in a database. They are read once: a build is never changed.
func (s *Server) typesOf(ctx context.Context, database string) (map[uint32]result.Type, error) {
	s.mu.Lock()
	types, known := s.types[database]
	s.mu.Unlock()
	if known {
		return types, nil
	}
	types = map[uint32]result.Type{}
	err := s.in(ctx, database, func(conn *pgx.Conn) error {
		rows, _ := conn.Query(ctx, `SELECT oid, format_type(oid, NULL), typtype = 'e' FROM pg_type WHERE oid >= $1`, firstMade)
		var t result.Type
		_, err := pgx.ForEachRow(rows, []any{&t.OID, &t.Name, &t.Enum}, func() error {
			types[t.OID] = t
			return nil
		})
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
			t = result.Type{OID: f.DataTypeOID, Name: withModifier(s.builtin[f.DataTypeOID], f.TypeModifier)}
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
