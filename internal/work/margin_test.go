package work_test

import (
	"fmt"
	"strings"
	"testing"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/jobs"
	"examen/internal/library/librarytest"
	"examen/internal/work"
)

// margin is what somebody reads in the margin of an exercise: each note, with what was answered.
func (c *class) margin(t *testing.T, who account.Account, exercise string) string {
	t.Helper()
	p, err := c.Paper(ctx, who, "hives")
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, n := range p.Exercises[exercise].Notes {
		text := n.Text
		for _, a := range n.Readers[0].Answers {
			text += " / " + a.Text
		}
		all = append(all, text)
	}
	return strings.Join(all, "; ")
}

// submits submits and returns the attempt's number.
func (c *class) submits(t *testing.T, who account.Account, exercise, sql string) int64 {
	t.Helper()
	a, err := c.submit(who, exercise, sql)
	if err != nil {
		t.Fatal(err)
	}
	var id int64
	_, _ = fmt.Sscan(a.ID, &id)
	return id
}

// A note to a group reaches each of its members, and whoever comes to the same result later: nobody else, and nobody
// before outcomes are told.
func TestANoteToAGroup(t *testing.T) {
	c := open(t, "grouped")
	una, mira, jun := c.member(t, "una-grouped", account.Learner), c.member(t, "mira-grouped", account.Learner),
		c.member(t, "jun-grouped", account.Learner)
	helper := c.member(t, "helper-grouped", account.Assistant)
	first := c.submits(t, c.robin, "strong", "SELECT name FROM hive")
	c.submits(t, una, "strong", "select h.name from hive as h where true")
	c.submits(t, jun, "strong", "SELECT name FROM hive WHERE strength > 100")
	notes := c.courses.Notes()
	id, learners, err := notes.Write(ctx, helper, course.NewNote{
		Attempt: first, Text: " Which hives are strong? ", Alike: true, Later: true,
	})
	if err != nil || learners != 2 {
		t.Fatalf("it reaches %d: %v", learners, err)
	}
	c.submits(t, mira, "strong", "SELECT name FROM hive ORDER BY strength")
	c.submits(t, jun, "strong", strongHives)
	for who, want := range map[*account.Account]string{
		&c.robin: "Which hives are strong?", &una: "Which hives are strong?", &mira: "Which hives are strong?",
		&jun: "",
	} {
		if got := c.margin(t, *who, "strong"); got != want {
			t.Errorf("%s reads %q, want %q", who.Name, got, want)
		}
	}
	// It is seen and answered, which is to be looked at until somebody answers; each has a thread of their own.
	if err := notes.See(ctx, una, []int64{id}); err != nil {
		t.Fatal(err)
	}
	for _, answer := range []struct {
		who           account.Account
		learner, text string
		want          string
	}{
		{una, "", "Those of five and more?", ""}, {helper, "", "Yes.", "which-learner"},
		{helper, "una-grouped", "Yes.", ""}, {jun, "", "What?", "no-note"}, {helper, "jun-grouped", "What?",
			"no-learner"},
		{una, "", " ", "note"},
	} {
		if err := notes.Answer(ctx, answer.who, id, answer.learner, answer.text); kind(t, err) != answer.want {
			t.Errorf("%s answers %q: %v", answer.who.Name, answer.text, err)
		}
		if answer.text == "Those of five and more?" && c.listed(t) != "answer una-grouped: Those of five and more?" {
			t.Errorf("to be looked at: %s", c.listed(t))
		}
	}
	if got := c.margin(t, una, "strong"); got != "Which hives are strong? / Those of five and more? / Yes." {
		t.Errorf("una reads %q", got)
	}
	if got := c.margin(t, c.robin, "strong"); strings.Contains(got, "/") {
		t.Errorf("robin reads what una wrote: %q", got)
	}
	page, err := notes.List(ctx, c.hazel(t), course.NoteFilter{Paper: "hives", Exercise: "strong", Course: "grouped"})
	if err != nil || len(page.Notes) != 1 || len(page.Notes[0].Readers) != 3 {
		t.Fatalf("got %+v, %v", page, err)
	}
	for _, r := range page.Notes[0].Readers {
		if seen := r.Seen != nil; seen != (r.Learner == "una-grouped") {
			t.Errorf("%s has seen it: %t", r.Learner, seen)
		}
	}
	if got := c.listed(t); got != "" {
		t.Errorf("once it is answered: %s", got)
	}
	// Withdrawn, it reaches nobody.
	if err := notes.Withdraw(ctx, helper, id); err != nil {
		t.Fatal(err)
	}
	c.submits(t, una, "strong", "SELECT name FROM hive")
	if got := c.margin(t, una, "strong") + c.margin(t, c.robin, "strong"); got != "" {
		t.Errorf("withdrawn: %q", got)
	}
}

