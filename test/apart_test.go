package test

import (
	"bufio"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"

	"examen/test/whole"
)

// The clusters can be run apart from the service, each by a process of its own: as the Debian package does. The service
// tells its manager when it is ready, that it is alive, and that it stops; what looks after the folder leaves clusters
// that run alone.
func TestClustersRunApart(t *testing.T) {
	t.Parallel()
	place := whole.DataDir(t)
	cluster := func(which string) *exec.Cmd {
		cmd := exec.Command(whole.Binary, "cluster", "run", which, "--data-dir", place, "--for", groupOf(t, which))
		cmd.Stderr = os.Stderr
		out, err := cmd.StdoutPipe()
		if err == nil {
			err = cmd.Start()
		}
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() {
			_ = cmd.Process.Signal(syscall.SIGTERM)
			_ = cmd.Wait()
			if whole.ServerPID(place, which) > 0 {
				t.Errorf("the server of the %s is left", which)
			}
		})
		if lines := bufio.NewScanner(out); !lines.Scan() || !strings.HasSuffix(lines.Text(), " runs.") {
			t.Fatalf("%s: %q", which, lines.Text())
		}
		return cmd
	}
	records, practice := cluster("records"), cluster("practice")
	manager, told := listenForNotices(t)
	s := &whole.Service{Cmd: exec.Command(
		whole.Binary, "serve", "--listen", "127.0.0.1:0", "--join-clusters", "--data-dir", place, "--seats", "4",
	)}
	s.Cmd.Env = append(os.Environ(), "NOTIFY_SOCKET="+manager, "WATCHDOG_USEC=300000")
	if err := s.Launch("serve"); err != nil {
		t.Fatal(err)
	}
	whole.Until(t, "it is said to be ready and alive", func() bool {
		all := told()
		return slices.Contains(all, "READY=1") && slices.Contains(all, "WATCHDOG=1")
	})
	before := whole.ServerPID(place, "records")
	if p := whole.Command(t, nil, "", "backup", filepath.Join(t.TempDir(), "b"), "--data-dir", place); p.Code != 0 {
		t.Errorf("backup: %+v", p)
	}
	if says, code := diagnosis(t, nil, "--join-clusters", "--data-dir", place, "--seats", "4"); code != 0 {
		t.Errorf("doctor: %s", strings.Join(says, "\n"))
	}
	for _, args := range [][]string{
		{"serve", "--listen", "127.0.0.1:0", "--data-dir", place}, {"cluster", "run", "records", "--data-dir", place},
		{"cluster", "make", "practice", "--data-dir", place},
	} {
		if p := whole.Command(t, nil, "", args...); p.Code == 0 || !strings.Contains(p.Errs, "is in use by process") {
			t.Errorf("%v beside it: %+v", args, p)
		}
	}
	if now := whole.ServerPID(place, "records"); now != before || !alive(now) {
		t.Errorf("the records' server was %d and is %d", before, now)
	}

	// A cluster whose process is killed is started again by its manager; the service is the same.
	_ = practice.Process.Kill()
	_ = practice.Wait()
	whole.Until(t, "it is missed", func() bool {
		code, _ := whole.Asked(t, s.URL, "GET", "/api/health", "", "")
		return code == 503
	})
	cluster("practice")
	whole.Until(t, "it is back", func() bool {
		code, _ := whole.Asked(t, s.URL, "GET", "/api/health", "", "")
		return code == 200
	})
	s.Stop()
	if all := told(); !slices.Contains(all, "STOPPING=1") {
		t.Errorf("as it stops, %q is told", all)
	}
	if !alive(whole.ServerPID(place, "records")) || records.ProcessState != nil {
		t.Error("the records' server stopped with the service")
	}
}

// groupOf is the group that a cluster is shared with: its user's own.
func groupOf(t *testing.T, which string) string {
	t.Helper()
	if os.Geteuid() == 0 {
		return "examen-" + which
	}
	me, err := user.Current()
	if err != nil {
		t.Fatal(err)
	}
	group, err := user.LookupGroupId(me.Gid)
	if err != nil {
		t.Fatal(err)
	}
	return group.Name
}

// listenForNotices is a service manager that is told things, as sd_notify(3) has it.
func listenForNotices(t *testing.T) (address string, told func() []string) {
	t.Helper()
	address = filepath.Join(t.TempDir(), "notify")
	socket, err := net.ListenUnixgram("unixgram", &net.UnixAddr{Name: address, Net: "unixgram"})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { socket.Close() })
	var mu sync.Mutex
	var all []string
	go func() {
		for notice := make([]byte, 4096); ; {
			n, err := socket.Read(notice)
			if err != nil {
				return
			}
			mu.Lock()
			all = append(all, string(notice[:n]))
			mu.Unlock()
		}
	}()
	return address, func() []string {
		mu.Lock()
		defer mu.Unlock()
		return slices.Clone(all)
	}
}
