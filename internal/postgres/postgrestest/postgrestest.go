// Package postgrestest gives tests a PostgreSQL cluster of their own, started once for a package's run.
package postgrestest

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"testing"

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

// Folder makes a new folder that a cluster's user can enter.
func Folder() (string, error) {
	folder, err := os.MkdirTemp("", "examen-test-")
	if err != nil {
		return "", err
	}
	return folder, os.Chmod(folder, 0o755)
}
