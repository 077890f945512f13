package practice_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// a copyOf is a learner's copy of a build.
type copyOf struct {
	*practice.Copy
	t     *testing.T
	s     *practice.Server
	build string
}

// copied makes a copy of a build, which is dropped after the test.
func copied(t *testing.T, s *practice.Server, build string) copyOf {
	t.Helper()
	c, err := s.Copies().Take(context.Background(), build)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Copies().Drop(context.Background(), c.Database) })
	return copyOf{c, t, s, build}
}

// perform runs a script in a window of the copy. It gives what each statement did, rows after its tag, and the error.
func (c copyOf) perform(window, sql string) (did []string, done practice.Performance, err error) {
	c.t.Helper()
	statements, err := sqltext.ReadStatements(sql)
	if err != nil {
		c.t.Fatalf("%s: %v", sql, err)
	}
	var sinks []*table
	done, err = c.s.Copies().Perform(context.Background(), practice.Script{
		Learner: 1, Database: c.Database, Build: c.build, Window: window, Statements: statements,
	}, func(int) practice.Sink {
		sinks = append(sinks, &table{})
		return sinks[len(sinks)-1]
	})
	for i, step := range done.Steps {
		did = append(did, strings.TrimSpace(step.Tag+" "+sinks[i].text.String()))
	}
	return did, done, err
}

// says runs a script, and compares what its statements did.
func (c copyOf) says(window, sql string, want ...string) practice.Performance {
	c.t.Helper()
	did, done, err := c.perform(window, sql)
	if err != nil || strings.Join(did, "\n") != strings.Join(want, "\n") {
		c.t.Errorf("%s:\n got %q, %v\nwant %q", sql, did, err, want)
	}
	return done
}

func (c copyOf) changes() string {
	c.t.Helper()
	changes, err := c.s.Copies().Changes(context.Background(), *c.Copy, c.build)
	if err != nil {
		c.t.Fatal(err)
	}
	return fmt.Sprint(changes)
}

func TestACopyKeepsWhatItsLearnerChanges(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	c := copied(t, s, database)
	if got := c.changes(); got != "{[] [] [] []}" {
		t.Errorf("a new copy is told to have changed: %s", got)
	}
	c.says("", `INSERT INTO hive VALUES (3, 'Clover', 9, 'calm'), (4, 'Dill', 8, 'calm');
		UPDATE hive SET weight = 13 WHERE hive_id = 1; DELETE FROM hive WHERE hive_id = 2;
		SELECT name FROM hive ORDER BY 1`,
		"INSERT 0 2", "UPDATE 1", "DELETE 1", "SELECT 3 name:character varying(20) | Amber| Clover| Dill")
	c.says("", `CREATE TABLE queen (queen_id integer PRIMARY KEY, hive_id integer REFERENCES hive);
		CREATE VIEW heavy AS SELECT * FROM hive WHERE weight > 10; ALTER TABLE inspection ADD COLUMN note text;
		DROP VIEW calm; SELECT nextval('counter')`,
		"CREATE TABLE", "CREATE VIEW", "ALTER TABLE", "DROP VIEW", "SELECT 1 nextval:bigint | 1")
	want := "{[{hive 2 1 1}] [{table queen} {view heavy}] [{table inspection}] [{view calm}]}"
	if got := c.changes(); got != want {
		t.Errorf("changed: got %s, want %s", got, want)
	}
	if got, err := run(s, database, "SELECT count(*) FROM hive"); got != "count:bigint | 2" {
		t.Errorf("the build has changed: %s, %v", got, err)
	}
	if other := copied(t, s, database); other.changes() != "{[] [] [] []}" {
		t.Errorf("another copy begins with %s", other.changes())
	}
}

func TestAScriptStopsAtItsFirstError(t *testing.T) {
	s := server(t, limits)
	c := copied(t, s, build(t, s, hives, false))
	did, _, err := c.perform("",
		"INSERT INTO hive VALUES (3, 'Clover');\nINSERT INTO hive VALUES (3, 'Dill'); DELETE FROM hive")
	var e *practice.DatabaseError
	if len(did) != 1 || !errors.As(err, &e) || e.Code != "23505" {
		t.Errorf("got %q, %v", did, err)
	}
	c.says("", "SELECT count(*) FROM hive", "SELECT 1 count:bigint | 3")
}

func TestAnOpenTransactionWaitsForItsWindow(t *testing.T) {
	s := server(t, limits)
	c := copied(t, s, build(t, s, hives, false))
	done := c.says("a", "BEGIN; DELETE FROM hive", "BEGIN", "DELETE 2")
	if done.State != practice.OpenTransaction || done.Until.IsZero() {
		t.Errorf("the state of an open transaction: %+v", done)
	}
	c.says("b", "SELECT count(*) FROM hive", "SELECT 1 count:bigint | 2")
	c.says("a", "SELECT count(*) FROM hive", "SELECT 1 count:bigint | 0")
	_, _, err := c.perform("b", "UPDATE hive SET name = 'x'")
	var blocked *practice.Blocked
	if !errors.As(err, &blocked) {
		t.Errorf("waiting for oneself: got %v", err)
	}
	if _, done, err := c.perform("a", "SELECT 1/0"); err == nil || done.State != practice.FailedTransaction {
		t.Errorf("a failed transaction: %+v, %v", done, err)
	}
	if done := c.says("a", "ROLLBACK", "ROLLBACK"); done.State != practice.NoTransaction {
		t.Errorf("after ROLLBACK: %+v", done)
	}
	if done := c.says("", "BEGIN; DELETE FROM hive", "BEGIN", "DELETE 2"); !done.Undone {
		t.Errorf("what has no window is not told to be undone: %+v", done)
	}
	c.says("", "SELECT count(*) FROM hive", "SELECT 1 count:bigint | 2")
}
