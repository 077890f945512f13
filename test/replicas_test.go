package test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/postgres"
	"examen/test/whole"
)

// A fleet is three services behind a proxy, with the same records and two practice servers.
type fleet struct {
	records  string // their URL
	practice []string
	folders  [3]string
	clusters [3]*postgres.Cluster // the records' first
	args     []string
	address  [3]string
	services [3]*whole.Service
	url      string // the proxy's
	next     atomic.Int64
	// transport gives up a call that is not answered; a run may take ten seconds.
	transport http.Transport
	out       [3]atomic.Bool // services that the proxy passes over
}

func newFleet() *fleet {
	f := &fleet{}
	f.transport.ResponseHeaderTimeout = 15 * time.Second
	return f
}

// startFleet starts a fleet with the demo's data.
func startFleet(t *testing.T, args ...string) *fleet {
	t.Helper()
	f := newFleet()
	f.startServers(t)
	f.startServices(t, args...)
	return f
}

// filledFleet are folders that the demo has filled, with no server on them.
var filledFleet = sync.OnceValues(func() (folders [3]string, err error) {
	f := newFleet()
	for i := range f.folders {
		f.folders[i] = filepath.Join(whole.Folder, fmt.Sprint("fleet-", i))
		if err := errors.Join(os.Mkdir(f.folders[i], 0o755), f.startServer(i)); err != nil {
			return folders, err
		}
		defer f.clusters[i].Stop()
	}
	s, err := whole.Begin(
		"demo", "--records-url", f.records, "--practice-url", f.practice[0], "--practice-url", f.practice[1],
	)
	if err == nil {
		s.Stop()
	}
	return f.folders, err
})

// startServers starts the records' server and the practice servers. Those that need no folder of a kind of their own
// have the demo's data.
func (f *fleet) startServers(t testing.TB) {
	t.Helper()
	if f.folders == [3]string{} {
		filled, err := filledFleet()
		if err != nil {
			t.Fatal(err)
		}
		for i, folder := range filled {
			f.folders[i] = whole.Copy(t, folder)
		}
	}
	for i := range f.folders {
		if f.folders[i] == "" {
			f.folders[i] = whole.DataDir(t)
		}
		if err := f.startServer(i); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(f.clusters[i].Stop)
	}
}

func (f *fleet) startServer(i int) (err error) {
	f.clusters[i], err = postgres.Start(context.Background(), postgres.Options{
		Folder: f.folders[i] + "/server", Super: "examen", Scratch: i > 0, Log: slog.New(slog.DiscardHandler),
		Settings: map[string]string{"max_connections": "200"},
	})
	if err != nil {
		return err
	}
	if url := f.clusters[i].URL("postgres"); i == 0 {
		f.records = url
	} else {
		f.practice = append(f.practice, url)
	}
	return nil
}

// startServices starts the services, and the proxy before them.
func (f *fleet) startServices(t *testing.T, args ...string) {
	t.Helper()
	f.args = append([]string{
		"--records-url", f.records, "--practice-url", f.practice[0], "--practice-url", f.practice[1], "--seats", "6",
		"--limit-calls", "1000000",
	}, args...)
	for i := range f.services {
		f.address[i] = freePort(t)
		command := "serve"
		if i == 0 {
			command = "demo"
		}
		f.start(t, i, command)
	}
	t.Cleanup(func() {
		for _, s := range f.services {
			s.Leave(t)
		}
	})
	proxy := &http.Server{Handler: f.proxy()}
	listener := listen(t)
	f.url = "http://" + listener.Addr().String()
	go func() { _ = proxy.Serve(listener) }()
	t.Cleanup(func() { _ = proxy.Close() })
}

func (f *fleet) start(t *testing.T, i int, command string) {
	t.Helper()
	s, err := whole.Begin(command, append([]string{"--listen", f.address[i]}, f.args...)...)
	if err != nil {
		t.Fatal(err)
	}
	f.services[i] = s
}

// kill kills one of the services.
func (f *fleet) kill(i int) {
	_ = f.services[i].Cmd.Process.Kill()
	f.services[i].Ended()
}

// proxy sends each call to the next service, and where that one does not take it, to the one after: what ordinary load
// balancers do.
func (f *fleet) proxy() http.Handler {
	return &httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(&url.URL{Scheme: "http", Host: f.address[0]})
			r.Out.Host = r.In.Host
		},
		Transport: f, ErrorLog: slog.NewLogLogger(slog.DiscardHandler, slog.LevelError),
	}
}

