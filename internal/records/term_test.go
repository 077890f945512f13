package records_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/records"
	"examen/internal/records/query"
)

// What was submitted and decided, who set which mark, and who changed what: nothing changes it afterwards.
func TestWhatIsFinal(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "incorrect", "0")
	_, err := c.SetMark(ctx, query.SetMarkParams{
		AccountID: c.learner.ID, ExerciseID: c.exercise.ID, CourseID: c.course.ID, Reason: "why", SetBy: c.learner.ID,
	})
	if err != nil {
		t.Fatal(err)
	}
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	for table, column := range map[string]string{
		"attempt": "sql", "attempt_check": "outcome", "exercise_version": "title", "mark": "reason", "audit": "action",
	} {
		for _, sql := range []string{"UPDATE " + table + " SET " + column + " = " + column, "DELETE FROM " + table} {
			if _, err := pool.Exec(ctx, sql); err == nil || !strings.Contains(err.Error(), "is final") {
				t.Errorf("%s: %v", sql, err)
			}
		}
	}
}

// The standing follows every attempt: the best mark counts, and of these the first; without one the latest attempt is
// shown. Its version rises each time.
func TestTheStandingFollowsEveryAttempt(t *testing.T) {
	c := newCourse(t)
	var first, version int64
	for _, step := range []struct {
		outcome, mark     string
		counts            string // the outcome that counts
		computed          string
		used, hidden      int32
		isFirstThatCounts bool
	}{
		{"failed", "0", "failed", "0", 1, 0, false},
		{"rejected", "0", "rejected", "0", 1, 0, false},
		{"incorrect", "0", "incorrect", "0", 2, 1, false},
		{"correct", "1.5", "correct", "1.5", 3, 1, true},
		{"correct", "1.5", "correct", "1.5", 4, 1, false},
		{"failed", "0", "correct", "1.5", 5, 1, false},
	} {
		made := c.attempt(t, step.outcome, step.mark)
		s := c.standing(t)
		if step.isFirstThatCounts {
			first = made.ID
		}
		if s.Outcome != step.counts || s.Computed != step.computed || s.Used != step.used ||
			s.HiddenOnly != step.hidden {
			t.Errorf("after %s: got %+v", step.outcome, s)
		}
		if first > 0 && *s.CountsID != first || *s.LatestID != made.ID || s.Version <= version {
			t.Errorf("after %s: got %+v", step.outcome, s)
		}
		version = s.Version
	}
	if s := c.standing(t); s.Attempts != 6 {
		t.Errorf("got %+v", s)
	}
}

// Marks are decimals, and their sums exact.
func TestMarksAreExact(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "correct", "0.1")
	paper := c.exercise.PaperID
	other := must[int64](t)(c.UpsertExercise(ctx, query.UpsertExerciseParams{PaperID: paper, Slug: "two", Number: 2}))
	err := c.NewVersion(ctx, query.NewVersionParams{
		ExerciseID: other, Title: "Two", Points: "0.2", Blocks: json.RawMessage("[]"), Reference: "SELECT 2",
		Checking: json.RawMessage("{}"),
	})
	if err != nil {
		t.Fatal(err)
	}
	c.exercise = must[query.ExerciseNow](t)(c.ExerciseIn(ctx, query.ExerciseInParams{PaperID: paper, Address: "two"}))
	c.attempt(t, "correct", "0.2")
	all := must[[]query.LearnerStandingRow](t)(c.LearnerStanding(ctx, c.learner.ID))
	if len(all) != 1 || all[0].Mark != "0.3" || all[0].Correct != 2 {
		t.Errorf("got %+v", all)
	}
}

