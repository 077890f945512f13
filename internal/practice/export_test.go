package practice

import (
	"context"
	"strings"
	"testing"
	"time"
)

// AllowedFunctions is the list of functions.go, for its comparison with the server's catalogue.
var AllowedFunctions = append(allowedNames(), strings.Fields(runsOnly)...)

// Preparing is the lock under which a server's roles are made.
const Preparing = preparing

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

// Watch watches a run that ends at once.
func (s *Servers) Watch() { s.all[0].watch(1, func(error) {}).stop() }

// Asked is how many runs of a learner are in progress or waiting.
func (s *Servers) Asked(learner int64) int {
	s.learners.mu.Lock()
	defer s.learners.mu.Unlock()
	return s.learners.users[learner]
}

// Make makes a copy anew, whether one is ready or not.
func (c Copies) Make(ctx context.Context, database string) (*Copy, error) {
	return c.servers.all[0].copies.make(ctx, database)
}

// Ready is how many copies of a build nobody uses yet.
func (c Copies) Ready(database string) (n int) {
	for _, one := range c.servers.all {
		one.copies.mu.Lock()
		n += len(one.copies.ready[database])
		one.copies.mu.Unlock()
	}
	return n
}

// On is on how many servers a database is.
func (s *Servers) On(database string) (n int) {
	for _, one := range s.all {
		if one.health.hasGot(database) {
			n++
		}
	}
	return n
}