// passOver has the proxy pass a service over, as one that sees that it does not answer, or no longer.
func (f *fleet) passOver(i int, out bool) {
	f.out[i].Store(out)
	f.transport.CloseIdleConnections()
}

// RoundTrip implements [http.RoundTripper].
func (f *fleet) RoundTrip(r *http.Request) (answer *http.Response, err error) {
	var body []byte
	if r.Body != nil {
		if body, err = io.ReadAll(r.Body); err != nil {
			return nil, err
		}
	}
	at := int(f.next.Add(1))
	for i := range f.address {
		if f.out[(at+i)%len(f.address)].Load() {
			continue
		}
		r.URL.Host = f.address[(at+i)%len(f.address)]
		r.Body = io.NopCloser(bytes.NewReader(body))
		if answer, err = f.transport.RoundTrip(r); err == nil || !strings.Contains(err.Error(), "refused") {
			break
		}
	}
	return answer, err
}

// workers are learners who go on working; see [worker].
func (f *fleet) workers(t *testing.T, names ...string) (workers []*worker) {
	t.Helper()
	for i, name := range names {
		w := &worker{
			name: name, client: whole.As(t, f.url, name, demo.LearnerPassword), acknowledged: map[string]string{},
			chance: rand.New(rand.NewPCG(19, uint64(i))), patience: time.Second,
		}
		w.client.Client = &http.Client{Timeout: 30 * time.Second}
		workers = append(workers, w)
	}
	return workers
}

// acknowledgedBy is how many attempts were acknowledged, by each worker.
func acknowledgedBy(workers []*worker) (n []int) {
	for _, w := range workers {
		w.mu.Lock()
		n = append(n, len(w.acknowledged))
		w.mu.Unlock()
	}
	return n
}

// each tells whether all workers have more attempts acknowledged than before.
func eachGoesOn(workers []*worker, before []int) bool {
	now := acknowledgedBy(workers)
	for i := range now {
		if now[i] <= before[i] {
			return false
		}
	}
	return true
}

// settle ends the work, and compares all that was acknowledged with the records.
func (f *fleet) settle(t *testing.T, workers []*worker) {
	t.Helper()
	records, err := pgxpool.New(ctx, f.records)
	if err != nil {
		t.Fatal(err)
	}
	defer records.Close()
	n := 0
	for _, w := range workers {
		w.isAllThere(t, records)
		n += len(w.acknowledged)
		for _, refusal := range w.refusals {
			t.Errorf("%s was refused again after a second: %s", w.name, refusal)
		}
	}
	t.Logf("%d attempts were acknowledged", n)
}

// However often services are killed, learners who come by a load balancer have all that was acknowledged, once; what is
// not done is done a second later; and nobody has to log in again.
func TestServicesAreKilled(t *testing.T) {
	t.Parallel()
	f := startFleet(t)
	workers := f.workers(t, "elio", "goran", "hana", "luca", "otto", "petra")
	end := begin(t, workers)
	kills := 50
	if testing.Short() {
		kills = 6
	}
	chance := rand.New(rand.NewPCG(19, 50))
	for n := range kills {
		before := acknowledgedBy(workers)
		whole.Until(t, "everybody submits", func() bool { return eachGoesOn(workers, before) })
		time.Sleep(time.Duration(chance.IntN(60)) * time.Millisecond) // at a random moment
		f.kill(n % len(f.services))
		before = acknowledgedBy(workers)
		whole.Until(t, "everybody submits to the others", func() bool { return eachGoesOn(workers, before) })
		f.start(t, n%len(f.services), "serve")
	}
	end()
	f.settle(t, workers)
}

// While services are stopped and started again one after the other, as for a new version, learners go on: what was
// running ends, and what comes meanwhile is to be sent again.
func TestServicesAreStartedAgainOneAfterTheOther(t *testing.T) {
	t.Parallel()
	f := startFleet(t)
	f.passOver(2, true) // two are in use
	workers := f.workers(t, "elio", "goran", "hana", "luca", "otto", "petra")
	end := begin(t, workers)
	for n := range 8 {
		before := acknowledgedBy(workers)
		whole.Until(t, "everybody submits", func() bool { return eachGoesOn(workers, before) })
		f.services[n%2].Stop()
		if code := f.services[n%2].Cmd.ProcessState.ExitCode(); code != 0 {
			t.Errorf("the service ended with %d: %s", code, f.services[n%2].Errs.String())
		}
		f.start(t, n%2, "serve")
	}
	end()
	f.settle(t, workers)
	for _, w := range workers {
		t.Logf("%s was told to come back %d times: %s", w.name, w.failures, w.last)
	}
}

