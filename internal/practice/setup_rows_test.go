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

// manyInserts holds so many INSERTs of single rows that they are prepared, of values of many types, written in many
// ways.
func manyInserts() string {
	var sql strings.Builder
	sql.WriteString(`
CREATE TYPE mood AS ENUM ('calm', 'restless');
CREATE DOMAIN grams AS integer CHECK (VALUE > 0);
CREATE TABLE thing (
	thing_id integer PRIMARY KEY, name varchar(20), code char(5), note text, weight numeric(6,2), exact numeric,
	small smallint, big bigint, near real, nearer double precision, calm boolean, day date, at timestamptz,
	took interval minute, kept interval, mood mood, grams grams, tags text[], data jsonb, changed integer DEFAULT 7);
`)
	for i := range 120 {
		fmt.Fprintf(&sql, "INSERT INTO thing VALUES (%d, 'it''s %d', 'ab', 00%d, %d.%03d, 007.50, %d, -%d, 0.1, "+
			"16777217, %t, '2026-03-%02d', '2026-03-01 12:00+02', '5', '1:30', 'calm', %d, '{a,\"b c\"}', "+
			"'{\"a\": [1, 2]}');\n",
			i, i, i, i, i, i%7, 3_000_000_000+i, i%2 == 0, i%28+1, i+1)
	}
	for i := range 120 {
		fmt.Fprintf(
			&sql, "insert into thing (thing_id, note, mood, small) values (%d, NULL, 'restless', 2.5);\n", 1000+i,
		)
	}
	sql.WriteString("ALTER TABLE thing ALTER COLUMN big TYPE text;\n")
	for i := range 120 {
		fmt.Fprintf(&sql, "INSERT INTO thing (thing_id, big) VALUES (%d, '007');\n", 2000+i)
		if i%40 == 0 {
			fmt.Fprintf(&sql, "INSERT INTO thing (thing_id, big) SELECT 3000 + %d, lower('X');\n", i)
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
		found, _ := conn.Query(ctx, "SELECT thing::text FROM thing ORDER BY thing_id, thing::text")
		all, err := pgx.CollectRows(found, pgx.RowTo[string])
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
	if len(got) != 363 || len(want) != len(got) {
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