// A note speaks of a place in an attempt; what cannot be said is refused.
func TestANoteOnAnAttempt(t *testing.T) {
	c := open(t, "noted")
	una := c.member(t, "una-noted", account.Learner)
	gone := c.member(t, "gone-noted", account.Learner)
	id := c.submits(t, c.robin, "all", "SELECT name -- größer\nFROM hive")
	left := c.submits(t, gone, "all", "SELECT 1")
	if err := c.courses.People().Leave(ctx, c.hazel(t), "noted", gone.Name); err != nil {
		t.Fatal(err)
	}
	right := c.submits(t, una, "all", allHives)
	notes := c.courses.Notes()
	for _, n := range []struct {
		who  account.Account
		made course.NewNote
		want string
	}{
		{c.hazel(t), course.NewNote{Attempt: id, Text: "From which table?", Quote: "FROM hive"}, ""},
		{c.hazel(t), course.NewNote{Attempt: id, Text: "In which order?", Quote: "ORDER BY"}, "place"},
		{c.hazel(t), course.NewNote{Attempt: id, Text: "Here?", Place: &course.TextSpan{From: 3, To: 99}}, "place"},
		{c.hazel(t), course.NewNote{Attempt: id}, "note"},
		{c.hazel(t), course.NewNote{Attempt: left, Text: "Where are you?"}, "left"},
		{c.hazel(t), course.NewNote{Attempt: 1 << 40, Text: "Whose?"}, "no-attempt"},
		{c.hazel(t), course.NewNote{Attempt: id, Text: "All of you?", Alike: true}, "alike"},
		{c.hazel(t), course.NewNote{Attempt: right, Text: "Well done.", Later: true}, "later"},
		{una, course.NewNote{Attempt: id, Text: "Mine is better."}, "no-attempt"},
	} {
		if _, _, err := notes.Write(ctx, n.who, n.made); kind(t, err) != n.want {
			t.Errorf("%q: got %v, want %q", n.made.Text, err, n.want)
		}
	}
	p, err := c.Paper(ctx, c.robin, "hives")
	if err != nil || len(p.Exercises["all"].Notes) != 1 {
		t.Fatal(err)
	}
	if place := p.Exercises["all"].Notes[0].Place; place == nil || *place != (course.TextSpan{From: 22, To: 31}) {
		t.Errorf("it speaks of %+v", place)
	}
	// As long as outcomes are not told, no note is.
	rules := marking.Rules{Tell: marking.Released}
	due := c.due
	if _, err := c.courses.Sets().Set(ctx, c.hazel(t), "noted", "hives", course.NewSet{Due: &due,
		Rules: &rules}); err != nil {
		t.Fatal(err)
	}
	if got := c.margin(t, c.robin, "all"); got != "" {
		t.Errorf("before it is told: %q", got)
	}
	if page, err := notes.List(ctx, c.robin, course.NoteFilter{}); err != nil || len(page.Notes) != 0 {
		t.Errorf("before it is told: %+v, %v", page, err)
	}
}

