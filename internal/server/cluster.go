package server

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"examen/internal/postgres"
)

// RunCluster runs one of Examen's two clusters, the records' or the practice one, until the context ends: for a service
// that is another process, of another user. Members of the group may use it. ready is called when it answers.
func RunCluster(ctx context.Context, which, group string, options Options, ready func(url string)) error {
	var o postgres.Options
	switch which {
	case "records":
		o = recordsCluster
	case "practice":
		o = PracticeCluster
		o.SessionMemory = share(&options.Limits)
	default:
		return fmt.Errorf("records or practice is expected, not %q", which)
	}
	if err := os.MkdirAll(options.DataDir, 0o755); err != nil {
		return err
	}
	o.Folder, o.Shared, o.Log = filepath.Join(options.DataDir, which), group, options.Log
	cluster, err := postgres.Start(ctx, o)
	if err != nil {
		return err
	}
	defer cluster.Stop()
	ready(cluster.Folder())
	<-ctx.Done()
	return nil
}
