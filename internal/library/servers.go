package library

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
)

// Servers are the practice servers, as administrators see them: which there are, and which are being drained for
// maintenance.
type Servers struct{ library *Library }

// NewServers gives access to the practice servers on which a library's datasets are.
func NewServers(l *Library) Servers { return Servers{l} }

// List tells which services there are, and how the practice servers stand.
func (s Servers) List(
	ctx context.Context, who account.Account,
) (services []records.Replica, servers []practice.ServerState, err error) {
	if err := who.May(account.Administer); err != nil {
		return nil, nil, err
	}
	if err := s.drain(ctx); err != nil {
		return nil, nil, err
	}
	return s.library.jobs.Services(), s.library.practice.Operation().States(ctx), nil
}

// Drain has a practice server drained: it gets no runs where another can have them, no builds and no copies, and its
// builds are placed elsewhere. With on false, it is used again.
func (s Servers) Drain(ctx context.Context, who account.Account, name string, on bool) (*practice.ServerState, error) {
	if err := who.May(account.Administer); err != nil {
		return nil, err
	}
	find := func() (*practice.ServerState, []string) {
		var names []string
		for _, state := range s.library.practice.Operation().States(ctx) {
			if state.Name == name {
				return &state, nil
			}
			names = append(names, state.Name)
		}
		return nil, names
	}
	if found, names := find(); found == nil {
		return nil, problem.New(404, "no-server", "There is no such practice server",
			"No practice server is called %.80q; there are: %s.", name, strings.Join(names, ", "))
	} else if on && !slices.ContainsFunc(s.library.practice.Operation().States(ctx), func(o practice.ServerState) bool {
		return o.Name != name && o.Ready && !o.Draining && !o.Standby
	}) {
		return nil, problem.New(409, "last-server", "It is the only practice server in use",
			"Without %s no query could be run. Add another server, or have another one used again, before.", name)
	}
	err := s.library.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if on {
			return t.DrainServer(ctx, name)
		}
		return t.UndrainServer(ctx, name)
	})
	if err == nil {
		err = s.drain(ctx)
	}
	if err != nil {
		return nil, err
	}
	s.library.stir()
	found, _ := find()
	return found, nil
}

// drain has those servers drained that are to be.
func (s Servers) drain(ctx context.Context) error {
	names, err := s.library.records.Drained(ctx)
	if err == nil {
		s.library.practice.Operation().Drain(names)
	}
	return err
}

// placeEvery is how often it is seen to that builds are on as many servers as they are to be.
const placeEvery = 10 * time.Second

// LookAfter sees to it, until the context ends, that servers are drained that are to be, and that builds are on as many
// servers as they are to be: after a server has come, or come back. Of several services, the first one places builds.
func (s Servers) LookAfter(ctx context.Context, first func() bool) {
	l := s.library
	changed, stop := l.records.Hear(records.ServersChanged)
	defer stop()
	l.practice.Operation().WhenBack(l.stir)
	for {
		err := s.drain(ctx)
		if err == nil && first() {
			err = s.place(ctx)
		}
		if err != nil && ctx.Err() == nil && !records.Unavailable(err) {
			l.log.Warn("builds cannot be placed on practice servers", "error", err)
		}
		select {
		case <-changed:
		case <-l.stirred:
		case <-time.After(placeEvery):
		case <-ctx.Done():
			return
		}
	}
}

// place places builds on more servers, and drops what a server that was away still has.
func (s Servers) place(ctx context.Context) error {
	l := s.library
	if len(l.practice.Operation().Names()) < 2 {
		return nil
	}
	if err := l.dropLeftOver(ctx); err != nil {
		return err
	}
	builds, err := l.records.BuildDatabases(ctx)
	if err != nil {
		return err
	}
	var needed []string
	for _, b := range builds {
		needed = append(append(needed, b.Database), slices.Collect(maps.Values(variantsOf(b.Variants)))...)
	}
	l.practice.Operation().Place(ctx, needed)
	return nil
}

// stir has it looked at now where builds are.
func (l *Library) stir() {
	select {
	case l.stirred <- struct{}{}:
	default:
	}
}
