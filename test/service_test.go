// Package test holds the tests of the whole: the service as a process, called through its client and its commands.
// Those of its console are in test/console.
package test

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"

	"examen/test/whole"
)

var ctx = context.Background()

func TestMain(m *testing.M) { os.Exit(whole.Main(m.Run)) }

// restored starts a service with the records of the demo's course in the middle of its term, sooner than the demo has
// made them.
func restored(t *testing.T, args ...string) *whole.Service {
	t.Helper()
	if err := restoredOnce(); err != nil {
		t.Fatal(err)
	}
	return whole.Start(
		t, "serve", append([]string{"--data-dir", whole.Copy(t, filepath.Join(whole.Folder, "restored"))}, args...)...,
	)
}

// restoredOnce restores the backup that they are copies of.
var restoredOnce = sync.OnceValue(func() error {
	cmd := exec.Command(
		whole.Binary, "restore", filepath.Join("testdata", "backups", "schema-19.backup"), "--data-dir",
		filepath.Join(whole.Folder, "restored"),
	)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("restore: %w: %s", err, out)
	}
	return nil
})
