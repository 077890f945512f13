package course_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/core/roster"
	"examen/internal/course"
	"examen/internal/records/query"
)

// people is a roster of lines.
func people(lines ...string) []roster.File {
	return []roster.File{{Name: "people.csv", Content: []byte(strings.Join(lines, "\n"))}}
}

// Nothing is done before it is confirmed as it was seen, and importing the same again changes nothing.
func TestImportingARoster(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "rostered")
	y.member(t, "rostered", "una-rostered", account.Learner)
	y.member(t, "rostered", "otto-rostered", account.Learner)
	files := people("login,name,e-mail,group",
		"una-rostered,Una Merriweather,una@example.org,Monday", "jun-rostered,Jun Amberley,,Monday",
		"hazel,Hazel Underhill,,", "two words,Nobody,,", "jun-rostered,Other,,")
	preview, err := y.People().Preview(ctx, hazel, "rostered", files, roster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var states []string
	for _, l := range preview.Lines {
		states = append(states, string(l.State))
	}
	if got := strings.Join(states, " "); got != "changed new same wrong wrong" || len(preview.Absent) != 1 ||
		!strings.Contains(strings.Join(preview.Lines[0].Changes, "; "), "group: Monday, was none") {
		t.Errorf("got %s, %+v", got, preview)
	}
	detail, err := y.Course(ctx, hazel, "rostered")
	if err != nil || detail.Learners != 2 {
		t.Errorf("before it is confirmed: %+v, %v", detail, err)
	}
	take := func(digest string, leaveOut bool) (*course.Imported, string) {
		done, err := y.People().Import(ctx, hazel, "rostered", files, roster.Options{}, digest, leaveOut)
		return done, kind(t, err)
	}
	if _, got := take("another", true); got != "roster-changed" {
		t.Errorf("what was not seen: %q", got)
	}
	if _, got := take(preview.Digest, false); got != "roster-wrong" {
		t.Errorf("with wrong lines: %q", got)
	}
	done, got := take(preview.Digest, true)
	if got != "" || len(done.Added) != 1 || done.Added[0].Name != "jun-rostered" || done.Added[0].Password == "" {
		t.Fatalf("got %q, %+v", got, done)
	}
	if una := y.Account(t, "una-rostered"); una.DisplayName != "Una Merriweather" || una.Email != "una@example.org" {
		t.Errorf("got %+v", una)
	}
	if jun := y.Account(t, "jun-rostered"); !jun.OneTime || !jun.OneTimeUntil.Equal(y.Now.Add(14*24*time.Hour)) {
		t.Errorf("got %+v", jun)
	}
	again, err := y.People().Preview(ctx, hazel, "rostered", files, roster.Options{})
	if err != nil || again.Count(course.LineSame) != 3 || again.Count(course.LineNew) > 0 ||
		again.Count(course.LineChanged) > 0 {
		t.Errorf("the same again: %+v, %v", again, err)
	}
	// What was left empty stays; a role for everybody would leave nobody to instruct.
	all := people("login,role", "hazel,learner")
	preview, err = y.People().Preview(ctx, hazel, "rostered", all, roster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	_, err = y.People().Import(ctx, hazel, "rostered", all, roster.Options{}, preview.Digest, false)
	if kind(t, err) != "last-instructor" {
		t.Errorf("no instructor left: %v", err)
	}
	if _, err := y.People().Preview(ctx, hazel, "rostered", people(""), roster.Options{}); kind(t, err) != "roster" {
		t.Errorf("an empty file: %v", err)
	}
}

// Somebody's name is theirs where they are in a course of others: a roster there does not change it.
func TestARosterDoesNotRenameOthersLearners(t *testing.T) {
	y := open(t)
	y.course(t, "mine")
	hazel := y.course(t, "theirs")
	shared := y.member(t, "theirs", "fia-shared", account.Learner)
	y.member(t, "mine", "fia-shared", account.Learner)
	y.member(t, "mine", "teacher-mine", account.Instructor)
	teacher := y.Account(t, "teacher-mine")
	files := people("login,name,group", "fia-shared,Somebody Else,Friday")
	preview, err := y.People().Preview(ctx, teacher, "mine", files, roster.Options{})
	if err != nil || fmt.Sprint(preview.Lines[0].Changes) != "[group: Friday, was none]" {
		t.Fatalf("got %+v, %v", preview, err)
	}
	if _, err := y.People().Import(ctx, teacher, "mine", files, roster.Options{}, preview.Digest, false); err != nil {
		t.Fatal(err)
	}
	if now := y.Account(t, "fia-shared"); now.DisplayName != shared.DisplayName {
		t.Errorf("got %+v", now)
	}
	if _, err := y.People().Change(ctx, teacher, "mine", "fia-shared", course.Place{
		Role: account.Learner, DisplayName: "Somebody Else",
	}); kind(t, err) != "not-allowed" {
		t.Errorf("renamed: %v", err)
	}
	if _, err := y.People().Change(ctx, hazel, "theirs", "fia-shared", course.Place{
		Role: account.Learner, DisplayName: "Fia Torvald", Group: "Monday",
	}); err != nil {
		t.Errorf("by an administrator: %v", err)
	}
}

// Whoever has left a course is in none of its lists and keeps all that they did; taken back they go on.
func TestLeavingACourse(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "left")
	robin := y.member(t, "left", "robin-left", account.Learner)
	y.set(t, "left", course.NewSet{})
	y.attempt(t, robin, "left", "all", "correct", "0.1")
	if err := y.People().Leave(ctx, hazel, "left", "robin-left"); err != nil {
		t.Fatal(err)
	}
	robin = y.Account(t, "robin-left")
	if _, err := y.Read(ctx, robin, "hives"); kind(t, err) != "no-paper" || len(robin.Courses) != 0 {
		t.Errorf("after leaving: %v", err)
	}
	detail, err := y.Course(ctx, hazel, "left")
	if err != nil || detail.Learners != 0 || detail.Members[1].Left == nil {
		t.Errorf("got %+v, %v", detail, err)
	}
	if grid, err := y.Following().Progress(ctx, hazel, "hives", "left", 0); err != nil || len(grid.Learners) != 0 {
		t.Errorf("got %+v, %v", grid, err)
	}
	if _, err := y.People().Add(ctx, hazel, "left", course.NewMember{Name: "robin-left"}); err != nil {
		t.Fatal(err)
	}
	grid, err := y.Following().Progress(ctx, hazel, "hives", "left", 0)
	if err != nil || len(grid.Learners) != 1 || grid.Learners[0].Mark.String() != "0.1" {
		t.Errorf("taken back: %+v, %v", grid, err)
	}
	if err := y.People().Leave(ctx, hazel, "left", "hazel"); kind(t, err) != "last-instructor" {
		t.Errorf("the instructor leaves: %v", err)
	}
	if err := y.People().Leave(ctx, hazel, "left", "wren-nowhere"); kind(t, err) != "no-member" {
		t.Errorf("who is not in it: %v", err)
	}
}

