package practice

import (
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

// Asked is how many runs of a learner are in progress or waiting.
func (s *Server) Asked(learner int64) int {
	s.learners.turns.mu.Lock()
	defer s.learners.turns.mu.Unlock()
	return s.learners.turns.users[learner]
}
