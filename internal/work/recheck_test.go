package work_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/jobs"
	"examen/internal/library/librarytest"
	"examen/internal/records/query"
	"examen/internal/work"
)

// rechecks begins rechecks of the paper in the class's course.
func (c *class) rechecks() work.Rechecks { return c.Rechecks(c.Jobs) }

// asks waits until a job asks or has ended, and returns its report.
func (c *class) asks(t *testing.T, job *jobs.Job) (*jobs.Job, work.RecheckReport) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	last := job
	err := c.Jobs.Follow(ctx, c.hazel(t), job.ID, func(j *jobs.Job) error {
		if last = j; j.State == jobs.Asking {
			stop()
		}
		return nil
	})
	if err != nil && last.State != jobs.Asking || last.Problem != nil {
		t.Fatal(err, last.Problem)
	}
	var report work.RecheckReport
	if err := json.Unmarshal(last.Report, &report); err != nil {
		t.Fatal(err)
	}
	return last, report
}

// otherAnswer loads the paper with another answer to the exercise about strong hives.
func (c *class) otherAnswer(t *testing.T) {
	t.Helper()
	files := librarytest.Hives()
	files["hives.md"] = strings.Replace(files["hives.md"], "strength >= 5", "strength > 5", 1)
	if job := c.Load(t, files); job.Problem != nil {
		t.Fatal(job.Problem)
	}
}

// A recheck says first whose marks would change and why, changes nothing before that is confirmed, goes on while
// learners submit, and gives every attempt what submitting it anew gives.
func TestRecheck(t *testing.T) {
	c := open(t, "recheck")
	texts := []string{
		strongHives, "SELECT name FROM hive WHERE strength > 5", "SELECT name FROM hive WHERE strength > 6",
		"SELECT name FROM hive", "SELECT nme FROM hive", "DROP TABLE hive",
	}
	learners := map[string]account.Account{}
	for i, text := range texts {
		who := c.member(t, fmt.Sprintf("learner-recheck-%d", i), account.Learner)
		learners[text] = who
		if _, err := c.submit(who, "strong", text); err != nil {
			t.Fatal(err)
		}
	}
	c.otherAnswer(t)
	job, err := c.rechecks().Begin(ctx, c.hazel(t), work.NewRecheck{
		Paper: "hives", Course: c.slug, Reason: "a slip in the answer",
	})
	if err != nil {
		t.Fatal(err)
	}
	job, report := c.asks(t, job)
	var changes []string
	for _, ch := range report.Changes {
		changes = append(changes, fmt.Sprintf("%s %s %s -> %s %s", ch.Learner, ch.Was, ch.MarkWas, ch.Is, ch.MarkIs))
	}
	want := "learner-recheck-0 correct 0.2 -> incorrect 0, learner-recheck-1 incorrect 0 -> correct 0.2, " +
		"learner-recheck-2 incorrect 0 -> correct 0.2"
	if got := strings.Join(changes, ", "); got != want || report.Attempts != len(texts) || report.Applied ||
		!strings.Contains(report.Changes[0].Why, "row") {
		t.Errorf("got %s, %+v", got, report)
	}
	c.standsAs(t, "before it is confirmed", learners[texts[0]], "correct 0.2")
	late := c.member(t, "learner-recheck-late", account.Learner) // submits meanwhile, by what holds now
	if _, err := c.submit(late, "strong", texts[1]); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Jobs.Confirm(ctx, c.hazel(t), job.ID); err != nil {
		t.Fatal(err)
	}
	var wait sync.WaitGroup
	for range 5 { // and goes on submitting while marks change
		wait.Go(func() {
			if _, err := c.submit(late, "count", "SELECT count(*) FROM hive"); err != nil {
				t.Error(err)
			}
		})
	}
	job, report = c.asks(t, job)
	wait.Wait()
	if job.State != jobs.Done || !report.Applied || len(report.Changes) != 3 {
		t.Fatalf("got %+v, %+v", job, report)
	}
	c.standsAs(t, "confirmed", learners[texts[0]], "incorrect 0")
	c.standsAs(t, "who submitted meanwhile", late, "correct 0.2")
	for _, text := range texts {
		anew := c.member(t, "learner-anew-"+learners[text].Name, account.Learner)
		fresh, err := c.submit(anew, "strong", text)
		if err != nil {
			t.Fatal(err)
		}
		e, err := c.Exercise(ctx, learners[text], "hives", "strong")
		if err != nil || e.Latest.Rechecked == nil || e.Latest.Outcome != fresh.Outcome ||
			written(e.Latest.Findings) != written(fresh.Findings) || e.Latest.Mark.Cmp(fresh.Mark) != 0 {
			t.Errorf("%s: checked again %+v, anew %+v, %v", text, e.Latest, fresh, err)
		}
	}
	page, err := c.courses.Log().Page(ctx, c.hazel(t), course.LogFilter{About: "marks", Paper: "hives", Limit: 1})
	if err != nil || len(page.Lines) != 1 || page.Lines[0].Reason != "a slip in the answer" {
		t.Errorf("got %+v, %v", page, err)
	}
}

