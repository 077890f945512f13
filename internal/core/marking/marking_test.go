package marking_test

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
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
		{at(20), at(8), at(18), marking.Closed},
	} {
		if got := (marking.Span{Opens: c.opens, Due: c.due}).At(c.now); got != c.want {
			t.Errorf("at %s: got %s, want %s", c.now, got, c.want)
		}
	}
	grace := marking.Span{Opens: at(8), Due: at(18), Grace: 2 * time.Hour}
	for hour, want := range map[int]marking.State{
		17: marking.Open, 18: marking.Overdue, 19: marking.Overdue, 20: marking.Closed,
	} {
		if got := grace.At(at(hour)); got != want {
			t.Errorf("with a grace period at %d: got %s, want %s", hour, got, want)
		}
	}
}

func TestWorthOfAnAttempt(t *testing.T) {
	order := marking.Rules{Partial: map[string]int{"row-order": 50, "column-names": 80}}
	late := marking.Rules{Late: marking.Late{Minutes: 600, PerHour: 10}}
	steps := marking.Rules{Late: marking.Late{Minutes: 1440, Steps: []marking.Step{{60, 10}, {1440, 25}}}}
	for _, c := range []struct {
		name    string
		rules   marking.Rules
		outcome marking.Outcome
		kinds   []string
		after   time.Duration
		want    string
	}{
		{"correct", marking.Rules{}, marking.Correct, nil, -1, "2.5"},
		{"none for part of it by default", marking.Rules{}, marking.Incorrect, []string{"row-order"}, -1, "0"},
		{"rejected", order, marking.Rejected, []string{"row-order"}, -1, "0"},
		{"failed", order, marking.Failed, nil, -1, "0"},
		{"stopped", order, marking.Stopped, nil, -1, "0"},
		{"right but for the order", order, marking.Incorrect, []string{"row-order"}, -1, "1.25"},
		{"of two findings the lower share", order, marking.Incorrect, []string{"column-names", "row-order"}, -1,
			"1.25"},
		{"with a cause", order, marking.Incorrect, []string{"cause-order-missing", "row-order"}, -1, "1.25"},
		{"another finding", order, marking.Incorrect, []string{"row-order", "rows-extra"}, -1, "0"},
		{"wrong without a finding", order, marking.Incorrect, nil, -1, "0"},
		{"at the due time the first hour begins", late, marking.Correct, nil, 0, "2.25"},
		{"the second hour", late, marking.Correct, nil, time.Hour, "2"},
		{"no more than all is taken off", late, marking.Correct, nil, 30 * time.Hour, "0"},
		{"in time", late, marking.Correct, nil, -time.Second, "2.5"},
		{"first step", steps, marking.Correct, nil, 59 * time.Minute, "2.25"},
		{"second step", steps, marking.Correct, nil, time.Hour, "1.875"},
	} {
		a := marking.Attempt{Outcome: c.outcome, Kinds: c.kinds, Points: marking.PointsOf("2.5")}
		if got := c.rules.Worth(a, c.after).String(); got != c.want {
			t.Errorf("%s: got %s, want %s", c.name, got, c.want)
		}
	}
}

