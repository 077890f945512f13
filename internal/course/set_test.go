package course_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/records/query"
)

// set sets the paper for a course.
func (y *yard) set(t *testing.T, slug string, n course.NewSet) {
	t.Helper()
	if _, err := y.Sets().Set(ctx, y.Account(t, "hazel"), slug, "hives", n); err != nil {
		t.Fatal(err)
	}
}

// received stores what somebody submitted to an exercise, received at a time, as a submission is stored.
func (y *yard) received(t *testing.T, who account.Account, exercise string, at time.Time, made marking.Attempt) {
	t.Helper()
	r, err := y.Read(ctx, who, "hives")
	if err != nil {
		t.Fatal(err)
	}
	e, err := y.Library.Exercise(ctx, r.Paper, exercise)
	if err != nil {
		t.Fatal(err)
	}
	var findings []map[string]string
	for _, kind := range made.Kinds {
		findings = append(findings, map[string]string{"kind": kind, "sentence": kind})
	}
	stored, _ := json.Marshal(findings)
	if findings == nil {
		stored = json.RawMessage("[]")
	}
	made.Points = e.Points
	row, err := y.Store.CreateAttempt(ctx, query.CreateAttemptParams{
		AccountID: who.ID, ExerciseID: e.ID, CourseID: r.Course, VersionID: e.Version, BuildID: r.Build,
		Sql: "SELECT 1", ReceivedAt: at, Outcome: string(made.Outcome), Findings: stored, Counted: made.Counted,
		Mark: r.Rules.Worth(made, r.Span.After(at)).String(), Points: e.Points.String(),
		SetID: r.Set, Revision: r.Revision, Counts: string(r.Rules.Counts), Late: r.Span.After(at) >= 0,
	})
	if err != nil {
		t.Fatal(err)
	}
	if row.LastAt.After(row.ReceivedAt) {
		if err := y.Sets().StandAgain(ctx, who, r, e.ID); err != nil {
			t.Fatal(err)
		}
	}
}

// mark is an account's mark for an exercise, and how often its attempts were checked.
func (y *yard) mark(t *testing.T, who account.Account, exercise string) string {
	t.Helper()
	r, err := y.Read(ctx, who, "hives")
	if err != nil {
		t.Fatal(err)
	}
	e, err := y.Library.Exercise(ctx, r.Paper, exercise)
	if err != nil {
		t.Fatal(err)
	}
	standing, err := y.Marking().Standing(ctx, who, r)
	if err != nil {
		t.Fatal(err)
	}
	s := standing[e.ID]
	return fmt.Sprintf("%s %s", s.Outcome, s.Mark)
}

var (
	correct   = marking.Attempt{Outcome: marking.Correct, Counted: true}
	incorrect = marking.Attempt{Outcome: marking.Incorrect, Counted: true, Kinds: []string{"rows-extra"}}
	misplaced = marking.Attempt{Outcome: marking.Incorrect, Counted: true, Kinds: []string{"row-order"}}
	unread    = marking.Attempt{Outcome: marking.Failed}
)

// However attempts come, as they are stored one by one and as the rules are applied to all of them at once, the same
// counts.
func TestWhatIsStoredOneByOneIsWhatTheRulesSay(t *testing.T) {
	y := open(t)
	y.course(t, "by-rules")
	due := y.Now.Add(24 * time.Hour)
	chance := rand.New(rand.NewPCG(15, 1))
	for round := range 30 {
		rules := marking.Rules{
			Counts:  []marking.Counts{marking.Best, marking.Last, marking.First}[round%3],
			Partial: map[string]int{"row-order": 50}, Late: marking.Late{Minutes: 48 * 60, PerHour: 7},
		}
		y.set(t, "by-rules", course.NewSet{Due: &due, Rules: &rules})
		who := y.member(t, "by-rules", fmt.Sprintf("learner-by-rules-%d", round), account.Learner)
		var all []marking.Attempt
		for range 1 + chance.IntN(7) {
			a := []marking.Attempt{correct, incorrect, misplaced, unread}[chance.IntN(4)]
			hours := time.Duration(chance.IntN(48)-36) * time.Hour
			a.Received = due.Add(hours + time.Duration(len(all))*time.Second)
			all = append(all, a)
			y.received(t, who, "count", a.Received, a)
		}
		for i := range all {
			all[i].Points = marking.PointsOf("2")
		}
		slices.SortFunc(all, func(a, b marking.Attempt) int { return a.Received.Compare(b.Received) })
		span := marking.Span{Due: due}
		counts, mark := rules.Counting(span, all)
		want := fmt.Sprintf("%s %s", all[counts].Outcome, mark)
		if got := y.mark(t, who, "count"); got != want {
			t.Errorf("%s counts of %+v: got %s, want %s", rules.Counts, all, got, want)
		}
		y.set(t, "by-rules", course.NewSet{Rules: &rules}) // computes all of it again
		if got := y.mark(t, who, "count"); got != want {
			t.Errorf("%s counts of %+v, computed again: got %s, want %s", rules.Counts, all, got, want)
		}
	}
}

