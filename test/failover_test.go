package test

import (
	"log/slog"
	"net/url"
	"strings"
	"testing"

	"examen/test/whole"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/postgres"
	"examen/internal/postgres/postgrestest"
)

// together is a URL of several hosts, from one of each.
func together(t *testing.T, urls ...string) string {
	t.Helper()
	var hosts, ports []string
	var last *url.URL
	for _, one := range urls {
		u, err := url.Parse(one)
		if err != nil {
			t.Fatal(err)
		}
		hosts, ports, last = append(hosts, u.Query().Get("host")), append(ports, u.Query().Get("port")), u
	}
	q := last.Query()
	q.Set("host", strings.Join(hosts, ","))
	q.Set("port", strings.Join(ports, ","))
	last.RawQuery = q.Encode()
	return last.String()
}

// The records' server dies while learners submit, and its standby takes over: services go on without a restart, what
// was acknowledged is there, once, and what was not is told so and done when it is sent again. Before that, operators
// are told that commits do not wait for the standby.
func TestTheRecordsFailOver(t *testing.T) {
	t.Parallel()
	f := newFleet()
	f.startServers(t)
	standby := postgrestest.Standby(t, f.clusters[0], postgres.Options{
		Folder: whole.DataDir(t) + "/server", Log: slog.New(slog.DiscardHandler),
		Settings: map[string]string{"max_connections": "200"},
	})
	primary := f.records
	f.records = together(t, standby.URL("postgres"), primary)
	f.startServices(t)
	if said := f.services[0].Errs.String(); !strings.Contains(said, "commits do not wait for it") {
		t.Errorf("the service says %q", said)
	}
	pool, err := pgxpool.New(ctx, primary)
	if err != nil {
		t.Fatal(err)
	}
	defer pool.Close()
	for _, sql := range []string{"ALTER SYSTEM SET synchronous_standby_names = '*'", "SELECT pg_reload_conf()"} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	whole.Until(t, "commits wait for the standby", func() bool {
		var n int
		return pool.QueryRow(
			ctx, "SELECT count(*) FROM pg_stat_replication WHERE sync_state = 'sync'",
		).Scan(&n) == nil && n == 1
	})
	f.kill(2)
	f.start(t, 2, "serve")
	if said := f.services[2].Errs.String(); strings.Contains(said, "standby") {
		t.Errorf("the service says %q", said)
	}
	workers := f.workers(t, "elio", "goran", "hana", "luca", "otto", "petra")
	end := begin(t, workers)
	before := acknowledgedBy(workers)
	whole.Until(t, "everybody submits", func() bool { return eachGoesOn(workers, before) })
	whole.KillServer(t, f.folders[0], "server")
	f.clusters[0].Stop() // it is not started again
	before = acknowledgedBy(workers)
	whole.Until(t, "everybody is refused", func() bool {
		for _, w := range workers {
			w.mu.Lock()
			refused := w.failures > 0
			w.mu.Unlock()
			if !refused {
				return false
			}
		}
		return true
	})
	taken, err := pgxpool.New(ctx, standby.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	if _, err := taken.Exec(ctx, "SELECT pg_promote()"); err != nil {
		t.Fatal(err)
	}
	whole.Until(t, "everybody submits again", func() bool { return eachGoesOn(workers, before) })
	end()
	f.records = standby.URL("postgres")
	for _, w := range workers {
		for _, refusal := range w.refusals {
			if !strings.Contains(refusal, "try again in a moment") {
				t.Errorf("%s was told %q", w.name, refusal)
			}
		}
		w.refusals = nil
	}
	f.settle(t, workers)
}
