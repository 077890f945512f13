package test

import (
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A relay stands between services and a server, as the network does. It can be cut, or go silent.
type relay struct {
	listener net.Listener
	socket   string

	mu      sync.Mutex
	open    map[net.Conn]bool
	refuses bool
	silent  chan struct{} // closed when it passes on what comes again; nil while it does
}

// relayTo puts a relay before a server on a socket, and gives the URL by which it is reached.
func relayTo(t *testing.T, to string) (*relay, string) {
	t.Helper()
	u, err := url.Parse(to)
	if err != nil {
		t.Fatal(err)
	}
	r := &relay{
		listener: listen(t), open: map[net.Conn]bool{},
		socket: filepath.Join(u.Query().Get("host"), ".s.PGSQL."+u.Query().Get("port")),
	}
	t.Cleanup(func() { _ = r.listener.Close() })
	t.Cleanup(r.mend)
	go func() {
		for {
			conn, err := r.listener.Accept()
			if err != nil {
				return
			}
			go r.serve(conn)
		}
	}()
	u.Host, u.RawQuery = r.listener.Addr().String(), "sslmode=disable"
	return r, u.String()
}

func (r *relay) serve(conn net.Conn) {
	server, err := net.Dial("unix", r.socket)
	r.mu.Lock()
	if err != nil || r.refuses {
		r.mu.Unlock()
		_ = conn.Close()
		return
	}
	r.open[conn], r.open[server] = true, true
	r.mu.Unlock()
	pass := func(to, from net.Conn) {
		buffer := make([]byte, 32<<10)
		for {
			n, err := from.Read(buffer)
			r.mu.Lock()
			silent := r.silent
			r.mu.Unlock()
			if silent != nil {
				<-silent
			}
			if n > 0 {
				_, _ = to.Write(buffer[:n])
			}
			if err != nil {
				break
			}
		}
		_, _ = to.Close(), from.Close()
		r.mu.Lock()
		delete(r.open, from)
		r.mu.Unlock()
	}
	go pass(server, conn)
	pass(conn, server)
}

// cut cuts all connections, and refuses new ones until it is mended.
func (r *relay) cut() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.refuses = true
	for conn := range r.open {
		_ = conn.Close()
	}
}

// hush lets nothing through until it is mended.
func (r *relay) hush() {
	r.mu.Lock()
	r.silent = make(chan struct{})
	r.mu.Unlock()
}

func (r *relay) mend() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.refuses = false
	if r.silent != nil {
		close(r.silent)
		r.silent = nil
	}
}

