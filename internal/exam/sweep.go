package exam

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"examen/internal/records"
)

// dailySweep is how often what nothing refers to any more is cleared, besides at each start.
const dailySweep = 24 * time.Hour

// sweep clears what earlier work has left and nothing refers to: files of jobs that ended, counts of log-ins, databases of no build, roles made for a moment.
func (s *Service) sweep(ctx context.Context) {
	warn := func(what string, err error) {
		if err != nil && ctx.Err() == nil && !records.Unavailable(err) {
			s.log.Warn("what is left over cannot be cleared", "what", what, "error", err)
		}
	}
	warn("files of jobs", s.records.SweepJobFiles(ctx))
	warn("counts of log-ins", s.records.SweepLogIns(ctx))
	warn("databases", s.dropLeftOver(ctx))
	warn("roles", s.practice.Sweep(ctx))
}

// dropLeftOver removes databases that belong to no build and to no job at hand: of builds that were cut short.
func (s *Service) dropLeftOver(ctx context.Context) error {
	first, err := s.leftOver(ctx)
	if err != nil || len(first) == 0 {
		return err
	}
	select { // one that has just been made may not have been written down yet
	case <-time.After(4 * beatEvery):
	case <-ctx.Done():
		return ctx.Err()
	}
	still, err := s.leftOver(ctx)
	if err != nil {
		return err
	}
	s.drop(ctx, slices.DeleteFunc(still, func(database string) bool { return !slices.Contains(first, database) }))
	return nil
}

func (s *Service) leftOver(ctx context.Context) ([]string, error) {
	there, err := s.practice.Databases(ctx, databasePrefix)
	if err != nil {
		return nil, err
	}
	builds, err := s.records.BuildDatabases(ctx)
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, b := range builds {
		for _, database := range append(variantDatabases(b.Variants), b.Database) {
			known[database] = true
		}
	}
	jobs, err := s.records.AliveJobs(ctx)
	if err != nil {
		return nil, err
	}
	for _, text := range jobs {
		var databases []string
		_ = json.Unmarshal(text, &databases) // written by beat
		for _, database := range databases {
			known[database] = true
		}
	}
	return slices.DeleteFunc(there, func(database string) bool { return known[database] }), nil
}