// What somebody did in a course that they have left is for its instructors: to nobody else's course does it come along.
func TestWhoLooksAfterWhoHasLeft(t *testing.T) {
	y := open(t)
	y.course(t, "before")
	hazel := y.course(t, "after")
	y.member(t, "before", "teacher-before", account.Instructor)
	y.member(t, "after", "teacher-after", account.Instructor)
	y.member(t, "before", "jun-moved", account.Learner)
	y.member(t, "after", "jun-moved", account.Learner)
	if err := y.People().Leave(ctx, hazel, "before", "jun-moved"); err != nil {
		t.Fatal(err)
	}
	y.member(t, "before", "una-gone", account.Learner)
	if err := y.People().Leave(ctx, hazel, "before", "una-gone"); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ who, whose, want string }{
		{"teacher-after", "jun-moved", "not-allowed"},
		{"teacher-before", "jun-moved", "not-allowed"},
		{"teacher-before", "una-gone", ""},
		{"teacher-after", "una-gone", "no-account"},
		{"hazel", "jun-moved", ""},
	} {
		if _, err := y.Accounts.Other(ctx, y.Account(t, c.who), c.whose); kind(t, err) != c.want {
			t.Errorf("%s and %s: got %v", c.who, c.whose, err)
		}
	}
}

// A course in which somebody worked is not deleted; archived it is read, and nothing is done in it.
func TestCoursesEnd(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "ended")
	robin := y.member(t, "ended", "robin-ended", account.Learner)
	y.set(t, "ended", course.NewSet{})
	y.attempt(t, robin, "ended", "all", "correct", "0.1")
	if err := y.Delete(ctx, hazel, "ended"); kind(t, err) != "has-work" {
		t.Errorf("deleted with attempts: %v", err)
	}
	if err := y.Sets().Unset(ctx, hazel, "ended", "hives"); kind(t, err) != "has-attempts" {
		t.Errorf("taken out with attempts: %v", err)
	}
	if c, err := y.Archive(ctx, hazel, "ended", true); err != nil || c.Archived == nil {
		t.Fatalf("got %+v, %v", c, err)
	}
	r, err := y.Read(ctx, robin, "hives")
	if err != nil || r.State != "closed" || kind(t, r.MaySubmit(y.Now)) != "archived" {
		t.Errorf("in an archived course: %+v, %v", r, err)
	}
	for what, err := range map[string]error{
		"set": func() error { _, err := y.Sets().Set(ctx, hazel, "ended", "hives", course.NewSet{}); return err }(),
		"add": func() error {
			_, err := y.People().Add(ctx, hazel, "ended", course.NewMember{Name: "new-ended"})
			return err
		}(),
		"change": func() error { _, err := y.Change(ctx, hazel, "ended", "Other", ""); return err }(),
	} {
		if kind(t, err) != "archived" {
			t.Errorf("%s in an archived course: %v", what, err)
		}
	}
	if _, err := y.Archive(ctx, hazel, "ended", false); err != nil {
		t.Fatal(err)
	}
	if r, err := y.Read(ctx, robin, "hives"); err != nil || kind(t, r.MaySubmit(y.Now)) != "" {
		t.Errorf("out of the archive: %+v, %v", r, err)
	}
	hazel = y.course(t, "unused")
	y.set(t, "unused", course.NewSet{})
	y.member(t, "unused", "robin-ended", account.Learner)
	if err := y.Delete(ctx, hazel, "unused"); err != nil {
		t.Errorf("without work: %v", err)
	}
	if _, err := y.Course(ctx, hazel, "unused"); kind(t, err) != "no-course" {
		t.Errorf("deleted: %v", err)
	}
}

