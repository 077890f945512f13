package practice

import (
	"errors"

	"examen/internal/problem"
)

// Problem returns the problem for an error of the practice server, and nil for any other error.
func Problem(err error) *problem.Problem {
	switch {
	case errors.Is(err, ErrGone):
		return problem.Again(5, "dataset-gone", "The dataset is being made again",
			"Its database on the practice server was lost or damaged, and is made again from its files. "+
				"Drafts and history are kept; try again in a moment.")
	case errors.Is(err, ErrFull):
		return problem.Again(30, "practice-full", "The practice server's disk is full",
			"Queries cannot be run or checked until there is room. Drafts and history are kept; tell your instructor.")
	case errors.Is(err, ErrCopyAway):
		return problem.Again(10, "copy-away", "Your copy cannot be reached",
			"It is on a practice server that is away just now; queries on the dataset itself run. Try again in a "+
				"moment, or reset your copy: the next statement that changes something makes a new one elsewhere.")
	case errors.Is(err, ErrUnavailable):
		return problem.Again(3, "practice-down", "The practice server cannot be reached",
			"Queries cannot be run or checked just now. Drafts and history are kept; try again in a moment.")
	case errors.Is(err, ErrOpenElsewhere):
		return problem.Again(1, "open-elsewhere", "Your transaction is open elsewhere",
			"This call came to another of Examen's services than the one that has your open transaction, and nothing "+
				"was run. Run it again; if it comes back, wait a minute, after which the transaction is rolled back, "+
				"and tell your instructor.")
	case errors.Is(err, ErrBusy):
		return problem.Again(
			5, "busy", "The server is busy", "Too many queries are running just now. Try again in a moment.",
		)
	case errors.Is(err, ErrStalled):
		return problem.Again(10, "practice-stalled", "The practice server does not keep up",
			"The query was begun twice and the server did not work on it. "+
				"Nothing was decided, and drafts are kept; try again in a moment.")
	case errors.Is(err, ErrTrouble):
		return problem.Again(10, "practice-trouble", "The practice server has trouble",
			"It reported an error of its own, twice. Nothing was decided, and drafts are kept; "+
				"try again in a moment, and tell your instructor if it keeps happening.")
	}
	return nil
}
