// Package exam holds the use cases, one file each: who may do what, and what happens then.
//
// Everything that a caller did wrong, or that cannot be done now, is a [*problem.Problem]; any other error is a fault of Examen or its servers.
package exam

import (
	"context"
	"log/slog"
	"math"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"

	"examen/internal/account"
	"examen/internal/core/sqltext"
	"examen/internal/course"
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
	accounts   *account.Accounts
	courses    *course.Courses
	papers     *records.Cache[query.ExerciseForParams, query.ExerciseForRow] // papers with their exercises, which every call asks for
	lost       *expirable.LRU[string, struct{}]                              // databases that were found to be gone
	room       func() (records, practice uint64)                             // bytes that are free on the disks of the servers
	log        *slog.Logger
}

// Bounds of what is kept of papers: enough for a few courses at once.
const (
	papersKept     = 5000
	papersKeptLast = time.Hour
)

// New returns a service on a records database and a practice server.
func New(store *records.Store, server *practice.Server, accounts *account.Accounts, courses *course.Courses, log *slog.Logger) *Service {
	read, _ := lru.New[string, *sqltext.Query](1000) // fails only for a size below one
	return &Service{records: store, practice: server, references: newReferences(server), read: read, accounts: accounts, courses: courses, papers: records.NewCache[query.ExerciseForParams, query.ExerciseForRow](store, records.PapersChanged, papersKept, papersKeptLast), log: log,
		room: func() (records, practice uint64) { return math.MaxUint64, math.MaxUint64 },
		lost: expirable.NewLRU[string, struct{}](1000, nil, 5*time.Second)}
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

// A ServerState says how a server is.
type ServerState string

const (
	Up   ServerState = "up"
	Down ServerState = "down"
	Full ServerState = "full" // its disk is
)

// Health is how the servers are.
type Health struct {
	Records, Practice ServerState
	Unending          int // sessions on the practice server that were told to end and have not
}

// Health asks how the servers are.
func (s *Service) Health(ctx context.Context) Health {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	state := func(err error, full bool) ServerState {
		switch {
		case err != nil:
			return Down
		case full:
			return Full
		}
		return Up
	}
	records, practice := s.room()
	recordsFull, practiceFull := records < leastRoom, practice < leastRoom
	practiceUp := make(chan error, 1)
	go func() { practiceUp <- s.practice.Ping(ctx) }()
	h := Health{Records: state(s.records.Ping(ctx), recordsFull), Unending: s.practice.Unending()}
	h.Practice = state(<-practiceUp, practiceFull)
	return h
}

// WatchDisks has room tell how many bytes are free on the disks of the two servers, where they are on this machine.
func (s *Service) WatchDisks(room func() (records, practice uint64)) { s.room = room }

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
