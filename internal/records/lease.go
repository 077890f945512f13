package records

import (
	"context"
	"crypto/rand"
	"fmt"
	"log/slog"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"examen/internal/records/query"
)

// A Lease is what a service holds on its range of seats, among all services of the same records. It is renewed as long
// as the service lives. One that is not renewed for a while is taken by another, and its holder, should it live after
// all, takes a new one.
type Lease struct {
	store  *Store
	holder string
	log    *slog.Logger
	params query.TakeRangeParams

	mu      sync.Mutex
	number  int
	all     []Replica // with this one
	renewed time.Time // without a break since then
	heard   time.Time // when it was renewed last

	another  chan struct{} // has one where the range is another one than before
	released func(ctx context.Context, number int) error
}

// A Replica is one of the services that use the records.
type Replica struct {
	Range   int
	Address string
	Started time.Time
	Own     bool // it is this one
}

// How often a lease is renewed, and how long it lasts if it is not.
const (
	renewEvery = time.Second
	leaseLasts = 10 * time.Second
)

// Lease takes a range for a service that listens at an address. home is where only one service can be, so that one
// which was there before is dead; see [Home].
func (s *Store) Lease(ctx context.Context, address, home string, log *slog.Logger) (*Lease, error) {
	l := &Lease{store: s, holder: rand.Text(), log: log, another: make(chan struct{}, 1)}
	l.params = query.TakeRangeParams{
		Holder: l.holder, Address: address, Home: home, Seconds: leaseLasts.Seconds(),
	}
	if err := l.take(ctx); err != nil {
		return nil, err
	}
	return l, l.look(ctx)
}

// Home is a home for a service that listens at an address: two cannot do so at the same one of the same machine. It is
// another one after the machine was started again.
func Home(address string) string {
	boot, _ := os.ReadFile("/proc/sys/kernel/random/boot_id")
	network, _ := os.Readlink("/proc/self/ns/net")
	name, _ := os.Hostname()
	return fmt.Sprint(strings.TrimSpace(string(boot)), " ", name, " ", network, " ", address)
}

func (l *Lease) take(ctx context.Context) error {
	for {
		number, err := l.store.TakeRange(ctx, l.params)
		if Missing(err) || Taken(err) { // another was as quick
			continue
		} else if err != nil {
			return fmt.Errorf("take a range of seats: %w", err)
		}
		l.mu.Lock()
		l.number, l.renewed, l.heard = int(number), time.Now(), time.Now()
		l.mu.Unlock()
		return nil
	}
}

// look reads which services there are.
func (l *Lease) look(ctx context.Context) error {
	rows, err := l.store.Replicas(ctx, leaseLasts.Seconds())
	if err != nil {
		return err
	}
	var all []Replica
	for _, row := range rows {
		all = append(all, Replica{int(row.Range), row.Address, row.StartedAt, row.Holder == l.holder})
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.all = all
	return nil
}

// Holder is what the service is called in the records.
func (l *Lease) Holder() string { return l.holder }

// Range is the number of the range that the service has.
func (l *Lease) Range() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.number
}

// Live are the ranges that services have, with this one's.
func (l *Lease) Live() []int {
	l.mu.Lock()
	defer l.mu.Unlock()
	live := []int{l.number}
	for _, one := range l.all {
		if !one.Own {
			live = append(live, one.Range)
		}
	}
	return live
}

// Alone tells whether there is no other service.
func (l *Lease) Alone() bool { return len(l.Live()) == 1 }

// First tells whether the service is the one that does what only one needs to do: that with the lowest range.
func (l *Lease) First() bool { return slices.Min(l.Live()) == l.Range() }

// Services are the services that are alive, by range.
func (l *Lease) Services() []Replica {
	l.mu.Lock()
	defer l.mu.Unlock()
	return slices.Clone(l.all)
}

// Keep renews the lease until the context ends, and then gives it up. It calls moved when the service has got another
// range, which may take as long as it does, and released with each range whose service is dead.
func (l *Lease) Keep(
	ctx context.Context, moved func(context.Context) error, released func(ctx context.Context, number int) error,
) {
	l.released = released
	var moving sync.WaitGroup
	moving.Go(func() { l.move(ctx, moved) })
	tick := time.NewTicker(renewEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			moving.Wait()
			ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
			defer stop()
			_ = l.store.ReleaseRange(ctx, l.holder) // it lapses otherwise
			return
		case <-tick.C:
			l.keep(ctx)
		}
	}
}

// move calls moved when the service has got another range.
func (l *Lease) move(ctx context.Context, moved func(context.Context) error) {
	for {
		select {
		case <-l.another:
			if err := moved(ctx); err != nil && ctx.Err() == nil {
				l.log.Error("the seats cannot be made", "range", l.Range(), "error", err)
			}
		case <-ctx.Done():
			return
		}
	}
}

func (l *Lease) keep(ctx context.Context) {
	ctx, stop := context.WithTimeout(ctx, leaseLasts/2)
	defer stop()
	n, err := l.store.RenewRange(ctx, query.RenewRangeParams{Range: int32(l.Range()), Holder: l.holder})
	if err != nil {
		return // the records are away: nobody can take it
	}
	if n == 0 {
		l.log.Warn("another service has taken the range of seats: this one was silent for too long", "range", l.Range())
		if err := l.take(ctx); err != nil {
			l.log.Error("there is no range of seats", "error", err)
			return
		}
		select {
		case l.another <- struct{}{}:
		default:
		}
		return
	}
	l.mu.Lock()
	if time.Since(l.heard) > leaseLasts/2 { // the others could not renew theirs either, perhaps
		l.renewed = time.Now()
	}
	l.heard = time.Now()
	settled := time.Since(l.renewed) > leaseLasts
	l.mu.Unlock()
	if l.look(ctx) == nil && settled {
		l.release(ctx)
	}
}

// release releases the ranges of services that are dead.
func (l *Lease) release(ctx context.Context) {
	by := l.holder + " releases"
	for ctx.Err() == nil {
		number, err := l.store.SilentRange(
			ctx, query.SilentRangeParams{Holder: by, Seconds: leaseLasts.Seconds()},
		)
		if err != nil {
			return // there is none, or it is done at another time
		}
		l.log.Warn("a service is dead, and its range of seats is closed", "range", number)
		if err := l.released(ctx, int(number)); err != nil {
			l.log.Warn("the seats of a dead service cannot be closed", "range", number, "error", err)
		}
		_ = l.store.ReleaseRange(context.WithoutCancel(ctx), by)
	}
}
