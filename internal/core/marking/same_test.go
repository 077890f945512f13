package marking

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// What many write weighs little, what few write weighs much, and what everybody writes nothing; two learners stand out
// where it is so at several exercises.
func TestSameOf(t *testing.T) {
	at := time.Date(2026, 11, 26, 18, 0, 0, 0, time.UTC)
	var answers []Answer
	write := func(exercise, learner int64, text string) {
		answers = append(answers, Answer{learner, exercise, int64(len(answers) + 1), at, text})
		at = at.Add(time.Minute)
	}
	for learner := int64(1); learner <= 16; learner++ {
		write(1, learner, "what everybody writes")
		write(2, learner, map[bool]string{true: "what a quarter write", false: fmt.Sprint("own ",
			learner)}[learner <= 4])
		write(3, learner, map[bool]string{true: "what two write", false: ""}[learner == 3 || learner == 9])
	}
	write(2, 3, "what a quarter write") // the same learner again
	write(2, 3, "odd")
	write(2, 9, "odd")
	same, pairs := SameOf(answers)
	var got []string
	for _, s := range same {
		got = append(got, fmt.Sprintf("%d: %s, %d of %d, %.0f bits", s.Exercise, s.Answers[0].Text, len(s.Answers),
			s.Tried, s.Bits))
	}
	want := "3: what two write, 2 of 16, 3 bits; 2: odd, 2 of 16, 3 bits; 2: what a quarter write, 4 of 16, 2 bits"
	if all := strings.Join(got, "; "); all != want {
		t.Errorf("got %s, want %s", all, want)
	}
	if said := fmt.Sprint(pairs); said != "[{[3 9] [2 3] 6}]" {
		t.Errorf("pairs: %s", said)
	}
	if same, pairs := SameOf(nil); same != nil || pairs != nil {
		t.Errorf("of nothing: %v, %v", same, pairs)
	}
}
