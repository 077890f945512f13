package grading

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/marking"
	"examen/internal/core/pack"
	"examen/internal/practice"
)

// a judged is what an attempt gets, and a part of what is said of it.
type judged struct {
	sql     string
	outcome marking.Outcome
	says    string
}

// What is defined counts by what it means and does, not by how it is written.
func TestDefinitionsCountByMeaning(t *testing.T) {
	b := openPaths(t)
	const (
		noteOn = "CREATE TABLE change (stile_id int, was text, at timestamptz DEFAULT now()); "
		logged = "CREATE FUNCTION keep() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN " +
			"INSERT INTO change (stile_id, was) VALUES (OLD.stile_id, OLD.kind); RETURN NEW; END $$; " +
			"CREATE TRIGGER keep AFTER UPDATE ON stile FOR EACH ROW WHEN (OLD.kind <> NEW.kind) " +
			"EXECUTE FUNCTION keep()"
	)
	for name, c := range map[string]struct {
		answer string
		rules  pack.Checking
		cases  []judged
	}{
		"a trigger": {
			answer: noteOn + logged,
			rules: pack.Checking{Accepts: []string{
				"UPDATE stile SET kind = 'kissing gate' WHERE stile_id = 2", "UPDATE stile SET kind = kind",
			}},
			cases: []judged{
				{ // before, by another name, and its condition within
					noteOn + "CREATE FUNCTION f() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN " +
						"IF OLD.kind <> NEW.kind THEN INSERT INTO change VALUES (OLD.stile_id, OLD.kind); END IF; " +
						"RETURN NEW; END $$; CREATE TRIGGER t BEFORE UPDATE OF kind ON stile FOR EACH ROW " +
						"EXECUTE FUNCTION f()", correct, "",
				},
				{strings.Replace(noteOn+logged, "OLD.kind);", "NEW.kind);", 1), incorrect,
					"After an UPDATE of the table “stile”: In the table “change”, in column 2 (“was”), 1 row"},
				{strings.Replace(noteOn+logged, "WHEN (OLD.kind <> NEW.kind)", "", 1), incorrect, "After an UPDATE"},
				{noteOn, incorrect, "After an UPDATE of the table “stile”: The table “change” is empty"},
			},
		},
		"a function": {
			answer: "CREATE FUNCTION steps(p int) RETURNS bigint LANGUAGE sql AS " +
				"'SELECT count(*) FROM stile WHERE path_id = p'",
			rules: pack.Checking{Accepts: []string{"SELECT steps(1)", "SELECT steps(99)"}},
			cases: []judged{
				{"CREATE FUNCTION steps(int) RETURNS bigint LANGUAGE plpgsql AS 'BEGIN RETURN (SELECT count(*) " +
					"FROM stile s WHERE s.path_id = $1); END'", correct, ""},
				{"CREATE FUNCTION steps(int) RETURNS bigint LANGUAGE sql AS 'SELECT 4::bigint'", incorrect,
					"A query afterwards: "},
				{"CREATE FUNCTION stepping(int) RETURNS bigint LANGUAGE sql AS 'SELECT 4::bigint'", incorrect,
					"There is no function “steps”"},
			},
		},
		"a materialized view": {
			answer: "CREATE MATERIALIZED VIEW kinds AS SELECT kind, count(*) AS n FROM stile GROUP BY kind",
			rules:  pack.Checking{Accepts: []string{"DELETE FROM tally"}},
			cases: []judged{
				{"CREATE MATERIALIZED VIEW kinds (kind, n) AS SELECT DISTINCT kind, count(*) OVER (PARTITION BY " +
					"kind) FROM stile", correct, ""},
				{"CREATE VIEW kinds AS SELECT kind, count(*) AS n FROM stile GROUP BY kind", incorrect,
					"There is no materialized view “kinds”"},
				{"CREATE MATERIALIZED VIEW kinds AS SELECT kind, 1 AS n FROM stile GROUP BY kind", incorrect,
					"“kinds”, in column 2 (“n”)"},
			},
		},
		"a column left out": {
			answer: "INSERT INTO report (report_id, stile_id, seen, urgency, what) " +
				"VALUES (99, 1, DATE '2026-10-01', 1, 'wobbles')",
			rules: pack.Checking{Ignore: []string{"report.report_id", "report.seen"}},
			cases: []judged{
				{"INSERT INTO report (report_id, stile_id, seen, urgency, what) " +
					"VALUES (77, 1, '2020-01-01', 1, 'wobbles')", correct, ""},
				{"INSERT INTO report (report_id, stile_id, seen, urgency, what) " +
					"VALUES (77, 1, '2020-01-01', 2, 'wobbles')", incorrect, "“urgency”"},
			},
		},
		"names, order and indexes": {
			answer: "CREATE TABLE sign (sign_id int CONSTRAINT sign_key PRIMARY KEY, says text); " +
				"CREATE INDEX ON sign (lower(says))",
			rules: pack.Checking{Definitions: pack.Definitions{Names: true, Order: true, Indexes: true}},
			cases: []judged{
				{"CREATE TABLE sign (sign_id integer, says varchar); ALTER TABLE sign ALTER sign_id SET NOT NULL, " +
					"ADD CONSTRAINT sign_key PRIMARY KEY (sign_id); CREATE INDEX i ON sign (lower(says))", correct, ""},
				{"CREATE TABLE sign (sign_id integer, says text); ALTER TABLE sign " +
					"ADD CONSTRAINT sign_key PRIMARY KEY (sign_id); CREATE INDEX i ON sign (lower(says))", correct, ""},
				{"CREATE TABLE sign (sign_id int PRIMARY KEY, says text); CREATE INDEX ON sign (lower(says))",
					incorrect,
					"The primary key of the table “sign” is called “sign_pkey”"},
				{"CREATE TABLE sign (says text, sign_id int CONSTRAINT sign_key PRIMARY KEY); " +
					"CREATE INDEX ON sign (lower(says))", incorrect, "stand in another order"},
				{"CREATE TABLE sign (sign_id int CONSTRAINT sign_key PRIMARY KEY, says text); " +
					"CREATE INDEX ON sign (says)", incorrect, "An index of the table “sign” is missing"},
			},
		},
		"types, defaults and generated columns": {
			answer: "CREATE TABLE plank (plank_id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, " +
				"cm numeric(6, 1) NOT NULL DEFAULT 0, wide boolean NOT NULL DEFAULT false, " +
				"m numeric GENERATED ALWAYS AS (cm / 100) STORED, since date DEFAULT current_date)",
			cases: []judged{
				{"CREATE TABLE plank (plank_id serial PRIMARY KEY, m numeric GENERATED ALWAYS AS (cm / 100.0) " +
					"STORED, " +
					"cm decimal(6, 1) DEFAULT 0.0 NOT NULL, wide bool NOT NULL DEFAULT 'false', " +
					"since date DEFAULT CURRENT_DATE)", correct, ""},
				{"CREATE TABLE plank (plank_id serial PRIMARY KEY, m numeric, cm numeric(6, 1) NOT NULL DEFAULT 0, " +
					"wide bool NOT NULL DEFAULT false, since date DEFAULT current_date)", incorrect, "generated"},
				{"CREATE TABLE plank (plank_id int PRIMARY KEY, m numeric GENERATED ALWAYS AS (cm / 100) STORED, " +
					"cm numeric(6, 1) NOT NULL DEFAULT 0, wide bool NOT NULL DEFAULT false, since date " +
					"DEFAULT current_date)", incorrect, "should number its rows by itself"},
				{"CREATE TABLE plank (plank_id serial PRIMARY KEY, m numeric GENERATED ALWAYS AS (cm / 100) STORED, " +
					"cm numeric(6, 2) NOT NULL DEFAULT 0, wide bool NOT NULL DEFAULT false, since date " +
					"DEFAULT current_date)", incorrect, "is of type numeric(6,2)"},
			},
		},
		"a view": {
			answer: "CREATE VIEW steep AS SELECT path_id, name FROM path WHERE grade = 'steep'",
			cases: []judged{
				{"CREATE VIEW steep (id, called) AS SELECT path_id, name FROM path WHERE grade > 'n'", correct, ""},
				{"CREATE VIEW steep AS SELECT path_id, name, grade FROM path WHERE grade = 'steep'", incorrect,
					"The view “steep” has 3 columns; the task asks for only 2: “grade” is not needed."},
				{"CREATE VIEW steep AS SELECT path_id FROM path WHERE grade = 'steep'", incorrect,
					"The view “steep” has 1 column; the task asks for 2: “name” is missing."},
				{"CREATE VIEW steep AS SELECT path_id / 0 AS path_id, name FROM path WHERE grade = 'steep'", incorrect,
					"The rows of the view “steep” cannot be read and compared. The database says: division by zero."},
			},
		},
		"a view whose columns are named": {
			answer: "CREATE VIEW steep AS SELECT path_id, name FROM path WHERE grade = 'steep'",
			rules:  pack.Checking{Policy: compare.Policy{Names: true}},
			cases: []judged{
				{"CREATE VIEW steep (path_id, called) AS SELECT path_id, name FROM path WHERE grade = 'steep'",
					incorrect, "called"},
			},
		},
		"rows that are written anew": {
			answer: "ALTER TABLE path ALTER length_km TYPE integer USING round(length_km)",
			cases: []judged{
				{"ALTER TABLE path ADD km int; UPDATE path SET km = round(length_km); ALTER TABLE path DROP " +
					"length_km; ALTER TABLE path RENAME km TO length_km; ALTER TABLE path ALTER length_km SET NOT " +
					"NULL, " +
					"ADD CHECK (length_km > 0)", correct, ""},
				{"ALTER TABLE path ALTER length_km TYPE integer USING trunc(length_km)", incorrect,
					"In the table “path”, in column 3 (“length_km”)"},
			},
		},
		"rows that are written anew besides": {
			answer: "DELETE FROM tally",
			cases: []judged{
				{"DELETE FROM tally; ALTER TABLE path ALTER length_km TYPE numeric(4,1) USING length_km + 1", incorrect,
					"The table “path” should stay as it is, and its rows are others now"},
				{"DELETE FROM tally; ALTER TABLE path ALTER length_km TYPE numeric(4,1) USING length_km + 0", correct,
					""},
			},
		},
		"types of one's own": {
			answer: "CREATE TYPE mood AS ENUM ('calm', 'cross'); CREATE DOMAIN km AS numeric CHECK (VALUE > 0); " +
				"ALTER TABLE warden ADD mood mood DEFAULT 'calm', ADD walked km",
			rules: pack.Checking{Refuses: []string{"UPDATE warden SET walked = 0"}},
			cases: []judged{
				{"CREATE DOMAIN km AS numeric CHECK (0 < VALUE); CREATE TYPE mood AS ENUM ('calm', 'cross'); ALTER " +
					"TABLE warden ADD walked km, ADD mood mood; UPDATE warden SET mood = 'calm'; " +
					"ALTER TABLE warden ALTER mood SET DEFAULT 'calm'", correct, ""},
				{"CREATE DOMAIN km AS numeric CHECK (VALUE >= 0); CREATE TYPE mood AS ENUM ('calm', 'cross'); " +
					"ALTER TABLE warden ADD mood mood DEFAULT 'calm', ADD walked km", incorrect,
					"The database takes an UPDATE of the table “warden”"},
				{"CREATE DOMAIN km AS numeric CHECK (VALUE > 0); CREATE TYPE mood AS ENUM ('calm', 'wild'); " +
					"ALTER TABLE warden ADD mood mood DEFAULT 'calm', ADD walked km", incorrect,
					"The type “mood” is defined otherwise"},
				{"CREATE DOMAIN km AS numeric CHECK (VALUE > 0); CREATE TYPE mood AS ENUM ('calm', 'cross'); " +
					"ALTER TABLE warden ADD mood mood, ADD walked km; UPDATE warden SET mood = 'cross'; " +
					"ALTER TABLE warden ALTER mood SET DEFAULT 'calm'", incorrect,
					"In the table “warden”, in column 6 (“mood”), 7 rows"},
			},
		},
		"a sequence of one's own": {
			answer: "CREATE TABLE sign (sign_id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, says text); " +
				"INSERT INTO sign (says) VALUES ('a'), ('b')",
			cases: []judged{
				{"CREATE SEQUENCE numbers START 100; CREATE TABLE sign (sign_id int DEFAULT nextval('numbers') " +
					"PRIMARY KEY, says text); INSERT INTO sign (says) VALUES ('b'), ('a')", correct, ""},
			},
		},
		"checks of lengths and times": {
			answer: "CREATE TABLE walk (code text CHECK (length(code) = 4), at time CHECK (at >= '09:00'), " +
				"path_id int REFERENCES path)",
			cases: []judged{
				{"CREATE TABLE walk (code text CHECK (code LIKE '____'), at time CHECK (NOT at < '09:00'), " +
					"path_id int REFERENCES path ON DELETE RESTRICT)", correct, ""},
				{"CREATE TABLE walk (code text CHECK (length(code) = 5), at time CHECK (at >= '09:00'), " +
					"path_id int REFERENCES path)", incorrect, "The table “walk” refuses values"},
				{"CREATE TABLE walk (code text CHECK (length(code) = 4), at time CHECK (at > '09:00'), " +
					"path_id int REFERENCES path)", incorrect, "The table “walk” refuses values"},
			},
		},
		"keys": {
			answer: "CREATE TABLE sign (path_id int REFERENCES path ON DELETE CASCADE, says text, UNIQUE " +
				"(path_id, says))",
			cases: []judged{
				{"CREATE TABLE sign (path_id int, says text); CREATE UNIQUE INDEX ON sign (says, path_id); ALTER " +
					"TABLE " +
					"sign ADD FOREIGN KEY (path_id) REFERENCES path (path_id) ON DELETE CASCADE", correct, ""},
				{"CREATE TABLE sign (path_id int REFERENCES path ON DELETE CASCADE, says text); " +
					"CREATE UNIQUE INDEX ON sign (path_id, lower(says))", incorrect, "A unique constraint"},
				{"CREATE TABLE sign (path_id int REFERENCES path ON DELETE SET NULL, says text, " +
					"UNIQUE (path_id, says))", incorrect, "(set null)"},
				{"CREATE TABLE sign (path_id int REFERENCES path ON DELETE CASCADE, says text, " +
					"PRIMARY KEY (path_id, says))", incorrect, "does not take NULL, and it should"},
			},
		},
		"what the last query shows": {
			answer: "INSERT INTO repair (report_id, warden_id, done, hours) VALUES (2, 1, current_date, 1) " +
				"RETURNING *, now() AS noted, random()",
			rules: pack.Checking{Last: true},
			cases: []judged{
				{"INSERT INTO repair (hours, report_id, warden_id, done) VALUES (1, 2, 1, now()) " +
					"RETURNING *, now() + interval '1 hour' AS noted, random()", correct, ""},
				{"INSERT INTO repair (report_id, warden_id, done, hours) VALUES (2, 1, current_date, 1)", incorrect,
					"there is none"},
			},
		},
	} {
		task := Task{Accepted: []string{c.answer}, Rules: c.rules, Database: b.visible}
		for _, try := range append(c.cases, judged{sql: c.answer, outcome: correct}) {
			v, err := b.Grade(ctx, task, 1, try.sql)
			if err != nil {
				t.Errorf("%s: %s: %v", name, try.sql, err)
				continue
			}
			if said := saidOf(v); v.Outcome != try.outcome || !strings.Contains(said, try.says) {
				t.Errorf("%s: %s\n gets %s: %s\n want %s: %s", name, try.sql, v.Outcome, said, try.outcome, try.says)
			}
		}
	}
}

