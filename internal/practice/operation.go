package practice

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Operation is what an operator does with the servers, and services among themselves.
type Operation struct{ servers *Servers }

// Operation gives access to it.
func (s *Servers) Operation() Operation { return Operation{s} }

// A ServerState tells how a server stands.
type ServerState struct {
	Name     string // its address
	Standby  bool   // of another one: only queries run on it
	Ready    bool   // it can be reached
	Draining bool   // it gets no runs, builds or copies, where another can have them
	Running  int    // runs of this service
	Builds   int    // databases of builds and variants
	Copies   int    // of learners and of checks
	Free     int64  // bytes on its disk; 0 where that cannot be told
}

// States tells how the servers stand, in the order in which they were named.
func (o Operation) States(ctx context.Context) []ServerState {
	var states []ServerState
	for _, one := range o.servers.all {
		state := ServerState{Name: one.name, Standby: one.isStandby()}
		one.health.mu.Lock()
		state.Ready, state.Draining, state.Running = one.health.ready, one.health.draining, one.health.running
		one.health.mu.Unlock()
		if state.Ready {
			databases, err := one.complete(ctx)
			state.Ready = err == nil
			for name := range databases {
				if strings.HasPrefix(name, copyPrefix) {
					state.Copies++
				} else {
					state.Builds++
				}
			}
			if !state.Standby {
				state.Free = one.free(ctx)
			}
		}
		states = append(states, state)
	}
	return states
}

// A Database is one of a dataset's databases, on one server: of a build, a variant, a template or a copy.
type Database struct {
	Server, Name string
	Bytes        int64 // on disk
}

// Databases lists what there is on all servers that can be reached.
func (o Operation) Databases(ctx context.Context) (all []Database) {
	for _, one := range o.servers.all {
		if one.isStandby() {
			continue
		}
		rows, _ := one.admin.Query(ctx, `SELECT $1::text, datname::text, coalesce(pg_database_size(oid), 0)
			FROM pg_database WHERE NOT datistemplate AND datname <> 'postgres' ORDER BY datname`, one.name)
		found, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Database])
		if err == nil {
			all = append(all, found...)
		}
	}
	return all
}

// OfTemplate returns the database of which a template is, if it is one.
func (d Database) OfTemplate() (of string, is bool) { return strings.CutPrefix(d.Name, templatePrefix) }

// SeatsState tells how the seats of one kind stand on one server.
type SeatsState struct {
	Server string
	Kind   string // "runs" of learners, "checks" on what learners do not see
	All    int
	// InUse are those on which something runs; Waiting are the runs that wait for one.
	InUse, Waiting int
}

// Seats tells how the seats of this service stand, by server.
func (o Operation) Seats() []SeatsState {
	var states []SeatsState
	for _, one := range o.servers.all {
		for i, p := range []*seats{one.learners, one.checkers} {
			if p != nil { // the server was reached once
				kind := []string{"runs", "checks"}[i]
				states = append(states, SeatsState{one.name, kind, len(p.all), len(p.slots), int(p.waits.Load())})
			}
		}
	}
	return states
}

// Waiting is how many runs of this service wait for a seat, on all servers.
func (o Operation) Waiting() (runs int) {
	for _, s := range o.Seats() {
		runs += s.Waiting
	}
	return runs
}

// Names are the servers' names, in the order in which they were named.
func (o Operation) Names() (names []string) {
	for _, one := range o.servers.all {
		names = append(names, one.name)
	}
	return names
}

// Drain has the named servers drained, and no others.
func (o Operation) Drain(names []string) {
	for _, one := range o.servers.all {
		one.health.drain(slices.Contains(names, one.name))
	}
}

// Place places builds that are on too few servers on more. It returns how many were placed.
func (o Operation) Place(ctx context.Context, builds []string) (placed int) {
	for _, database := range builds {
		if ctx.Err() == nil {
			placed += o.servers.spread(ctx, database)
		}
	}
	return placed
}

// WhenBack has f called when a server that was away is there again.
func (o Operation) WhenBack(f func()) {
	o.servers.mu.Lock()
	o.servers.back = f
	o.servers.mu.Unlock()
}

// Move makes the seats of the service's range anew, when it has got another one, and tries again where that fails,
// until the context ends. Who had the range before is cut off. A server that is away gets its seats when it is back.
func (o Operation) Move(ctx context.Context) (err error) {
	for _, one := range o.servers.all {
		one.seated.Store(false)
	}
	for told := false; ; told = true {
		if err = o.servers.each(ctx, func(one *server) error {
			if one.seated.Load() {
				return nil
			}
			return one.prepare(ctx)
		}); err == nil || ctx.Err() != nil {
			break
		}
		if !told {
			o.servers.options.Log.Warn("the seats cannot be made yet, and are tried again", "error", err)
		}
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
	for _, one := range o.servers.all {
		if one.of != nil {
			one.learners.share(one.of.learners)
			one.checkers.share(one.of.checkers)
		}
	}
	return err
}

// Release closes the seats of a range whose service is dead, and ends what still runs on them.
func (o Operation) Release(ctx context.Context, number int) error {
	return o.servers.each(ctx, func(one *server) (err error) {
		for _, p := range []*seats{one.learners, one.checkers} {
			like := fmt.Sprintf("%s_%d_", p.prefix, number)
			rows, _ := one.admin.Query(ctx, "SELECT rolname::text FROM pg_roles WHERE starts_with(rolname, $1)", like)
			err = cmp.Or(err, one.closeRoles(ctx, rows))
		}
		return cmp.Or(err, one.sweep(ctx))
	})
}
