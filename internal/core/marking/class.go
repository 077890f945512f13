package marking

import (
	"cmp"
	"slices"
	"time"
)

// A Try is an attempt of one of a class's learners at an exercise, with what holds of its check.
type Try struct {
	ID       int64
	Learner  int64
	Received time.Time
	Outcome  Outcome
	Kinds    []string // of its findings, or of its error
	Result   string   // a fingerprint of its result, "" without one: the same for the same rows
	Tree     string   // stands for its text but for names, layout and literals; "" where it cannot be read
}

// A Bar is one of a distribution: how many learners there are who solved an exercise, and who have not, by a number.
type Bar struct {
	At               int
	Solved, Unsolved int
}

// A Kind is a kind of finding, with how many attempts and learners had it.
type Kind struct {
	Kind               string
	Attempts, Learners int
	Example            int64 // the latest attempt that had it
}

// A Day is the first tries of learners on a day.
type Day struct {
	Day            time.Time // its beginning
	Correct, Other int
}

// Alike are wrong attempts that are alike: with the same result, or the same text but for names, layout and literals.
type Alike struct {
	Attempts, Learners int
	Example            int64 // the latest of those with the result that most of them have
	All                []int64
}

// A Class is how a class gets on with an exercise.
type Class struct {
	Attempts, Tried, Solved int
	Tries                   []Bar  // by the number of attempts, up to the first that was correct
	Kinds                   []Kind // the most frequent first
	Firsts                  []Day
	Alike                   []Alike // those of most learners first; attempts that are like no other are left out
}

// ClassOf computes how a class gets on from all attempts at an exercise, in the order of their numbers. Days are those
// of a zone.
func ClassOf(tries []Try, zone *time.Location) (c Class) {
	c.Attempts = len(tries)
	byLearner := map[int64][]Try{}
	for _, t := range tries {
		byLearner[t.Learner] = append(byLearner[t.Learner], t)
	}
	bars, days := map[int]*Bar{}, map[time.Time]*Day{}
	for _, own := range byLearner {
		slices.SortStableFunc(own, func(a, b Try) int { return a.Received.Compare(b.Received) })
		first := own[0].Received.In(zone)
		day := entry(days, time.Date(first.Year(), first.Month(), first.Day(), 0, 0, 0, 0, zone))
		if own[0].Outcome == Correct {
			day.Correct++
		} else {
			day.Other++
		}
		solved := slices.IndexFunc(own, func(t Try) bool { return t.Outcome == Correct })
		if solved >= 0 {
			c.Solved++
			entry(bars, solved+1).Solved++
		} else {
			entry(bars, len(own)).Unsolved++
		}
	}
	c.Tried = len(byLearner)
	for at, bar := range bars {
		c.Tries = append(c.Tries, Bar{at, bar.Solved, bar.Unsolved})
	}
	slices.SortFunc(c.Tries, func(a, b Bar) int { return a.At - b.At })
	for at, day := range days {
		c.Firsts = append(c.Firsts, Day{at, day.Correct, day.Other})
	}
	slices.SortFunc(c.Firsts, func(a, b Day) int { return a.Day.Compare(b.Day) })
	c.Kinds = kindsOf(tries)
	c.Alike = alike(tries)
	return c
}

// entry returns a key's value, which is made where there is none.
func entry[K comparable, V any](all map[K]*V, key K) *V {
	if all[key] == nil {
		all[key] = new(V)
	}
	return all[key]
}

func kindsOf(tries []Try) (kinds []Kind) {
	found := map[string]*Kind{}
	learners := map[string]map[int64]bool{}
	for _, t := range tries {
		for i, kind := range t.Kinds {
			if slices.Contains(t.Kinds[:i], kind) {
				continue
			}
			k := entry(found, kind)
			k.Attempts++
			k.Example = t.ID
			if learners[kind] == nil {
				learners[kind] = map[int64]bool{}
			}
			learners[kind][t.Learner] = true
		}
	}
	for kind, k := range found {
		kinds = append(kinds, Kind{kind, k.Attempts, len(learners[kind]), k.Example})
	}
	slices.SortFunc(kinds, func(a, b Kind) int {
		return cmp.Or(b.Attempts-a.Attempts, cmp.Compare(a.Kind, b.Kind))
	})
	return kinds
}

// alike finds the wrong attempts that are alike. Whatever is like one of a group is of the group.
func alike(tries []Try) (groups []Alike) {
	var wrong []Try
	for _, t := range tries {
		if t.Outcome != Correct {
			wrong = append(wrong, t)
		}
	}
	of := make([]int, len(wrong)) // by what they are joined, in the end their group's first
	for i := range of {
		of[i] = i
	}
	root := func(i int) int {
		for of[i] != i {
			of[i] = of[of[i]]
			i = of[i]
		}
		return i
	}
	first := map[[2]string]int{}
	join := func(i int, by, value string) {
		if value == "" {
			return
		}
		key := [2]string{by, value}
		if other, ok := first[key]; ok {
			a, b := root(other), root(i)
			of[max(a, b)] = min(a, b)
		} else {
			first[key] = i
		}
	}
	for i, t := range wrong {
		join(i, "result", t.Result)
		join(i, "tree", t.Tree)
	}
	members := map[int][]Try{}
	for i, t := range wrong {
		members[root(i)] = append(members[root(i)], t)
	}
	for _, all := range members {
		if len(all) > 1 {
			groups = append(groups, groupOf(all))
		}
	}
	slices.SortFunc(groups, func(a, b Alike) int {
		return cmp.Or(b.Learners-a.Learners, b.Attempts-a.Attempts, cmp.Compare(a.All[0], b.All[0]))
	})
	return groups
}

func groupOf(all []Try) Alike {
	learners, results := map[int64]bool{}, map[string]int{}
	g := Alike{Attempts: len(all)}
	most := 0
	for _, t := range all {
		learners[t.Learner] = true
		results[t.Result]++
		g.All = append(g.All, t.ID)
		most = max(most, results[t.Result])
	}
	g.Learners = len(learners)
	for _, t := range all {
		if results[t.Result] == most {
			g.Example = t.ID
		}
	}
	return g
}