func written(value any) string {
	text, _ := json.Marshal(value)
	return string(text)
}

// standsAs checks how a learner stands on the exercise about strong hives.
func (c *class) standsAs(t *testing.T, when string, who account.Account, want string) {
	t.Helper()
	e, err := c.Exercise(ctx, who, "hives", "strong")
	if err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprintf("%s %s", e.Standing.Outcome, e.Standing.Mark); got != want {
		t.Errorf("%s: got %s, want %s", when, got, want)
	}
}

// What a learner's paper says is new, and that marks have changed by a recheck is.
func TestARecheckIsToldLearners(t *testing.T) {
	c := open(t, "told-again")
	if _, err := c.submit(c.robin, "strong", strongHives); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Paper(ctx, c.robin, "hives"); err != nil { // robin has looked
		t.Fatal(err)
	}
	c.otherAnswer(t)
	job, err := c.rechecks().Begin(ctx, c.hazel(t), work.NewRecheck{Paper: "hives", Exercise: "2",
		Course: "told-again"})
	if err != nil {
		t.Fatal(err)
	}
	job, _ = c.asks(t, job)
	if _, err := c.Jobs.Confirm(ctx, c.hazel(t), job.ID); err != nil {
		t.Fatal(err)
	}
	if job, _ = c.asks(t, job); job.State != jobs.Done {
		t.Fatalf("got %+v", job)
	}
	listed, err := c.courses.Papers(ctx, c.robin)
	if err != nil || listed[0].Rechecked != 1 {
		t.Errorf("got %+v, %v", listed, err)
	}
}

// A recheck that is stopped has lost nothing: begun again it goes on.
func TestARecheckGoesOnWhereItWasStopped(t *testing.T) {
	c := open(t, "stopped-again")
	for i := range 20 {
		if _, err := c.submit(c.robin, "count", fmt.Sprintf("SELECT %d", i)); err != nil {
			t.Fatal(err)
		}
	}
	begin := func() *jobs.Job {
		job, err := c.rechecks().Begin(ctx, c.hazel(t), work.NewRecheck{Paper: "hives", Course: c.slug})
		if err != nil {
			t.Fatal(err)
		}
		return job
	}
	left := func() int {
		p, err := c.Library.Paper(ctx, "hives")
		if err != nil {
			t.Fatal(err)
		}
		e, err := c.Library.Exercise(ctx, p, "count")
		if err != nil {
			t.Fatal(err)
		}
		in, err := c.Store.CourseBySlug(ctx, c.slug)
		if err != nil {
			t.Fatal(err)
		}
		rows, err := c.Store.AttemptsToRecheck(ctx, query.AttemptsToRecheckParams{
			ExerciseID: e.ID, Courses: []int64{in.ID}, UpTo: 1 << 60, VersionID: e.Version, BuildID: p.Build,
		})
		if err != nil {
			t.Fatal(err)
		}
		return len(rows)
	}
	job := begin()
	if _, err := c.Jobs.Stop(ctx, c.hazel(t), job.ID); err != nil {
		t.Fatal(err)
	}
	before := left()
	job, report := c.asks(t, begin())
	if left() != 0 || before < 0 || report.Attempts != 20 || len(report.Changes) != 0 {
		t.Errorf("got %d left, %+v", left(), report)
	}
	if _, err := c.Jobs.Stop(ctx, c.hazel(t), job.ID); err != nil {
		t.Fatal(err)
	}
	if left() != 0 {
		t.Error("what was checked is lost")
	}
	// Whose marks would change is for those who instruct the course.
	other := c.member(t, "assistant-stopped-again", account.Assistant)
	if _, err := c.rechecks().Begin(ctx, other, work.NewRecheck{Paper: "hives", Course: c.slug}); kind(t, err) !=
		"not-allowed" {
		t.Errorf("an assistant: %v", err)
	}
	if _, err := c.courses.Create(ctx, c.Hazel, course.NewCourse{Slug: "nosy", Title: "Nosy"}); err != nil {
		t.Fatal(err)
	}
	nosy := course.NewMember{Name: "nosy", Password: "long enough it is", Role: account.Instructor}
	if _, err := c.courses.People().Add(ctx, c.hazel(t), "nosy", nosy); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Jobs.Job(ctx, c.Account(t, "nosy"), job.ID); kind(t, err) != "no-job" {
		t.Errorf("another course's instructor: %v", err)
	}
}

