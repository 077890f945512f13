package console

import (
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A wrong answer that would pass stands in the margin; the rows that are proposed are added, and it is gone there, and
// caught where a learner submits it.
func TestAWrongAnswerThatPassesIsSeenAndCaught(t *testing.T) {
	t.Parallel()
	folder := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", folder)
	wrong := client.Submission{Sql: "SELECT grade_code, count(*), sum(weight_kg) FROM harvest GROUP BY grade_code " +
		"HAVING sum(weight_kg) >= 499.99 ORDER BY 3 DESC"}
	submit := func(name string) client.Attempt {
		t.Helper()
		learner := whole.As(t, s.URL, name, demo.LearnerPassword)
		a, err := client.Read[client.Attempt](learner.Submit(ctx, "first-look", "harvest-by-grade", wrong))
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	if a := submit("robin"); a.Outcome != client.Correct {
		t.Fatalf("no grade has 499.99 kg, so it passes: %+v", a)
	}

	w := open(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/first-look/write")
	w.says("#harvest-by-grade .check-note", "takes 499.99 for 500 would pass: no group has exactly 499.99 as its sum")
	w.says("#harvest-by-grade .wrong-answer ins", "^499.99$")
	w.says("#harvest-by-grade .strength", "16 of 17 mutations are told apart; 1 survives")
	w.click("#harvest-by-grade .strength a", "Search for rows")
	w.click(".strengthen button", "^Search for rows$")
	w.says(".proposals h2", "A row of harvest with weight_kg 499.99")
	w.says(".proposals .told", "harvest-by-grade: An answer that takes 499.99 for 500 would pass")
	w.click(".strengthen summary", "script")
	w.says(".strengthen .sql", "INSERT INTO harvest")
	w.click(".strengthen button", "^Add them as the variant close-calls$")
	w.says(".strengthen p strong", "The variant close-calls of apiary has the rows, as of build 2")
	w.click(".strengthen a", "Back to writing")
	w.says("#harvest-by-grade .strength", "17 of 17 mutations are told apart\\.$")
	if n := w.count("#harvest-by-grade .wrong-answer"); n != 0 {
		t.Errorf("%d wrong answers would pass still", n)
	}

	// A weak exercise may be published, which says so; the bank has its number.
	w.opens("which-colours")
	w.fills("Accepted answer of", "SELECT DISTINCT colour FROM hive WHERE hive_id < 9999")
	w.isSaved()
	w.publishes("Which colours")
	w.says(".publish .strengths", "5. Which colours: .* survive")
	w.visit("/exercises?text=kilograms")
	w.says(".found li", "17 of 17 mutations are told apart")

	if a := submit("wren"); a.Outcome != client.Incorrect || len(a.Findings) != 1 ||
		!strings.Contains(a.Findings[0].Sentence, "but not on others") {
		t.Errorf("it is caught, on rows that are not seen: %+v", a)
	}

	// A search goes on after the service was killed, and leaves no copy behind.
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	before := whole.Databases(t, folder, nil)
	job, err := client.Read[client.Job](teacher.StrengthenPaper(ctx, "what-is-missing", client.NewStrengthening{}))
	if err != nil {
		t.Fatal(err)
	}
	whole.Until(t, "the search has begun", func() bool {
		j, err := client.Read[client.Job](teacher.GetJob(ctx, job.Id))
		return err == nil && j.State != client.JobQueued
	})
	_ = s.Cmd.Process.Kill()
	s.Ended()
	s = whole.Start(t, "demo", "--data-dir", folder)
	last, err := client.Follow(ctx, whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword), job, nil)
	if err != nil || last.State != client.JobDone || len(last.Report.Strengthening.Left) != 0 {
		t.Errorf("got %+v, %v", last, err)
	}
	whole.Until(t, "the copies are dropped", func() bool { return len(whole.Databases(t, folder, before)) == 0 })
}