// listed is the course's marking list in words.
func (c *class) listed(t *testing.T) string {
	t.Helper()
	list, err := c.courses.Marking().List(ctx, c.hazel(t), course.ReviewFilter{Course: c.slug})
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, r := range list.All {
		all = append(all, strings.TrimSuffix(fmt.Sprintf("%s %s: %s", r.Cause, r.Shown.Learner, r.Reason), ": "))
	}
	return strings.Join(all, "; ")
}

// ruled loads the paper with a rule: the strong hives are to be found without a comparison of numbers in WHERE.
func (c *class) ruled(t *testing.T) {
	t.Helper()
	files := librarytest.Hives()
	files["hives.md"] = strings.Replace(files["hives.md"], "points: 0.2", "points: 0.2\nforbid: [order-by]", 1)
	if job := c.Load(t, files); job.Problem != nil {
		t.Fatal(job.Problem)
	}
}

// What needs an eye comes on the list by itself, and leaves it when it is looked at, marked, or solved.
func TestTheMarkingList(t *testing.T) {
	c := open(t, "eyes")
	c.ruled(t)
	una, jun := c.member(t, "una-eyes", account.Learner), c.member(t, "jun-eyes", account.Learner)
	list := c.courses.Marking()
	c.submits(t, c.robin, "strong", strongHives+" ORDER BY name")
	c.submits(t, jun, "all", "SELECT a.name FROM hive AS a, generate_series(1, 100000000)")
	c.submits(t, una, "all", "SELECT name FROM hive WHERE true OR nothing") // fails: no eye is needed
	wrong := c.submits(t, una, "strong", "SELECT name FROM hive")
	if got := c.listed(t); got != "rule robin-eyes; stopped jun-eyes" {
		t.Fatalf("got %q", got)
	}
	// A learner disputes, once and with a reason, what is their own and has not all points.
	right := c.submits(t, una, "count", "SELECT count(*) FROM hive")
	for _, d := range []struct {
		who          account.Account
		attempt      int64
		reason, want string
	}{
		{una, wrong, "  ", "reason"}, {una, right, "I want more", "nothing-to-dispute"}, {jun, wrong, "not fair",
			"no-attempt"},
		{una, wrong, "Strong is what stands.", ""}, {una, wrong, "Once more.", "disputed"},
	} {
		if err := list.Dispute(ctx, d.who, d.attempt, d.reason); kind(t, err) != d.want {
			t.Errorf("%q: got %v, want %q", d.reason, err, d.want)
		}
	}
	if got := c.listed(t); got != "rule robin-eyes; stopped jun-eyes; disputed una-eyes: Strong is what stands." {
		t.Fatalf("got %q", got)
	}
	all, err := list.List(ctx, c.hazel(t), course.ReviewFilter{Course: "eyes"})
	if err != nil {
		t.Fatal(err)
	}
	// Looked at; put back; marked; the mark undone; solved by the learner.
	disputed := all.All[2].ID
	of := course.Marked{Course: "eyes", Paper: "hives", Exercise: "strong", Learner: "una-eyes"}
	half := marking.PointsOf("0.1")
	for _, step := range []struct {
		do   func() error
		want string
	}{
		{func() error { return list.Finish(ctx, c.hazel(t), disputed) }, "rule robin-eyes; stopped jun-eyes"},
		{func() error { return list.Reopen(ctx, c.hazel(t), disputed) },
			"rule robin-eyes; stopped jun-eyes; disputed una-eyes: Strong is what stands."},
		{func() error {
			_, err := list.Set(ctx, c.hazel(t), course.NewMark{Marked: of, Mark: &half, Reason: "half right"})
			return err
		}, "rule robin-eyes; stopped jun-eyes"},
		{func() error { _, err := list.Undo(ctx, c.hazel(t), of, nil); return err },
			"rule robin-eyes; stopped jun-eyes; disputed una-eyes: Strong is what stands."},
		{func() error { return list.WithdrawDispute(ctx, una, wrong) }, "rule robin-eyes; stopped jun-eyes"},
		{func() error { _, err := c.submit(c.robin, "strong", strongHives); return err }, "stopped jun-eyes"},
		{func() error { _, err := c.submit(jun, "all", allHives); return err }, ""},
	} {
		if err := step.do(); err != nil {
			t.Fatal(err)
		}
		if got := c.listed(t); got != step.want {
			t.Errorf("got %q, want %q", got, step.want)
		}
	}
	if err := list.Finish(ctx, una, disputed); kind(t, err) != "no-review" {
		t.Errorf("a learner takes it off: %v", err)
	}
}