// When the rules, the times or an extension change, marks change with them; the checks before stay in the records.
func TestMarksFollowTheRules(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "follows")
	robin := y.member(t, "follows", "robin-follows", account.Learner)
	opens, due := y.Now.Add(-72*time.Hour), y.Now.Add(-2*time.Hour)
	late := marking.Rules{Late: marking.Late{Minutes: 24 * 60, PerHour: 25}}
	y.set(t, "follows", course.NewSet{Opens: &opens, Due: &due, Rules: &late})
	y.received(t, robin, "count", due.Add(-time.Hour), misplaced)
	y.received(t, robin, "count", due.Add(90*time.Minute), correct)
	expect := func(when, want string) {
		t.Helper()
		if got := y.mark(t, robin, "count"); got != want {
			t.Errorf("%s: got %s, want %s", when, got, want)
		}
	}
	expect("two hours begun late", "correct 1")
	if _, err := y.Sets().Extend(ctx, hazel, "follows", "hives", course.Extension{
		Learner: "robin-follows", Due: ptr(y.Now.Add(time.Hour)), Reason: "was ill",
	}); err != nil {
		t.Fatal(err)
	}
	expect("with an extension", "correct 2")
	first := late
	first.Counts, first.Partial = marking.First, map[string]int{"row-order": 75}
	y.set(t, "follows", course.NewSet{Rules: &first})
	expect("the first counts, with part of the points", "incorrect 1.5")
	if err := y.Sets().TakeBack(ctx, hazel, "follows", "hives", "robin-follows", ""); err != nil {
		t.Fatal(err)
	}
	y.set(t, "follows", course.NewSet{Rules: &late})
	expect("as it was", "correct 1")
	if err := y.Sets().TakeBack(ctx, hazel, "follows", "hives", "robin-follows", ""); kind(t, err) != "no-extension" {
		t.Errorf("taken back twice: %v", err)
	}
}

func ptr[T any](value T) *T { return &value }

// A learner or a group with more time has it, and nobody else; whoever comes into the group has it, too.
func TestExtensions(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "longer")
	for _, name := range []string{"robin-longer", "wren-longer", "lark-longer"} {
		y.member(t, "longer", name, account.Learner)
	}
	due := y.Now.Add(time.Hour)
	later, earlier := due.Add(time.Hour), due.Add(-time.Minute)
	extend := func(e course.Extension) string {
		_, err := y.Sets().Extend(ctx, hazel, "longer", "hives", e)
		return kind(t, err)
	}
	if got := extend(course.Extension{Learner: "robin-longer", Due: &later, Reason: "ill"}); got != "not-set" {
		t.Errorf("before the paper is set: got %q", got)
	}
	y.set(t, "longer", course.NewSet{Due: &due})
	join := func(name, group string) {
		if _, err := y.People().Add(ctx, hazel, "longer", course.NewMember{Name: name, Group: group}); err != nil {
			t.Fatal(err)
		}
	}
	join("wren-longer", "Monday")
	for _, c := range []struct {
		course.Extension
		want string
	}{
		{course.Extension{Learner: "robin-longer", Due: &later}, "reason"},
		{course.Extension{Learner: "robin-longer", Due: &earlier, Reason: "ill"}, "extension"},
		{course.Extension{Learner: "robin-longer", Reason: "ill"}, "extension"},
		{course.Extension{Learner: "robin-longer", Minutes: 30, Reason: "ill"}, "extension"},
		{course.Extension{Learner: "robin-longer", Group: "Monday", Due: &later, Reason: "ill"}, "extension"},
		{course.Extension{Due: &later, Reason: "ill"}, "extension"},
		{course.Extension{Learner: "hazel", Due: &later, Reason: "ill"}, "no-learner"},
		{course.Extension{Learner: "nobody-here", Due: &later, Reason: "ill"}, "no-learner"},
		{course.Extension{Group: "Friday", Due: &later, Reason: "ill"}, "no-group"},
		{course.Extension{Learner: "robin-longer", Due: &later, Reason: "ill"}, ""},
		{course.Extension{Group: "Monday", Due: &later, Reason: "the server was down"}, ""},
	} {
		if got := extend(c.Extension); got != c.want {
			t.Errorf("%+v: got %q, want %q", c.Extension, got, c.want)
		}
	}
	y.Now = due
	expect := func(when string, want map[string]marking.State) {
		t.Helper()
		for name, state := range want {
			if r, err := y.Read(ctx, y.Account(t, name), "hives"); err != nil || r.State != state {
				t.Errorf("%s: %s has %+v, %v", when, name, r, err)
			}
		}
	}
	expect("at the due time", map[string]marking.State{
		"robin-longer": marking.Open, "wren-longer": marking.Open, "lark-longer": marking.Closed,
	})
	join("lark-longer", "Monday")
	expect("in the group", map[string]marking.State{"lark-longer": marking.Open})
	list, err := y.Sets().Extensions(ctx, hazel, "longer", "hives")
	if err != nil || len(list) != 2 || list[0].Group != "Monday" || list[1].Reason != "ill" || list[1].By != "hazel" {
		t.Errorf("got %+v, %v", list, err)
	}
}

