package test

import (
	"strconv"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/test/whole"
)

// causeOf submits an answer to the paper "first-look" and waits for its cause.
func causeOf(t *testing.T, c *client.Client, exercise, sql string) (client.Attempt, []client.Finding) {
	t.Helper()
	a, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", exercise, client.Submission{Sql: sql}))
	if err != nil {
		t.Fatal(sql, err)
	}
	return a, causeOfAttempt(t, c, a)
}

func causeOfAttempt(t *testing.T, c *client.Client, a client.Attempt) []client.Finding {
	t.Helper()
	id, err := strconv.ParseInt(a.Id, 10, 64)
	if err != nil {
		t.Fatal(err)
	}
	cause, err := client.Read[client.Cause](c.ReadCause(ctx, id))
	if err != nil {
		t.Fatal(a.Sql, err)
	}
	return cause.Findings
}

const tooStrong = "SELECT hive_id, strength\nFROM hive\nWHERE kind = 'stacked' AND strength > 8"

// The verdict is told without the cause, which follows: where it is, and what kind of mistake. From then on it stands
// first wherever the attempt is read, and the instructor reads there what would be right.
func TestACauseFollowsItsVerdict(t *testing.T) {
	name, c := whole.Newcomer(t)
	a, cause := causeOf(t, c, "high-and-strong", tooStrong)
	if a.Outcome != client.Incorrect || len(a.Findings) != 1 || a.Findings[0].Kind != "rows-missing" {
		t.Errorf("the verdict says %+v", a)
	}
	want := client.Stretch{Line: 3, Column: 37, Length: 1, Text: "WHERE kind = 'stacked' AND strength > 8"}
	if len(cause) != 1 || cause[0].Kind != "cause-bound-left-out" || !cause[0].Proven || cause[0].Where != want ||
		cause[0].Edit != (client.Edit{}) || cause[0].Hint != "" {
		t.Fatalf("the cause is %+v", cause)
	}
	if again := causeOfAttempt(t, c, a); len(again) != 1 || again[0].Sentence != cause[0].Sentence {
		t.Errorf("asked again it is %+v", again)
	}
	paper, err := client.Read[client.Paper](c.GetPaper(ctx, "first-look"))
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range paper.Sections {
		if s.Exercise.Slug == "high-and-strong" {
			if got := kindsOf(s.Exercise.Latest.Findings); got != "cause-bound-left-out rows-missing" {
				t.Errorf("on the paper its attempt has %s", got)
			}
		}
	}
	learners, instructors := historyOf(t, c, ""), historyOf(t, whole.Hazel(t), name)
	if got := kindsOf(learners[0].Findings); got != "cause-bound-left-out rows-missing" ||
		learners[0].Findings[0].Edit.Is != "" {
		t.Errorf("in the history it has %+v", learners[0].Findings)
	}
	first := instructors[0].Findings[0]
	if first.Edit.Was != ">" || first.Edit.Is != ">=" || first.Hint != "kind" {
		t.Errorf("the instructor reads %+v", first)
	}
}

func historyOf(t *testing.T, c *client.Client, learner string) []client.HistoryEntry {
	t.Helper()
	page, err := client.Read[client.HistoryPage](c.ListHistory(ctx, &client.ListHistoryParams{Learner: learner}))
	if err != nil || len(page.Entries) == 0 {
		t.Fatalf("the history of %s: %+v, %v", learner, page, err)
	}
	return page.Entries
}

func kindsOf(findings []client.Finding) string {
	var all []string
	for _, f := range findings {
		all = append(all, f.Kind)
	}
	return strings.Join(all, " ")
}

// A query that is right on the rows that one sees has a cause, too; two mistakes are two causes; what nothing mends has
// none, nor does a right answer.
func TestCausesOfOtherAttempts(t *testing.T) {
	_, c := whole.Newcomer(t)
	for _, e := range []struct{ exercise, sql, finds string }{
		{
			"calm-bees", "SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%'", "cause-pattern",
		},
		{
			"high-and-strong", "SELECT hive_id, strength FROM hive WHERE kind = 'skep' AND strength > 8",
			"cause-value cause-bound",
		},
		{"names-and-valleys", "SELECT valley, name FROM apiary", ""},
		{"names-and-valleys", "SELECT 'x', name FROM grade", ""},
		{"names-and-valleys", "SELECT name, valley FROM apiary", ""},
		{"names-and-valleys", "SELECT name, vally FROM apiary", ""},
	} {
		_, cause := causeOf(t, c, e.exercise, e.sql)
		if got := kindsOf(cause); got != e.finds {
			t.Errorf("%s: found %q, want %q", e.sql, got, e.finds)
		}
	}
}

