package console

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// enters writes into a form's field, which is found by the beginning of its label.
func (w *window) enters(form, label, text string) {
	w.t.Helper()
	w.says(fmt.Sprintf(`form[aria-label^=%q] label`, form), "^"+label).MustElement("input, textarea").
		MustSelectAllText().MustInput(text)
}

// picks chooses in a form's field.
func (w *window) picks(form, label, choice string) {
	w.t.Helper()
	w.chooses(fmt.Sprintf(`form[aria-label^=%q] label`, form), "^"+label, choice)
}

// setsTime gives a form's field a time, as its clocks show it.
func (w *window) setsTime(form, label, wall string) {
	w.t.Helper()
	e := w.says(fmt.Sprintf(`form[aria-label^=%q] label`, form), "^"+label).MustElement("input")
	e.MustEval(`wall => {
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(this, wall);
		this.dispatchEvent(new Event("input", { bubbles: true }));
	}`, wall)
}

// A course is made, filled from a roster and given a paper, all in the console; a member's account is looked after
// there.
func TestACourseInTheConsole(t *testing.T) {
	w := author(t, "/courses")
	w.click("button", "^New course")
	w.enters("New course", "Title", "Sunday keepers")
	w.enters("New course", "Time zone", "Europe/Lisbon")
	w.click("form button", "^Make it$")
	w.says("h1", "^Sunday keepers$")
	w.says("#content", "by the clocks of Europe/Lisbon")

	w.click("button", "^Add somebody")
	w.enters("Add somebody", "Login", "maud-console")
	w.enters("Add somebody", "Name", "Maud Ferrow")
	w.click("form button", "^Add$")
	w.says(".slips", "Maud Ferrow")
	w.click(".slips button", "^Put them away$")

	file := filepath.Join(t.TempDir(), "roster.csv")
	lines := "Who,Number,Group\nMaud Ferrow,maud-console,Monday\nIris Calder,iris-console,Monday\nNobody,,Monday\n"
	if err := os.WriteFile(file, []byte(lines), 0o600); err != nil {
		t.Fatal(err)
	}
	w.click("a", "^Import a roster")
	w.element("input[type=file]").MustSetFiles(file)
	w.says("[role=status]", "^0 new, 0 changed, 0 the same, 3 wrong")
	w.says(".roster-line", "No column is called login or e-mail")
	w.chooses("details label", "^login", "Number")
	w.says("[role=status]", "^1 new, 1 changed, 0 the same, 1 wrong")
	w.chooses("details label", "^name", "Who")
	w.says(".roster-line[data-state=new]", "Iris Calder")
	w.click("label", "Leave the 1 wrong line out")
	w.click("button", "^Import 2$")
	w.says("[role=status]", "Done: 1 added, 1 changed")
	w.says(".slips li", "iris-console")
	w.click("a", "^Back to the course$")
	w.says(".people tr", "Maud Ferrow.*Monday")

	w.click("button", "^Set a paper")
	w.picks("Set a paper", "Paper", "A first look at the hives")
	w.setsTime("Set a paper", "Opens", "2026-09-01T08:00")
	w.setsTime("Set a paper", "Due", "2037-03-29T01:30") // which the clocks skip
	w.click("form button", "^Set it$")
	if w.count("input[type=datetime-local]:invalid") != 1 {
		t.Error("a time that does not come is taken")
	}
	w.setsTime("Set a paper", "Due", "2037-07-01T12:00")
	w.picks("Set a paper", "Marks and findings", "after the due time")
	w.picks("Set a paper", "After the due time", "accepted, with a deduction for each hour")
	w.click("form button", "^Set it$")
	w.says(".course .papers", "Due Wed, 1 Jul 2037, 12:00") // by the clocks of Lisbon, in summer
	w.says(".course .papers", "told after the due time")
	detail, err := client.Read[client.CourseDetail](whole.Hazel(t).GetCourse(ctx, "sunday-keepers"))
	if err != nil || !detail.Papers[0].Due.Equal(time.Date(2037, 7, 1, 11, 0, 0, 0, time.UTC)) {
		t.Errorf("got %+v, %v", detail.Papers, err)
	}

	w.click("button", "^Extensions")
	w.picks("Extension of", "For", "Group Monday")
	w.setsTime("Extension of", "Until", "2037-07-08T12:00")
	w.enters("Extension of", "Reason", "the power was out")
	w.click("form button", "^Give more time$")
	w.says(".extensions li", "Group Monday, until Wed, 8 Jul 2037, 12:00: the power was out")

	w.click(`button[aria-label="Change … Maud Ferrow"]`, "")
	w.click("button", "^Let log in no longer$")
	w.says(".people tr", "deactivated")
	w.click("button", "^Make anonymous")
	w.click("button", "^Make anonymous for good$")
	w.says(".people tr", "^Anonymous ")

	w.click("a", "^Log$")
	w.says(".log-lines", "gave the group Monday an extension for first-look.*the power was out")
	w.says(".log-lines", "made the course sunday-keepers")
}

