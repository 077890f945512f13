package practice_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"examen/internal/core/result"
	"examen/internal/postgres"
	"examen/internal/practice"
)

// pids are the processes of the seats' sessions in a database.
func pids(t *testing.T, database string) (all []int) {
	t.Helper()
	rows, err := superuser(t, "postgres").Query(
		context.Background(),
		"SELECT pid FROM pg_stat_activity WHERE datname = $1 AND starts_with(usename, 'examen_seat')", database,
	)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var pid int
		if err := rows.Scan(&pid); err != nil {
			t.Fatal(err)
		}
		all = append(all, pid)
	}
	return all
}

// A session that stands still is not a query that takes long: the query is run again, on another.
func TestAQueryWhoseSessionStandsStillIsRunAgain(t *testing.T) {
	s := server(t, within(time.Second))
	s.Beside(practice.Local{Used: postgres.ProcessorTime})
	database := build(t, s, hives, false)
	if _, err := run(s, database, "SELECT 1"); err != nil {
		t.Fatal(err)
	}
	frozen := pids(t, database)
	for _, pid := range frozen {
		if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
			t.Fatal(err)
		}
		defer syscall.Kill(pid, syscall.SIGCONT) //nolint:errcheck // then it ends, as it was told to
	}
	if got, err := run(s, database, "SELECT name FROM hive WHERE hive_id = 1"); err != nil ||
		got != "name:character varying(20) | Amber" || len(frozen) != 1 {
		t.Errorf("%d sessions stood still; got %s, %v", len(frozen), got, err)
	}
}

// A server that does not work on a query has not judged it.
func TestAServerThatStallsStopsNoQuery(t *testing.T) {
	s := server(t, within(200*time.Millisecond))
	// As of a machine that has other things to do.
	s.Beside(practice.Local{Used: func(uint32) (time.Duration, error) { return 0, nil }})
	database := build(t, s, hives, false)
	endless := "SELECT count(*) FROM generate_series(1, 90000) a WHERE (SELECT count(*) FROM generate_series(1, a)) > 0"
	if _, err := run(s, database, endless); !errors.Is(err, practice.ErrStalled) {
		t.Errorf("got %v", err)
	}
	var stopped *practice.Stopped
	if _, err := run(s, database, "SELECT pg_sleep(600)"); !errors.As(err, &stopped) ||
		stopped.Limit != practice.LimitTime {
		t.Errorf("a query that waits because it says so: %v", err)
	}
	s.Beside(practice.Local{Used: func(uint32) (time.Duration, error) {
		return time.Duration(time.Now().UnixNano()), nil
	}})
	if _, err := run(s, database, endless); !errors.As(err, &stopped) {
		t.Errorf("a query that takes its time: %v", err)
	}
}

// A run may be due before the thread that begins it goes on, on a machine where threads wait for processors.
func TestARunIsDueAtOnce(t *testing.T) {
	s := server(t, within(time.Nanosecond))
	s.Beside(practice.Local{Used: func(uint32) (time.Duration, error) { return 0, nil }})
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 100_000 {
				s.Watch()
			}
		})
	}
	all.Wait()
}

// What the sink takes until it is ready for rows is not the query's time.
func TestTheSinksTimeIsNotTheQuerys(t *testing.T) {
	s := server(t, within(time.Second))
	database := build(t, s, hives, false)
	ran, err := s.Run(context.Background(), practice.Run{Learner: 1, Database: database, SQL: "SELECT 1"}, &slow{})
	if err != nil || ran.Elapsed > time.Second {
		t.Errorf("took %s, %v", ran.Elapsed, err)
	}
}

// Errors that are the server's, whatever the query, are no query's; and what is a query's is no lost connection.
func TestErrorsAreTheServersOrTheQuerys(t *testing.T) {
	s := server(t, limits)
	database := build(
		t,
		s,
		files{
			"a.sql": `CREATE FUNCTION trouble(code text) RETURNS int LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION ` +
				`'trouble' USING ERRCODE = code; END $$;`,
		},
		false,
	)
	for code, fault := range map[string]error{
		"53000": practice.ErrTrouble, "53100": practice.ErrFull, "53200": practice.ErrTrouble,
		"58000": practice.ErrTrouble, "58030": practice.ErrTrouble, "XX000": practice.ErrTrouble,
		"22012": nil, "54000": nil, "42P01": nil, "P0001": nil, "21000": nil,
	} {
		_, err := run(s, database, "SELECT trouble('"+code+"')")
		var reported *practice.DatabaseError
		switch {
		case fault != nil && !errors.Is(err, fault):
			t.Errorf("%s: got %v, want %v", code, err, fault)
		case fault == nil && (!errors.As(err, &reported) || reported.Code != code):
			t.Errorf("%s: got %v", code, err)
		}
	}
	for _, sql := range []string{
		"SELECT $1", "SELECT 1 WHERE 1 = $1", "SELECT $1::int", "SELECT * FROM generate_series(1, $2) AS n",
		strings.Repeat("-", 3) + "\nSELECT 1 +", "SELECT 'a\x01'::int",
	} {
		_, err := run(s, database, sql)
		var reported *practice.DatabaseError
		if !errors.As(err, &reported) {
			t.Errorf("%q: got %v", sql, err)
		}
	}
}

// slow is a sink that is long in getting ready.
type slow struct{ table }

func (s *slow) Begin(columns []result.Column) error {
	time.Sleep(1500 * time.Millisecond)
	return s.table.Begin(columns)
}
