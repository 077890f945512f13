package library

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"examen/internal/jobs"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records/query"
)

// A Rebuilt is a build that should be on the practice servers, after records were restored.
type Rebuilt struct {
	Dataset string `json:"dataset"`
	Number  int    `json:"number"`
	Failed  string `json:"failed,omitempty"` // why it is not there
}

// rebuiltEvery is how often it is looked at whether builds are there.
const rebuiltEvery = 200 * time.Millisecond

// Rebuild has all of a library's builds made again that the practice servers lack, by jobs after the one given, and
// returns when each is there or has failed; tell is called with each. The jobs must have been started.
func Rebuild(ctx context.Context, l *Library, after int64, tell func(Rebuilt)) ([]Rebuilt, error) {
	var all []Rebuilt
	settled := map[int64]bool{}
	tick := time.NewTicker(rebuiltEvery)
	defer tick.Stop()
	for {
		kept, err := l.records.Remakes(ctx, after)
		if err != nil {
			return nil, err
		}
		left := 0
		for _, row := range kept {
			if settled[row.Build.ID] {
				continue
			}
			r := Rebuilt{Dataset: row.Dataset, Number: int(row.Build.Number)}
			there, err := l.rebuilt(ctx, row, &r)
			if err != nil {
				return nil, err
			} else if !there {
				left++
				continue
			}
			settled[row.Build.ID] = true
			all = append(all, r)
			tell(r)
		}
		if left == 0 {
			return all, nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// rebuilt tells whether nothing more is to be done for a build: it is there, or cannot be made again.
func (l *Library) rebuilt(ctx context.Context, row query.RemakesRow, r *Rebuilt) (bool, error) {
	gone := false
	for _, database := range databasesOf(row.Build) {
		if err := l.practice.Look(ctx, database); errors.Is(err, practice.ErrGone) {
			gone = true
		} else if err != nil {
			return false, err
		}
	}
	switch state := jobs.State(row.State); {
	case !gone:
		return true, nil
	case row.Build.JobID == nil:
		r.Failed = "The files that it was made of were not kept: build it again, or load its pack again."
		return true, nil
	case state == "":
		l.queueRemake(ctx, row.Build)
	case state == jobs.Failed || state == jobs.Stopped:
		r.Failed = "A script failed: build it again, or load its pack again, to see why."
		var why problem.Problem
		if json.Unmarshal(row.Problem, &why) == nil && why.Detail != "" {
			r.Failed = why.Error()
		}
		return true, nil
	}
	return false, nil
}