// What happens to one of two practice servers, or to one of three services, costs learners a second try at most. Only
// when both practice servers are gone are they told to try again later.
func TestTheTroubleOfOneServerIsARetry(t *testing.T) {
	t.Parallel()
	f := newFleet()
	f.startServers(t)
	var relays [2]*relay
	for i := range relays {
		relays[i], f.practice[i] = relayTo(t, f.practice[i])
	}
	f.startServices(t)
	teacher := whole.As(t, f.services[0].URL, demo.InstructorName, demo.InstructorPassword)
	reachable := func(want ...bool) func() bool {
		return func() bool {
			found, err := client.Read[client.Servers](teacher.ListServers(ctx))
			return err == nil && found.Practice[0].Reachable == want[0] && found.Practice[1].Reachable == want[1]
		}
	}
	workers := f.workers(t, "elio", "goran", "hana", "luca")
	end := begin(t, workers)
	signalAll := func(signal syscall.Signal) {
		for _, pid := range processes(t, whole.ServerPID(f.folders[1], "server")) {
			_ = syscall.Kill(pid, signal) // a session may have ended
		}
	}
	goesOn := func(what string) {
		t.Helper()
		before := acknowledgedBy(workers)
		whole.Until(t, "everybody submits: "+what, func() bool { return eachGoesOn(workers, before) })
	}
	t.Cleanup(func() { signalAll(syscall.SIGCONT) })
	for _, fault := range []struct {
		name        string
		begin, mend func()
	}{
		{
			"a practice server stands still",
			func() { signalAll(syscall.SIGSTOP) }, func() { signalAll(syscall.SIGCONT) },
		},
		{"a practice server is cut off", relays[0].cut, relays[0].mend},
		{"a practice server is silent", relays[0].hush, relays[0].mend},
	} {
		goesOn("before " + fault.name)
		fault.begin()
		goesOn(fault.name)
		whole.Until(t, "it is seen that "+fault.name, reachable(false, true))
		goesOn("knowing that " + fault.name)
		fault.mend()
		whole.Until(t, "it is over that "+fault.name, reachable(true, true))
	}
	for _, w := range workers {
		w.mu.Lock()
		if len(w.refusals) > 0 {
			t.Errorf("%s was refused again after a second: %s", w.name, w.refusals[0])
		}
		w.mu.Unlock()
	}
	// A service stands still for so long that its seats are given up.
	stalled := f.services[1].Cmd.Process
	t.Cleanup(func() { _ = stalled.Signal(syscall.SIGCONT) })
	if err := stalled.Signal(syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	f.passOver(1, true)
	whole.Until(t, "its range of seats is closed", func() bool {
		found, err := client.Read[client.Servers](teacher.ListServers(ctx))
		return err == nil && len(found.Services) == 2
	})
	goesOn("a service stands still")
	if err := stalled.Signal(syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	f.passOver(1, false)
	whole.Until(t, "it has seats again", func() bool {
		found, err := client.Read[client.Servers](teacher.ListServers(ctx))
		return err == nil && len(found.Services) == 3
	})
	goesOn("it goes on")
	// Both practice servers are gone.
	for _, w := range workers {
		w.mu.Lock()
		w.last = ""
		w.mu.Unlock()
	}
	before := leastRefused(workers)
	relays[0].cut()
	relays[1].cut()
	whole.Until(t, "everybody is told to try again", func() bool { return leastRefused(workers) > before })
	for _, w := range workers {
		w.mu.Lock()
		if w.last != "" && !strings.Contains(w.last, "ry again") {
			t.Errorf("%s was told %q", w.name, w.last)
		}
		w.mu.Unlock()
	}
	relays[0].mend()
	relays[1].mend()
	goesOn("both are back")
	end()
	for _, w := range workers {
		w.refusals = nil // while both were gone
	}
	f.settle(t, workers)
}

// While the records' server stands still, is killed, cut off, silent or full, all services tell learners to try again;
// afterwards all go on by themselves, and all that was acknowledged is there, once.
func TestTheRecordsHaveTrouble(t *testing.T) {
	t.Parallel()
	f := newFleet()
	f.transport.ResponseHeaderTimeout = 25 * time.Second // what services say is looked at, not how soon
	disk := smallDisk(t)
	f.folders[0] = disk
	f.startServers(t)
	direct := f.records
	var relay *relay
	relay, f.records = relayTo(t, f.records)
	f.startServices(t)
	workers := f.workers(t, "elio", "goran", "hana", "luca")
	end := begin(t, workers)
	signalAll := func(signal syscall.Signal) {
		for _, pid := range processes(t, whole.ServerPID(disk, "server")) {
			_ = syscall.Kill(pid, signal) // a session may have ended
		}
	}
	t.Cleanup(func() { signalAll(syscall.SIGCONT) })
	for _, fault := range []struct {
		name        string
		begin, mend func()
	}{
		{"cut off", relay.cut, relay.mend},
		{"silent", relay.hush, relay.mend},
		{"standing still", func() { signalAll(syscall.SIGSTOP) }, func() { signalAll(syscall.SIGCONT) }},
		{"killed", func() { whole.KillServer(t, disk, "server") }, func() {}},
		{"full", func() { fill(t, disk) }, func() { _ = os.Remove(filepath.Join(disk, "filler")) }},
	} {
		if fault.name == "full" && !onSmallDisk(disk) {
			t.Log("no small disk can be made on this machine")
			continue
		}
		before := acknowledgedBy(workers)
		whole.Until(t, "everybody submits before that", func() bool { return eachGoesOn(workers, before) })
		refused := leastRefused(workers)
		fault.begin()
		whole.Until(t, "everybody is told that the records are "+fault.name, func() bool {
			return leastRefused(workers) > refused
		})
		fault.mend()
		before = acknowledgedBy(workers)
		whole.Until(t, "everybody submits after that", func() bool { return eachGoesOn(workers, before) })
		for _, w := range workers {
			w.mu.Lock()
			if !strings.Contains(w.last, "othing that was acknowledged is lost") {
				t.Errorf("the records are %s: %s was told %q", fault.name, w.name, w.last)
			}
			w.mu.Unlock()
		}
	}
	end()
	for _, w := range workers {
		w.refusals = nil
	}
	f.records = direct
	f.settle(t, workers)
}

// leastRefused is how often the least refused worker was refused.
func leastRefused(workers []*worker) int {
	least := 1 << 30
	for _, w := range workers {
		w.mu.Lock()
		least = min(least, w.failures)
		w.mu.Unlock()
	}
	return least
}

// smallDisk is a data folder that is a disk of its own, where such a one can be made.
func smallDisk(t *testing.T) string {
	t.Helper()
	folder := whole.DataDir(t)
	if exec.Command("mount", "-t", "tmpfs", "-o", "size=400m,mode=755", "tmpfs", folder).Run() == nil {
		t.Cleanup(func() { _ = exec.Command("umount", "-l", folder).Run() })
	}
	return folder
}

func onSmallDisk(folder string) bool {
	var folders, above syscall.Stat_t
	return syscall.Stat(folder, &folders) == nil && syscall.Stat(filepath.Dir(folder), &above) == nil &&
		folders.Dev != above.Dev
}

// fill takes all the room of a disk.
func fill(t *testing.T, folder string) {
	t.Helper()
	filler, err := os.Create(filepath.Join(folder, "filler"))
	if err != nil {
		t.Fatal(err)
	}
	megabyte := make([]byte, 1<<20)
	for err == nil {
		_, err = filler.Write(megabyte)
	}
	_ = filler.Close()
}

// What a query needs on a full disk is done by the other server; so is a build.
func TestADiskOfOneServerIsFull(t *testing.T) {
	t.Parallel()
	full := smallDisk(t)
	if !onSmallDisk(full) {
		t.Skip("no small disk can be made on this machine")
	}
	f := newFleet()
	f.transport.ResponseHeaderTimeout = 0 // nothing here stands still, and a run takes what the machine needs
	f.folders[2] = full
	f.startServers(t)
	f.startServices(t, "--limit-time", "120s")
	fill(t, full)
	conn, err := pgx.Connect(ctx, f.practice[1])
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	spills := "SELECT count(*) FROM (SELECT md5(g::text) AS m FROM generate_series(1, 800000) AS g ORDER BY m) AS s"
	if _, err := conn.Exec(ctx, spills); err == nil || !strings.Contains(err.Error(), "No space left") {
		t.Fatalf("the disk is not full: %v", err)
	}
	elio := whole.As(t, f.url, "elio", demo.LearnerPassword)
	for n := range 4 {
		run, err := client.Read[client.Run](elio.Run(ctx, client.RunRequest{
			Paper: "first-look", Sql: spills + strings.Repeat(" ", n),
		}))
		if err != nil || run.Outcome != client.Done {
			t.Errorf("got %s %+v, %v", run.Outcome, run.Error, err)
		}
	}
	teacher := whole.As(t, f.url, demo.InstructorName, demo.InstructorPassword)
	job := whole.Built(t, teacher, "sheds", client.BuildDatasetParams{}, whole.Scripts(map[string]string{
		"a.sql": "CREATE TABLE shed AS SELECT g AS shed_id FROM generate_series(1, 100000) AS g;",
	}))
	if job.State != client.JobDone {
		t.Errorf("got %+v", job)
	}
	if err := os.Remove(filepath.Join(full, "filler")); err != nil {
		t.Fatal(err)
	}
	whole.Until(t, "it is on both servers, when there is room", func() bool {
		found, err := client.Read[client.Servers](teacher.ListServers(ctx))
		return err == nil && found.Practice[0].Builds == found.Practice[1].Builds
	})
}
