package practice_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"examen/internal/practice"
)

// priorities writes down how the processes of sessions are set.
type priorities struct {
	mu    sync.Mutex
	set   []string
	stuck bool // cannot be taken back
}

func (p *priorities) change(_ uint32, share practice.Share) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	if share == practice.Ordinary && p.stuck {
		return errors.New("only a privileged user may")
	}
	p.set = append(p.set, []string{"back", "low", "confined"}[share])
	return nil
}

func (p *priorities) taken() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	all := p.set
	p.set = nil
	return all
}

func TestLongRunsAreThrottledAndPutBack(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	p := &priorities{}
	s.Beside(practice.Local{SetShare: p.change, Processors: 2})
	by := func(learner int64, sql string) string {
		t.Helper()
		var sink table
		if _, err := s.Run(
			context.Background(), practice.Run{Learner: learner, Database: database, SQL: sql}, &sink,
		); err != nil {
			t.Fatal(err)
		}
		return sink.text.String()
	}
	practice.SetPatience(t, time.Hour)
	by(1, "SELECT 1")
	if got := p.taken(); got != nil {
		t.Errorf("a short run: %v", got)
	}
	practice.SetPatience(t, time.Millisecond)
	by(1, "SELECT pg_sleep(0.4)")
	practice.SetPatience(t, time.Hour)
	if got := p.taken(); !slices.Equal(got, []string{"low", "back"}) {
		t.Errorf("a long run: %v", got)
	}
	// Who has just run something long begins low, others do not.
	by(1, "SELECT 1")
	if got := p.taken(); !slices.Equal(got, []string{"low", "back"}) {
		t.Errorf("the same learner's next: %v", got)
	}
	by(2, "SELECT 1")
	if got := p.taken(); got != nil {
		t.Errorf("another learner: %v", got)
	}
}

// As long as there is a processor for each long run they may use all; when there are more runs they leave one to
// others.
func TestMoreLongRunsThanProcessorsAreConfined(t *testing.T) {
	s := server(t, limits) // three seats
	database := build(t, s, hives, false)
	p := &priorities{}
	s.Beside(practice.Local{SetShare: p.change, Processors: 2})
	practice.SetPatience(t, time.Millisecond)
	var all sync.WaitGroup
	var held []*holding
	count := func(share string) (n int) {
		p.mu.Lock()
		defer p.mu.Unlock()
		for _, s := range p.set {
			if s == share {
				n++
			}
		}
		return n
	}
	for learner, want := range []string{"low 1 confined 0", "low 2 confined 0", "low 2 confined 3"} {
		h := &holding{begun: make(chan struct{}), release: make(chan struct{})}
		held = append(held, h)
		all.Go(func() {
			if _, err := s.Run(
				context.Background(), practice.Run{Learner: int64(learner + 1), Database: database, SQL: "SELECT 1"}, h,
			); err != nil {
				t.Error(err)
			}
		})
		<-h.begun
		for limit := time.Now().Add(time.Minute); fmt.Sprintf(
			"low %d confined %d", count("low"), count("confined"),
		) != want; time.Sleep(time.Millisecond) {
			if time.Now().After(limit) {
				t.Fatalf("after run %d: %v, want %s", learner+1, p.taken(), want)
			}
		}
	}
	close(held[0].release)
	for limit := time.Now().Add(time.Minute); count("low") != 4; time.Sleep(time.Millisecond) { // the two that are left
		if time.Now().After(limit) {
			t.Fatalf("when one has ended: %v", p.taken())
		}
	}
	close(held[1].release)
	close(held[2].release)
	all.Wait()
	if back := count("back"); back != 3 {
		t.Errorf("%d were put back", back)
	}
}

