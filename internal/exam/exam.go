// Package exam holds the use cases, one file each: who may do what, and what happens then.
//
// Everything that a caller did wrong, or that cannot be done now, is a [*Problem]; any other error is a fault of Examen or its servers.
package exam

import (
	"context"
	"log/slog"
	"time"

	"examen/internal/practice"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Service carries out the use cases. It keeps nothing of its own but what can be computed again.
type Service struct {
	records    *records.Store
	practice   *practice.Server
	references *references
	passwords  *passwords
	log        *slog.Logger
}

// New returns a service on a records database and a practice server.
func New(store *records.Store, server *practice.Server, log *slog.Logger) *Service {
	return &Service{records: store, practice: server, references: newReferences(server), passwords: newPasswords(), log: log}
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
