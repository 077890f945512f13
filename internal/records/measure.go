package records

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Pool tells how a store's connections are used.
func Pool(s *Store) *pgxpool.Stat { return s.pool.Stat() }

// CacheLookups calls tell with what each of a store's caches holds, and how often a value was there and was not.
func CacheLookups(s *Store, tell func(holds string, found, missed int64)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for holds, c := range s.cachesOf {
		found, missed := c.lookups()
		tell(holds, found, missed)
	}
}

// A Backlog is how many tasks of a queue, or jobs of a kind, are in a state.
type Backlog struct {
	Task  bool   // or a job
	Name  string // of the queue or the kind
	State string
	Count int64
}

// Background tells what there is to be done in the background, and what became of the jobs that are kept.
func Background(ctx context.Context, s *Store) ([]Backlog, error) {
	rows, err := s.pool.Query(ctx, `
		SELECT true, queue, state::text, count(*) FROM river_job
		WHERE state IN ('available', 'running', 'retryable', 'scheduled') GROUP BY queue, state
		UNION ALL SELECT false, kind, state, count(*) FROM job GROUP BY kind, state`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Backlog])
}