// A session whose process keeps the low priority is not lent to anybody else.
func TestASessionThatStaysThrottledIsThrownAway(t *testing.T) {
	one := limits
	one.Seats = 1
	s := server(t, one)
	database := build(t, s, hives, false)
	s.Beside(practice.Local{SetShare: (&priorities{stuck: true}).change, Processors: 2})
	conn := superuser(t, database)
	session := func() (pid int) {
		t.Helper()
		if _, err := s.Run(
			context.Background(), practice.Run{Learner: 2, Database: database, SQL: "SELECT 1"}, &table{},
		); err != nil {
			t.Fatal(err)
		}
		if err := conn.QueryRow(
			context.Background(),
			"SELECT pid FROM pg_stat_activity WHERE starts_with(usename, 'examen_seat') AND datname = $1", database,
		).Scan(&pid); err != nil {
			t.Fatal(err)
		}
		return pid
	}
	practice.SetPatience(t, time.Hour)
	first := session()
	if again := session(); again != first {
		t.Errorf("an ordinary run's session is used again, %d and %d", first, again)
	}
	practice.SetPatience(t, time.Millisecond)
	if _, err := s.Run(
		context.Background(), practice.Run{Learner: 1, Database: database, SQL: "SELECT pg_sleep(0.4)"}, &table{},
	); err != nil {
		t.Fatal(err)
	}
	practice.SetPatience(t, time.Hour)
	if after := session(); after == first {
		t.Error("the session is used again")
	}
}

func TestOneLearnerHasOnlySoManyRunsAtOnce(t *testing.T) {
	s := server(t, limits) // three seats, two for one learner
	database := build(t, s, hives, false)
	run := func(learner int64, sink practice.Sink) chan error {
		done := make(chan error, 1)
		go func() {
			_, err := s.Run(
				context.Background(), practice.Run{Learner: learner, Database: database, SQL: "SELECT 1"}, sink,
			)
			done <- err
		}()
		return done
	}
	held := make([]*holding, 2)
	var all []chan error
	for i := range held {
		held[i] = &holding{begun: make(chan struct{}), release: make(chan struct{})}
		all = append(all, run(1, held[i]))
		<-held[i].begun
	}
	// The third waits: it does not begin, and others find a seat while it does.
	last := &holding{begun: make(chan struct{}), release: make(chan struct{})}
	close(last.release)
	third := run(1, last)
	until(t, "a third run is asked for", func() bool { return s.Asked(1) == 3 })
	if err := <-run(2, &table{}); err != nil {
		t.Errorf("another learner finds a seat: %v", err)
	}
	select {
	case <-last.begun:
		t.Error("a third run has begun at once")
	default:
	}
	// It begins as one of the two ends.
	close(held[0].release)
	<-last.begun
	close(held[1].release)
	for _, done := range append(all, third) {
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
}

// What extensions and scripts leave open in a database is closed as it is handed over.
func TestWhatAScriptChangesOfItsDatabaseDoesNotReachSeats(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, files{"a.sql": `CREATE TABLE a (x int);
INSERT INTO a VALUES (1);
DO $$ BEGIN EXECUTE format('ALTER DATABASE %I SET statement_timeout = 0', current_database()); END $$;
DO $$ BEGIN EXECUTE format('ALTER DATABASE %I SET default_transaction_read_only = off', current_database()); END $$;
CREATE SCHEMA open;
GRANT CREATE ON SCHEMA open TO PUBLIC;
DO $$ BEGIN EXECUTE 'GRANT CREATE, USAGE ON SCHEMA open TO PUBLIC'; END $$;`}, false)
	for _, sql := range []string{
		"CREATE TABLE open.mine (x int)", "CREATE TABLE public.mine (x int)", "INSERT INTO a VALUES (2)",
	} {
		var e *practice.DatabaseError
		if got, err := run(s, database, sql); !errors.As(err, &e) {
			t.Errorf("%s: got %s, %v", sql, got, err)
		}
	}
	var settings string // that are Examen's own
	if err := superuser(t, database).QueryRow(
		context.Background(),
		"SELECT setconfig::text FROM pg_db_role_setting WHERE setdatabase = (SELECT oid FROM pg_database WHERE "+
			"datname = $1)",
		database,
	).Scan(&settings); err != nil || settings != `{"search_path=public, open"}` {
		t.Errorf("settings of the database: %s, %v", settings, err)
	}
	if got, err := run(s, database, "SELECT x FROM a"); err != nil || got != "x:integer | 1" {
		t.Errorf("got %s, %v", got, err)
	}
}