// Each attempt is written as what it comes to and, after @, how many hours after the due time it came.
func TestWhichAttemptCounts(t *testing.T) {
	due := time.Date(2026, 9, 15, 22, 0, 0, 0, time.UTC)
	attempt := func(text string) marking.Attempt {
		what, hours, _ := strings.Cut(text, "@")
		n, err := strconv.ParseFloat(hours, 64)
		if err != nil {
			t.Fatal(err)
		}
		a := marking.Attempt{
			Received: due.Add(time.Duration(n * float64(time.Hour))), Points: marking.PointsOf("2"), Counted: true,
			Outcome: marking.Outcome(what),
		}
		if what == "order" {
			a.Outcome, a.Kinds = marking.Incorrect, []string{"row-order"}
		} else if what == "unread" {
			a.Outcome, a.Counted = marking.Failed, false
		}
		return a
	}
	base := marking.Rules{
		Partial: map[string]int{"row-order": 50}, Late: marking.Late{Minutes: 48 * 60, PerHour: 25},
	}
	for _, c := range []struct {
		counts   marking.Counts
		attempts string
		want     int
		mark     string
	}{
		{marking.Best, "", -1, "0"},
		{marking.Best, "incorrect@-9 incorrect@-8", 1, "0"},
		{marking.Best, "incorrect@-9 correct@-8 correct@-7", 1, "2"},
		{marking.Best, "correct@-9 incorrect@-8", 0, "2"},
		{marking.Best, "order@-9 correct@0.5", 1, "1.5"},
		{marking.Best, "order@-9 correct@2.5", 0, "1"},
		{marking.Best, "unread@-9 incorrect@-8 unread@-7", 2, "0"},
		{marking.Best, "unread@-9 order@-8 unread@-7", 1, "1"},
		{marking.Last, "correct@-9 incorrect@-8", 1, "0"},
		{marking.Last, "correct@-9 unread@-8", 0, "2"},
		{marking.Last, "incorrect@-9 correct@1.5", 1, "1"},
		{marking.Last, "correct@-9 incorrect@1.5", 0, "2"},
		{marking.Last, "incorrect@-9 incorrect@1.5", 0, "0"},
		{marking.First, "incorrect@-9 correct@-8", 0, "0"},
		{marking.First, "unread@-9 order@-8 correct@-7", 1, "1"},
		{marking.First, "unread@-9 unread@-8", 1, "0"},
	} {
		rules := base
		rules.Counts = c.counts
		var attempts []marking.Attempt
		for _, text := range strings.Fields(c.attempts) {
			attempts = append(attempts, attempt(text))
		}
		got, mark := rules.Counting(marking.Span{Due: due}, attempts)
		if got != c.want || mark.String() != c.mark {
			t.Errorf("%q of %s: got %d for %s, want %d for %s", c.counts, c.attempts, got, mark, c.want, c.mark)
		}
	}
}

func TestRulesThatCannotBe(t *testing.T) {
	opens := time.Date(2026, 9, 1, 8, 0, 0, 0, time.UTC)
	span := marking.Span{Opens: opens, Due: opens.Add(24 * time.Hour)}
	for _, c := range []struct {
		want  string // in the sentence; "" for rules that can be
		span  marking.Span
		rules marking.Rules
	}{
		{"", marking.Span{}, marking.Rules{}},
		{"", span, marking.Rules{
			Counts: marking.Last, Tell: marking.AfterDue, Answers: true, Partial: map[string]int{"row-order": 50},
			Late: marking.Late{Minutes: 120, Steps: []marking.Step{{60, 10}, {120, 10}}},
		}},
		{"", span, marking.Rules{Exam: &marking.Exam{Minutes: 90}}},
		{"expected to count", span, marking.Rules{Counts: "worst"}},
		{"are told", span, marking.Rules{Tell: "never"}},
		{"has none", marking.Span{Opens: opens}, marking.Rules{Tell: marking.AfterDue}},
		{"has none", marking.Span{}, marking.Rules{Late: marking.Late{Minutes: 60}}},
		{"has none", marking.Span{}, marking.Rules{Answers: true}},
		{"no finding", span, marking.Rules{Partial: map[string]int{"mutations": 50}}},
		{"101 %", span, marking.Rules{Partial: map[string]int{"row-order": 101}}},
		{"-1", span, marking.Rules{Attempts: -1}},
		{"not both", span, marking.Rules{Late: marking.Late{
			Minutes: 60, PerHour: 5, Steps: []marking.Step{{60, 10}},
		}}},
		{"needs a grace period", span, marking.Rules{Late: marking.Late{PerHour: 5}}},
		{"in order of time", span, marking.Rules{Late: marking.Late{
			Minutes: 60, Steps: []marking.Step{{60, 10}, {60, 20}},
		}}},
		{"less off", span, marking.Rules{Late: marking.Late{Minutes: 120, Steps: []marking.Step{{60, 20}, {120, 10}}}}},
		{"end with", span, marking.Rules{Late: marking.Late{Minutes: 180, Steps: []marking.Step{{60, 20}, {120, 30}}}}},
		{"from which", marking.Span{Due: span.Due}, marking.Rules{Exam: &marking.Exam{Minutes: 90}}},
		{"lasts 0 minutes", span, marking.Rules{Exam: &marking.Exam{}}},
		{"no grace period", span, marking.Rules{Exam: &marking.Exam{Minutes: 90}, Late: marking.Late{Minutes: 9}}},
	} {
		err := c.rules.Check(c.span, []string{"row-order", "rows-extra"})
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: got %v, want %q", c.rules, err, c.want)
		}
	}
}

