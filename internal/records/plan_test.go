package records_test

import (
	"context"
	"regexp"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

// A planSpy runs queries, and looks at the plan of each: none may read a whole large table.
type planSpy struct {
	t      *testing.T
	pool   *pgxpool.Pool
	name   string // of what is asked
	looked int
}

// whole is a plan that reads all of a large table.
var whole = regexp.MustCompile(`Seq Scan on (attempt|attempt_check|run)\b.*`)

func (s *planSpy) look(ctx context.Context, sql string, args []any) {
	s.t.Helper()
	rows, _ := s.pool.Query(ctx, "EXPLAIN "+sql, args...)
	lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		s.t.Fatalf("%s: %v", s.name, err)
	}
	s.looked++
	plan := strings.Join(lines, "\n")
	if found := whole.FindString(plan); found != "" {
		s.t.Errorf("%s: %s, in\n%s", s.name, found, plan)
	}
}

func (s *planSpy) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	s.look(ctx, sql, args)
	return s.pool.Exec(ctx, sql, args...)
}

func (s *planSpy) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	s.look(ctx, sql, args)
	return s.pool.Query(ctx, sql, args...)
}

func (s *planSpy) SendBatch(ctx context.Context, batch *pgx.Batch) pgx.BatchResults {
	for _, q := range batch.QueuedQueries {
		s.look(ctx, q.SQL, q.Arguments)
	}
	return s.pool.SendBatch(ctx, batch)
}

func (s *planSpy) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	s.look(ctx, sql, args)
	return s.pool.QueryRow(ctx, sql, args...)
}
