package records_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/records"
	"examen/internal/records/query"
)

// atOnce keeps attempts that come at the same time, each with a key.
func (c *course) atOnce(made []query.CreateAttemptParams, key func(i int) string) ([]query.CreateAttemptRow, []error) {
	rows, errs := make([]query.CreateAttemptRow, len(made)), make([]error, len(made))
	var all sync.WaitGroup
	for i := range made {
		key := key(i)
		made[i].ClientKey = &key
		all.Go(func() { rows[i], errs[i] = c.CreateAttempt(ctx, made[i]) })
	}
	all.Wait()
	return rows, errs
}

// Attempts that come at the same time are kept in fewer commits than there are.
func TestAttemptsAreKeptTogether(t *testing.T) {
	c := newCourse(t)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	made := make([]query.CreateAttemptParams, 200)
	for i := range made {
		made[i] = c.made("incorrect", "0")
	}
	rows, errs := c.atOnce(made, func(i int) string { return fmt.Sprint("key ", i) })
	kept := map[int64]bool{}
	for i, row := range rows {
		if kept[row.ID] || errs[i] != nil {
			t.Errorf("%d is acknowledged as %d, %v", i, row.ID, errs[i])
		}
		kept[row.ID] = true
	}
	var commits int
	if err := pool.QueryRow(
		ctx, "SELECT count(DISTINCT xmin::text) FROM attempt WHERE account_id = $1", c.learner.ID,
	).Scan(&commits); err != nil || commits > len(made)/2 {
		t.Errorf("%d attempts were kept in %d commits, %v", len(made), commits, err)
	}
	if stands := c.standing(t); int(stands.Attempts) != len(made) {
		t.Errorf("%d stand", stands.Attempts)
	}
}

// Each is refused for a fault of its own, which is no other's, and what is sent twice is kept once.
func TestOneAttemptsFaultIsNotAnothers(t *testing.T) {
	c := newCourse(t)
	made := make([]query.CreateAttemptParams, 100)
	for i := range made {
		made[i] = c.made("incorrect", "0")
		if i%20 == 0 {
			made[i].Mark = "none" // no number
		}
	}
	rows, errs := c.atOnce(made, func(i int) string { return fmt.Sprint("twice ", i/2) })
	kept := map[int64]bool{}
	for i, err := range errs {
		switch faulty := i%20 == 0; {
		case err == nil && !faulty && !kept[rows[i].ID]:
			kept[rows[i].ID] = true
		case faulty && (err == nil || records.Taken(err)), !faulty && !records.Taken(err):
			t.Errorf("%d: got %+v, %v", i, rows[i], err)
		}
	}
	if stands := c.standing(t); len(kept) != len(made)/2 || int(stands.Attempts) != len(made)/2 {
		t.Errorf("%d are acknowledged, %d stand", len(kept), stands.Attempts)
	}
}