// How far a cause is told is the exercise's to say: nothing, where, what kind, or what would be right; or more with
// each
// attempt.
func TestHintsAreTheInstructors(t *testing.T) {
	reference := "SELECT id FROM star WHERE id >= 10 ORDER BY id"
	whole.PaperOf(t, "with-hints",
		[2]string{"hints: none", reference}, [2]string{"hints: clause", reference}, [2]string{"hints: kind", reference},
		[2]string{"hints: edit", reference}, [2]string{"hints: {clause: 2, kind: 3, edit: 4}", reference},
	)
	_, c := whole.Newcomer(t)
	tell := func(exercise string) string {
		a, err := client.Read[client.Attempt](c.Submit(ctx, "with-hints", exercise, client.Submission{
			Sql: "SELECT id FROM star WHERE id > 10 ORDER BY id",
		}))
		if err != nil {
			t.Fatal(err)
		}
		cause := causeOfAttempt(t, c, a)
		if len(cause) == 0 {
			return "nothing"
		}
		return cause[0].Kind + " " + cause[0].Edit.Is
	}
	where, kind, edit := "cause-place ", "cause-bound-left-out ", "cause-bound-left-out >="
	for exercise, want := range map[string]string{"1": "nothing", "2": where, "3": kind, "4": edit} {
		if got := tell(exercise); !strings.HasPrefix(got, strings.TrimSuffix(want, " ")) ||
			strings.HasSuffix(got, ">=") != strings.HasSuffix(want, ">=") {
			t.Errorf("exercise %s tells %s, want %s", exercise, got, want)
		}
	}
	for i, want := range []string{"nothing", "cause-place", "cause-bound", "cause-bound"} {
		if got := tell("5"); !strings.HasPrefix(got, want) || strings.HasSuffix(got, ">=") != (i == 3) {
			t.Errorf("attempt %d is told %s, want %s", i+1, got, want)
		}
	}
}

// What is told later tells its cause later, too.
func TestACauseIsUntoldWithItsAttempt(t *testing.T) {
	attempt := whole.PaperOf(t, "cause-later", [2]string{"points: 1", "SELECT id FROM star WHERE id >= 10"})
	set := func(tell client.PaperRulesTell) {
		if _, err := client.Read[client.CoursePaper](whole.Hazel(t).SetPaper(ctx, "evening-group", "cause-later",
			client.PaperSetting{Rules: &client.PaperRules{Tell: tell}})); err != nil {
			t.Fatal(err)
		}
	}
	set(client.TellReleased)
	_, c := whole.Newcomer(t)
	a := attempt(c, 1, "SELECT id FROM star WHERE id > 10")
	if cause := causeOfAttempt(t, c, a); len(cause) > 0 {
		t.Errorf("before the attempt is told its cause is %+v", cause)
	}
	set(client.TellAtOnce)
	if cause := causeOfAttempt(t, c, a); kindsOf(cause) != "cause-bound-left-out" {
		t.Errorf("once the attempt is told its cause is %+v", cause)
	}
}

// The smallest example of a wrong answer: a few rows, what the answer gives on them, and what is expected; of rows that
// are made up where nothing is wrong on those that one sees. Other queries can be tried on it.
func TestTheSmallestExample(t *testing.T) {
	_, c := whole.Newcomer(t)
	of := func(exercise, sql string) (int64, client.Example) {
		a, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", exercise, client.Submission{Sql: sql}))
		if err != nil {
			t.Fatal(err)
		}
		id, err := strconv.ParseInt(a.Id, 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		e, err := client.Read[client.Example](c.ReadExample(ctx, id))
		if err != nil {
			t.Fatal(err)
		}
		return id, e
	}
	id, e := of("high-and-strong", tooStrong)
	if e.MadeUp || len(e.Tables) != 1 || len(e.Tables[0].Rows) != 1 || len(e.Got.Rows) != 0 ||
		len(e.Expected.Rows) != 1 ||
		e.Sentence != "With just this 1 row of hive, your query gives 0 rows; 1 is expected." {
		t.Errorf("the example of a bound is %+v", e)
	}
	for _, tried := range []struct {
		sql   string
		right bool
		error string
	}{
		{tooStrong, false, ""},
		{strings.ReplaceAll(tooStrong, ">", ">="), true, ""},
		{"SELECT hive_id, strenght FROM hive", false, `column "strenght" does not exist`},
		{"DELETE FROM hive", false, "Only SELECT queries are allowed here"},
	} {
		got, err := client.Read[client.TriedExample](c.TryExample(ctx, id, client.ExampleQuery{Sql: tried.sql}))
		if err != nil || got.Right != tried.right || got.Error.Title != tried.error {
			t.Errorf("%s: %+v, %v", tried.sql, got, err)
		}
	}
	_, e = of("calm-bees", "SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%'")
	if !e.MadeUp || len(e.Tables) != 1 || len(e.Tables[0].Rows) != 1 || len(e.Got.Rows) != 1 ||
		len(e.Expected.Rows) != 0 {
		t.Errorf("the example of what is wrong on hidden rows is %+v", e)
	}
	if _, e = of("high-and-strong", strings.ReplaceAll(tooStrong, ">", ">=")); len(e.Tables) != 0 {
		t.Errorf("a right answer has the example %+v", e)
	}
	const onlyCounted = "SELECT a.name, b.name FROM apiary a JOIN care c USING (apiary_id) JOIN beekeeper b " +
		"USING (beekeeper_id) ORDER BY 1, 2"
	if _, e = of("who-looks-after-what", onlyCounted); len(e.Tables) != 0 {
		t.Errorf("an exercise that shows only how many rows are expected has the example %+v", e)
	}
}
