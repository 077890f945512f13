// Package exam holds the use cases, one file each: who may do what, and what happens then.
//
// Everything that a caller did wrong, or that cannot be done now, is a [*Problem]; any other error is a fault of Examen or its servers.
package exam

import (
	"context"
	"log/slog"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"examen/internal/core/sqltext"
	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Service carries out the use cases. It keeps nothing of its own but what can be computed again.
type Service struct {
	records    *records.Store
	practice   *practice.Server
	references *references
	read       *lru.Cache[string, *sqltext.Query] // queries as they were read: what is run is often submitted next
	known      *known
	passwords  *passwords
	log        *slog.Logger
}

// New returns a service on a records database and a practice server.
func New(store *records.Store, server *practice.Server, log *slog.Logger) *Service {
	read, _ := lru.New[string, *sqltext.Query](1000) // fails only for a size below one
	return &Service{records: store, practice: server, references: newReferences(server), read: read, known: newKnown(), passwords: newPasswords(), log: log}
}

// longestKept is how long, in bytes, the text of a query may be that is kept as it was read.
const longestKept = 4 << 10

// readQuery is [sqltext.ReadQuery], which takes longer than most queries run.
func (s *Service) readQuery(text string) (*sqltext.Query, error) {
	if q, ok := s.read.Get(text); ok {
		return q, nil
	}
	q, err := sqltext.ReadQuery(text)
	if err == nil && len(text) <= longestKept {
		s.read.Add(text, q)
	}
	return q, err
}

// An Account is one who may log in.
type Account = query.Account

// Roles of accounts.
const (
	Instructor = "instructor"
	Learner    = "learner"
)

// instructorsOnly is the problem of a call that the account may not make, nil for instructors.
func instructorsOnly(who Account) error {
	if who.Role == Instructor {
		return nil
	}
	return problem(403, "not-allowed", "Only instructors may do this", "Log in as an instructor.")
}

// Health tells which servers can be reached.
func (s *Service) Health(ctx context.Context) (recordsUp, practiceUp bool) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	up := make(chan bool)
	go func() { up <- s.practice.Ping(ctx) == nil }()
	recordsUp = s.records.Ping(ctx) == nil
	return recordsUp, <-up
}

// The ends of time in answers of the records: no bound.
const (
	noOpening = 1
	noDue     = 9999
)

// bounds turns the ends of time into zero times.
func bounds(opens, due time.Time) (time.Time, time.Time) {
	if opens.UTC().Year() <= noOpening {
		opens = time.Time{}
	}
	if due.UTC().Year() >= noDue {
		due = time.Time{}
	}
	return opens, due
}

func timeOr(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}
