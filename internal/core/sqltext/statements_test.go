package sqltext_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/sqltext"
)

func TestStatementsAreReadInOrder(t *testing.T) {
	text := "-- first\nBEGIN; UPDATE hive SET name = 'a;b' ;\n\nSELECT 1;\nCOMMIT"
	statements, err := sqltext.ReadStatements(text)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, s := range statements {
		if !strings.HasPrefix(text[s.Start:], s.Text) {
			t.Errorf("%q does not stand at %d", s.Text, s.Start)
		}
		kind := ""
		if s.Reads {
			kind += "reads "
		}
		if s.Grows {
			kind += "grows "
		}
		if s.Ends {
			kind += "ends "
		}
		got = append(got, kind+s.Text)
	}
	want := []string{"BEGIN", "grows UPDATE hive SET name = 'a;b' ", "reads SELECT 1", "ends COMMIT"}
	if !slices.Equal(got, want) {
		t.Errorf("got %q, want %q", got, want)
	}
}

func TestWhatCannotRunInACopy(t *testing.T) {
	for text, want := range map[string]string{
		"":                                "The text is empty",
		"-- nothing":                      "holds nothing but comments",
		"SELECT 1; GRANT ALL ON a TO b":   "Roles and rights",
		"COPY a FROM STDIN":               "COPY reads and writes files",
		"SET statement_timeout = 0":       "settings stay as they are",
		"CREATE EXTENSION hstore":         "Extensions and languages",
		"DROP EXTENSION hstore":           "An extension is not part of the copy",
		"COMMENT ON DATABASE d IS 'x'":    "A database is not part of the copy",
		"DO LANGUAGE plperl 'x'":          "this one is in plperl",
		"VACUUM":                          "VACUUM cannot be run",
		"EXPLAIN ANALYZE VACUUM":          "",
		"CREATE SCHEMA s AUTHORIZATION x": "AUTHORIZATION cannot be given",
		"ALTER TABLE a OWNER TO b":        "everything is yours",
		"SELECT 1::regrole":               "regrole",
	} {
		var refused *sqltext.NotAllowed
		var syntax *sqltext.SyntaxError
		_, err := sqltext.ReadStatements(text)
		if want == "" && errors.As(err, &syntax) {
			continue
		}
		if !errors.As(err, &refused) || !strings.Contains(refused.Detail, want) {
			t.Errorf("%s: got %v, want %s", text, err, want)
		}
	}
	if _, err := sqltext.ReadStatements(strings.Repeat("SELECT 1;", sqltext.MostStatements+1)); err == nil {
		t.Error("too many statements are taken")
	}
	if _, err := sqltext.ReadStatements("SELECT $1"); err == nil {
		t.Error("a placeholder is taken")
	}
}

func TestWhatStatementsUse(t *testing.T) {
	for text, want := range map[string]string{
		"INSERT INTO a SELECT * FROM b ON CONFLICT DO NOTHING RETURNING x": "insert on-conflict returning star",
		"BEGIN; UPDATE a SET x = 1 WHERE y IN (SELECT 1); COMMIT":          "subquery transaction update",
		"CREATE TABLE t (a int PRIMARY KEY, b int NOT NULL REFERENCES u, c int DEFAULT 1 CHECK (c > 0), UNIQUE " +
			"(b))": "" +
			"check create-table default foreign-key not-null primary-key unique",
		"ALTER TABLE t ALTER a SET NOT NULL":                                   "alter not-null",
		"DELETE FROM a USING b WHERE a.x = b.x":                                "delete",
		"MERGE INTO a USING b ON true WHEN MATCHED THEN DELETE":                "merge",
		"CREATE VIEW v AS SELECT 1; DROP VIEW v":                               "drop view",
		"CREATE TRIGGER t BEFORE INSERT ON a EXECUTE FUNCTION f(); TRUNCATE a": "trigger truncate",
	} {
		statements, err := sqltext.ReadStatements(text)
		if err != nil {
			t.Fatal(err)
		}
		var used []string
		for construct := range sqltext.UsesOf(statements) {
			if !strings.Contains(construct, ":") {
				used = append(used, construct)
			}
		}
		slices.Sort(used)
		if got := strings.Join(used, " "); got != want {
			t.Errorf("%s: got %s, want %s", text, got, want)
		}
		for _, construct := range used {
			if err := sqltext.CheckConstruct(construct); err != nil {
				t.Error(err)
			}
		}
	}
}

func TestColumnsAreAddedToProbes(t *testing.T) {
	columns := func(string) []string { return []string{"a", "b", "c"} }
	for text, want := range map[string]string{
		"INSERT INTO t VALUES (1, 2)":     "INSERT INTO t (a, b) VALUES (1, 2)",
		"INSERT INTO t (c) VALUES (1)":    "INSERT INTO t (c) VALUES (1)",
		"INSERT INTO t SELECT 1":          "INSERT INTO t SELECT 1",
		"INSERT INTO t VALUES (1,2,3,4)":  "INSERT INTO t VALUES (1,2,3,4)",
		"UPDATE t SET a = 1 WHERE b <> 2": "UPDATE t SET a = 1 WHERE b <> 2",
	} {
		if got := sqltext.WithColumns(text, columns); got != want {
			t.Errorf("%s: got %s", text, got)
		}
	}
}
