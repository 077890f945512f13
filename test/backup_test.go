package test

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/packs"
	"examen/test/whole"
)

// A backup that is made while learners work, restored into an empty place, gives every table of the records and of the
// datasets as it was.
func TestABackupRestoredIntoAnEmptyPlaceEqualsWhatItIsOf(t *testing.T) {
	folder := whole.DemoDir(t)
	service := whole.Start(t, "demo", "--data-dir", folder)
	teacher := whole.As(t, service.URL, demo.InstructorName, demo.InstructorPassword)
	if job := whole.Built(t, teacher, "swarms", client.BuildDatasetParams{}, whole.Scripts(map[string]string{
		"tables.sql": "CREATE TABLE swarm (id int PRIMARY KEY, seen date, weight numeric(4, 2))",
		"tables2.sql": "INSERT INTO swarm SELECT n, date '2026-05-01' + n, n / 7.0 FROM generate_series(1, 200) n; " +
			"CREATE VIEW heavy AS SELECT * FROM swarm WHERE weight > 20",
	})); job.State != client.JobDone {
		t.Fatalf("%+v", job)
	}
	robin := whole.As(t, service.URL, demo.LearnerName, demo.LearnerPassword)
	if _, err := client.Read[client.Attempt](
		robin.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT 'kept'"}),
	); err != nil {
		t.Fatal(err)
	}
	source := whole.Superuser(t, folder, "records", "postgres")
	whole.Until(t, "nothing is done in the background", func() bool { return idle(t, service, source) })

	file := filepath.Join(t.TempDir(), "examen.backup")
	settings := filepath.Join(t.TempDir(), "settings.yaml")
	if err := os.WriteFile(settings, []byte(
		"limit-rows: 5000\ndata-dir: "+folder+"\ntrusted-proxy: [127.0.0.1, 10.0.0.0/8]\n",
	), 0o600); err != nil {
		t.Fatal(err)
	}
	before := recordsIn(t, source)
	if p := whole.Command(t, nil, "", "backup", file, "--config", settings); p.Code != 0 {
		t.Fatalf("%+v", p)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Fatalf("others can read the backup: %v %v", info.Mode(), err)
	}
	rows := datasetRows(t, folder, source)
	if p := whole.Command(
		t, nil, "", "restore", file, "--data-dir", whole.DataDir(t), "--practice-url",
		whole.Superuser(t, folder, "practice", "postgres").Config().ConnString(),
	); p.Code != 3 || !strings.Contains(p.Errs, "another Examen uses it") {
		t.Errorf("practice servers that are in use are taken: %+v", p)
	}
	if now := datasetRows(t, folder, source); !maps.EqualFunc(now, rows, slices.Equal) {
		t.Error("a restored backup has changed datasets of the running service")
	}
	service.Stop()

	place := whole.DataDir(t)
	p := whole.Command(t, nil, "", "restore", file, "--data-dir", place, "-o", "json")
	var said struct {
		Builds []struct{ Dataset, Failed string }
	}
	if err := json.Unmarshal([]byte(p.Out), &said); p.Code != 0 || err != nil || len(said.Builds) != 2 {
		t.Fatalf("%+v %v", p, err)
	}
	had, err := os.ReadFile(filepath.Join(place, "restored-settings.yaml"))
	if want := "limit-rows: \"5000\"\ntrusted-proxy:\n    - 127.0.0.1\n    - 10.0.0.0/8\n"; string(had) != want {
		t.Errorf("settings %q, want %q (%v)", had, want, err)
	}

	again := whole.Start(t, "serve", "--data-dir", place, "--config", filepath.Join(place, "restored-settings.yaml"))
	restored := whole.Superuser(t, place, "records", "postgres")
	for name, now := range recordsIn(t, restored) {
		was := before[name]
		delete(before, name)
		if slices.Equal(was, now) {
			continue
		}
		for i := range max(len(was), len(now)) {
			if i >= len(was) || i >= len(now) || was[i] != now[i] {
				t.Errorf("%s: %d rows, want %d; row %d: %.300q, want %.300q", name, len(now), len(was), i,
					now[min(i, len(now)):min(i+1, len(now))], was[min(i, len(was)):min(i+1, len(was))])
				break
			}
		}
	}
	if len(before) > 0 {
		t.Errorf("tables that are not there: %v", slices.Sorted(maps.Keys(before)))
	}
	if now := datasetRows(t, place, restored); !maps.EqualFunc(now, rows, slices.Equal) || len(rows) < 5 {
		t.Errorf("the datasets differ: %d tables, want %d", len(now), len(rows))
	}
	worksThere(t, again)

	for _, wrong := range []struct {
		args []string
		says string
	}{
		{[]string{"restore", file, "--data-dir", place}, "in use by process"},
		{[]string{"restore", file, "--records-url", restored.Config().ConnString(), "--data-dir", whole.DataDir(t)},
			"there are records already"},
		{[]string{"restore", settings, "--data-dir", whole.DataDir(t)}, "is not a backup"},
		{[]string{"restore", damaged(t, file), "--data-dir", whole.DataDir(t)}, "is damaged"},
		{[]string{"backup", file, "--data-dir", place}, "is there already"},
		{[]string{"backup", file + "2", "--data-dir", whole.DataDir(t)}, "there are no records"},
	} {
		if p := whole.Command(t, nil, "", wrong.args...); p.Code != 3 || !strings.Contains(p.Errs, wrong.says) {
			t.Errorf("%v: %+v, want %q", wrong.args, p, wrong.says)
		}
	}
	if left, _ := filepath.Glob(file + "*"); len(left) != 1 {
		t.Errorf("left behind: %v", left)
	}
}

