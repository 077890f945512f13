package records_test

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"examen/internal/records"
	"examen/internal/records/query"
)

// A service whose range was taken gets another one, which it keeps while its seats are made, however long that takes.
func TestALeaseIsKeptWhileSeatsAreMade(t *testing.T) {
	s := store(t)
	lease := must[*records.Lease](t)(s.Lease(ctx, "127.0.0.1:1", t.Name(), slog.New(slog.DiscardHandler)))
	keeping, stop := context.WithCancel(ctx)
	moving, made, kept := make(chan struct{}), make(chan struct{}), make(chan struct{})
	go func() {
		defer close(kept)
		lease.Keep(keeping, func(ctx context.Context) error {
			if _, limited := ctx.Deadline(); limited {
				t.Error("the time to make seats is limited")
			}
			close(moving)
			<-made
			return nil
		}, func(context.Context, int) error { return nil })
	}()
	if err := s.ReleaseRange(ctx, lease.Holder()); err != nil { // as if another service had taken it
		t.Fatal(err)
	}
	<-moving
	renewed := func() (at time.Time) {
		for _, one := range must[[]query.Replica](t)(s.Replicas(ctx, 60)) {
			if one.Holder == lease.Holder() {
				at = one.RenewedAt
			}
		}
		return at
	}
	for first := renewed(); !renewed().After(first); {
		time.Sleep(20 * time.Millisecond)
	}
	close(made)
	stop()
	<-kept
	if !renewed().IsZero() {
		t.Error("the range is still held")
	}
}