// A practice server that is killed, or stopped for a while, costs nobody anything; and it gets what was built
// meanwhile.
func TestPracticeServersAreLost(t *testing.T) {
	t.Parallel()
	f := startFleet(t)
	workers := f.workers(t, "elio", "goran", "hana", "luca")
	end := begin(t, workers)
	var teachers []*client.Client
	for _, s := range f.services {
		teachers = append(teachers, whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword))
	}
	teacher := teachers[0]
	servers := func(of ...*client.Client) (all []client.PracticeServer) {
		for _, c := range append(of, teacher) {
			found, err := client.Read[client.Servers](c.ListServers(ctx))
			if err != nil {
				t.Fatal(err)
			}
			all = append(all, found.Practice...)
		}
		return all
	}
	kills := 20
	if testing.Short() {
		kills = 4
	}
	for n := range kills {
		before := acknowledgedBy(workers)
		whole.Until(t, "everybody submits", func() bool { return eachGoesOn(workers, before) })
		folder := f.folders[1+n%2]
		pid := whole.KillServer(t, folder, "server")
		whole.Until(t, "the server is back, and all services see it", func() bool {
			now := whole.ServerPID(folder, "server")
			return now > 0 && now != pid && !slices.ContainsFunc(
				servers(teachers...), func(s client.PracticeServer) bool { return !s.Reachable },
			)
		})
	}
	f.clusters[2].Stop()
	whole.Until(t, "it is seen that a server is away", func() bool { return !servers()[1].Reachable })
	before := acknowledgedBy(workers)
	whole.Until(t, "everybody submits", func() bool { return eachGoesOn(workers, before) })
	there := servers()[0].Builds
	job := whole.Built(t, teacher, "sheds", client.BuildDatasetParams{}, whole.Scripts(map[string]string{
		"a.sql": "CREATE TABLE shed (id integer); INSERT INTO shed VALUES (1), (2);",
	}))
	if job.State != client.JobDone {
		t.Fatalf("got %+v", job)
	}
	if n := servers()[0].Builds; n != there+1 {
		t.Errorf("there were %d builds, and are %d", there, n)
	}
	c, err := postgres.Start(context.Background(), postgres.Options{
		Folder: f.folders[2] + "/server", Super: "examen", Scratch: true, Log: slog.New(slog.DiscardHandler),
		Settings: map[string]string{"max_connections": "200"},
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Stop)
	whole.Until(t, "the server gets what was built meanwhile", func() bool {
		return servers()[1].Reachable && servers()[1].Builds == there+1
	})
	end()
	f.settle(t, workers)
	for _, w := range workers {
		if w.failures > 0 {
			t.Errorf("%s was refused %d times: %s", w.name, w.failures, w.last)
		}
	}
}

// What a job does whose service is killed is done by another one.
func TestAJobGoesOnElsewhere(t *testing.T) {
	t.Parallel()
	f := startFleet(t)
	teacher := whole.As(t, f.services[1].URL, demo.InstructorName, demo.InstructorPassword)
	elsewhere := whole.As(t, f.services[0].URL, demo.InstructorName, demo.InstructorPassword)
	script := "CREATE TABLE shed (id integer);\n" + strings.Repeat("SELECT pg_sleep(0.1);\n", 50) +
		"INSERT INTO shed VALUES (1), (2);"
	job := whole.Build(
		t, teacher, "sheds", client.BuildDatasetParams{}, whole.Scripts(map[string]string{"a.sql": script}),
	)
	whole.Until(t, "it is being done", func() bool {
		j, err := client.Read[client.Job](elsewhere.GetJob(ctx, job.Id))
		return err == nil && j.State == client.JobRunning && j.Progress.Statements > 3
	})
	f.kill(1) // any of the three may have it; the last one goes on
	f.kill(2)
	ended, err := client.Follow(ctx, elsewhere, job, nil)
	if err != nil || ended.State != client.JobDone {
		t.Fatal(ended, err)
	}
	f.start(t, 1, "serve")
	f.start(t, 2, "serve")
	run, err := client.Read[client.Run](teacher.Run(ctx, client.RunRequest{Dataset: "sheds", Sql: "TABLE shed"}))
	if err != nil || len(run.Rows) != 2 {
		t.Errorf("got %+v, %v", run.Rows, err)
	}
}

