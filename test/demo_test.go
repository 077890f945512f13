package test

import (
	"slices"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// What the demo's learners submit comes out as it should: nothing there is marked by chance.
func TestTheDemosAnswers(t *testing.T) {
	teacher := whole.Hazel(t)
	must := func(_ any, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(client.Read[client.Course](teacher.CreateCourse(ctx, client.NewCourse{Slug: "all-open", Title: "All open"})))
	must(client.Read[client.AddedMember](teacher.AddMember(
		ctx, "all-open", client.NewMember{Name: "eager", Password: demo.LearnerPassword},
	)))
	c := whole.As(t, whole.Shared.URL, "eager", demo.LearnerPassword)
	_, beginner := whole.Newcomer(t)
	for paper, exercises := range demo.Answers {
		who := beginner
		if paper != "first-look" { // it is set for one course in all that follows
			who = c
			must(client.Read[client.CoursePaper](
				teacher.SetPaper(ctx, "all-open", paper, client.PaperSetting{Rules: &client.PaperRules{}}),
			))
		}
		for _, e := range exercises {
			outcome := func(sql string) client.Attempt {
				a, err := client.Read[client.Attempt](who.Submit(ctx, paper, e.Slug, client.Submission{Sql: sql}))
				must(a, err)
				return a
			}
			for _, sql := range e.Right {
				if a := outcome(sql); a.Outcome != client.Correct {
					t.Errorf("%s: %s\n%s: %+v", e.Slug, sql, a.Outcome, a.Findings)
				}
			}
			for _, sql := range e.Mistakes {
				if a := outcome(sql); a.Outcome == client.Correct || len(a.Findings) == 0 && a.Error.Detail == "" {
					t.Errorf("%s: %s\n%s: %+v", e.Slug, sql, a.Outcome, a.Findings)
				}
			}
		}
	}
}

// The demo is a term of two courses: a paper that is closed, its marks released; one that is open; one to come; an
// examination that some are writing; and weeks of attempts, in the order in which they came.
func TestTheDemosTerm(t *testing.T) {
	s := whole.Start(t, "demo", "--data-dir", whole.DataDir(t))
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	extensions, members := 0, 0
	var due time.Time
	for course, want := range map[string]map[string]client.PaperState{
		"evening-group": {
			"before-the-season": client.Closed, "first-look": client.Open,
			"what-is-missing": client.Upcoming, "in-the-honey-room": client.Open,
		},
		"morning-group": {
			"before-the-season": client.Closed, "what-is-missing": client.Open,
			"in-the-honey-room": client.Upcoming,
		},
	} {
		detail, err := client.Read[client.CourseDetail](teacher.GetCourse(ctx, course))
		if err != nil || len(detail.Papers) != len(want) {
			t.Fatalf("%s: %d papers, %v", course, len(detail.Papers), err)
		}
		members += len(detail.Members) - 1 // hazel
		for _, p := range detail.Papers {
			extensions += p.Extensions
			if p.State != want[p.Paper] {
				t.Errorf("%s, %s: %s", course, p.Paper, p.State)
			}
			if course == "evening-group" && p.Paper == "before-the-season" {
				if due = p.Due; p.Released.IsZero() {
					t.Error("its marks are not released")
				}
			}
		}
		for _, m := range detail.Members {
			if m.Role == client.Learner && m.Group == "" {
				t.Errorf("%s is in no group", m.Name)
			}
		}
	}
	if extensions < 2 || members != demo.MemberCount() {
		t.Errorf("%d extensions, %d members", extensions, members)
	}
	writing, err := client.Read[[]client.Candidate](teacher.ListCandidates(ctx, "evening-group", "in-the-honey-room"))
	if err != nil || len(writing) < 3 {
		t.Errorf("%d are writing the examination, %v", len(writing), err)
	}
	for _, name := range []string{"robin", "una", "chidi", "ravi", "freya"} {
		page, err := client.Read[client.HistoryPage](
			teacher.ListHistory(ctx, &client.ListHistoryParams{Learner: name, Limit: 500}),
		)
		if err != nil || len(page.Entries) < 3 {
			t.Fatalf("%s: %d entries, %v", name, len(page.Entries), err)
		}
		first, last := page.Entries[len(page.Entries)-1].At, page.Entries[0].At
		if last.Sub(first) < 6*24*time.Hour || last.After(time.Now()) {
			t.Errorf("%s works from %v to %v", name, first, last)
		}
		for i, e := range page.Entries {
			if i > 0 && e.At.After(page.Entries[i-1].At) {
				t.Errorf("%s: entry %s is later than the one after it", name, e.Id)
			}
		}
	}
	closed, err := client.Read[client.HistoryPage](
		teacher.ListHistory(ctx, &client.ListHistoryParams{Paper: "before-the-season", Limit: 500}),
	)
	if err != nil || !slices.ContainsFunc(closed.Entries, func(e client.HistoryEntry) bool {
		return e.At.After(due) && e.At.Before(due.Add(48*time.Hour))
	}) {
		t.Errorf("nobody came late, %v", err)
	}
	papers, err := client.Read[[]client.PaperSummary](
		whole.As(t, s.URL, demo.LearnerName, demo.LearnerPassword).ListPapers(ctx),
	)
	if err != nil || len(papers) != 4 {
		t.Errorf("%s has %d papers, %v", demo.LearnerName, len(papers), err)
	}
}
