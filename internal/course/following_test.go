package course_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/records"
	"examen/internal/records/query"
)

// How somebody gets on is kept one attempt at a time, and is the same when it is computed from all of them: who comes
// nearer to the expected rows is not stuck, and pauses are no work.
func TestHowSomebodyGetsOn(t *testing.T) {
	y := open(t)
	y.course(t, "gets-on")
	y.set(t, "gets-on", course.NewSet{})
	chance := rand.New(rand.NewPCG(16, 1))
	for round := range 25 {
		who := y.member(t, "gets-on", fmt.Sprintf("learner-gets-on-%d", round), account.Learner)
		r, err := y.Read(ctx, who, "hives")
		if err != nil {
			t.Fatal(err)
		}
		e, err := y.Library.Exercise(ctx, r.Paper, "count")
		if err != nil {
			t.Fatal(err)
		}
		var want course.Standing
		nearest := int64(-1)
		at := y.Now.Add(-1000 * time.Hour)
		var before time.Time // of the entry before
		for n := range 1 + chance.IntN(9) {
			for range chance.IntN(3) {
				at = at.Add([]time.Duration{time.Minute, 10 * time.Minute, 9 * time.Hour}[chance.IntN(3)])
				if !before.IsZero() && want.Tries == 0 && at.Sub(before) < time.Hour {
					want.Worked += at.Sub(before)
				}
				before = at
				if _, err := y.Store.CreateRun(ctx, query.CreateRunParams{
					AccountID: who.ID, ExerciseID: &e.ID, PaperID: &r.ID, CourseID: r.Course, BuildID: r.Build,
					Sql: "SELECT 1", Outcome: "done", At: at,
				}); err != nil {
					t.Fatal(err)
				}
			}
			at = at.Add(2 * time.Minute)
			if !before.IsZero() && want.Tries == 0 {
				want.Worked += at.Sub(before)
			}
			before = at
			outcome, differing := marking.Incorrect, chance.Int64N(6)
			params := query.CreateAttemptParams{Differing: &differing}
			switch chance.IntN(6) {
			case 0:
				outcome, differing = marking.Correct, 0
			case 1:
				outcome, params.Differing = marking.Failed, nil
			}
			params.AccountID, params.ExerciseID, params.CourseID, params.SetID = who.ID, e.ID, r.Course, r.Set
			params.VersionID, params.BuildID, params.Revision = e.Version, r.Build, r.Revision
			params.Sql, params.ReceivedAt, params.Outcome, params.Counted = "SELECT 1", at, string(outcome), true
			params.Mark, params.Points, params.Findings = "0", e.Points.String(), []byte("[]")
			if _, err := y.Store.CreateAttempt(ctx, params); err != nil {
				t.Fatal(err)
			}
			want.Attempts++
			nearer := params.Differing != nil && (nearest < 0 || differing < nearest)
			if nearer {
				nearest = differing
			}
			if outcome == marking.Correct && want.Tries == 0 {
				want.Tries = n + 1
			}
			if want.Stuck++; nearer || n == 0 || want.Tries > 0 {
				want.Stuck = 0
			}
		}
		got := func() string {
			standing, err := y.Marking().Standing(ctx, who, r)
			if err != nil {
				t.Fatal(err)
			}
			s := standing[e.ID]
			return fmt.Sprint(s.Attempts, s.Tries, s.Stuck, s.Worked.Round(time.Second))
		}
		expected := fmt.Sprint(want.Attempts, want.Tries, want.Stuck, want.Worked)
		if kept := got(); kept != expected {
			t.Errorf("round %d, kept: attempts, tries, stuck, worked %s, want %s", round, kept, expected)
		}
		if err := y.Sets().StandAgain(ctx, who, r, e.ID); err != nil {
			t.Fatal(err)
		}
		if computed := got(); computed != expected {
			t.Errorf("round %d, computed: attempts, tries, stuck, worked %s, want %s", round, computed, expected)
		}
	}
}

// Whoever watches a grid is told of the cells that change in the courses that they follow, and of nothing else.
func TestAGridIsWatched(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "watched")
	y.course(t, "not-watched")
	y.set(t, "watched", course.NewSet{})
	y.set(t, "not-watched", course.NewSet{})
	here := y.member(t, "watched", "learner-watched", account.Learner)
	elsewhere := y.member(t, "not-watched", "learner-not-watched", account.Learner)
	watching, stop := context.WithCancel(ctx)
	defer stop()
	go y.Store.Follow(watching)
	hazel, err := y.Accounts.ByName(ctx, hazel.Name)
	if err != nil {
		t.Fatal(err)
	}
	told := make(chan []course.ProgressChange, 100)
	ended := make(chan error, 1)
	go func() {
		ended <- y.Following().Watch(watching, hazel, "hives", "watched", func(changes []course.ProgressChange) error {
			told <- changes
			return nil
		})
	}()
	if first := <-told; first != nil {
		t.Fatalf("it begins with %v", first)
	}
	changed := func(who account.Account, slug string) {
		r, err := y.Read(ctx, who, "hives")
		if err != nil {
			t.Fatal(err)
		}
		e, err := y.Library.Exercise(ctx, r.Paper, "count")
		if err != nil {
			t.Fatal(err)
		}
		y.Store.StandingsChanged(r.ID, records.StandingKey{Account: who.ID, Exercise: e.ID, Course: *r.Course})
	}
	for {
		y.received(t, elsewhere, "count", y.Now, incorrect)
		y.received(t, here, "count", y.Now, incorrect)
		changed(elsewhere, "not-watched")
		changed(here, "watched")
		changes := <-told
		if changes == nil { // it has begun to hear only now
			continue
		}
		if len(changes) != 1 || changes[0].Learner != here.Name || changes[0].Course != "watched" ||
			changes[0].Exercise != "count" || changes[0].Cell.Attempts == 0 {
			t.Errorf("told of %+v", changes)
		}
		break
	}
	stop()
	if err := <-ended; err != context.Canceled {
		t.Errorf("it ended with %v", err)
	}
	if err := y.Following().MayWatch(ctx, here, "hives", "watched"); kind(t, err) != "not-allowed" {
		t.Errorf("a learner may watch: %v", err)
	}
}