// A mark by hand counts in place of the computed one, also without an attempt, until it is taken back.
func TestMarksByHand(t *testing.T) {
	c := newCourse(t)
	set := func(mark *string) {
		t.Helper()
		err := c.StandByHand(ctx, query.StandByHandParams{
			AccountID: c.learner.ID, ExerciseID: c.exercise.ID, CourseID: c.course.ID, ByHand: mark,
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	half := "0.5"
	set(&half)
	if s := c.standing(t); *s.ByHand != "0.5" || s.Attempts != 0 || s.Outcome != "" {
		t.Errorf("got %+v", s)
	}
	c.attempt(t, "correct", "2")
	if s := c.standing(t); *s.ByHand != "0.5" || s.Computed != "2" || s.Attempts != 1 || s.Outcome != "correct" {
		t.Errorf("got %+v", s)
	}
	set(nil)
	if s := c.standing(t); s.ByHand != nil || s.Computed != "2" {
		t.Errorf("got %+v", s)
	}
}

// An exercise that is loaded again as it was has no new version; an attempt points to the one that it was checked on.
func TestVersionsOfAnExercise(t *testing.T) {
	c := newCourse(t)
	first := c.exercise
	c.version(t, "2.0")
	if c.exercise.VersionID != first.VersionID || c.exercise.Version != 1 {
		t.Errorf("unchanged: got version %d", c.exercise.Version)
	}
	c.attempt(t, "correct", "2")
	c.version(t, "3")
	if c.exercise.VersionID == first.VersionID || c.exercise.Version != 2 || c.exercise.Points != "3" {
		t.Errorf("changed: got %+v", c.exercise)
	}
	latest := must[[]query.LatestAttemptsRow](t)(c.LatestAttempts(ctx, query.LatestAttemptsParams{
		AccountID: c.learner.ID, PaperID: c.paper.ID, CourseID: &c.course.ID,
	}))
	if len(latest) != 1 || latest[0].AttemptCheck.VersionID != first.VersionID || latest[0].AttemptCheck.Points != "2" {
		t.Errorf("got %+v", latest)
	}
	// One that is taken out of the paper and put in again keeps its versions.
	err := c.RetireExercises(ctx, query.RetireExercisesParams{PaperID: c.paper.ID, Kept: []string{"other"}})
	if err != nil {
		t.Fatal(err)
	}
	_, err = c.ExerciseIn(ctx, query.ExerciseInParams{PaperID: c.paper.ID, Address: "one"})
	if !records.Missing(err) {
		t.Errorf("a retired exercise: %v", err)
	}
	c.version(t, "3")
	if c.exercise.Version != 2 {
		t.Errorf("put in again: got %+v", c.exercise)
	}
}

// A build to which attempts point keeps its number and tables when its database is gone and its dataset dropped.
func TestBuildsKeepTheirFacts(t *testing.T) {
	c := newCourse(t)
	c.attempt(t, "correct", "2")
	if err := c.MarkDropped(ctx, c.build.ID); err != nil {
		t.Fatal(err)
	}
	if err := c.DropDataset(ctx, c.build.DatasetID); err != nil {
		t.Fatal(err)
	}
	kept := must[query.Build](t)(c.BuildByID(ctx, c.build.ID))
	if kept.Number != c.build.Number || string(kept.Catalogue) != string(c.build.Catalogue) || kept.DroppedAt == nil {
		t.Errorf("got %+v", kept)
	}
	page := must[[]query.HistoryRow](t)(
		c.History(ctx, query.HistoryParams{AccountID: c.learner.ID, Page: 5, MostBytes: 1 << 20}),
	)
	if len(page) != 1 || page[0].Dataset == "" || page[0].BuildID != c.build.ID {
		t.Errorf("got %+v", page)
	}
}

// Every change to accounts, members, papers and marks leaves a line that says who made it; what changes nothing leaves
// none, and no password is in any.
func TestTheAuditLog(t *testing.T) {
	c := newCourse(t)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	lines := func() []string {
		rows, _ := pool.Query(
			ctx,
			`SELECT subject || ' ' || action || ' ' || coalesce(account.name, '-') || ' ' || changed
			FROM audit LEFT JOIN account ON account.id = actor WHERE audit.id > $1 ORDER BY audit.id`,
			0,
		)
		return must[[]string](t)(pgx.CollectRows(rows, pgx.RowTo[string]))
	}
	before := len(lines())
	member := query.SetMemberParams{CourseID: c.course.ID, AccountID: c.learner.ID, Role: "assistant"}
	err := c.As(ctx, c.learner.ID, func(s *records.Transaction) error {
		for range 2 { // the second changes nothing
			if err := s.SetMember(ctx, member); err != nil {
				return err
			}
		}
		if err := s.SetPassword(ctx, query.SetPasswordParams{ID: c.learner.ID, Password: "secret hash"}); err != nil {
			return err
		}
		_, err := s.SetCoursePaper(ctx, query.SetCoursePaperParams{
			CourseID: c.course.ID, PaperID: c.paper.ID, Rules: json.RawMessage("{}"),
		})
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	c.version(t, "4")
	mark := "1"
	_, err = c.SetMark(ctx, query.SetMarkParams{
		AccountID: c.learner.ID, ExerciseID: c.exercise.ID, CourseID: c.course.ID, Mark: &mark, Reason: "why",
		SetBy: c.learner.ID,
	})
	if err != nil {
		t.Fatal(err)
	}
	got := lines()[before:]
	for i, want := range []string{
		"member update " + c.learner.Name + ` {"role": "assistant"}`,
		"account update " + c.learner.Name + ` {"password": "changed"}`,
		"course_paper insert " + c.learner.Name + ` {`,
		"exercise_version insert - {",
		"exercise update - {\"version_id\": ",
		"mark insert - {",
	} {
		if i >= len(got) || !strings.HasPrefix(got[i], want) {
			t.Errorf("line %d: want %s, got %q", i, want, got)
		}
	}
	if all := strings.Join(lines(), "\n"); strings.Contains(all, "secret hash") ||
		!strings.Contains(all, "account insert") {
		t.Errorf("got %s", all)
	}
}

// many is how many attempts, checks and runs there are when plans are looked at.
const many = 100_000

// No page reads all attempts, checks or runs: whatever is listed and filtered by has its index.
func TestNoPageReadsEverything(t *testing.T) {
	c := newCourse(t)
	pool := must[*pgxpool.Pool](t)(pgxpool.New(ctx, url))
	defer pool.Close()
	// 200 learners in ten courses, at 40 exercises; the course looked at is one of them.
	fill := fmt.Sprintf(`
		WITH people AS (
			INSERT INTO account (name, display_name, password)
			SELECT 'many-' || n, 'Many ' || n, 'x' FROM generate_series(1, 200) AS n RETURNING id
		), members AS (
			INSERT INTO member (course_id, account_id, role) SELECT %[1]d, id, 'learner' FROM people RETURNING
			account_id
		), others AS (
			INSERT INTO course (slug, title) SELECT 'many-' || n, 'Many' FROM generate_series(1, 9) AS n RETURNING id
		), exercises AS (
			INSERT INTO exercise (paper_id, slug, number)
			SELECT %[2]d, 'many-' || n, n FROM generate_series(2, 41) AS n RETURNING id
		), numbered AS (
			SELECT array_agg(id) AS people, (SELECT array_agg(id) FROM exercises) AS exercises,
			       (SELECT array_agg(id) || %[1]d::bigint FROM others) AS courses FROM people
		), attempts AS (
			INSERT INTO attempt (account_id, exercise_id, course_id, sql, received_at)
			SELECT people[1 + n %% 200], exercises[1 + n / 7 %% 40], courses[1 + n %% 10], 'SELECT ' || n, now() FROM
			numbered, generate_series(1, %[5]d) AS n
			RETURNING id, account_id
		), checks AS (
			INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count,
			elapsed_ms, findings, hidden_only, counted)
			SELECT id, %[3]d, %[4]d, CASE WHEN id %% 3 = 0 THEN 'correct' ELSE 'incorrect' END, 0, 2, 1, 1, '[]', id
			%% 50 = 0, true FROM attempts
		)
		INSERT INTO run (account_id, exercise_id, paper_id, course_id, build_id, sql, outcome, row_count, elapsed_ms)
		SELECT people[1 + n %% 200], exercises[1 + n / 7 %% 40], %[2]d, courses[1 + n %% 10], %[4]d, 'SELECT ' || n,
		'done', 1, 1
		FROM numbered, generate_series(1, %[5]d) AS n`, c.course.ID, c.paper.ID, c.exercise.VersionID, c.build.ID, many)
	for _, sql := range []string{
		fill,
		`UPDATE exercise SET version_id = ` + fmt.Sprint(c.exercise.VersionID) + ` WHERE slug LIKE 'many-%'`,
		`INSERT INTO standing (account_id, exercise_id, course_id, counts_id, latest_id, outcome, computed, attempts,
used, hidden_only, last_at)
		 SELECT account_id, exercise_id, course_id, max(id), max(id), 'incorrect', 0, count(*), count(*), 0, now()
		 FROM attempt
		 WHERE exercise_id IN (SELECT id FROM exercise WHERE slug LIKE 'many-%') GROUP BY 1, 2, 3`,
		"ANALYZE",
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	var learner, exercise int64
	err := pool.QueryRow(
		ctx, `SELECT account_id, exercise_id FROM attempt ORDER BY id DESC LIMIT 1`,
	).Scan(&learner, &exercise)
	if err != nil {
		t.Fatal(err)
	}
	spy := &planSpy{t: t, pool: pool}
	q := query.New(spy)
	incorrect, attempt := "incorrect", "attempt"
	courses := []int64{c.course.ID, c.course.ID + 1000}
	page := func(p query.HistoryParams) func() error {
		p.Page, p.MostBytes = 51, 1<<20
		return func() error { _, err := q.History(ctx, p); return err }
	}
	followed := func(p query.CourseHistoryParams) func() error {
		p.Page, p.MostBytes, p.Courses, p.Reader = 51, 1<<20, courses, learner
		return func() error { _, err := q.CourseHistory(ctx, p); return err }
	}
	for name, ask := range map[string]func() error{
		"a learner's history":          page(query.HistoryParams{AccountID: learner}),
		"by outcome":                   page(query.HistoryParams{AccountID: learner, Outcome: &incorrect}),
		"by exercise":                  page(query.HistoryParams{AccountID: learner, ExerciseID: &exercise}),
		"by paper":                     page(query.HistoryParams{AccountID: learner, PaperID: &c.paper.ID}),
		"attempts alone":               page(query.HistoryParams{AccountID: learner, Kind: &attempt}),
		"a course's history":           followed(query.CourseHistoryParams{}),
		"a course's, by exercise":      followed(query.CourseHistoryParams{ExerciseID: &exercise}),
		"a course's, by paper":         followed(query.CourseHistoryParams{PaperID: &c.paper.ID}),
		"a course's, by outcome":       followed(query.CourseHistoryParams{Outcome: &incorrect}),
		"a course's, the next page":    followed(query.CourseHistoryParams{Before: &exercise}),
		"a learner's, in one's course": page(query.HistoryParams{Courses: courses, AccountID: learner}),
		"one's papers":                 func() error { _, err := q.LearnerStanding(ctx, learner); return err },
		"where one stopped":            func() error { _, err := q.LastWorked(ctx, learner); return err },
		"one's marks": func() error {
			_, err := q.OwnMarks(ctx, query.OwnMarksParams{AccountID: learner, Papers: []int64{c.paper.ID}})
			return err
		},
		"a text in one's history": func() error {
			_, err := q.FoundTexts(ctx, query.FoundTextsParams{AccountID: learner, Pattern: "%T 12345%", Most: 50})
			return err
		},
		"a text in a course's history": func() error {
			_, err := q.CourseFoundTexts(ctx, query.CourseFoundTextsParams{
				Courses: courses, Pattern: "%T 12345%", Most: 50,
			})
			return err
		},
		"the grid": func() error {
			_, err := q.CourseStanding(ctx, query.CourseStandingParams{PaperID: c.paper.ID, Courses: courses})
			return err
		},
		"a paper": func() error {
			_, err := q.OwnStanding(
				ctx, query.OwnStandingParams{PaperID: c.paper.ID, AccountID: learner, CourseID: &c.course.ID},
			)
			return err
		},
		"the latest attempts at a paper": func() error {
			_, err := q.LatestAttempts(
				ctx, query.LatestAttemptsParams{AccountID: learner, PaperID: c.paper.ID, CourseID: &c.course.ID},
			)
			return err
		},
		"attempts on hidden rows": func() error {
			_, err := q.HiddenOnly(ctx, query.HiddenOnlyParams{AccountID: learner, ExerciseID: exercise})
			return err
		},
		"attempts used": func() error {
			_, err := q.AttemptsUsed(
				ctx, query.AttemptsUsedParams{AccountID: learner, ExerciseID: exercise, CourseID: &c.course.ID},
			)
			return err
		},
		"a submission that was sent again": func() error {
			_, err := q.AttemptByKey(ctx, query.AttemptByKeyParams{AccountID: learner, ClientKey: "none"})
			if records.Missing(err) {
				err = nil
			}
			return err
		},
	} {
		spy.name = name
		spy.looked = 0
		if err := ask(); err != nil || spy.looked == 0 {
			t.Errorf("%s: %v", name, err)
		}
	}
	rows := must[[]query.CourseHistoryRow](t)(c.CourseHistory(ctx, query.CourseHistoryParams{
		Courses: courses, Reader: -1, Page: 51, MostBytes: 1 << 20,
	}))
	if len(rows) != 51 || rows[0].ID <= rows[50].ID {
		t.Errorf("%d entries", len(rows))
	}
}
