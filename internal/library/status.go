package library

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"time"

	"examen/internal/account"
	"examen/internal/practice"
	"examen/internal/records"
)

// slowDays is how far back it is looked for exercises that were slow.
const slowDays = 7

// A Status is what an operator wants to know at a glance.
type Status struct {
	Services   []records.Replica
	Practice   []practice.ServerState
	Seats      []practice.SeatsState // of the service that answers
	Records    int64                 // bytes that the records take
	Background []records.Backlog
	Datasets   []DatasetSpace // by size, descending
	// Passing is what copies take that are held ready, or serve a check; and databases of no dataset.
	Passing   Space
	Exercises []SlowExercise
	LogIns    []FailedLogIn
}

// Space is what databases take on practice servers.
type Space struct {
	Bytes     int64
	Databases int
}

func (s *Space) add(bytes int64) { s.Databases, s.Bytes = s.Databases+1, s.Bytes+bytes }

// DatasetSpace is what a dataset takes on all practice servers.
type DatasetSpace struct {
	Dataset string
	InUse   Space // the build in use and its variants
	Earlier Space // builds that are kept beside it
	// Templates are those that copies are made of; Copies are learners'.
	Templates, Copies Space
}

// Bytes is what it takes in all.
func (d DatasetSpace) Bytes() int64 {
	return d.InUse.Bytes + d.Earlier.Bytes + d.Templates.Bytes + d.Copies.Bytes
}

// A SlowExercise is one whose answers took long within the last days.
type SlowExercise struct {
	Paper, Slug, Title      string
	Number                  int
	Checks, Stopped         int // how many were checked, and how many of them reached a limit
	Median, Most95, Longest time.Duration
}

// A FailedLogIn tells how often a password was wrong within the last day.
type FailedLogIn struct {
	Address string // "" for a device that the account is known on
	// Name is the account's. Without one, Named tells that names were tried that no account has, and otherwise it is
	// all that came from the address.
	Name     string
	Named    bool
	Failures int
	Last     time.Time
}

// Status tells how the service stands, for administrators.
func (s Servers) Status(ctx context.Context, who account.Account) (*Status, error) {
	services, servers, err := s.List(ctx, who)
	if err != nil {
		return nil, err
	}
	store := s.library.records
	status := &Status{Services: services, Practice: servers, Seats: s.library.practice.Operation().Seats()}
	if status.Records, err = store.RecordsSize(ctx); err != nil {
		return nil, err
	}
	if status.Background, err = records.Background(ctx, store); err != nil {
		return nil, err
	}
	if err := s.space(ctx, status); err != nil {
		return nil, err
	}
	slow, err := store.SlowExercises(ctx, slowDays)
	if err != nil {
		return nil, err
	}
	milliseconds := func(ms float64) time.Duration { return time.Duration(ms * float64(time.Millisecond)) }
	for _, e := range slow {
		status.Exercises = append(status.Exercises, SlowExercise{
			Paper: e.Paper, Slug: e.Exercise, Title: e.Title, Number: int(e.Number), Checks: int(e.Checks),
			Stopped: int(e.Stopped), Median: milliseconds(e.Median), Most95: milliseconds(e.P95),
			Longest: milliseconds(e.Longest),
		})
	}
	failed, err := store.FailedLogIns(ctx)
	for _, f := range failed {
		status.LogIns = append(status.LogIns, FailedLogIn{f.Address, f.Name, f.Named, int(f.Failures), f.LastAt})
	}
	return status, err
}

// space finds out what each dataset takes.
func (s Servers) space(ctx context.Context, status *Status) error {
	builds, err := s.library.records.BuildsOnDisk(ctx)
	if err != nil {
		return err
	}
	copies, err := s.library.records.CopiesOfDatasets(ctx)
	if err != nil {
		return err
	}
	datasets := map[string]*DatasetSpace{}
	of := func(name string) *DatasetSpace {
		if datasets[name] == nil {
			datasets[name] = &DatasetSpace{Dataset: name}
		}
		return datasets[name]
	}
	counted := map[string]*Space{} // by database
	copied := map[string]*Space{}  // by the database of which a template is
	for _, b := range builds {
		d := of(b.Dataset)
		place := &d.Earlier
		if b.InUse {
			place = &d.InUse
		}
		for _, database := range append(slices.Collect(maps.Values(variantsOf(b.Variants))), b.Database) {
			counted[database], copied[database] = place, &d.Templates
		}
	}
	for _, c := range copies {
		counted[c.Database] = &of(c.Dataset).Copies
	}
	for _, found := range s.library.practice.Operation().Databases(ctx) {
		place := counted[found.Name]
		if original, is := found.OfTemplate(); is {
			place = copied[original]
		}
		if place == nil {
			place = &status.Passing
		}
		place.add(found.Bytes)
	}
	for _, d := range datasets {
		status.Datasets = append(status.Datasets, *d)
	}
	slices.SortFunc(status.Datasets, func(a, b DatasetSpace) int {
		return cmp.Or(cmp.Compare(b.Bytes(), a.Bytes()), cmp.Compare(a.Dataset, b.Dataset))
	})
	return nil
}