// A copy has everything but the people; moved to another season, its papers keep the time of day.
func TestCopyingACourse(t *testing.T) {
	y := open(t)
	y.course(t, "autumn-term")
	hazel := y.Account(t, "hazel")
	if _, err := y.Change(ctx, hazel, "autumn-term", "", "Europe/Lisbon"); err != nil {
		t.Fatal(err)
	}
	y.member(t, "autumn-term", "robin-copied", account.Learner)
	opens, due := time.Date(2026, 10, 1, 7, 0, 0, 0, time.UTC), time.Date(2026, 11, 1, 22, 0, 0, 0, time.UTC)
	rules := ptr(lateRules())
	y.set(t, "autumn-term", course.NewSet{Opens: &opens, Due: &due, Rules: rules})
	made, err := y.Copy(ctx, hazel, "autumn-term", course.NewCourse{Slug: "spring-term"}, day(2027, 3, 1))
	if err != nil || made.Zone != "Europe/Lisbon" || made.Title != "AUTUMN-TERM" {
		t.Fatalf("got %+v, %v", made, err)
	}
	detail, err := y.Course(ctx, y.Account(t, "hazel"), "spring-term")
	if err != nil || detail.Learners != 0 || len(detail.Members) != 1 || len(detail.Papers) != 1 {
		t.Fatalf("got %+v, %v", detail, err)
	}
	// 8:00 in summer time is 8:00 in winter time; 22:00 in winter time is 22:00 in summer time.
	p := detail.Papers[0]
	if !p.Span.Opens.Equal(time.Date(2027, 3, 1, 8, 0, 0, 0, time.UTC)) ||
		!p.Span.Due.Equal(time.Date(2027, 4, 1, 21, 0, 0, 0, time.UTC)) || p.Rules.Late.Minutes != rules.Late.Minutes {
		t.Errorf("got %+v", p)
	}
	if _, err := y.Copy(ctx, hazel, "autumn-term", course.NewCourse{Slug: "spring-term"}, time.Time{}); kind(t, err) !=
		"course-taken" {
		t.Errorf("twice: %v", err)
	}
}

