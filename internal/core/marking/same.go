package marking

import (
	"cmp"
	"math"
	"slices"
	"time"
)

// An Answer is an attempt of one of a class's learners at one of a paper's exercises.
type Answer struct {
	Learner, Exercise, Attempt int64
	Received                   time.Time
	// Text stands for its text but for names, layout and letter case; "" where it cannot be read.
	Text string
}

// Same are answers of several learners to an exercise with the same text.
type Same struct {
	Exercise int64
	Answers  []Answer // the first of each learner, in the order of time
	Tried    int      // how many learners tried the exercise
	// Bits weighs how rare the text is among them: log2(Tried / len(Answers)), the information that a learner of the
	// class wrote it (Shannon 1948). Of a text that everybody writes it is 0.
	Bits float64
}

// A Pair are two learners who have rare texts in common at more than one exercise.
type Pair struct {
	Learners  [2]int64
	Exercises []int64
	Bits      float64 // the sum over the exercises, of each the rarest text
}

// Texts that at least half of a class write, or more learners than these, say nothing, and are left out; so are pairs
// whose texts weigh less than three that a quarter of the class write. Of texts that more learners share than these, no
// pairs are made.
const (
	leastBits    = 1
	leastOfAPair = 6
	mostWriters  = 25
	mostOfAGroup = 8
)

// SameOf finds which answers of a class are the same, the rarest first, and which pairs of learners have several in
// common.
func SameOf(answers []Answer) (same []Same, pairs []Pair) {
	type place struct {
		exercise int64
		text     string
	}
	tried := map[int64]map[int64]bool{}
	first := map[place]map[int64]Answer{}
	for _, a := range answers {
		if tried[a.Exercise] == nil {
			tried[a.Exercise] = map[int64]bool{}
		}
		tried[a.Exercise][a.Learner] = true
		if a.Text == "" {
			continue
		}
		at := place{a.Exercise, a.Text}
		if first[at] == nil {
			first[at] = map[int64]Answer{}
		}
		if before, has := first[at][a.Learner]; !has || a.Received.Before(before.Received) {
			first[at][a.Learner] = a
		}
	}
	for at, byLearner := range first {
		s := Same{Exercise: at.exercise, Tried: len(tried[at.exercise])}
		s.Bits = math.Log2(float64(s.Tried) / float64(len(byLearner)))
		if len(byLearner) < 2 || len(byLearner) > mostWriters || s.Bits < leastBits {
			continue
		}
		for _, a := range byLearner {
			s.Answers = append(s.Answers, a)
		}
		slices.SortFunc(s.Answers, func(a, b Answer) int {
			return cmp.Or(a.Received.Compare(b.Received), cmp.Compare(a.Attempt, b.Attempt))
		})
		same = append(same, s)
	}
	slices.SortFunc(same, func(a, b Same) int {
		return cmp.Or(cmp.Compare(b.Bits, a.Bits), cmp.Compare(a.Answers[0].Attempt, b.Answers[0].Attempt))
	})
	return same, pairsOf(same)
}

// pairsOf finds the pairs with several texts in common; same is sorted, the rarest first.
func pairsOf(same []Same) (pairs []Pair) {
	found := map[[2]int64]*Pair{}
	for _, s := range same {
		if len(s.Answers) > mostOfAGroup {
			continue
		}
		for i, a := range s.Answers {
			for _, b := range s.Answers[i+1:] {
				key := [2]int64{min(a.Learner, b.Learner), max(a.Learner, b.Learner)}
				p := entry(found, key)
				if p.Learners = key; !slices.Contains(p.Exercises, s.Exercise) {
					p.Exercises, p.Bits = append(p.Exercises, s.Exercise), p.Bits+s.Bits
				}
			}
		}
	}
	for _, p := range found {
		if len(p.Exercises) > 1 && p.Bits >= leastOfAPair {
			slices.Sort(p.Exercises)
			pairs = append(pairs, *p)
		}
	}
	slices.SortFunc(pairs, func(a, b Pair) int {
		return cmp.Or(
			cmp.Compare(b.Bits, a.Bits), cmp.Compare(a.Learners[0], b.Learners[0]), cmp.Compare(a.Learners[1],
				b.Learners[1]),
		)
	})
	return pairs
}
