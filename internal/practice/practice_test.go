package practice_test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/result"
	"examen/internal/postgres/postgrestest"
	"examen/internal/practice"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

// limits are small, so that tests reach them; but for time, which a slow machine must not make them reach.
var limits = practice.Limits{
	Time:     2 * time.Minute,
	Rows:     5000,
	Bytes:    2 << 20,
	RowBytes: 1 << 20,
	TempDisk: "4MB",
	Seats:    3,
	Learner:  2,
	Wait:     20 * time.Second,
	Copy:     64 << 20,
}

var hives = files{"hives.sql": `
CREATE TYPE mood AS ENUM ('calm', 'restless');
CREATE TABLE hive (hive_id integer PRIMARY KEY, name varchar(20) NOT NULL, weight numeric(6,2), mood mood);
CREATE TABLE inspection (hive_id integer REFERENCES hive, day date);
INSERT INTO hive VALUES (1, 'Amber', 12.5, 'calm'), (2, 'Basil', NULL, 'restless');
CREATE VIEW calm AS SELECT name FROM hive WHERE mood = 'calm';
CREATE SEQUENCE counter;
`}

// files are setup scripts by name, run in the names' order.
type files map[string]string

func (f files) order(database string) practice.Order {
	folder := fstest.MapFS{}
	for name, text := range f {
		folder[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return practice.Order{Database: database, Files: folder, Scripts: slices.Sorted(maps.Keys(f))}
}

// within are the limits, with so much time.
func within(time time.Duration) practice.Limits {
	l := limits
	l.Time = time
	return l
}

func server(t *testing.T, limits practice.Limits) *practice.Servers {
	t.Helper()
	s, err := practice.Open(context.Background(), []string{url}, practice.Options{Limits: limits})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

var databases int

// build builds a dataset and returns its database, which is removed after the test.
func build(t *testing.T, s *practice.Servers, scripts files, variant bool) string {
	t.Helper()
	databases++
	database := fmt.Sprintf("test_%d", databases)
	order := scripts.order(database)
	order.Variant = variant
	if _, err := s.Build(context.Background(), order); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Drop(context.Background(), database) })
	return database
}

// table is a sink that writes everything down.
type table struct{ text strings.Builder }

func (s *table) Begin(columns []result.Column) error {
	s.text.Reset()
	for _, c := range columns {
		fmt.Fprintf(&s.text, "%s:%s ", c.Name, c.Type.Name)
	}
	return nil
}

func (s *table) Row(row result.Row) error {
	s.text.WriteString("|")
	for _, cell := range row.Clone() {
		if cell == nil {
			s.text.WriteString(" ~")
		} else {
			s.text.WriteString(" " + string(cell[:min(len(cell), 40)]))
		}
	}
	return nil
}

func run(s *practice.Servers, database, sql string) (string, error) {
	var sink table
	_, err := s.Run(context.Background(), practice.Run{Learner: 1, Database: database, SQL: sql}, &sink)
	return sink.text.String(), err
}

func TestRowsComeWithTheirTypes(t *testing.T) {
	s := server(t, limits)
	got, err := run(s, build(t, s, hives, false), "SELECT * FROM hive ORDER BY hive_id")
	if err != nil {
		t.Fatal(err)
	}
	if want := "hive_id:integer name:character varying(20) weight:numeric(6,2) mood:mood | 1 Amber 12.50 calm| 2 " +
		"Basil ~ restless"; got != want {
		t.Errorf("got %s\nwant %s", got, want)
	}
}

// A large result comes in another format over the wire, and reads the same: over all dates there are, with fractions,
// infinities and NULL, and over floats of all sizes, also those that a short text lies half-way from to the next.
func TestALargeResultReadsLikeASmallOne(t *testing.T) {
	s := server(t, limits)
	database := build(
		t, s,
		files{"a.sql": "CREATE DOMAIN founded AS date; CREATE TABLE swarm (seen timestamptz, on_day founded); " +
			"INSERT INTO swarm VALUES ('2026-05-01 12:00:00+02', '2026-05-01')"},
		false,
	)
	for _, sql := range []string{
		`SELECT n, at, at::date, at AT TIME ZONE 'UTC', at::text, to_char(at, 'J') FROM (
			SELECT n, timestamp '4713-01-02 00:00:00 BC' + make_interval(days => n * 26843, secs => n * 777.000123)
			AS at FROM generate_series(0, 4000) AS n) AS t`,
		`SELECT n, timestamp '1999-12-31 23:59:58.5' + n * interval '0.1 seconds', date '2000-02-27' + n, ` +
			`timestamptz '1900-02-27 23:00:00+01' + n * interval '1 day' FROM generate_series(-40, 400) AS n`,
		`VALUES (timestamp 'infinity', timestamptz '-infinity', date 'infinity', 1), ('-infinity', 'infinity', ` +
			`'-infinity', 2), (NULL, NULL, NULL, NULL), ('0001-12-31 BC', '0001-01-01', '5874897-12-31', 3), ` +
			`('10000-01-01', '9999-12-31 23:59:59.999999', '0010-01-02', 4)`,
		`SELECT seen, on_day, ARRAY[on_day], '{"a": 1}'::json, on_day + time '12:00' FROM swarm`,
		`SELECT power(2, n), power(2, n) + power(2, n - 30), -power(2, n) * 3, power(2, n) / 3, ` +
			`power(2, n / 10.0), n::real / 3 FROM generate_series(-1000, 1000) AS n`,
		`SELECT ('1e' || n)::double precision, ('9.5e' || n)::double precision FROM generate_series(-300, 300) AS n`,
		`SELECT (n || 'e21')::double precision, (n || 'e22')::double precision, 9007199254740993 + n::float8, ` +
			`n / 16::float8, sqrt(n), n * 0.1::float8, sin(n) / 1e4, n * 1e15 / 7 FROM generate_series(0, 2000) AS n`,
		`VALUES ('NaN'::float8, 1e15), ('Infinity', 999999999999999.9), ('-Infinity', 1e-4), (0, '-0'), ` +
			`(5e-324, NULL), (1.7976931348623157e308, 0.00009999999999999999)`,
		`SELECT 1 AS nothing_to_rewrite`,
		`SELECT FROM swarm`,
	} {
		var small, large table
		ran, err := s.Run(context.Background(), practice.Run{Database: database, SQL: sql}, &small)
		if err != nil {
			t.Fatal(sql, err)
		}
		if again, err := s.Run(
			context.Background(), practice.Run{Database: database, SQL: sql, Large: true, Floats: true}, &large,
		); err != nil || again.Rows != ran.Rows {
			t.Fatal(sql, again.Rows, ran.Rows, err)
		}
		if a, b := small.text.String(), large.text.String(); a != b {
			at := 0
			for a[at] == b[at] {
				at++
			}
			t.Errorf("%s\nsmall ... %.100q\nlarge ... %.100q", sql, a[max(0, at-60):], b[max(0, at-60):])
		}
	}
	var place *practice.DatabaseError
	if _, err := s.Run(
		context.Background(), practice.Run{Database: database, SQL: "SELECT seen, onday FROM swarm", Large: true},
		&table{},
	); !errors.As(err, &place) || place.Place == nil || place.Place.Column != 14 {
		t.Errorf("an error is reported as of any run: %v", err)
	}
}

func TestBuildTellsWhatItMade(t *testing.T) {
	s := server(t, limits)
	catalogue, err := s.Build(context.Background(), hives.order("test_catalogue"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Drop(context.Background(), "test_catalogue")
	var got []string
	for _, table := range catalogue.Tables {
		got = append(got, fmt.Sprintf("%s %d", table.Name, table.Rows))
	}
	if want := "[calm 1 hive 2 inspection 0]"; fmt.Sprint(got) != want || catalogue.Rows() != 2 {
		t.Errorf("got %v, %d rows in tables", got, catalogue.Rows())
	}
	if c := catalogue.Tables[2].Columns[0]; c.References != "hive.hive_id" || !c.Nullable || c.Key {
		t.Errorf("inspection.hive_id: %+v", c)
	}
}

func TestABuildThatFailsNamesThePlaceAndLeavesNothing(t *testing.T) {
	s := server(t, limits)
	for _, c := range []struct{ script, want string }{
		{
			"CREATE TABLE a (x int);\nINSERT INTO a\nVALUES ('many');",
			`b.sql:3: invalid input syntax for type integer: "many", in: INSERT INTO a`,
		},
		{"SELECT 1;\nCRATE TABLE a ();", `b.sql:2: syntax error at or near "CRATE"`},
		{"CREATE TABLE a (x int PRIMARY KEY);\n\nINSERT INTO a VALUES (1), (1);", "b.sql:3: duplicate key"},
	} {
		_, err := s.Build(
			context.Background(), files{"a.sql": "CREATE TABLE fine ();", "b.sql": c.script}.order("test_failed"),
		)
		var broken *practice.BuildErrors
		if !errors.As(err, &broken) || !strings.HasPrefix(err.Error(), c.want) {
			t.Errorf("%s\n got %v\nwant %s", c.script, err, c.want)
		}
		if left, _ := s.Databases(context.Background(), "test_failed"); len(left) > 0 {
			t.Fatalf("left over: %v", left)
		}
	}
}

func TestErrorsHaveTheirPlaceInTheQuery(t *testing.T) {
	s := server(t, limits)
	_, err := run(s, build(t, s, hives, false), "SELECT 'Bienenstöcke',\n  nme FROM hive")
	var e *practice.DatabaseError
	if !errors.As(err, &e) || e.Code != "42703" || e.Place == nil || e.Place.Line != 2 || e.Place.Column != 3 ||
		e.Place.Text != "  nme FROM hive" {
		t.Errorf("got %+v", err)
	}
}

func TestLimitsStopARun(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	for _, c := range []struct {
		sql   string
		limit practice.Limit
	}{
		{"SELECT generate_series(1, 1000000000000)", practice.LimitRows},
		{"SELECT repeat('x', 1000) FROM generate_series(1, 4000)", practice.LimitBytes},
		{"SELECT repeat('x', 100000000)", practice.LimitRowBytes},
		{"SELECT * FROM generate_series(1, 1000000000000)", practice.LimitDisk},
	} {
		_, err := run(s, database, c.sql)
		var stopped *practice.Stopped
		if !errors.As(err, &stopped) || stopped.Limit != c.limit {
			t.Errorf("%s: got %v, want %s", c.sql, err, c.limit)
		}
		if got, err := run(s, database, "SELECT 1 AS n"); err != nil || got != "n:integer | 1" {
			t.Errorf("after %s: got %s, %v", c.sql, got, err)
		}
	}
}

func TestTimeStopsARun(t *testing.T) {
	s := server(t, within(1500*time.Millisecond))
	database := build(t, s, hives, false)
	for _, sql := range []string{
		"SELECT pg_sleep(600)",
		"SELECT count(*) FROM generate_series(1, 90000) a WHERE (SELECT count(*) FROM generate_series(1, a)) > 0",
	} {
		_, err := run(s, database, sql)
		var stopped *practice.Stopped
		if !errors.As(err, &stopped) || stopped.Limit != practice.LimitTime {
			t.Errorf("%s: got %v", sql, err)
		}
	}
}

// What a seat may not do. That the parse tree refuses most of it beforehand is not relied upon here.
func TestASeatCannot(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	other := build(t, s, hives, true)
	for code, statements := range map[string][]string{
		"25001": {"VACUUM"}, // within a transaction
		"25006": { // in a read-only transaction
			"INSERT INTO hive VALUES (3, 'Clover')", "DELETE FROM hive", "CREATE TABLE x ()",
			"CREATE TEMPORARY TABLE x ()", "CREATE SCHEMA x", "SELECT * FROM hive FOR UPDATE",
			"WITH x AS (DELETE FROM hive RETURNING 1) SELECT * FROM x",
			"ALTER ROLE CURRENT_USER SET statement_timeout = 0", "ALTER ROLE CURRENT_USER PASSWORD 'x'",
		},
		"42501": { // without the right to
			"SELECT nextval('counter')", "SELECT setval('counter', 9)", "SET ROLE examen",
			"SET SESSION AUTHORIZATION examen", "LOCK TABLE hive IN ACCESS EXCLUSIVE MODE",
			"SELECT set_config('statement_timeout', '0', false)", "SELECT current_setting('data_directory')",
			"SELECT * FROM pg_settings", "SELECT * FROM pg_stat_activity",
			"SELECT * FROM pg_authid", "SELECT * FROM pg_locks", "SELECT pg_read_file('/etc/passwd')",
			"SELECT * FROM pg_ls_dir('/')", "COPY (SELECT 1) TO '/tmp/x'",
			"COPY hive TO PROGRAM 'id'", "SELECT lo_from_bytea(0, 'x')", "SELECT lo_create(0)",
			"SELECT pg_notify('x', 'y')", "SELECT pg_advisory_lock(1)",
			"SELECT pg_try_advisory_xact_lock(1)", "SELECT pg_export_snapshot()",
			"SELECT pg_logical_emit_message(false, 'x', 'y')",
			"SELECT query_to_xml('SELECT 1', true, true, '')", "SELECT ts_stat('SELECT 1')",
			"SELECT pg_terminate_backend(1)", "SELECT pg_cancel_backend(1)",
			"SELECT pg_reload_conf()", "SELECT setseed(0.5)", "SELECT txid_current()", "SELECT pg_switch_wal()",
			"SELECT version()", "SELECT inet_server_addr()",
			"DO 'BEGIN END'", "LOAD 'auto_explain'", "CHECKPOINT",
		},
		"42601": {"SELECT 1; SELECT 2"},                                                   // several statements
		"42883": {"SELECT * FROM dblink('dbname=" + other + "', 'SELECT 1') AS t(x int)"}, // no such function
	} {
		for _, sql := range statements {
			var e *practice.DatabaseError
			if got, err := run(s, database, sql); !errors.As(err, &e) || e.Code != code {
				t.Errorf("%s: got %s, %v, want the code %s", sql, got, err, code)
			}
		}
	}
}

// The parse tree refuses these too; should one come through, the next run on the seat finds nothing of it.
func TestNothingStaysInASession(t *testing.T) {
	one := limits
	one.Seats = 1 // so that the next run has the same seat
	s := server(t, one)
	database := build(t, s, hives, false)
	for _, sql := range []string{
		"SET search_path = pg_catalog", "SET default_transaction_read_only = off", "LISTEN x", "PREPARE x AS SELECT 1",
		"DECLARE c CURSOR WITH HOLD FOR SELECT 1",
	} {
		_, _ = run(s, database, sql)
		if got, err := run(
			s, database, "SELECT name FROM hive WHERE hive_id = 1",
		); got != "name:character varying(20) | Amber" {
			t.Errorf("after %s: got %s, %v", sql, got, err)
		}
		for _, left := range []string{"EXECUTE x", "FETCH c", "CREATE TABLE left_over ()"} {
			if got, err := run(s, database, left); err == nil {
				t.Errorf("after %s, %s: got %s", sql, left, got)
			}
		}
	}
}

func TestVariantsAreReachedByCheckingSeatsOnly(t *testing.T) {
	s := server(t, limits)
	variant := build(t, s, hives, true)
	if got, err := run(s, variant, "SELECT 1"); err == nil {
		t.Errorf("a learner's seat reads a variant: %s", got)
	}
	var sink table
	if _, err := s.Run(
		context.Background(), practice.Run{Learner: 1, Database: variant, Checking: true, SQL: "SELECT name FROM calm"},
		&sink,
	); err != nil {
		t.Error(err)
	}
}

// superuser connects to a build's database.
func superuser(t *testing.T, database string) *pgx.Conn {
	t.Helper()
	config, _ := pgx.ParseConfig(url)
	config.Database = database
	conn, err := pgx.ConnectConfig(context.Background(), config)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) })
	return conn
}

