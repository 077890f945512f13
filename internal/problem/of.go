package problem

import (
	"context"
	"errors"
)

// Of turns any error into a problem. An error that is already one is returned as it is. Otherwise the functions given
// are asked in turn for words of their own; each returns nil for errors that it does not know. Anything else becomes an
// internal error with status 500, which reveals nothing of its cause.
func Of(err error, words ...func(error) *Problem) *Problem {
	var p *Problem
	if errors.As(err, &p) {
		return p
	}
	for _, say := range words {
		if p := say(err); p != nil {
			return p
		}
	}
	if errors.Is(err, context.Canceled) {
		return New(499, "cancelled", "The request was cancelled", "The caller went away before the answer was ready.")
	}
	return New(500, "fault", "Something went wrong inside Examen",
		"The log of the service says what. Try again, and tell your instructor if it keeps happening.")
}

// Again is a temporary problem (503): the caller may retry after the given number of seconds.
func Again(seconds int, kind, title, detail string) *Problem {
	p := New(503, kind, title, detail)
	p.RetryAfter = seconds
	return p
}