// Made anonymous, somebody is no longer known, and what is counted stays.
func TestAnonymous(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "nameless")
	_, err := y.People().Add(ctx, hazel, "nameless", course.NewMember{
		Name: "ravi-nameless", DisplayName: "Ravi Thornbury", Email: "ravi@example.org", Password: "long enough it is",
	})
	if err != nil {
		t.Fatal(err)
	}
	ravi := y.Account(t, "ravi-nameless")
	due := y.Now.Add(time.Hour)
	y.set(t, "nameless", course.NewSet{Due: &due})
	y.attempt(t, ravi, "nameless", "all", "correct", "0.1")
	if _, err := y.Sets().Extend(ctx, hazel, "nameless", "hives", course.Extension{
		Learner: "ravi-nameless", Due: ptr(due.Add(time.Hour)), Reason: "Ravi Thornbury was ill",
	}); err != nil {
		t.Fatal(err)
	}
	history, err := y.Store.History(ctx, query.HistoryParams{AccountID: ravi.ID, Page: 1, MostBytes: 1 << 20})
	if err != nil || len(history) != 1 {
		t.Fatal(err)
	}
	note, _, err := y.Notes().Write(ctx, hazel, course.NewNote{Attempt: history[0].ID, Text: "Well done, Ravi."})
	if err != nil {
		t.Fatal(err)
	}
	if err := y.Notes().Answer(ctx, ravi, note, "", "Thanks, says Ravi."); err != nil {
		t.Fatal(err)
	}
	if _, err := y.People().Anonymise(ctx, hazel, "ravi-nameless"); kind(t, err) != "active" {
		t.Errorf("while active: %v", err)
	}
	if _, err := y.Accounts.SetActive(ctx, hazel, "ravi-nameless", false); err != nil {
		t.Fatal(err)
	}
	is, err := y.People().Anonymise(ctx, hazel, "ravi-nameless")
	if err != nil || !strings.HasPrefix(is.Name, "anonymous-") {
		t.Fatalf("got %+v, %v", is, err)
	}
	detail, err := y.Course(ctx, hazel, "nameless")
	if err != nil {
		t.Fatal(err)
	}
	page, err := y.Courses.Log().Page(ctx, hazel, course.LogFilter{Course: "nameless", Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	more, err := y.Courses.Log().Page(ctx, hazel, course.LogFilter{Person: is.Name})
	if err != nil {
		t.Fatal(err)
	}
	extensions, err := y.Sets().Extensions(ctx, hazel, "nameless", "hives")
	if err != nil {
		t.Fatal(err)
	}
	notes, err := y.Notes().List(ctx, hazel, course.NoteFilter{Course: "nameless"})
	if err != nil || len(notes.Notes) != 1 {
		t.Fatalf("got %+v, %v", notes, err)
	}
	marking, err := y.Marking().List(ctx, hazel, course.ReviewFilter{Course: "nameless"})
	if err != nil {
		t.Fatal(err)
	}
	if all := strings.ToLower(fmt.Sprintf(
		"%+v %+v %+v %+v %+v %+v", detail, page, more, extensions, notes, marking,
	)); strings.Contains(all, "ravi") || strings.Contains(all, "thornbury") {
		t.Errorf("it is known still: %s", all)
	}
	grid, err := y.Following().Progress(ctx, hazel, "hives", "nameless", 0)
	if err != nil || len(grid.Learners) != 1 || grid.Learners[0].Mark.String() != "0.1" {
		t.Errorf("what is counted: %+v, %v", grid, err)
	}
}

// The log says who did what, each to whom it may concern.
func TestTheLog(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "logged")
	y.member(t, "logged", "robin-logged", account.Learner)
	y.member(t, "logged", "helper-logged", account.Assistant)
	due := y.Now.Add(time.Hour)
	y.set(t, "logged", course.NewSet{Due: &due})
	y.set(t, "logged", course.NewSet{Due: ptr(due.Add(time.Hour))})
	if _, err := y.Sets().Tell(ctx, hazel, "logged", "hives", "Look at exercise 2 again."); err != nil {
		t.Fatal(err)
	}
	mark := course.NewMark{
		Marked: course.Marked{Course: "logged", Paper: "hives", Exercise: "all", Learner: "robin-logged"},
		Reason: "told me",
	}
	if _, err := y.Marking().Set(ctx, hazel, mark); err != nil {
		t.Fatal(err)
	}
	page, err := y.Courses.Log().Page(ctx, hazel, course.LogFilter{Course: "logged"})
	if err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, l := range page.Lines {
		said = append(said, l.ActorName+" "+l.Sentence)
	}
	for i, want := range []string{
		"had the computed mark of robin-logged count again for All hives in hives",
		"told all who work on hives: Look at exercise 2 again.",
		"changed how hives is set for logged: due 1 May 2026 at 14:00 UTC",
		"set hives for logged: opens no time, due 1 May 2026 at 13:00 UTC",
		"added helper-logged to logged as assistant", "added robin-logged to logged as learner",
		"added Hazel Underhill to logged as instructor", "made the course logged",
	} {
		if i >= len(said) || said[i] != "Hazel Underhill "+want {
			t.Errorf("line %d: want %s, got\n%s", i, want, strings.Join(said, "\n"))
			break
		}
	}
	for _, c := range []struct {
		course.LogFilter
		want int
	}{
		{course.LogFilter{Course: "logged", About: "marks"}, 1},
		{course.LogFilter{Course: "logged", Person: "robin-logged"}, 2},
		{course.LogFilter{Course: "logged", Actor: "robin-logged"}, 0},
		{course.LogFilter{Course: "logged", Until: time.Now().Add(-time.Hour)}, 0},
		{course.LogFilter{Course: "no-such-course"}, 0},
	} {
		if page, err := y.Courses.Log().Page(ctx, hazel, c.LogFilter); err != nil || len(page.Lines) != c.want {
			t.Errorf("%+v: got %d lines, %v", c.LogFilter, len(page.Lines), err)
		}
	}
	if _, err := y.Courses.Log().Page(ctx, hazel, course.LogFilter{About: "gossip"}); kind(t, err) != "topic" {
		t.Errorf("got %v", err)
	}
	y.course(t, "elsewhere")
	y.member(t, "elsewhere", "teacher-elsewhere", account.Instructor)
	other := y.Account(t, "teacher-elsewhere")
	if page, err := y.Courses.Log().Page(ctx, other, course.LogFilter{Course: "logged"}); err != nil ||
		len(page.Lines) != 0 {
		t.Errorf("another course's instructor sees %+v, %v", page, err)
	}
	if _, err := y.Courses.Log().Page(ctx, y.Account(t, "helper-logged"), course.LogFilter{}); kind(t, err) !=
		"not-allowed" {
		t.Errorf("an assistant: %v", err)
	}
}
