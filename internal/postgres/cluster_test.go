package postgres_test

import (
	"context"
	"log/slog"
	"os"
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
	c, err := postgres.Start(context.Background(), postgres.Options{Folder: folder, Super: "examen", Scratch: true, AddressSpace: 1 << 30, Log: slog.New(slog.DiscardHandler)})
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
	err = conn.QueryRow(context.Background(), "SELECT length(string_agg(repeat('x', 100000000), '')) FROM generate_series(1, 9)").Scan(&n)
	if err == nil || !strings.Contains(err.Error(), "out of memory") {
		t.Errorf("900 MB in a process of 1 GB: got %d, %v", n, err)
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
