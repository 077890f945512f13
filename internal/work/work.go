// Package work holds what learners do: reading papers, running queries, drafts, submissions, and the history of all
// that.
//
// Package course decides who may read a paper; package grading decides what a query is worth. A decision is in the
// records before anybody is told of it.
package work

import (
	"log/slog"
	"strings"
	"time"
	"unicode/utf8"

	"examen/internal/account"
	"examen/internal/course"
	"examen/internal/grading"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
)

// Work gives access to the work of all learners of a service, in its records and on its practice server.
type Work struct {
	records  *records.Store
	practice *practice.Servers
	grader   *grading.Grader
	accounts *account.Accounts
	courses  *course.Courses
	library  *library.Library
	log      *slog.Logger
	exports  *exportRoom
	copies   *Copies
	causes   *causes
}

// Bounds are what the work of all learners together may take.
type Bounds struct {
	Copies CopyRoom
	Causes int // how many causes of incorrect attempts are looked for at once; 0 for none
}

// DefaultBounds suit one machine and a course.
var DefaultBounds = Bounds{
	Copies: CopyRoom{Unused: 24 * time.Hour, Bytes: 10 << 30, Learner: 512 << 20},
	Causes: 2,
}

// New returns the work in the records.
func New(
	store *records.Store, server *practice.Servers, grader *grading.Grader,
	accounts *account.Accounts, courses *course.Courses, papers *library.Library, bounds Bounds, log *slog.Logger,
) *Work {
	w := &Work{
		records:  store,
		practice: server,
		grader:   grader,
		accounts: accounts,
		courses:  courses,
		library:  papers,
		log:      log,
		exports:  newExportRoom(),
		causes:   newCauses(bounds.Causes, log),
	}
	w.copies = &Copies{work: w, room: bounds.Copies, changed: map[string]changed{}}
	return w
}

// LongestQuery is the greatest length of a query, in bytes.
const LongestQuery = 100_000

// checkText returns a problem for text that cannot be stored.
func checkText(sql string) error {
	switch {
	case len(sql) > LongestQuery:
		return problem.New(413, "too-long", "The query is too long",
			"It has %d bytes; at most %d are taken.", len(sql), LongestQuery)
	case !utf8.ValidString(sql):
		return problem.New(
			400, "not-utf-8", "The query is not valid UTF-8", "Save the file as UTF-8 and send it again.",
		)
	case strings.ContainsRune(sql, 0):
		return problem.New(422, "nul-byte", "The query holds a NUL byte",
			"SQL text cannot hold the character U+0000: remove it.")
	}
	return nil
}

// checkQuery does the same for text that is to be run.
func checkQuery(sql string) error {
	if strings.TrimSpace(sql) == "" {
		return problem.New(
			422, "empty", "The query is empty", "Write a query, such as SELECT ... FROM ..., and send that.",
		)
	}
	return checkText(sql)
}

func milliseconds(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