// Lisbon goes from 1:00 to 2:00 on 28 March 2027, and from 2:00 back to 1:00 on 31 October.
func TestTimesByTheClocksOfACourse(t *testing.T) {
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		text string
		end  bool
		want string
	}{
		{"2027-03-27", false, "2027-03-27T00:00:00Z"},
		{"2027-03-27", true, "2027-03-27T23:59:00Z"},
		{"2027-03-28", true, "2027-03-28T22:59:00Z"},
		{"2027-03-28 00:59", false, "2027-03-28T00:59:00Z"},
		{"2027-03-28 01:30", false, "error: does not come"},
		{"2027-03-28 02:00", false, "2027-03-28T01:00:00Z"},
		{"2027-10-31 01:30", false, "2027-10-31T00:30:00Z"},
		{"2027-10-31T01:30", true, "2027-10-31T01:30:00Z"},
		{"2027-10-31 02:00", false, "2027-10-31T02:00:00Z"},
		{"2027-07-01T08:00:00+05:00", false, "2027-07-01T03:00:00Z"},
		{"1 July 2027", false, "error: no"},
		{"2027-02-30", false, "error: no"},
	} {
		at, err := marking.ParseMoment(c.text, lisbon, c.end)
		got := at.UTC().Format(time.RFC3339)
		if wrong, is := strings.CutPrefix(c.want, "error: "); is {
			if err == nil || !strings.Contains(err.Error(), wrong) {
				t.Errorf("%s: got %s, %v, want an error with %q", c.text, got, err, wrong)
			}
		} else if err != nil || got != c.want {
			t.Errorf("%s, end %t: got %s, %v, want %s", c.text, c.end, got, err, c.want)
		}
	}
}

func TestShufflingIsTheSameEveryTime(t *testing.T) {
	orders := map[string]bool{}
	for seed := range uint64(50) {
		one := fmt.Sprint(marking.Shuffle([]int{0, 1, 2, 3, 4}, seed))
		if again := fmt.Sprint(marking.Shuffle([]int{0, 1, 2, 3, 4}, seed)); again != one {
			t.Errorf("got %s, then %s", one, again)
		}
		orders[one] = true
	}
	if len(orders) < 30 {
		t.Errorf("50 learners have %d orders", len(orders))
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
		{"one", 9, []marking.Span{{Opens: at(8), Due: at(20)}}, 0},
		{"the open one", 9, []marking.Span{{Opens: at(6), Due: at(8)}, {Opens: at(8), Due: at(20)}, {Opens: at(10),
			Due: none}}, 1},
		{"of two that are open the one due last", 9, []marking.Span{{Opens: none, Due: at(12)}, {Opens: none,
			Due: at(20)}}, 1},
		{"no due time is later than any", 9, []marking.Span{{Opens: none, Due: at(20)}, {Opens: none, Due: none},
			{Opens: none, Due: at(22)}}, 1},
		{"one that may be read before one that opens", 9, []marking.Span{{Opens: at(10), Due: at(20)}, {Opens: at(6),
			Due: at(8)}}, 1},
	} {
		if got := marking.Choose(at(c.now), c.spans); got != c.want {
			t.Errorf("%s: got %d, want %d", c.name, got, c.want)
		}
	}
}