// Two who mark the same work are told of one another; what is set is taken back step by step, and stands when a recheck
// changes what is computed.
func TestMarkingByHand(t *testing.T) {
	c := open(t, "by-hand")
	bryony := c.member(t, "bryony-by-hand", account.Instructor)
	marks := c.courses.Marking()
	of := course.Marked{Course: "by-hand", Paper: "hives", Exercise: "strong", Learner: c.robin.Name}
	c.submits(t, c.robin, "strong", "SELECT name FROM hive WHERE strength > 5")
	set := func(who account.Account, mark string, last *int64) (*course.Marks, error) {
		points := marking.PointsOf(mark)
		return marks.Set(ctx, who, course.NewMark{Marked: of, Mark: &points, Reason: "because of " + mark, Last: last})
	}
	none := int64(0)
	first, err := set(c.hazel(t), "0.1", &none)
	if err != nil || first.Mark.String() != "0.1" || first.Computed.String() != "0" || !first.ByHand {
		t.Fatalf("got %+v, %v", first, err)
	}
	if _, err := set(bryony, "0.2", &none); kind(t, err) != "mark-changed" || !strings.Contains(err.Error(),
		"0.1 (because of 0.1)") {
		t.Errorf("from before the first: %v", err)
	}
	second, err := set(bryony, "0.2", &first.Set[0].ID)
	if err != nil || second.Mark.String() != "0.2" {
		t.Fatalf("got %+v, %v", second, err)
	}
	if _, err := marks.Undo(ctx, c.hazel(t), of, &first.Set[0].ID); kind(t, err) != "mark-changed" {
		t.Errorf("undone from before the second: %v", err)
	}
	for _, want := range []string{"0.1 by hand, because of 0.1", "0 computed, "} {
		if _, err := marks.Undo(ctx, c.hazel(t), of, nil); err != nil {
			t.Fatal(err)
		}
		p, err := c.Exercise(ctx, c.robin, "hives", "strong")
		if err != nil {
			t.Fatal(err)
		}
		how := "computed"
		if p.Standing.ByHand {
			how = "by hand"
		}
		if got := fmt.Sprintf("%s %s, %s", p.Standing.Mark, how, p.Standing.Reason); got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
	if _, err := marks.Undo(ctx, c.hazel(t), of, nil); kind(t, err) != "no-mark" {
		t.Errorf("nothing is left: %v", err)
	}
	// By another answer, the attempt is right: the mark by hand counts, and is to be looked at.
	if _, err := set(bryony, "0.1", nil); err != nil {
		t.Fatal(err)
	}
	c.otherAnswer(t)
	job, err := c.rechecks().Begin(ctx, c.hazel(t), work.NewRecheck{
		Paper: "hives", Course: "by-hand", Reason: "another answer",
	})
	if err != nil {
		t.Fatal(err)
	}
	asked, _ := c.asks(t, job)
	if _, err := c.Jobs.Confirm(ctx, c.hazel(t), asked.ID); err != nil {
		t.Fatal(err)
	}
	if job, _ := c.asks(t, asked); job.State != jobs.Done {
		t.Fatalf("got %+v", job)
	}
	is, err := marks.Marks(ctx, c.hazel(t), of)
	if err != nil || is.Mark.String() != "0.1" || is.Computed.String() != "0.2" {
		t.Errorf("got %+v, %v", is, err)
	}
	want := "recheck " + c.robin.Name + ": It was incorrect with 0 and is correct with 0.2 of the points."
	if got := c.listed(t); got != want {
		t.Errorf("got %q", got)
	}
}
