package marking_test

import (
	"encoding/json"
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
		if got := (marking.Span{Opens: c.opens, Due: c.due}).At(c.now); got != c.want {
			t.Errorf("at %s: got %s, want %s", c.now, got, c.want)
		}
	}
}

func TestMarks(t *testing.T) {
	points := marking.PointsOf("2.5")
	for outcome, want := range map[marking.Outcome]string{
		marking.Correct: "2.5", marking.Incorrect: "0", marking.Rejected: "0", marking.Failed: "0",
		marking.Stopped: "0",
	} {
		if got := marking.Mark(outcome, points).String(); got != want {
			t.Errorf("%s: got %s, want %s", outcome, got, want)
		}
	}
}

// Points are what people wrote, and stay so however often they are added.
func TestPointsAreExact(t *testing.T) {
	for text, want := range map[string]string{
		"2": "2", "0.10": "0.1", "1e1": "10", "100": "100", "-0": "0", "0.0000000001": "0.0000000001",
		"1000000": "1000000",
	} {
		if got, err := marking.ParsePoints(text); err != nil || got.String() != want {
			t.Errorf("%s: got %s, %v, want %s", text, got, err, want)
		}
	}
	for _, text := range []string{"", "many", "-1", "NaN", "Infinity", "1000001", "0.00000000001", "1e400"} {
		if got, err := marking.ParsePoints(text); err == nil {
			t.Errorf("%q: got %s", text, got)
		}
	}
	sum := marking.Points{}
	for range 1000 {
		sum = sum.Plus(marking.PointsOf("0.1")).Plus(marking.PointsOf("0.2"))
	}
	written, err := json.Marshal(
		map[string]marking.Points{"mark": sum, "tenth": marking.PointsOf("0.1").Plus(marking.PointsOf("0.2"))},
	)
	if err != nil || string(written) != `{"mark":300,"tenth":0.3}` {
		t.Errorf("got %s, %v", written, err)
	}
	var read struct{ Mark marking.Points }
	if err := json.Unmarshal([]byte(`{"mark": 0.30}`), &read); err != nil || read.Mark.String() != "0.3" {
		t.Errorf("got %s, %v", read.Mark, err)
	}
	if marking.PointsOf("0.3").Cmp(marking.PointsOf("0.30")) != 0 ||
		marking.PointsOf("2").Cmp(marking.PointsOf("10")) >= 0 {
		t.Error("points are compared by value")
	}
}

// Somebody who has a paper in several courses may submit as long as it is open in one of them.
func TestOfSeveralSpansOneHolds(t *testing.T) {
	at := func(hour int) time.Time { return time.Date(2026, 9, 1, hour, 0, 0, 0, time.UTC) }
	none := time.Time{}
	for _, c := range []struct {
		name  string
		now   int
		spans []marking.Span
		want  int
	}{
		{"none", 9, nil, -1},
		{"one", 9, []marking.Span{{at(8), at(20)}}, 0},
		{"the open one", 9, []marking.Span{{at(6), at(8)}, {at(8), at(20)}, {at(10), none}}, 1},
		{"of two that are open the one due last", 9, []marking.Span{{none, at(12)}, {none, at(20)}}, 1},
		{"no due time is later than any", 9, []marking.Span{{none, at(20)}, {none, none}, {none, at(22)}}, 1},
		{"one that may be read before one that opens", 9, []marking.Span{{at(10), at(20)}, {at(6), at(8)}}, 1},
	} {
		if got := marking.Choose(at(c.now), c.spans); got != c.want {
			t.Errorf("%s: got %d, want %d", c.name, got, c.want)
		}
	}
}