// Every function that a seat may execute and that is not immutable is listed with its reason, and what is listed is
// there.
func TestFunctionsThatASeatMayExecuteAreListed(t *testing.T) {
	s := server(t, limits)
	conn := superuser(t, build(t, s, hives, false))
	names := func(query string) []string {
		rows, _ := conn.Query(context.Background(), query)
		all, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	open := names(
		`SELECT DISTINCT proname::text FROM pg_proc WHERE provolatile <> 'i' AND prorettype <> 'trigger'::regtype ` +
			`AND has_function_privilege('examen_seat_1_01', oid, 'EXECUTE')`,
	)
	known := names(`SELECT DISTINCT proname::text FROM pg_proc`)
	for _, name := range open {
		if !slices.Contains(practice.AllowedFunctions, name) {
			t.Errorf("%s may be executed and is not listed", name)
		}
	}
	for _, name := range practice.AllowedFunctions {
		if !slices.Contains(known, name) && name != "current_user" && name != "session_user" {
			t.Errorf("%s is listed, and the server has no such function", name)
		}
	}
	if len(open) < 150 {
		t.Errorf("only %d functions were looked at", len(open))
	}
}

// A function of a newer server is closed until it is listed. So is one that an extension brings.
func TestUnknownFunctionsAreClosed(t *testing.T) {
	s := server(t, limits)
	database := build(
		t, s, files{"a.sql": "CREATE EXTENSION tablefunc; CREATE EXTENSION pgcrypto; CREATE EXTENSION dict_int;"},
		false,
	)
	for sql, open := range map[string]bool{
		"SELECT * FROM crosstab('SELECT 1, 2, 3') AS t(a int, b int)": false,
		"SELECT length(gen_random_bytes(4))":                          true,
		"SELECT length(digest('a', 'sha256'))":                        true,
	} {
		if got, err := run(s, database, sql); (err == nil) != open {
			t.Errorf("%s: got %s, %v", sql, got, err)
		}
	}
}

// What learners write every day needs no function that is revoked.
func TestOrdinaryQueriesRun(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	for _, sql := range []string{
		"SELECT now() > '2020-01-01', current_date - 7, age(timestamp '2026-01-01', '2025-01-01'), extract(year " +
			"FROM current_date), date_part('hour', now()), date_trunc('month', now())",
		"SELECT to_char(current_timestamp, 'YYYY-MM-DD'), to_char(12.5, '99D9'), to_date('2026-01-02', " +
			"'YYYY-MM-DD'), to_number('12', '99'), now() + interval '1 day', now()::date, now()::time",
		"SELECT string_agg(name, ', ' ORDER BY name), array_agg(weight), json_agg(name), jsonb_object_agg(name, " +
			"weight), count(*) FILTER (WHERE weight > 1) FROM hive",
		"SELECT concat(name, weight), concat_ws('-', name, weight), format('%s is %s', name, mood), name || weight, " +
			"upper(name), split_part(name, 'b', 1), regexp_replace(name, 'a', 'b') FROM hive",
		"SELECT rank() OVER (ORDER BY weight), lag(name) OVER w, ntile(2) OVER w FROM hive WINDOW w AS (ORDER BY name)",
		"SELECT d::date FROM generate_series(timestamp '2026-01-01', '2026-01-05', '1 day') AS d",
		"SELECT n FROM generate_series(1, 5) AS n, LATERAL (SELECT random()) AS r",
		"SELECT mood::text, enum_range(mood) FROM hive", "SELECT row_to_json(hive), to_jsonb(name) FROM hive",
		"SELECT percentile_cont(0.5) WITHIN GROUP (ORDER BY weight), stddev(weight), corr(weight, weight) FROM hive",
		"SELECT '2026-01-02'::timestamptz AT TIME ZONE 'Europe/Berlin'",
		"SELECT table_name FROM information_schema.tables WHERE table_schema = 'public'",
		"SELECT column_name, data_type FROM information_schema.columns WHERE table_name = 'hive'",
		"SELECT constraint_name FROM information_schema.table_constraints",
		"SELECT tablename FROM pg_tables WHERE schemaname = 'public'",
		"SELECT viewname, definition FROM pg_views WHERE schemaname = 'public'",
		"SELECT pg_get_constraintdef(oid) FROM pg_constraint WHERE conrelid = 'hive'::regclass",
		"SELECT to_tsvector('english', name) @@ to_tsquery('amber') FROM hive",
		"SELECT '[1,5)'::int4range @> 3, '{1,2}'::int[] || 3, '12:30'::time - '10:00', interval '1 hour' * 2",
		"SELECT pg_typeof(weight), cast(weight AS text), weight::int FROM hive",
		"WITH RECURSIVE n(i) AS (VALUES (1) UNION ALL SELECT i + 1 FROM n WHERE i < 5) SELECT sum(i) FROM n",
		"SELECT * FROM json_to_recordset('[{\"a\":1}]') AS t(a int)",
		"SELECT gen_random_uuid() IS NOT NULL, overlay('abc' PLACING 'x' FROM 2), substring('abc' FROM 2), " +
			"position('b' IN 'abc'), greatest(1, 2), coalesce(NULL, 1), nullif(1, 1)",
		"SELECT (date '2026-01-01', date '2026-01-05') OVERLAPS (date '2026-01-03', date '2026-01-09'), " +
			"make_date(2026, 1, 1), make_interval(days => 3), justify_days('40 days')",
	} {
		if _, err := run(s, database, sql); err != nil {
			t.Errorf("%s: %v", sql, err)
		}
	}
}

// Many learners share the seats, and each seat serves one run at a time: a role never has two queries at work.
func TestSeatsAreSharedByManyAndHeldByOne(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	watching := superuser(t, "postgres")
	done := make(chan struct{})
	var all sync.WaitGroup
	for learner := range 12 {
		all.Go(func() {
			for n := range 6 {
				run := practice.Run{Learner: int64(learner), Database: database, SQL: "SELECT pg_sleep(0.05)"}
				if n%2 == 1 {
					run.SQL = "SELECT count(*) FROM generate_series(1, 200000)"
				}
				if _, err := s.Run(context.Background(), run, &table{}); err != nil {
					t.Error(err)
					return
				}
			}
		})
	}
	go func() { all.Wait(); close(done) }()
	most, roles := 0, 0
	for looking := true; looking; {
		select {
		case <-done:
			looking = false
		default:
		}
		var ofOne, atOnce int
		err := watching.QueryRow(context.Background(), `
			SELECT coalesce(max(n), 0), count(*) FROM (
				SELECT usename, count(*) AS n FROM pg_stat_activity
				WHERE starts_with(usename, 'examen_seat') AND state = 'active' AND query LIKE 'SELECT %'
				GROUP BY usename
			) AS busy`).Scan(&ofOne, &atOnce)
		if err != nil {
			t.Fatal(err)
		}
		most, roles = max(most, ofOne), max(roles, atOnce)
	}
	if most != 1 {
		t.Errorf("one role had %d queries at work at once", most)
	}
	if roles < 2 || roles > limits.Seats {
		t.Errorf("%d roles had queries at work at once, of %d seats", roles, limits.Seats)
	}
}

// A session that is lost in the middle of a result is not that of the learner: the run begins anew, and its rows come
// once.
func TestASeatThatIsCutInTheMiddleOfARow(t *testing.T) {
	large := limits
	large.Bytes = 256 << 20
	s := server(t, large)
	database := build(t, s, hives, false)
	watching := superuser(t, "postgres")
	cut := &cutting{after: 1000, cut: func() {
		_, err := watching.Exec(context.Background(), `SELECT pg_terminate_backend(pid, 5000) FROM pg_stat_activity
			WHERE starts_with(usename, 'examen_seat') AND datname = $1 AND query LIKE 'SELECT repeat%'`, database)
		if err != nil {
			t.Error(err)
		}
	}}
	// rows that are larger than what a connection holds in between
	sql := "SELECT repeat('x', 10000) AS long, n FROM generate_series(1, 3000) AS n"
	ran, err := s.Run(context.Background(), practice.Run{Learner: 1, Database: database, SQL: sql}, cut)
	if err != nil || ran.Rows != 3000 || cut.rows != 3000 || cut.begun != 2 {
		t.Errorf("got %+v, %v; begun %d times, %d rows", ran, err, cut.begun, cut.rows)
	}
	// Where rows have been handed on already, whoever reads them is told, and begins anew.
	rows := 0
	_, err = s.Run(context.Background(), practice.Run{Learner: 1, Database: database, SQL: sql},
		practice.Each(func(result.Row) error {
			if rows++; rows == 1000 {
				cut.cut()
			}
			return nil
		}))
	if !errors.Is(err, practice.ErrAnew) {
		t.Errorf("got %v after %d rows", err, rows)
	}
}

// cutting is a sink in which something happens after some rows of the first beginning.
type cutting struct {
	begun, rows, after int
	cut                func()
}

func (c *cutting) Begin([]result.Column) error {
	c.begun++
	c.rows = 0
	return nil
}

func (c *cutting) Row(result.Row) error {
	if c.rows++; c.rows == c.after && c.begun == 1 {
		c.cut()
	}
	return nil
}

func TestWaitingForASeatEnds(t *testing.T) {
	short := limits
	short.Seats, short.Wait = 1, 2*time.Second
	s := server(t, short)
	database := build(t, s, hives, false)
	held := &holding{begun: make(chan struct{}), release: make(chan struct{})}
	done := make(chan error)
	go func() {
		_, err := s.Run(context.Background(), practice.Run{Learner: 1, Database: database, SQL: "SELECT 1"}, held)
		done <- err
	}()
	select {
	case <-held.begun:
	case err := <-done:
		t.Fatal(err)
	}
	if _, err := s.Run(
		context.Background(), practice.Run{Learner: 2, Database: database, SQL: "SELECT 1"}, &table{},
	); !errors.Is(err, practice.ErrBusy) {
		t.Errorf("got %v", err)
	}
	close(held.release)
	if err := <-done; err != nil {
		t.Error(err)
	}
}

// holding is a sink that tells when a run has begun, and holds it until it is released.
type holding struct{ begun, release chan struct{} }

func (h *holding) Begin([]result.Column) error { return nil }

func (h *holding) Row(result.Row) error {
	close(h.begun)
	<-h.release
	return nil
}

func TestAServerThatCannotBeReached(t *testing.T) {
	if _, err := practice.Open(
		context.Background(), []string{"postgres://examen:x@127.0.0.1:1/postgres"}, practice.Options{Limits: limits},
	); !errors.Is(err, practice.ErrUnavailable) {
		t.Errorf("got %v", err)
	}
}

func TestSessionsThatDiedAreReplaced(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, hives, false)
	var all sync.WaitGroup
	for learner := range limits.Seats { // every seat gets a session
		all.Go(func() {
			_, _ = s.Run(
				context.Background(),
				practice.Run{Learner: int64(learner), Database: database, SQL: "SELECT pg_sleep(0.05)"}, &table{},
			)
		})
	}
	all.Wait()
	conn, err := pgx.Connect(context.Background(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if _, err := conn.Exec(
		context.Background(), "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1", database,
	); err != nil {
		t.Fatal(err)
	}
	if got, err := run(s, database, "SELECT 1 AS n"); err != nil || got != "n:integer | 1" {
		t.Errorf("got %s, %v", got, err)
	}
}

// Before services had ranges of seats, roles had names without one.
func TestSeatsOfEarlierVersionsGo(t *testing.T) {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(
		ctx, "CREATE ROLE examen_seat_07 LOGIN; CREATE ROLE examen_check_07 LOGIN; CREATE ROLE examen_seats_of_others",
	); err != nil {
		t.Fatal(err)
	}
	defer conn.Exec(ctx, "DROP ROLE examen_seats_of_others") //nolint:errcheck // the cluster is this test program's
	server(t, limits)
	var left int
	if err := conn.QueryRow(
		ctx, "SELECT count(*) FROM pg_roles WHERE rolname ~ '^examen_(seat|check)_07$' OR rolname LIKE '%_of_others'",
	).Scan(&left); err != nil || left != 1 {
		t.Errorf("%d are left, %v", left, err)
	}
}

// Where somebody has given seats more than Examen does, nothing runs on them.
func TestSeatsWithMoreRightsAreRefused(t *testing.T) {
	ctx := context.Background()
	cluster, _ := second(t)
	conn, err := pgx.Connect(ctx, cluster.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	open := func() error {
		s, err := practice.Open(ctx, []string{cluster.URL("postgres")}, practice.Options{Limits: limits})
		if err == nil {
			s.Close()
		}
		return err
	}
	for _, c := range []struct{ given, says, taken string }{
		{"CREATE ROLE keeper SUPERUSER", "", ""},
		{"ALTER ROLE examen_seat_1_01 SUPERUSER", "", ""}, // which is put right
		{"GRANT keeper TO examen_seat_1_02", "examen_seat_1_02 is a member of keeper",
			"REVOKE keeper FROM examen_seat_1_02"},
		{"GRANT pg_read_server_files TO examen_learners", "examen_learners is a member of pg_read_server_files",
			"REVOKE pg_read_server_files FROM examen_learners"},
		{"GRANT examen_checkers TO examen_learners", "is a member of examen_checkers",
			"REVOKE examen_checkers FROM examen_learners"},
	} {
		if err := open(); err != nil {
			t.Fatal(err)
		}
		if _, err := conn.Exec(ctx, c.given); err != nil {
			t.Fatal(err)
		}
		if err := open(); (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.given, err)
		}
		if _, err := conn.Exec(ctx, c.taken); err != nil {
			t.Fatal(err)
		}
	}
	var super int
	if err := conn.QueryRow(
		ctx, "SELECT count(*) FROM pg_roles WHERE rolsuper AND rolname LIKE 'examen\\_%'",
	).Scan(&super); err != nil || super != 0 {
		t.Errorf("%d roles of Examen's are superusers, %v", super, err)
	}
}

// What pg_dump writes is built; what has no bearing on the data is passed over and told.
func TestADumpIsBuilt(t *testing.T) {
	s := server(t, limits)
	dump := files{"dump.sql": `--
-- PostgreSQL database dump
--
\restrict aB3
SET statement_timeout = 0;
SELECT pg_catalog.set_config('search_path', '', false);
CREATE SCHEMA yard;
ALTER SCHEMA yard OWNER TO hazel;
CREATE FUNCTION yard.twice(n integer) RETURNS integer LANGUAGE plpgsql AS $_$
BEGIN
  RETURN n * 2; -- twice
END $_$;
CREATE TABLE yard.hive (id integer NOT NULL, name text, note text);
ALTER TABLE yard.hive OWNER TO hazel;
CREATE SEQUENCE yard.hive_id_seq AS integer;
COPY yard.hive (id, name, note) FROM stdin;
1	Amber	it's; "calm"
2	Basil	\N
\.
SELECT pg_catalog.setval('yard.hive_id_seq', 2, true);
ALTER TABLE ONLY yard.hive ADD CONSTRAINT hive_pkey PRIMARY KEY (id);
GRANT SELECT ON TABLE yard.hive TO PUBLIC;
\unrestrict aB3
`}
	built, err := s.Build(context.Background(), dump.order("test_dump"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Drop(context.Background(), "test_dump")
	if got, want := fmt.Sprint(
		built.PassedOver,
	), `[dump.sql:4: \restrict aB3 dump.sql:8: ALTER SCHEMA yard OWNER TO hazel dump.sql:14: ALTER TABLE yard.hive `+
		`OWNER TO hazel `+
		`dump.sql:22: GRANT SELECT ON TABLE yard.hive TO PUBLIC dump.sql:23: \unrestrict aB3]`; got != want {
		t.Errorf("got %s\nwant %s", got, want)
	}
	if got, err := run(
		s, "test_dump", "SELECT id, name, note IS NULL, yard.twice(id) FROM yard.hive ORDER BY id",
	); err != nil || !strings.HasSuffix(got, "| 1 Amber f 2| 2 Basil t 4") {
		t.Errorf("got %s, %v", got, err)
	}
}
