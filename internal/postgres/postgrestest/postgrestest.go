// Package postgrestest gives tests a PostgreSQL cluster of their own, started once for a package's run.
package postgrestest

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5"

	"examen/internal/postgres"
)

// Main starts a cluster, runs the package's tests with its URL, and stops it: for TestMain.
func Main(m *testing.M, ready func(url string)) {
	os.Exit(func() int {
		folder, err := Folder()
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(folder)
		cluster, err := postgres.Start(
			context.Background(),
			postgres.Options{Folder: folder, Super: "examen", Scratch: true, SessionMemory: 1 << 30,
				Settings: map[string]string{"max_connections": "80"}, Log: slog.New(slog.DiscardHandler)},
		)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer cluster.Stop()
		ready(cluster.URL("postgres"))
		return m.Run()
	}())
}

// Standby makes a streaming standby of a cluster, and starts it with the options in their folder, which is a new one.
// It stops with the test.
func Standby(t testing.TB, of *postgres.Cluster, options postgres.Options) *postgres.Cluster {
	t.Helper()
	program, err := postgres.Program("pg_basebackup")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.MkdirAll(options.Folder, 0o700); err != nil {
		t.Fatal(err)
	}
	url := of.URL("postgres")
	out, err := exec.Command(
		program, "-d", url, "-D", filepath.Join(options.Folder, "data"), "-R", "-X", "stream", "--checkpoint=fast",
		"--no-sync",
	).CombinedOutput()
	if err != nil {
		t.Fatalf("pg_basebackup: %v: %s", err, out)
	}
	config, err := pgx.ParseConfig(url)
	if err != nil {
		t.Fatal(err)
	}
	password := filepath.Join(options.Folder, "superuser.password") // as of the cluster
	if err := os.WriteFile(password, []byte(config.Password), 0o600); err != nil {
		t.Fatal(err)
	}
	options.Super = config.User
	standby, err := postgres.Start(context.Background(), options)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(standby.Stop)
	return standby
}

// Folder makes a new folder that a cluster's user can enter: in memory, where the machine has enough of that, since
// making and dropping databases is mostly making and removing files.
func Folder() (string, error) {
	folder, err := os.MkdirTemp(place(), "examen-test-")
	if err != nil {
		return "", err
	}
	return folder, os.Chmod(folder, 0o755)
}

// place is the folder of new folders: in memory, where a machine has so much that clusters do not take it from what the
// tests need; "" for the system's.
func place() string {
	const memory, enough = "/dev/shm", 8 << 30
	if postgres.MachineMemory() < 2*enough {
		return ""
	}
	var disk syscall.Statfs_t
	if err := syscall.Statfs(memory, &disk); err != nil || disk.Bavail*uint64(disk.Bsize) < enough ||
		disk.Flags&syscall.MS_NOEXEC != 0 { // the program is built there, too
		return ""
	}
	return memory
}
