package practice_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// a copyOf is a learner's copy of a build.
type copyOf struct {
	*practice.Copy
	t     *testing.T
	s     *practice.Servers
	build string
}

// copied makes a copy of a build, which is dropped after the test.
func copied(t *testing.T, s *practice.Servers, build string) copyOf {
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

// A transaction for which nobody comes back is rolled back, and others get what it held.
func TestAnOpenTransactionDoesNotWaitForever(t *testing.T) {
	practice.SetKeptOpen(t, 50*time.Millisecond)
	s := server(t, limits)
	c := copied(t, s, build(t, s, hives, false))
	c.says("a", "BEGIN; DELETE FROM hive", "BEGIN", "DELETE 2")
	for state := practice.OpenTransaction; state != practice.NoTransaction; {
		state, _, _ = s.Copies().Uncommitted(context.Background(), c.Database, "a")
	}
	c.says("b", "UPDATE hive SET name = 'x' WHERE hive_id = 1", "UPDATE 1")
	done := c.says("a", "SELECT count(*) FROM hive; COMMIT", "SELECT 1 count:bigint | 2", "COMMIT")
	if notices := done.Steps[1].Notices; len(notices) != 1 || notices[0] != "there is no transaction in progress" {
		t.Errorf("a COMMIT that comes too late: %q", notices)
	}
}

func TestACopyIsBounded(t *testing.T) {
	small := limits
	small.Copy, small.TempDisk = 16<<20, "256MB"
	s := server(t, small)
	c := copied(t, s, build(t, s, hives, false))
	for _, sql := range []string{
		"CREATE TABLE big AS SELECT repeat(md5(n::text), 30) AS x FROM generate_series(1, 1000000) AS n",
		"BEGIN; CREATE TABLE big (x text); INSERT INTO big SELECT repeat('x', 900) FROM generate_series(1, 1000000)",
		"DO $$ BEGIN CREATE TABLE big (x text); LOOP INSERT INTO big SELECT repeat('x', 900) FROM " +
			"generate_series(1, 1000); " +
			"END LOOP; END $$",
	} {
		_, done, err := c.perform("a", sql)
		var stopped *practice.Stopped
		if !errors.As(err, &stopped) || stopped.Limit != practice.LimitCopy || done.State != practice.NoTransaction {
			t.Errorf("%s: got %+v, %v", sql, done, err)
		}
		c.says("a", "SELECT to_regclass('big')::text", "SELECT 1 to_regclass:text | ~")
	}
	c.says("a", "DELETE FROM inspection; SELECT count(*) FROM hive", "DELETE 0", "SELECT 1 count:bigint | 2")
}

func TestADatasetThatIsTooLargeHasNoCopies(t *testing.T) {
	small := limits
	small.Copy = 16 << 20
	s := server(t, small)
	database := build(t, s, files{
		"a.sql": "CREATE TABLE big AS SELECT n, repeat('x', 900) AS x FROM generate_series(1, 20000) AS n;",
	}, false)
	if _, err := s.Copies().Take(context.Background(), database); !errors.Is(err, practice.ErrNoCopies) {
		t.Errorf("got %v", err)
	}
	if _, err := s.Copies().Take(context.Background(), "no_such"); !errors.Is(err, practice.ErrGone) {
		t.Errorf("of a build that is not there: got %v", err)
	}
}

// Dropping a copy ends what runs in it, which is told so.
func TestACopyIsDroppedInTheMiddleOfARun(t *testing.T) {
	s := server(t, limits)
	c := copied(t, s, build(t, s, hives, false))
	ended := make(chan error)
	go func() {
		_, _, err := c.perform("", "DELETE FROM inspection; SELECT pg_sleep(100)")
		ended <- err
	}()
	waitFor(t, func() bool {
		return s.Copies().Busy(context.Background(), c.Database) && strings.Contains(running(t), "pg_sleep(100)")
	})
	if err := s.Copies().Drop(context.Background(), c.Database); err != nil {
		t.Fatal(err)
	}
	if err := <-ended; !errors.Is(err, practice.ErrGone) {
		t.Errorf("got %v", err)
	}
}

// running is what runs on the server.
func running(t *testing.T) (all string) {
	t.Helper()
	if err := superuser(t, "postgres").QueryRow(
		context.Background(),
		"SELECT coalesce(string_agg(query, ' '), '') FROM pg_stat_activity WHERE state = 'active'",
	).Scan(&all); err != nil {
		t.Fatal(err)
	}
	return all
}

func waitFor(t *testing.T, is func() bool) {
	t.Helper()
	for range 600 {
		if is() {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatal("it does not come about")
}

// What a service that was killed has left goes, but for the copies that are known; and those are entered anew.
func TestCopiesThatAreLeftAreDropped(t *testing.T) {
	first := server(t, limits)
	database := build(t, first, hives, false)
	kept, left := copied(t, first, database), copied(t, first, database)
	kept.says("", "DELETE FROM inspection; INSERT INTO hive VALUES (3, 'Clover')", "DELETE 0", "INSERT 0 1")
	first.Close()
	s := server(t, limits)
	if err := s.Copies().Keep(context.Background(), []string{kept.Database}, true); err != nil {
		t.Fatal(err)
	}
	again := copyOf{kept.Copy, t, s, database}
	again.says("", "SELECT count(*) FROM hive", "SELECT 1 count:bigint | 3")
	if _, _, err := (copyOf{left.Copy, t, s, database}).perform("", "SELECT 1"); !errors.Is(err, practice.ErrGone) {
		t.Errorf("what was left is there: %v", err)
	}
}

// A copy that is just being dropped is no longer its learner's, and yet is not swept: the server takes one of both ways
// for an error.
func TestACopyThatIsBeingDroppedIsNotSwept(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	for range 3 {
		going := copied(t, s, database)
		dropped := make(chan error)
		go func() { dropped <- s.Copies().Drop(context.Background(), going.Database) }()
		for done := false; !done; {
			if err := s.Copies().Keep(context.Background(), nil, true); err != nil {
				t.Fatal(err)
			}
			select {
			case err := <-dropped:
				if done = true; err != nil {
					t.Fatal(err)
				}
			default:
			}
		}
	}
}

// Copies of a build in use are ready, and go when it is replaced.
func TestCopiesAreReady(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	count := func() (n int) {
		sizes, _, err := s.Copies().Sizes(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		return len(sizes)
	}
	before := count()
	s.Copies().Warm(database)
	waitFor(t, func() bool { return count() == before+2 })
	copied(t, s, database)
	waitFor(t, func() bool { return count() == before+3 })
	if err := s.Copies().KeepReadyOnly(context.Background(), nil); err != nil {
		t.Fatal(err)
	}
	waitFor(t, func() bool { return count() == before+1 })
}
