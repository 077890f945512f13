package records

import "examen/internal/problem"

// Problem returns the problem for an error of the records server, and nil for any other error.
func Problem(err error) *problem.Problem {
	switch {
	case Full(err):
		return problem.Again(30, "records-full", "The records server's disk is full",
			"Nothing can be kept until there is room, and nothing that was acknowledged is lost. Tell your instructor.")
	case Unavailable(err):
		return problem.Again(3, "records-down", "The records server cannot be reached",
			"Nothing can be read or kept just now. Nothing that was acknowledged is lost, and what you are writing "+
				"stays where you write it; try again in a moment.")
	}
	return nil
}