// A time does not count, but that it was set does.
func TestATimeHasToBeSet(t *testing.T) {
	b := openPaths(t)
	database := fmt.Sprintf("levels_%d", time.Now().UnixNano())
	if _, err := b.server.Build(ctx, practice.Order{
		Database: database, Scripts: []string{"s.sql"}, Files: fstest.MapFS{"s.sql": {Data: []byte(
			"CREATE TABLE level (gauge int PRIMARY KEY, cm int NOT NULL, at timestamptz NOT NULL);" +
				"INSERT INTO level VALUES (1, 40, '2026-05-01 08:00'), (2, 55, '2026-05-01 08:00');",
		)}},
	}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = b.server.Drop(ctx, database) })
	task := Task{Accepted: []string{"UPDATE level SET cm = 42, at = now() WHERE gauge = 1"}, Database: database}
	for sql, want := range map[string]marking.Outcome{
		"UPDATE level SET (cm, at) = (42, localtimestamp) WHERE gauge = 1":   correct,
		"UPDATE level SET at = current_timestamp, cm = cm + 2 WHERE cm = 40": correct,
		"UPDATE level SET cm = 42 WHERE gauge = 1":                           incorrect,
		"UPDATE level SET cm = 42, at = now()":                               incorrect,
	} {
		if v, err := b.Grade(ctx, task, 1, sql); err != nil || v.Outcome != want {
			t.Errorf("%s gets %+v, %v, want %s", sql, v, err, want)
		}
	}
}

// saidOf is all that is said of an attempt.
func saidOf(v *Verdict) string {
	var said []string
	for _, f := range v.Findings {
		said = append(said, f.Sentence)
	}
	if v.Fault != nil {
		said = append(said, v.Fault.Title, v.Fault.Detail)
	}
	return strings.Join(said, " ")
}
