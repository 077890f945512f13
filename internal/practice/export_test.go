package practice

import (
	"context"
	"strings"
	"testing"
	"time"
)

// AllowedFunctions is the list of functions.go, for its comparison with the server's catalogue.
var AllowedFunctions = append(allowedNames(), strings.Fields(runsOnly)...)

// SetPatience changes how long a run has the processor like any other, until the test's end.
func SetPatience(t *testing.T, d time.Duration) {
	before := patientFor
	patientFor = d
	t.Cleanup(func() { patientFor = before })
}

// SetKeptOpen changes how long an open transaction waits for its window, until the test's end.
func SetKeptOpen(t *testing.T, d time.Duration) {
	before := keptOpen
	keptOpen = d
	t.Cleanup(func() { keptOpen = before })
}

// Asked is how many runs of a learner are in progress or waiting.
func (s *Server) Asked(learner int64) int {
	s.learners.turns.mu.Lock()
	defer s.learners.turns.mu.Unlock()
	return s.learners.turns.users[learner]
}

// Make makes a copy anew, whether one is ready or not.
func (c *Copies) Make(ctx context.Context, database string) (*Copy, error) {
	return c.make(ctx, database)
}

// Ready is how many copies of a build nobody uses yet.
func (c *Copies) Ready(database string) int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.ready[database])
}
