package practice_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"examen/internal/practice"
)

// manyInserts makes a table for each of many types, and fills it with so many rows that they are prepared: with values
// written in all the ways that the type takes.
func manyInserts() string {
	var sql strings.Builder
	sql.WriteString(`
CREATE TYPE mood AS ENUM ('calm', 'restless');
CREATE TYPE pair AS (a integer, b text);
CREATE DOMAIN grams AS numeric(6,1) CHECK (VALUE > 0);
CREATE DOMAIN minutes AS interval minute;
CREATE DOMAIN short AS varchar(3);
`)
	for n, c := range [][]string{
		{"varchar(20)", "'it''s'", "''", "'  two  '", "NULL", "2.50", "007"}, {"char(5)", "'ab'", "'abcde   '", "5"},
		{"text", "'0.50'", "0.50", "007", "-1", "'NULL'"}, {`"char"`, "'abc'", "'x'"}, {"name", "'abc'"},
		{"numeric(6,2)", "1.005", "-1.005", "2", "'3.145'", "0012.5"},
		{"numeric", "1.50", "007.50", "12345678901234567890", "'1e3'"},
		{"smallint", "2.5", "3.5", "-7", "'12'", "NULL"}, {"integer", "2147483647", "007", "2.4", "'-5'"},
		{"bigint", "3000000000", "-3000000000", "9223372036854775807"},
		{"boolean", "true", "FALSE", "'yes'", "'0'", "NULL"},
		{"real", "0.1", "16777217", "-12345678.9", "'1e10'"}, {"double precision", "0.1", "9007199254740993", "-2.50"},
		{"date", "'2026-03-01'", "'March 2, 2026'"}, {"timestamp(0)", "'2026-03-01 12:00:00.5'"},
		{"timestamptz", "'2026-03-01 12:00+02'"}, {"time(1)", "'12:00:00.25'"}, {"interval", "'1:30'", "'2 days'"},
		{"interval minute", "'5'", "'1:30'"}, {"minutes", "'5'", "'1:30'"}, {"grams", "2.55", "'3.25'", "4"},
		{"short", "'abc'", "'abc  '", "12"}, {"mood", "'calm'", "NULL"}, {"pair", "'(1,\"b c\")'"},
		{"text[]", "'{a,\"b c\",NULL}'"}, {"jsonb", "'{\"a\": [1, 2.50]}'"}, {"bytea", "'abc'"}, {"bit(3)", "'101'"},
		{"uuid", "'A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11'"}, {"int4range", "'[1,5]'"}, {"money", "'12.50'", "12.50"},
		{"oid", "'7'", "7"}, {"inet", "'10.0.0.1/8'"}, {"xml", "'<a/>'"},
	} {
		fmt.Fprintf(&sql, "CREATE TABLE t%02d (id integer, v %s);\n", n, c[0])
		for i := range 120 {
			fmt.Fprintf(&sql, "INSERT INTO t%02d VALUES (%d, %s);\n", n, i, c[1+i%(len(c)-1)])
		}
	}
	sql.WriteString(`
CREATE TABLE thing (thing_id integer PRIMARY KEY, note integer, changed integer DEFAULT 7);
`)
	for i := range 120 {
		fmt.Fprintf(&sql, "INSERT INTO thing (thing_id, note) VALUES (%d, 007);\n", i)
	}
	sql.WriteString("ALTER TABLE thing ALTER COLUMN note TYPE text;\n")
	for i := range 120 {
		fmt.Fprintf(&sql, "INSERT INTO thing (thing_id, note) VALUES (%d, '007');\n", 2000+i)
		if i%40 == 0 {
			fmt.Fprintf(&sql, "INSERT INTO thing (thing_id, note) SELECT 3000 + %d, lower('X');\n", i)
			fmt.Fprintf(&sql, "UPDATE thing SET changed = changed + 1 WHERE thing_id <= 2000 + %d;\n", i)
		}
	}
	return sql.String()
}

// Rows whose values are sent apart from their statements come to what the statements themselves come to.
func TestManyInsertsComeToWhatTheySay(t *testing.T) {
	ctx := context.Background()
	s := server(t, limits)
	database := build(t, s, files{"things.sql": manyInserts()}, false)
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	rows := func(conn *pgx.Conn) []string {
		found, _ := conn.Query(ctx, `SELECT relname FROM pg_class
			WHERE relkind = 'r' AND relnamespace = current_schema::regnamespace ORDER BY relname`)
		tables, err := pgx.CollectRows(found, pgx.RowTo[string])
		var all []string
		for _, table := range tables {
			found, _ := conn.Query(ctx, fmt.Sprintf("SELECT '%[1]s ' || %[1]s::text FROM %[1]s ORDER BY ctid", table))
			rows, failed := pgx.CollectRows(found, pgx.RowTo[string])
			all, err = append(all, rows...), errors.Join(err, failed)
		}
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	if _, err := conn.Exec(ctx, "CREATE SCHEMA plainly; SET search_path = plainly;"+manyInserts()); err != nil {
		t.Fatal(err)
	}
	defer conn.Exec(ctx, "DROP SCHEMA plainly CASCADE") //nolint:errcheck // the cluster is this test program's
	want := rows(conn)
	config := conn.Config().Copy()
	config.Database = database
	builds, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		t.Fatal(err)
	}
	defer builds.Close(ctx)
	got := rows(builds)
	if len(got) != 34*120+243 || len(want) != len(got) {
		t.Fatalf("there are %d rows, and %d are wanted", len(got), len(want))
	}
	for i := range got {
		if got[i] != want[i] {
			t.Errorf("got  %s\nwant %s", got[i], want[i])
		}
	}
}

// What one of many such rows is refused for is told as if it had been sent alone.
func TestOneOfManyInsertsFails(t *testing.T) {
	s := server(t, limits)
	for wrong, want := range map[string]string{
		"(70, 'x', '2')":     `duplicate key value violates unique constraint "thing_pkey"`,
		"(1070, 'y', true)":  `column "n" is of type integer but expression is of type boolean`,
		"(1070, 'y', 'two')": `invalid input syntax for type integer: "two"`,
		"(1070, 'y')":        `null value in column "n"`,
		"(1070, 'y', 1, 2)":  "INSERT has more expressions than target columns",
		"(1070, 2.5, 5e9)":   "integer out of range",
	} {
		var sql strings.Builder
		sql.WriteString("CREATE TABLE thing (thing_id integer PRIMARY KEY, name text, n integer NOT NULL);\n")
		for i := range 200 {
			row := fmt.Sprintf("(%d, 'it', %d)", i, i)
			if i == 150 {
				row = wrong
			}
			fmt.Fprintf(&sql, "INSERT INTO thing VALUES %s;\n", row)
		}
		_, err := s.Build(context.Background(), files{"things.sql": sql.String()}.order("failing"))
		var failed *practice.BuildErrors
		if !errors.As(err, &failed) || len(failed.List) != 1 {
			t.Fatalf("%s: got %v", wrong, err)
		}
		if e := failed.List[0]; e.Place.Line != 152 || !strings.Contains(e.Message, want) {
			t.Errorf("%s: got line %d, %s", wrong, e.Place.Line, e.Message)
		}
	}
}
