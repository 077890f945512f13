package postgres_test

import (
	"context"
	"log/slog"
	"os"
	"os/user"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5"

	"examen/internal/postgres"
)

// A cluster that one process runs is used by another one, of a group that may: it knows the password, reaches the
// socket, and kills sessions of that cluster and no other process. It leaves the cluster running.
func TestAClusterIsJoined(t *testing.T) {
	ctx := context.Background()
	members := groupOf(t)
	place := folder(t)
	log := slog.New(slog.DiscardHandler)
	soon := make(chan *postgres.Cluster)
	go func() { // it waits for the one who runs it
		c, err := postgres.Join(ctx, place, "examen", log)
		if err != nil {
			t.Error(err)
		}
		soon <- c
	}()
	runs, err := postgres.Start(ctx, postgres.Options{
		Folder: place, Super: "examen", Scratch: true, Shared: members, Log: log,
	})
	if err != nil {
		t.Fatal(err)
	}
	defer runs.Stop()
	joined := <-soon
	if joined == nil {
		t.FailNow()
	}
	for path, mode := range map[string]os.FileMode{
		"": 0o750, "socket": 0o750, "superuser.password": 0o640, "data": 0o700,
	} {
		info, err := os.Stat(filepath.Join(place, path))
		if err != nil || info.Mode().Perm() != mode {
			t.Errorf("%q may be used as %v, want %v (%v)", path, info.Mode().Perm(), mode, err)
		}
	}
	conn, err := pgx.Connect(ctx, joined.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	session := int(conn.PgConn().PID())
	for _, pid := range []int{os.Getpid(), serverPID(place), os.Getppid(), 1} {
		if joined.KillSession(pid) == nil {
			t.Fatalf("process %d is killed", pid)
		}
	}
	if err := joined.KillSession(session); err != nil {
		t.Error(err)
	}
	until(t, "the session is gone", func() bool { return syscall.Kill(session, 0) != nil })
	joined.Stop()
	until(t, "the cluster goes on", func() bool {
		conn, err := pgx.Connect(ctx, joined.URL("postgres"))
		if err == nil {
			conn.Close(ctx)
		}
		return err == nil
	})
}

// groupOf is the group of whoever runs a cluster here.
func groupOf(t *testing.T) string {
	t.Helper()
	who, err := user.Current()
	if err == nil && os.Geteuid() == 0 {
		who, err = user.Lookup("postgres")
	}
	if err != nil {
		t.Fatal(err)
	}
	group, err := user.LookupGroupId(who.Gid)
	if err != nil {
		t.Fatal(err)
	}
	return group.Name
}
