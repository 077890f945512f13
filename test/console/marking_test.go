package console

import (
	"strings"
	"testing"

	"examen/test/whole"

	"github.com/go-rod/rod/lib/input"

	"examen/internal/demo"
)

// keys presses keys one after another.
func (w *window) keys(keys ...rune) {
	w.t.Helper()
	for _, key := range keys {
		w.Keyboard.MustType(input.Key(key))
	}
}

// What a learner disputes is gone through by keyboard: marked, undone, written a note, left; and what is written stands
// in the learner's margin at once.
func TestMarkingByKeyboard(t *testing.T) {
	submits := whole.PaperOf(
		t, "by-keyboard", [2]string{"points: 2", "SELECT id FROM star WHERE id > 4990 ORDER BY id"},
		[2]string{"points: 1", "SELECT 1 AS one"},
	)
	name, c := whole.Newcomer(t)
	submits(c, 1, "SELECT id FROM star WHERE id >= 4990 ORDER BY id")
	submits(c, 2, "SELECT 2 AS one")
	l := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	l.visit("/papers/by-keyboard")
	for exercise, why := range map[string]string{"exercise-number-1": "From where on?",
		"exercise-number-2": "Two is better."} {
		l.told(exercise)
		l.click(in(exercise, ".notes button"), "Is this wrong")
		l.element(in(exercise, ".dispute textarea")).MustInput(why)
		l.click(in(exercise, ".dispute button"), "Dispute it")
		l.says(in(exercise, ".dispute"), "Disputed[^]*"+strings.TrimRight(why, "?."))
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/marking?paper=by-keyboard")
	w.says(".marking [role=status]", "1 of 2 attempts")
	first := w.element(".review h2").MustText()
	w.keys('n')
	w.says(".marking [role=status]", "2 of 2 attempts")
	w.keys('p')
	w.says(".review h2", first[strings.Index(first, ":"):])
	// Marked, it is off the list; undone, it is on it again, and the computed mark counts.
	mark := func(reason string) {
		w.keys('m')
		w.element(`form[aria-label="Mark by hand"]`)
		w.enters("Mark by hand", "Mark", "0.5")
		w.enters("Mark by hand", "Reason", reason)
		w.click(`form[aria-label="Mark by hand"] button`, "Set the mark")
	}
	mark("half of it")
	w.says(".marking [role=status]", "1 of 1 attempt")
	w.keys('u')
	w.says(".marking [role=status]", "of 2 attempts")
	w.keys('p', 'm')
	w.says(".mark-form", "as computed[^]*half of it[^]*taken back")
	w.Keyboard.MustType(input.Escape)
	mark("half of it after all")
	w.says(".marking [role=status]", "1 of 1 attempt")
	// A note, in the learner's margin at once, where it is seen and answered.
	w.keys('w')
	w.enters("Note to", "Note to", "One is what was asked for.")
	w.click(`form[aria-label^="Note to"] button`, "Write the note")
	w.says(".review .note", "Note by Hazel Underhill[^]*One is what was asked for.")
	noted := l.says(".notes .note", "One is what was asked for.")
	l.hit("Answer", button(noted, "Answer"))
	noted.MustElement("textarea").MustInput("I see.")
	l.hit("Send", button(noted, "Send"))
	l.says(".note-answer", "I see.")
	l.says(".notes", "Marked by hand, 0.5 of")
	w.visit("/marking?paper=by-keyboard")
	w.says(".review .note", "Seen[^]*")
	w.says(".marking [role=status]", "1 of 2 attempts") // the dispute, and the answer
	w.keys('l')
	w.says(".marking [role=status]", "1 of 1 attempt")
	w.keys('l')
	w.says(".marking [role=status]", "Nothing needs your eye")
	w.keys('u')
	w.says(".marking [role=status]", "1 of 1 attempt")
}

// A note written once to a group stands beside the group, and in the margin of whoever comes to the same later.
func TestANoteToAGroupInTheConsole(t *testing.T) {
	submits := whole.PaperOf(
		t, "noted-group", [2]string{"points: 1", "SELECT id FROM star WHERE id > 4990 ORDER BY id"},
	)
	for range 2 {
		_, c := whole.Newcomer(t)
		submits(c, 1, "SELECT id FROM star WHERE id >= 4990 ORDER BY id")
	}
	w := open(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	w.visit("/papers/noted-group/progress/exercise-number-1?course=evening-group")
	w.click(".alike button", "Write them a note")
	w.enters("Note to", "Note to", "Is 4990 one of them?")
	w.click(`form[aria-label^="Note to"] button`, "Write the note")
	w.says(".alike .note", "Is 4990 one of them[^]*reaches 2 learners; 0 have seen it. Whoever comes to the same later")
	name, _ := whole.Newcomer(t)
	l := open(t, whole.Shared.URL, name, demo.LearnerPassword)
	l.visit("/papers/noted-group")
	l.write("exercise-number-1", "SELECT s.id FROM star s WHERE NOT s.id < 4990 ORDER BY 1")
	l.press("exercise-number-1", "Submit")
	l.says(in("exercise-number-1", ".note"), "Note by Hazel Underhill[^]*Is 4990 one of them")
	w.visit("/learners/" + name + "/timeline?paper=noted-group")
	w.says(".margin .note", "Is 4990 one of them")
	w.click(".margin button", "Write a note")
	w.enters("Note to", "Note to", "Look here.")
	w.enters("Note to", "Of this part", "< 4990")
	w.click(`form[aria-label^="Note to"] button`, "Write the note")
	l.says(in("exercise-number-1", ".note .quoted"), "< 4990")
	w.hit("Take the note back", button(w.says(".margin .note", "Look here."), "Take the note back"))
	whole.Until(t, "the note is gone", func() bool { return l.count(in("exercise-number-1", ".note")) == 1 })
}