// What learners may not be told yet is in no answer; released, all of it is.
func TestWhatIsToldLater(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "untold")
	robin := y.member(t, "untold", "robin-untold", account.Learner)
	due := y.Now.Add(time.Hour)
	for _, c := range []struct {
		tell     marking.Tell
		at       time.Duration // after the due time
		released bool
		told     bool
	}{
		{marking.AtOnce, -time.Minute, false, true},
		{marking.AfterDue, -time.Minute, false, false},
		{marking.AfterDue, 59 * time.Minute, false, false}, // the grace period
		{marking.AfterDue, time.Hour, false, true},
		{marking.Released, 48 * time.Hour, false, false},
		{marking.Released, -time.Minute, true, true},
	} {
		rules := marking.Rules{Tell: c.tell, Late: marking.Late{Minutes: 60}}
		y.set(t, "untold", course.NewSet{Due: &due, Rules: &rules})
		if _, err := y.Sets().Release(ctx, hazel, "untold", "hives", c.released); err != nil {
			t.Fatal(err)
		}
		y.attempt(t, robin, "untold", "count", "correct", "2")
		n := course.NewMark{
			Marked: course.Marked{Course: "untold", Paper: "hives", Exercise: "all", Learner: robin.Name},
			Mark:   ptr(marking.PointsOf("0.1")), Reason: "told me",
		}
		if _, err := y.Marking().Set(ctx, hazel, n); err != nil {
			t.Fatal(err)
		}
		now := y.Now
		y.Now = due.Add(c.at)
		r, err := y.Read(ctx, robin, "hives")
		if err != nil || r.Told != c.told {
			t.Fatalf("%+v: got %+v, %v", c, r, err)
		}
		standing, err := y.Marking().Standing(ctx, robin, r)
		if err != nil {
			t.Fatal(err)
		}
		listed, err := y.Papers(ctx, robin)
		if err != nil {
			t.Fatal(err)
		}
		marks, err := y.Marks(ctx, robin)
		if err != nil {
			t.Fatal(err)
		}
		for i := range listed { // what the rules say is no secret
			listed[i].Rules, listed[i].Span = marking.Rules{}, marking.Span{}
			marks[i].Rules, marks[i].Span = marking.Rules{}, marking.Span{}
		}
		all := fmt.Sprintf("%+v %+v %+v", standing, listed, marks)
		if got := strings.Contains(all, "correct") || strings.Contains(all, "told me") ||
			listed[0].Mark.String() != "0"; got != c.told {
			t.Errorf("%+v: got %s", c, all)
		}
		y.Now = now
	}
}

// Accepted answers are shown once nobody at all can submit any more.
func TestAnswersAreShownWhenNobodyCanSubmit(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "answers")
	robin := y.member(t, "answers", "robin-answers", account.Learner)
	y.member(t, "answers", "wren-answers", account.Learner)
	due := y.Now.Add(time.Hour)
	y.set(t, "answers", course.NewSet{Due: &due, Rules: &marking.Rules{Answers: true, Tell: marking.AfterDue}})
	if _, err := y.Sets().Extend(ctx, hazel, "answers", "hives", course.Extension{
		Learner: "wren-answers", Due: ptr(due.Add(24 * time.Hour)), Reason: "was away",
	}); err != nil {
		t.Fatal(err)
	}
	for after, want := range map[time.Duration]bool{-time.Minute: false, time.Hour: false, 24 * time.Hour: true} {
		y.Now = due.Add(after)
		if r, err := y.Read(ctx, robin, "hives"); err != nil || r.Answers != want {
			t.Errorf("%s after the due time: got %t, %v", after, r.Answers, err)
		}
	}
}

