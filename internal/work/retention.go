package work

import (
	"context"
	"time"

	"examen/internal/records"
	"examen/internal/records/query"
)

// forgottenAtOnce bounds how long the deletion of runs holds what it deletes.
const forgottenAtOnce = 5000

// ForgetRuns deletes the runs that are older, but for those that somebody keeps under a name. Attempts are no runs, and
// stay, as do marks.
func ForgetRuns(ctx context.Context, store *records.Store, older time.Duration) error {
	for {
		n, err := store.ForgetRuns(ctx, query.ForgetRunsParams{Seconds: older.Seconds(), Most: forgottenAtOnce})
		if err != nil || n < forgottenAtOnce {
			return err
		}
	}
}
