package work_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/account"
)

// The overview says how far a class is, what it has not understood, and who may need help with what.
func TestTheOverviewOfACourse(t *testing.T) {
	c := open(t, "seen-whole")
	una, jun := c.member(t, "una-whole", account.Learner), c.member(t, "jun-whole", account.Learner)
	c.submits(t, c.robin, "all", allHives)
	c.submits(t, c.robin, "strong", "SELECT name FROM hive")
	c.submits(t, c.robin, "strong", strongHives)
	for range 4 {
		c.submits(t, una, "all", "SELECT name FROM hive WHERE strength > 100 ORDER BY name")
	}
	o, err := c.courses.Following().Overview(ctx, c.hazel(t), "seen-whole")
	if err != nil {
		t.Fatal(err)
	}
	p := o.Papers[0]
	if got := fmt.Sprintf("%d of %d begun, %d done; %d of %d solved; %d stuck; mean %s of %s", p.Begun, o.Learners,
		p.Done, p.Solved, p.Tried, p.Stuck, p.Mean, p.Points); got !=
		"2 of 3 begun, 0 done; 2 of 3 solved; 1 stuck; mean 0.15 of 2.3" {
		t.Error(got)
	}
	var topics, needs []string
	for _, of := range o.Topics {
		topics = append(topics, fmt.Sprintf("%s: %d, %d of %d (%s)", of.Name, of.First, of.Solved, of.Tried,
			strings.Join(of.Exercises, " ")))
	}
	if got := strings.Join(topics, "; "); got != "conditions: 0, 1 of 1 (hives/2); order: 1, 1 of 2 (hives/1)" {
		t.Error(got)
	}
	for _, n := range o.Help {
		for _, r := range n.Reasons {
			needs = append(needs, strings.TrimSpace(n.Learner+" "+r.Kind+" "+r.Exercise))
		}
	}
	if got := strings.Join(needs, "; "); got != "jun-whole not-begun; una-whole stuck all" {
		t.Error(got)
	}
	today := o.Days[len(o.Days)-1]
	if len(o.Days) != 14 || today.Attempts != 7 || today.Learners != 2 ||
		today.Day.Format(time.DateOnly) != c.Now.UTC().Format(time.DateOnly) {
		t.Errorf("got %+v", o.Days)
	}
	if _, err := c.courses.Following().Overview(ctx, jun, "seen-whole"); kind(t, err) != "not-allowed" {
		t.Errorf("a learner: %v", err)
	}
}

// A class in which nobody has done anything has an overview, a grid and a marking list with nothing in them.
func TestAClassWithoutAttempts(t *testing.T) {
	c := open(t, "idle")
	for n := range 20 {
		c.member(t, fmt.Sprintf("idle-%02d", n), account.Learner)
	}
	o, err := c.courses.Following().Overview(ctx, c.hazel(t), "idle")
	if err != nil || o.Learners != 21 || o.Papers[0].Begun != 0 || len(o.Topics) != 0 || len(o.Help) != 21 {
		t.Errorf("got %+v, %v", o, err)
	}
	class, err := c.courses.Following().Class(ctx, c.hazel(t), "hives", "strong", "idle")
	if err != nil || class.Attempts != 0 || class.Learners != 21 {
		t.Errorf("got %+v, %v", class, err)
	}
	same, err := c.courses.Following().SameAnswers(ctx, c.hazel(t), "hives", "idle")
	if err != nil || len(same.Texts) != 0 {
		t.Errorf("got %+v, %v", same, err)
	}
	if got := c.listed(t); got != "" {
		t.Error(got)
	}
}

// Answers are the same but for names, layout and letter case, not for literals; those that are rarest come first.
func TestAnswersThatAreTheSame(t *testing.T) {
	c := open(t, "same")
	var class []account.Account
	for n := range 8 {
		class = append(class, c.member(t, fmt.Sprintf("same-%d", n), account.Learner))
	}
	for n, sql := range []string{
		"SELECT h.name FROM hive AS h WHERE NOT h.strength < 5", "select X.name\nfrom hive X where not X.strength < 5",
		"SELECT name FROM hive WHERE NOT strength < 6", strongHives, strongHives + " AND true",
		strongHives + " OR false",
		strongHives + " AND 1 = 1", strongHives,
	} {
		c.submits(t, class[n], "strong", sql)
	}
	same, err := c.courses.Following().SameAnswers(ctx, c.hazel(t), "hives", "same")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, text := range same.Texts {
		var who []string
		for _, w := range text.Writers {
			who = append(who, w.Learner)
		}
		got = append(got, fmt.Sprintf("%s of %d", strings.Join(who, " "), text.Tried))
	}
	if all := strings.Join(got, "; "); all != "same-0 same-1 of 8; same-3 same-7 of 8" {
		t.Error(all)
	}
}