// Backups of older versions are restored and brought up to date: of the first one, which did not keep the files of
// packs, and of the one before the last change of the records.
func TestABackupOfAnOlderVersionIsRestored(t *testing.T) {
	for _, of := range []struct {
		file string
		code int // of restoring it
	}{{"schema-1.backup", 3}, {"schema-19.backup", 0}} {
		t.Run(of.file, func(t *testing.T) {
			place := whole.DataDir(t)
			p := whole.Command(
				t, nil, "", "restore", filepath.Join("testdata", "backups", of.file), "--data-dir", place,
			)
			if p.Code != of.code || of.code != 0 && !strings.Contains(p.Errs, "load its pack again") {
				t.Fatalf("%+v", p)
			}
			service := whole.Start(t, "serve", "--data-dir", place)
			if of.code != 0 {
				pack, _ := fs.Sub(packs.Files, "heather-hill")
				teacher := whole.As(t, service.URL, demo.InstructorName, demo.InstructorPassword)
				if _, err := client.Loaded(ctx, teacher, pack); err != nil {
					t.Fatal(err)
				}
			}
			worksThere(t, service)
		})
	}
}

// worksThere tries that a learner finds what they did, and goes on.
func worksThere(t *testing.T, service *whole.Service) {
	t.Helper()
	robin := whole.As(t, service.URL, demo.LearnerName, demo.LearnerPassword)
	history, err := client.Read[client.HistoryPage](robin.ListHistory(ctx, &client.ListHistoryParams{}))
	if err != nil || len(history.Entries) == 0 {
		t.Fatalf("%+v %v", history, err)
	}
	a, err := client.Read[client.Attempt](
		robin.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT name, valley FROM apiary"}),
	)
	if err != nil || a.Outcome != client.Correct {
		t.Fatalf("%+v %v", a, err)
	}
}

// damaged is a copy of a file in which one byte is another.
func damaged(t *testing.T, file string) string {
	content, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	content[len(content)/2] ^= 1
	copied := filepath.Join(t.TempDir(), "damaged.backup")
	if err := os.WriteFile(copied, content, 0o600); err != nil {
		t.Fatal(err)
	}
	return copied
}

// idle tells whether no job, no task and no cause waits or is worked on.
func idle(t *testing.T, s *whole.Service, records *pgxpool.Pool) (is bool) {
	t.Helper()
	gauges := metrics(t, s)
	for _, state := range []string{"looked for", "waiting"} {
		if n, told := gauges[`examen_causes{state="`+state+`"}`]; !told {
			t.Fatal("the service does not tell how many causes are", state)
		} else if n > 0 {
			return false
		}
	}
	if err := records.QueryRow(ctx, `SELECT NOT EXISTS (SELECT FROM river_job WHERE state IN ('available', 'running',
		'retryable', 'scheduled')) AND NOT EXISTS (SELECT FROM job WHERE state IN ('queued', 'running'))`,
	).Scan(&is); err != nil {
		t.Fatal(err)
	}
	return is
}

// recordsIn are the rows of every table, but for what is true of one place only: the services, the queue, the jobs that
// build again, and the names of databases.
func recordsIn(t *testing.T, records *pgxpool.Pool) map[string][]string {
	t.Helper()
	all := map[string][]string{}
	for _, table := range tablesOf(t, records) {
		switch {
		case strings.HasPrefix(table, "river_"), table == "replica":
			continue
		case table == "job":
			table += " WHERE NOT options ? 'remake'"
		case table == "setting":
			table += " WHERE r.name <> 'installation'"
		}
		name, where, _ := strings.Cut(table, " ")
		all[name] = texts(t, records, fmt.Sprintf(
			`SELECT (to_jsonb(r) - '{database,variants}'::text[])::text FROM %q AS r %s`, name, where,
		))
	}
	return all
}