// While how a paper is set changes, what is submitted is judged by the one or the other, and stands by the last.
func TestSubmissionsWhileTheRulesChange(t *testing.T) {
	c := open(t, "changing")
	due := c.Now.Add(-time.Hour)
	rules := func(perHour int) *marking.Rules {
		return &marking.Rules{Late: marking.Late{Minutes: 600, PerHour: perHour}}
	}
	set := func(n course.NewSet) {
		if _, err := c.courses.Sets().Set(ctx, c.hazel(t), c.slug, "hives", n); err != nil {
			t.Error(err)
		}
	}
	set(course.NewSet{Due: &due, Rules: rules(1)})
	var learners []account.Account
	for i := range 12 {
		learners = append(learners, c.member(t, fmt.Sprintf("learner-changing-%d", i), account.Learner))
	}
	var wait sync.WaitGroup
	for _, who := range learners {
		wait.Go(func() {
			if _, err := c.submit(who, "count", "SELECT count(*) FROM hive"); err != nil {
				t.Error(err)
			}
		})
	}
	for perHour := range 8 {
		set(course.NewSet{Rules: rules(perHour * 5)})
	}
	wait.Wait()
	for _, who := range learners {
		e, err := c.Exercise(ctx, who, "hives", "count")
		if err != nil || e.Standing.Mark.String() != "0.6" || e.Latest.Mark.String() != "0.6" { // two hours begun
			t.Errorf("%s: got %+v, %v", who.Name, e.Standing, err)
		}
	}
}

// Of what may not be told yet, no answer to a learner says anything.
func TestSubmissionsThatAreToldLater(t *testing.T) {
	c := open(t, "later")
	_, err := c.courses.Sets().Set(ctx, c.hazel(t), c.slug, "hives", course.NewSet{
		Rules: &marking.Rules{Tell: marking.AfterDue, Attempts: 30},
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{"SELECT 3", "SELECT count(*) FROM hive", "SELECT nme FROM hive", "DROP TABLE hive"} {
		s := work.Submission{Paper: "hives", Exercise: "count", SQL: sql, Received: c.Now, Key: "key " + sql}
		for range 2 { // sent again, it is the same
			a, err := c.Submit(ctx, c.robin, s)
			if err != nil || a.Outcome != "" || a.Mark.String() != "0" || len(a.Findings) > 0 || a.Error != nil ||
				a.RowCount != 0 {
				t.Errorf("%s: got %+v, %v", sql, a, err)
			}
		}
	}
	for outcome, want := range map[string]int{"": 4, "correct": 0, "failed": 0, "rejected": 0} {
		page, err := c.History(ctx, c.robin, work.HistoryFilter{Paper: "hives", Kind: "attempt", Outcome: outcome})
		if err != nil || len(page.Entries) != want || strings.Contains(fmt.Sprintf("%+v", page.Entries), "correct") {
			t.Errorf("history with outcome %q: %+v, %v", outcome, page, err)
		}
	}
	p, err := c.Paper(ctx, c.robin, "hives")
	if err != nil || p.Summary.Told || p.Summary.Correct != 0 || p.Summary.Attempted != 1 ||
		p.Exercises["count"].Standing.Outcome != "" || p.Exercises["count"].Allowed != 30 {
		t.Errorf("got %+v, %v", p, err)
	}
	if page, err := c.History(ctx, c.hazel(t), work.HistoryFilter{Learner: c.robin.Name,
		Outcome: "correct"}); err != nil ||
		len(page.Entries) != 1 {
		t.Errorf("an instructor sees %+v, %v", page, err)
	}
	c.Now = c.due
	if p, err = c.Paper(ctx, c.robin, "hives"); err != nil || p.Exercises["count"].Standing.Mark.String() != "2" {
		t.Errorf("after the due time: %+v, %v", p, err)
	}
}
