package marking_test

import (
	"fmt"
	"testing"
	"time"

	"examen/internal/core/marking"
)

// What a class did at an exercise: learners 1 and 2 make the same mistake, 3 makes it with another literal, 4 fails in
// the same way as 3 although the rows are others, and 5 solves it at once, a day later.
func TestClassOf(t *testing.T) {
	monday := time.Date(2026, 11, 23, 18, 0, 0, 0, time.UTC)
	at := func(minutes int) time.Time { return monday.Add(time.Duration(minutes) * time.Minute) }
	rows := []string{"rows-extra"}
	tries := []marking.Try{
		{ID: 1, Learner: 1, Received: at(0), Outcome: marking.Incorrect, Kinds: rows, Result: "a", Tree: "x"},
		{ID: 2, Learner: 2, Received: at(1), Outcome: marking.Incorrect, Kinds: rows, Result: "a", Tree: "y"},
		{ID: 3, Learner: 1, Received: at(2), Outcome: marking.Correct, Result: "right", Tree: "z"},
		{ID: 4, Learner: 3, Received: at(3), Outcome: marking.Incorrect, Kinds: rows, Result: "b", Tree: "y"},
		{ID: 5, Learner: 4, Received: at(4), Outcome: marking.Failed, Kinds: []string{"42703", "42703"}, Tree: "w"},
		{ID: 6, Learner: 4, Received: at(5), Outcome: marking.Failed, Kinds: []string{"42703"}, Tree: "w"},
		{ID: 7, Learner: 4, Received: at(6), Outcome: marking.Failed, Kinds: []string{"42601"}},
		{ID: 8, Learner: 5, Received: at(5 * 60), Outcome: marking.Correct, Result: "right", Tree: "z"},
	}
	athens, err := time.LoadLocation("Europe/Athens") // where it is two hours later, and Tuesday for learner 5
	if err != nil {
		t.Fatal(err)
	}
	c := marking.ClassOf(tries, athens)
	if c.Attempts != 8 || c.Tried != 5 || c.Solved != 2 {
		t.Errorf("%d attempts, %d tried, %d solved", c.Attempts, c.Tried, c.Solved)
	}
	if got := fmt.Sprint(c.Tries); got != "[{1 1 2} {2 1 0} {3 0 1}]" {
		t.Errorf("tries are %s", got)
	}
	if got := fmt.Sprint(c.Kinds); got != "[{rows-extra 3 3 4} {42703 2 1 6} {42601 1 1 7}]" {
		t.Errorf("kinds are %s", got)
	}
	if len(c.Firsts) != 2 || c.Firsts[0].Day.Day() != 23 || c.Firsts[0].Correct != 0 || c.Firsts[0].Other != 4 ||
		c.Firsts[1].Day.Day() != 24 || c.Firsts[1].Correct != 1 {
		t.Errorf("first tries are %v", c.Firsts)
	}
	if got := fmt.Sprint(c.Alike); got != "[{3 3 2 [1 2 4]} {2 1 6 [5 6]}]" {
		t.Errorf("alike are %s", got)
	}
	if none := marking.ClassOf(nil, time.UTC); none.Attempts != 0 || none.Alike != nil {
		t.Errorf("of nothing: %+v", none)
	}
}
