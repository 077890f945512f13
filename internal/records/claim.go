package records

import (
	"context"
	"fmt"

	"examen/internal/postgres"
)

// Claim makes the records this service's alone, until the context ends; see [postgres.Claim].
func (s *Store) Claim(ctx context.Context, lost func()) error {
	if err := postgres.Claim(ctx, s.pool.Config().ConnConfig, lost); err != nil {
		return fmt.Errorf("records server: %w", err)
	}
	return nil
}