// datasetRows are the rows of every table of every dataset.
func datasetRows(t *testing.T, folder string, records *pgxpool.Pool) map[string][]string {
	t.Helper()
	all := map[string][]string{}
	for _, line := range texts(t, records, `SELECT dataset.name || ' ' || made.database FROM dataset
		JOIN build ON build.id = build_id, LATERAL (SELECT build.database UNION ALL
		SELECT value FROM jsonb_each_text(build.variants)) AS made(database)`) {
		dataset, database, _ := strings.Cut(line, " ")
		practice := whole.Superuser(t, folder, "practice", database)
		for _, table := range tablesOf(t, practice) {
			rows := texts(t, practice, fmt.Sprintf("SELECT r::text FROM %q AS r", table))
			all[dataset+" "+table] = append(all[dataset+" "+table], rows...) // of all variants
			slices.Sort(all[dataset+" "+table])
		}
	}
	return all
}

func tablesOf(t *testing.T, in *pgxpool.Pool) []string {
	t.Helper()
	return texts(
		t, in, "SELECT relname FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind = 'r'",
	)
}

// texts are the rows of a query that gives one text each, in order.
func texts(t *testing.T, in *pgxpool.Pool, sql string) []string {
	t.Helper()
	rows, err := in.Query(ctx, sql)
	if err != nil {
		t.Fatal(sql, err)
	}
	all, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		t.Fatal(sql, err)
	}
	slices.Sort(all)
	return all
}

// shellBlock is a block of docs/backup.md that is meant to be run.
var shellBlock = regexp.MustCompile("(?ms)^   ```sh\n(.*?)^   ```$")

// What docs/backup.md says of coming back to a moment is run as it stands, but for the places, the moment and the way
// in which the service is started and stopped: afterwards there is what was submitted before the moment, and not what
// was submitted after it.
func TestTheRecordsComeBackToAnyMoment(t *testing.T) {
	text, err := os.ReadFile(filepath.Join("..", "docs", "backup.md"))
	if err != nil {
		t.Fatal(err)
	}
	blocks := shellBlock.FindAllStringSubmatch(string(text), -1)
	if len(blocks) != 3 {
		t.Fatalf("%d blocks", len(blocks))
	}
	place, kept := whole.DemoDir(t), whole.DataDir(t)
	service := whole.Start(t, "demo", "--data-dir", place)
	moment := "2026-11-27 14:30:00 UTC"
	does := func(block string) {
		t.Helper()
		if os.Geteuid() != 0 {
			block = strings.ReplaceAll(block, " -o examen-records", "")
		}
		block = strings.NewReplacer(
			"/var/lib/examen", place, "/var/backups/examen", kept, "2026-11-27 14:30:00 UTC", moment,
		).Replace(block)
		var lines []string
		run := func() {
			if out, err := exec.Command("bash", "-euc", strings.Join(lines, "\n")).CombinedOutput(); err != nil {
				t.Fatalf("%v\n%s", err, out)
			}
			lines = nil
		}
		for line := range strings.Lines(block) {
			verb, found := strings.CutPrefix(strings.TrimSpace(line), "systemctl ")
			if !found {
				lines = append(lines, strings.TrimSuffix(line, "\n"))
				continue
			}
			run()
			verb = strings.TrimSuffix(verb, " examen")
			if verb == "stop" || verb == "restart" {
				service.Stop()
			}
			if verb == "start" || verb == "restart" {
				service = whole.Start(t, "serve", "--data-dir", place)
			}
		}
		run()
	}
	submit := func(sql string) {
		t.Helper()
		robin := whole.As(t, service.URL, demo.LearnerName, demo.LearnerPassword)
		if _, err := client.Read[client.Attempt](
			robin.Submit(ctx, "first-look", "1", client.Submission{Sql: sql}),
		); err != nil {
			t.Fatal(err)
		}
	}
	does(blocks[0][1])
	does(blocks[1][1])
	submit("SELECT 'before the moment'")
	if err := whole.Superuser(t, place, "records", "postgres").QueryRow(
		ctx, "SELECT clock_timestamp() AT TIME ZONE 'UTC' || ' UTC'",
	).Scan(&moment); err != nil {
		t.Fatal(err)
	}
	submit("SELECT 'after the moment'")
	does(blocks[2][1])
	attempts := texts(
		t, whole.Superuser(t, place, "records", "postgres"), "SELECT sql FROM attempt WHERE sql LIKE '%the moment%'",
	)
	if !slices.Equal(attempts, []string{"SELECT 'before the moment'"}) {
		t.Errorf("%q", attempts)
	}
	worksThere(t, service)
}
