package postgres_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"examen/internal/postgres"
	"examen/internal/postgres/postgrestest"
)

func folder(t *testing.T) string {
	t.Helper()
	f, err := postgrestest.Folder()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(f) })
	return f
}

func start(t *testing.T, folder string) *postgres.Cluster {
	t.Helper()
	c, err := postgres.Start(
		context.Background(),
		postgres.Options{
			Folder:        folder,
			Super:         "examen",
			Scratch:       true,
			SessionMemory: 256 << 20,
			Log:           slog.New(slog.DiscardHandler),
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Stop)
	return c
}

// serverPID is the process of a folder's server; 0 where none has been started.
func serverPID(folder string) int {
	content, _ := os.ReadFile(filepath.Join(folder, "data", "postmaster.pid"))
	pid, _ := strconv.Atoi(strings.SplitN(string(content), "\n", 2)[0])
	return pid
}

func query[T any](t *testing.T, c *postgres.Cluster, sql string) T {
	t.Helper()
	conn, err := pgx.Connect(context.Background(), c.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	var value T
	if err := conn.QueryRow(context.Background(), sql).Scan(&value); err != nil {
		t.Fatal(err)
	}
	return value
}

// until waits for a condition, not for a clock; the limit only ends a test that would hang.
func until(t *testing.T, what string, holds func() bool) {
	t.Helper()
	for limit := time.Now().Add(time.Minute); !holds(); time.Sleep(10 * time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatalf("still waiting until %s", what)
		}
	}
}

func TestDataIsKeptBetweenStarts(t *testing.T) {
	f := folder(t)
	c := start(t, f)
	query[string](t, c, "SELECT lo_from_bytea(4711, 'kept')::text")
	pid := serverPID(f)
	c.Stop()
	if syscall.Kill(pid, 0) == nil {
		t.Error("the server still runs after Stop")
	}
	if kept := query[string](t, start(t, f), "SELECT convert_from(lo_get(4711), 'UTF8')"); kept != "kept" {
		t.Errorf("what was stored before is now %q", kept)
	}
}

func TestAServerThatDiesIsStartedAgain(t *testing.T) {
	f := folder(t)
	c := start(t, f)
	before, pid := c.URL("postgres"), serverPID(f)
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	until(t, "another server answers", func() bool {
		conn, err := pgx.Connect(context.Background(), before)
		if err != nil {
			return false
		}
		conn.Close(context.Background())
		return serverPID(f) != pid
	})
}

func TestMemoryIsBounded(t *testing.T) {
	c := start(t, folder(t))
	conn, err := pgx.Connect(context.Background(), c.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	var n int
	err = conn.QueryRow(
		context.Background(), "SELECT length(string_agg(repeat('x', 100000000), '')) FROM generate_series(1, 9)",
	).Scan(&n)
	if err == nil || !strings.Contains(err.Error(), "out of memory") {
		t.Errorf("900 MB in a session of 256 MB: got %d, %v", n, err)
	}
	if err := conn.QueryRow(context.Background(), "SELECT length(repeat('x', 64000000))").Scan(&n); err != nil {
		// what all share and the libraries do not count
		t.Errorf("64 MB in a session of 256 MB: %v", err)
	}
	if err := conn.Ping(context.Background()); err != nil {
		t.Errorf("the query alone should have failed: %v", err)
	}
}

func TestOneFolderOneProcess(t *testing.T) {
	path := t.TempDir()
	f, err := postgres.OpenFolder(path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := postgres.OpenFolder(path); err == nil || !strings.Contains(err.Error(), "in use by process") {
		t.Errorf("got %v", err)
	}
	f.Close()
	again, err := postgres.OpenFolder(path)
	if err != nil {
		t.Fatal(err)
	}
	again.Close()
}

// What a start finds may be the leavings of one that was killed at any moment.
func TestStartsOverWhatIsLeft(t *testing.T) {
	for name, leave := range map[string]func(t *testing.T, f string){
		"a postmaster.pid that names a living stranger": func(t *testing.T, f string) {
			writePID(t, f, os.Getpid())
		},
		"a postmaster.pid that names a process that ended and was not asked for": func(t *testing.T, f string) {
			cmd := exec.Command("true")
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { _ = cmd.Wait() })
			writePID(t, f, cmd.Process.Pid)
		},
		"an initdb that still writes": func(t *testing.T, f string) {
			for _, name := range []string{"data", "superuser.password"} {
				if err := os.RemoveAll(filepath.Join(f, name)); err != nil {
					t.Fatal(err)
				}
			}
			bin, err := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
			if err != nil || len(bin) == 0 {
				t.Skip("initdb is elsewhere on this machine")
			}
			cmd := exec.Command(bin[len(bin)-1], "-D", filepath.Join(f, "data.unfinished"))
			cmd.Dir = "/"
			if u, err := user.Lookup("postgres"); err == nil && os.Geteuid() == 0 {
				uid, _ := strconv.Atoi(u.Uid)
				cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid)}}
				if err := errors.Join(
					os.Mkdir(filepath.Join(f, "data.unfinished"), 0o700),
					os.Chown(filepath.Join(f, "data.unfinished"), uid, -1),
				); err != nil {
					t.Fatal(err)
				}
			}
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { _ = cmd.Wait() })
		},
		"a postmaster.pid that cannot be read": func(t *testing.T, f string) {
			if err := os.WriteFile(filepath.Join(f, "data", "postmaster.pid"), []byte("\x00\n"), 0o600); err != nil {
				t.Fatal(err)
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f := folder(t)
			start(t, f).Stop()
			leave(t, f)
			query[int](t, start(t, f), "SELECT 1")
		})
	}
}

func writePID(t *testing.T, f string, pid int) {
	t.Helper()
	if err := os.WriteFile(
		filepath.Join(f, "data", "postmaster.pid"),
		fmt.Appendf(nil, "%d\n%s\n1\n5432\n", pid, filepath.Join(f, "data")), 0o600,
	); err != nil {
		t.Fatal(err)
	}
}

// A session that heeds nothing, not even that its server is gone, does not hold up the next server, nor a stop.
func TestASessionThatDoesNotEndHoldsNothingUp(t *testing.T) {
	f := folder(t)
	c := start(t, f)
	conn, err := pgx.Connect(context.Background(), c.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	pid := serverPID(f)
	for _, to := range []struct {
		pid    int
		signal syscall.Signal
	}{{int(conn.PgConn().PID()), syscall.SIGSTOP}, {pid, syscall.SIGKILL}} {
		if err := syscall.Kill(to.pid, to.signal); err != nil {
			t.Fatal(err)
		}
	}
	until(t, "another server answers", func() bool { return postgres.Ping(c) == nil && serverPID(f) != pid })
}

// The log is written by this process, in files that the server's user can neither write nor replace by links.
func TestTheLogIsOutOfReachOfTheServer(t *testing.T) {
	f := folder(t)
	c := start(t, f)
	if _, err := os.Stat(filepath.Join(f, "server.log")); err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(context.Background(), c.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	if os.Geteuid() != 0 {
		t.Skip("without root the server runs as this process's user")
	}
	for _, path := range []string{"server.log", "superuser.password", "planted"} {
		_, err := conn.Exec(context.Background(), "COPY (SELECT 1) TO '"+filepath.Join(f, path)+"'")
		if err == nil || !strings.Contains(err.Error(), "Permission denied") {
			t.Errorf("%s: %v", path, err)
		}
	}
}