func TestTheCatalogueTellsAll(t *testing.T) {
	s := server(t, limits)
	built, err := s.Build(context.Background(), files{"a.sql": `CREATE SCHEMA yard;
CREATE TABLE yard.place (place_id int PRIMARY KEY, name text UNIQUE DEFAULT 'somewhere');
CREATE TABLE "my.hive" (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, place_id int NOT NULL REFERENCES yard.place,
weight numeric CHECK (weight > 0), twice numeric GENERATED ALWAYS AS (weight * 2) STORED);
CREATE INDEX heavy ON "my.hive" (weight DESC) WHERE weight > 10;
CREATE VIEW heavy_hive AS SELECT id FROM "my.hive" WHERE weight > 10;
CREATE MATERIALIZED VIEW kept AS SELECT 1 AS one;
CREATE TABLE night (day date, cloud int) PARTITION BY RANGE (day);
CREATE TABLE night_2026 PARTITION OF night FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
CREATE TABLE """quoted""" ("a b" text);
COMMENT ON TABLE yard.place IS 'Where hives stand.';
COMMENT ON COLUMN yard.place.name IS 'As people call it.';
INSERT INTO yard.place VALUES (1, 'Lime lane'), (2, NULL), (3, repeat('x', 100));
INSERT INTO "my.hive" (place_id, weight) VALUES (1, 12.5), (1, 8), (2, 12.5);
INSERT INTO night VALUES ('2026-05-01', 1);`}.order("test_all"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Drop(context.Background(), "test_all")
	var got []string
	for _, table := range built.Tables {
		got = append(got, fmt.Sprintf("%s %s %d", table.Name, table.SQLName, table.Rows))
	}
	if want := []string{
		`"quoted" public."""quoted""" 0`, "heavy_hive public.heavy_hive 2", "kept public.kept 1",
		`my.hive public."my.hive" 3`, "night public.night 1", "yard.place yard.place 3",
	}; !slices.Equal(got, want) {
		t.Errorf("got  %q\nwant %q", got, want)
	}
	hive, place := built.Table("my.hive"), built.Table("yard.place")
	if c := hive.Column("place_id"); c.References != "yard.place.place_id" || c.Nullable {
		t.Errorf("place_id: %+v", c)
	}
	if c := hive.Column("weight"); fmt.Sprint(c.Examples) != "[12.5 8]" || !c.Nullable {
		t.Errorf("weight: %+v", c)
	}
	if hive.Column("id").Default != "generated as identity" ||
		hive.Column("twice").Default != "generated: (weight * (2)::numeric)" ||
		place.Column("name").Default != "'somewhere'::text" {
		t.Errorf(
			"defaults: %q, %q, %q", hive.Column("id").Default, hive.Column("twice").Default,
			place.Column("name").Default,
		)
	}
	if len(hive.Indexes) != 1 || hive.Indexes[0].Definition != "btree (weight DESC) WHERE weight > 10::numeric" {
		t.Errorf("indexes: %+v", hive.Indexes)
	}
	if place.Meaning != "Where hives stand." || place.Column("name").Meaning != "As people call it." {
		t.Errorf("comments are meanings: %+v", place)
	}
	if examples := place.Column("name").Examples; len(examples) != 2 || len([]rune(examples[1])) != 40 {
		t.Errorf("long values are cut: %q", examples)
	}
	if view := built.Table("heavy_hive"); !view.View || view.Query == "" || len(view.Constraints) > 0 {
		t.Errorf("a view: %+v", view)
	}
	if built.Bytes == 0 || hive.Bytes == 0 || len(built.Relations()) != 1 {
		t.Errorf("%d bytes, relations %+v", built.Bytes, built.Relations())
	}
}

// until waits until something holds.
func until(t *testing.T, what string, holds func() bool) {
	t.Helper()
	for limit := time.Now().Add(time.Minute); !holds(); time.Sleep(time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatalf("in a minute it did not come to it: %s", what)
		}
	}
}
