package marking_test

import (
	"testing"
	"time"

	"examen/internal/core/marking"
)

func TestStateBetweenOpeningAndDue(t *testing.T) {
	at := func(hour int) time.Time { return time.Date(2026, 9, 1, hour, 0, 0, 0, time.UTC) }
	none := time.Time{}
	for _, c := range []struct {
		now, opens, due time.Time
		want            marking.State
	}{
		{at(7), at(8), at(20), marking.Upcoming},
		{at(8), at(8), at(20), marking.Open},
		{at(19), at(8), at(20), marking.Open},
		{at(20), at(8), at(20), marking.Closed},
		{at(9), none, none, marking.Open},
		{at(21), none, at(20), marking.Closed},
		{at(7), at(8), none, marking.Upcoming},
	} {
		if got := marking.At(c.now, c.opens, c.due); got != c.want {
			t.Errorf("at %s: got %s, want %s", c.now, got, c.want)
		}
	}
}

func TestMarks(t *testing.T) {
	for outcome, want := range map[marking.Outcome]float64{marking.Correct: 2.5, marking.Incorrect: 0, marking.Rejected: 0, marking.Failed: 0, marking.Stopped: 0} {
		if got := marking.Mark(outcome, 2.5); got != want {
			t.Errorf("%s: got %v, want %v", outcome, got, want)
		}
	}
}

func TestCSVIsSafeInASpreadsheet(t *testing.T) {
	got := marking.CSV([][]string{{"name", "mark"}, {"=HYPERLINK(\"x\")", "-1.5"}, {"@home, \"quoted\"", "+3"}, {"-cmd", "2"}, {"two\nlines", ""}})
	want := "name,mark\n\"'=HYPERLINK(\"\"x\"\")\",-1.5\n\"'@home, \"\"quoted\"\"\",+3\n'-cmd,2\n\"two\nlines\",\n"
	if got != want {
		t.Errorf("got %q\nwant %q", got, want)
	}
}
