package marking_test

import (
	"fmt"
	"time"

	"examen/internal/core/marking"
)

// A paper is open between two times, and what an attempt is worth is exact.
func Example() {
	september := func(day int) time.Time { return time.Date(2026, 9, day, 22, 0, 0, 0, time.UTC) }
	span := marking.Span{Opens: september(1), Due: september(15)}
	for _, day := range []int{1, 14, 15} {
		fmt.Println(day, span.At(september(day)))
	}
	sum := marking.Points{}
	for _, outcome := range []marking.Outcome{marking.Correct, marking.Incorrect, marking.Correct, marking.Correct} {
		attempt := marking.Attempt{Outcome: outcome, Points: marking.PointsOf("0.1")}
		sum = sum.Plus(marking.Rules{}.Worth(attempt, span.After(september(14))))
	}
	fmt.Println(sum)
	// Output:
	// 1 open
	// 14 open
	// 15 closed
	// 0.3
}