// What one learner may do at once and within a minute is bounded in all services together.
func TestLimitsOfALearnerHoldInAllServices(t *testing.T) {
	t.Parallel()
	f := startFleet(t, "--limit-calls", "200")
	var clients [3]*client.Client
	for i, s := range f.services {
		clients[i] = whole.As(t, s.URL, "elio", demo.LearnerPassword)
	}
	var running, most atomic.Int64
	var all sync.WaitGroup
	for i := range 6 {
		all.Go(func() {
			_, _ = client.Read[client.Run](clients[i%3].Run(ctx, client.RunRequest{
				Paper: "first-look", Sql: fmt.Sprintf("SELECT pg_sleep(1), %d", i),
			}))
		})
	}
	ended := make(chan struct{})
	go func() { all.Wait(); close(ended) }()
	var pools []*pgxpool.Pool
	for _, c := range f.clusters[1:] {
		pool, err := pgxpool.New(ctx, c.URL("postgres"))
		if err != nil {
			t.Fatal(err)
		}
		defer pool.Close()
		pools = append(pools, pool)
	}
	for open := true; open; {
		select {
		case <-ended:
			open = false
		default:
		}
		running.Store(0)
		for _, pool := range pools {
			var n int64
			if err := pool.QueryRow(ctx, `SELECT count(*) FROM pg_stat_activity
				WHERE state = 'active' AND query LIKE 'SELECT pg_sleep(1)%' AND usename LIKE 'examen_seat%'`,
			).Scan(&n); err != nil {
				t.Fatal(err)
			}
			running.Add(n)
		}
		most.Store(max(most.Load(), running.Load()))
	}
	if most.Load() != 2 {
		t.Errorf("%d queries of one learner ran at once", most.Load())
	}
	refused := 0
	for n := range 600 {
		answer, err := clients[n%3].GetSession(ctx)
		if err != nil {
			t.Fatal(err)
		}
		_ = answer.Body.Close()
		if answer.StatusCode == http.StatusTooManyRequests {
			refused++
		}
	}
	if refused < 100 {
		t.Errorf("of 600 calls, of which 200 are allowed within a minute, %d were refused", refused)
	}
}

// A copy is its learner's in every service; a transaction that is open in one is not gone around in another; and what
// is changed in one holds in all.
func TestOneServiceIsLikeAnother(t *testing.T) {
	t.Parallel()
	f := startFleet(t)
	teacher := whole.As(t, f.services[2].URL, demo.InstructorName, demo.InstructorPassword)
	if _, err := client.Read[client.Dataset](
		teacher.AllowChanges(ctx, "apiary", client.ChangesAllowed{Allowed: true}),
	); err != nil {
		t.Fatal(err)
	}
	var elio [2]*client.Client
	for i := range elio {
		elio[i] = whole.As(t, f.services[i].URL, "elio", demo.LearnerPassword)
	}
	ask := func(i int, sql string) (string, error) {
		run, err := client.Read[client.Run](elio[i].Run(ctx, client.RunRequest{
			Dataset: "apiary", Window: "one", Sql: sql,
		}))
		if err != nil {
			return "", err
		}
		text, err := json.Marshal(run)
		return string(text), err
	}
	for _, step := range []struct {
		service   int
		sql, want string
	}{
		{0, "CREATE TABLE shed (shed_id integer); INSERT INTO shed VALUES (1)", `"outcome":"done"`},
		{1, "INSERT INTO shed VALUES (2)", `"outcome":"done"`},
		{0, "BEGIN; INSERT INTO shed VALUES (3)", `"outcome":"done"`},
		{1, "INSERT INTO shed VALUES (4)", "open elsewhere"},
		{0, "COMMIT", `"outcome":"done"`},
		{1, "SELECT count(*) FROM shed", `[["3"]]`},
	} {
		got, err := ask(step.service, step.sql)
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, step.want) {
			t.Errorf("%s: got %q, want %q", step.sql, got, step.want)
		}
	}
	if _, err := client.Read[client.CoursePaper](teacher.SetPaper(
		ctx, "evening-group", "first-look", client.PaperSetting{Opens: time.Now().Add(time.Hour).UTC()},
	)); err != nil {
		t.Fatal(err)
	}
	for i := range elio {
		whole.Until(t, "the paper is open no more", func() bool {
			_, err := client.Read[client.Attempt](
				elio[i].Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT 1"}),
			)
			return err != nil
		})
	}
}