// An examination lasts from when each learner begins, in one session at a time, within the window.
func TestExamination(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "exam")
	robin, wren := y.member(t, "exam", "robin-exam", account.Learner), y.member(t, "exam", "wren-exam", account.Learner)
	robin.Session, wren.Session = []byte("r1"), []byte("w1")
	begin := y.Now
	opens, due := begin.Add(-time.Minute), begin.Add(2*time.Hour)
	y.set(t, "exam", course.NewSet{Opens: &opens, Due: &due, Rules: &marking.Rules{
		Exam: &marking.Exam{Minutes: 90, Shuffle: true},
	}})
	read := func(who account.Account) (*course.Reading, string) {
		r, err := y.Read(ctx, who, "hives")
		return r, kind(t, err)
	}
	if _, got := read(robin); got != "not-begun" {
		t.Errorf("before it has begun: %q", got)
	}
	if _, err := y.Sets().Begin(ctx, robin, "hives", false); err != nil {
		t.Fatal(err)
	}
	y.Now = begin.Add(10 * time.Minute)
	if r, err := y.Sets().Begin(ctx, robin, "hives",
		false); err != nil || !r.Span.Due.Equal(begin.Add(90*time.Minute)) {
		t.Errorf("begun again: %+v, %v", r, err)
	}
	other := robin
	other.Session = []byte("r2")
	if _, got := read(other); got != "elsewhere" {
		t.Errorf("in another session: %q", got)
	}
	if _, err := y.Sets().Begin(ctx, other, "hives", false); kind(t, err) != "elsewhere" {
		t.Errorf("begun in another session: %v", err)
	}
	if _, err := y.Sets().Begin(ctx, other, "hives", true); err != nil {
		t.Errorf("moved: %v", err)
	}
	if _, got := read(robin); got != "elsewhere" {
		t.Errorf("in the session before: %q", got)
	}
	// Of the window less is left than it lasts, unless there is an extension.
	y.Now = begin.Add(time.Hour)
	if r, err := y.Sets().Begin(ctx, wren, "hives", false); err != nil || !r.Span.Due.Equal(due) {
		t.Fatalf("got %+v, %v", r, err)
	}
	if _, err := y.Sets().Extend(ctx, hazel, "exam", "hives", course.Extension{
		Learner: "wren-exam", Due: ptr(due.Add(time.Hour)), Minutes: 30, Reason: "writes slowly",
	}); err != nil {
		t.Fatal(err)
	}
	r, _ := read(wren)
	if !r.Span.Due.Equal(begin.Add(3*time.Hour)) || fmt.Sprint(r.Order(20)) == fmt.Sprint(mustRead(t, other,
		y).Order(20)) {
		t.Errorf("got %+v, order %v", r.Span, r.Order(20))
	}
	candidates, err := y.Sets().Candidates(ctx, hazel, "exam", "hives")
	if err != nil || len(candidates) != 2 || candidates[0].Moved != 1 || !candidates[1].Ends.Equal(r.Span.Due) {
		t.Errorf("got %+v, %v", candidates, err)
	}
	y.Now = begin.Add(90 * time.Minute)
	over, _ := read(robin) // over, it is read anywhere
	if got := kind(t, over.MaySubmit(y.Now)); got != "past-due" {
		t.Errorf("after its time: %q", got)
	}
	if got := kind(t, over.MaySubmit(y.Now.Add(-time.Second))); got != "" {
		t.Errorf("received in time: %q", got)
	}
	y.member(t, "exam", "missed-exam", account.Learner) // who is told at once, and reads it once it is over
	y.Now = due
	if _, got := read(y.Account(t, "missed-exam")); got != "" {
		t.Errorf("who has missed it: %q", got)
	}
	y.set(t, "exam", course.NewSet{Rules: &marking.Rules{Tell: marking.Released, Exam: &marking.Exam{Minutes: 90}}})
	if _, got := read(y.Account(t, "missed-exam")); got != "past-due" {
		t.Errorf("before it is released: %q", got)
	}
	page, err := y.Courses.Log().Page(ctx, hazel, course.LogFilter{Person: "robin-exam", About: "times"})
	if err != nil || len(page.Lines) != 2 || !strings.Contains(page.Lines[0].Sentence, "in another session") {
		t.Errorf("got %+v, %v", page, err)
	}
}

func mustRead(t *testing.T, who account.Account, y *yard) *course.Reading {
	t.Helper()
	r, err := y.Read(ctx, who, "hives")
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func lateRules() marking.Rules { return marking.Rules{Late: marking.Late{Minutes: 120, PerHour: 10}} }

func day(year, month, day int) time.Time {
	return time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC)
}
