package library

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"examen/internal/jobs"
)

// dropLeftOver drops databases that belong to no build and no running job: they are left over from builds that were cut
// short.
func (l *Library) dropLeftOver(ctx context.Context) error {
	first, err := l.leftOver(ctx)
	if err != nil || len(first) == 0 {
		return err
	}
	select { // one that has just been made may not have been written down yet
	case <-time.After(4 * jobs.BeatEvery):
	case <-ctx.Done():
		return ctx.Err()
	}
	still, err := l.leftOver(ctx)
	if err != nil {
		return err
	}
	l.jobs.Drop(
		ctx, slices.DeleteFunc(still, func(database string) bool { return !slices.Contains(first, database) })...,
	)
	return nil
}

func (l *Library) leftOver(ctx context.Context) ([]string, error) {
	there, err := l.practice.Databases(ctx, databasePrefix)
	if err != nil {
		return nil, err
	}
	builds, err := l.records.BuildDatabases(ctx)
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, b := range builds {
		for _, database := range append(slices.Collect(maps.Values(variantsOf(b.Variants))), b.Database) {
			known[database] = true
		}
	}
	jobs, err := l.records.AliveJobs(ctx)
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