// On a learner's page what an instructor says to all appears at once; the page follows when a paper is due, and once
// marks are told it shows them.
func TestAPapersNewsReachTheLearner(t *testing.T) {
	whole.PaperOf(t, "news-console", [2]string{"points: 2", "SELECT count(*) FROM star"})
	teacher := whole.Hazel(t)
	set := func(n client.PaperSetting) {
		t.Helper()
		if _, err := client.Read[client.CoursePaper](
			teacher.SetPaper(ctx, "evening-group", "news-console", n),
		); err != nil {
			t.Fatal(err)
		}
	}
	set(client.PaperSetting{
		Due: time.Now().Add(time.Hour), Rules: &client.PaperRules{Tell: client.TellReleased, Answers: true},
	})
	name, learner := whole.Newcomer(t)
	w := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	w.visit("/papers/news-console")
	w.says(".strip p", "told when your instructor releases them")
	w.write("exercise-number-1", "SELECT count(*) FROM star")
	w.click(in("exercise-number-1", "button"), "^Submit$")
	w.says(in("exercise-number-1", ".standing"), `Submitted[\s\S]*told later`)
	if w.count(`[data-outcome="correct"], .reference`) > 0 {
		t.Error("it is told already")
	}
	if _, err := client.Read[client.Notice](teacher.TellAll(ctx, "evening-group", "news-console", client.NewNotice{
		Text: "All stars count, dim ones too.",
	})); err != nil {
		t.Fatal(err)
	}
	w.says(".notice-band", "Hazel Underhill, .*: All stars count")
	w.click(".notice-band button", "I have read it")
	if _, err := client.Read[client.Extension](teacher.ExtendPaper(ctx, "evening-group", "news-console",
		client.NewExtension{
			Learner: name, Due: time.Now().Add(100 * time.Hour), Reason: "was ill",
		})); err != nil {
		t.Fatal(err)
	}
	w.says(".strip p", "in 4 days")
	if _, err := client.Read[client.CoursePaper](
		teacher.ReleaseMarks(ctx, "evening-group", "news-console", client.Released{Released: true}),
	); err != nil {
		t.Fatal(err)
	}
	w.says(in("exercise-number-1", ".standing"), "Correct, 2 of 2 points")
	if e, err := client.Read[client.Exercise](learner.GetExercise(ctx, "news-console", "1")); err != nil ||
		e.ReferenceAnswer != "" {
		t.Errorf("while somebody can submit, the answer is shown: %+v, %v", e, err)
	}
	if _, err := teacher.TakeBackExtension(ctx, "evening-group", "news-console", &client.TakeBackExtensionParams{
		Learner: name,
	}); err != nil {
		t.Fatal(err)
	}
	set(client.PaperSetting{Due: time.Now().Add(-time.Second)})
	w.says(".strip p", "Closed on")
	w.says(in("exercise-number-1", ".reference summary"), "Reference answer")
}

// An examination begins when its learner begins it, and is written in one browser at a time.
func TestAnExaminationInTheConsole(t *testing.T) {
	whole.PaperOf(t, "exam-console", [2]string{"points: 2", "SELECT count(*) FROM star"})
	if _, err := client.Read[client.CoursePaper](
		whole.Hazel(t).SetPaper(ctx, "evening-group", "exam-console", client.PaperSetting{
			Opens: time.Now().Add(-time.Hour), Due: time.Now().Add(3 * time.Hour),
			Rules: &client.PaperRules{Examination: client.ExaminationRules{Minutes: 50}},
		}),
	); err != nil {
		t.Fatal(err)
	}
	name, _ := whole.Newcomer(t)
	first := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	first.visit("/")
	first.says(".papers", "Examination of 50 minutes, to be begun by")
	first.visit("/papers/exam-console")
	first.says("#content", "It lasts 50 minutes")
	first.click("button", "^Begin the examination$")
	first.says(".strip p", "in 50 minutes")
	first.write("exercise-number-1", "SELECT 17")
	first.says(in("exercise-number-1", ".draft-state"), "Draft saved")
	second := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	second.visit("/papers/exam-console")
	second.says("#content", "being written in another browser")
	second.click("button", "^Go on here$")
	second.says(in("exercise-number-1", ".sql"), "SELECT 17")
	first.says("#content", "being written in another browser") // it is told at once
	w := author(t, "/courses/evening-group")
	w.click("li:has(a[href='/papers/exam-console']) button", "^Who has begun")
	w.says("li:has(a[href='/papers/exam-console'])", "went on in another browser once")
}

// Whose marks would change is shown, and they change when that is confirmed.
func TestCheckingAgainInTheConsole(t *testing.T) {
	attempt := whole.PaperOf(t, "again-console", [2]string{"points: 2", "SELECT count(*) FROM star"})
	_, learner := whole.Newcomer(t)
	attempt(learner, 1, "SELECT count(*) FROM star WHERE class > 0")
	w := author(t, "/papers/again-console/write")
	w.opens("exercise-number-1")
	w.fills("Accepted answer", "SELECT count(*) FROM star WHERE class <> 0")
	w.isSaved()
	w.publishes("accepted answers")
	w.visit("/papers/again-console/recheck")
	w.click("button", "^Look whose marks")
	w.says("[role=status]", "1 attempt checked again; 1 mark would change")
	w.says("tbody tr", "Incorrect, 0.*Correct, 2")
	w.click("button", "^Have the marks changed$")
	w.says("[role=status]", "1 mark changed")
	if e, err := client.Read[client.Exercise](learner.GetExercise(ctx, "again-console", "1")); err != nil ||
		e.Mark.String() != "2" || e.Latest.Rechecked.IsZero() {
		t.Errorf("got %+v, %v", e, err)
	}
}
