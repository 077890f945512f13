package main

import (
	"container/heap"
	"fmt"
	"math/rand/v2"
	"runtime"
	"time"
)

// An event is a learner who has thought, or one whose turn it is to do the next thing.
type event struct {
	at      time.Duration
	learner int
	n       int   // pauses so far
	left    []int // to be done before the next pause
}

type events []event

func (e events) Len() int           { return len(e) }
func (e events) Less(i, j int) bool { return e[i].at < e[j].at }
func (e events) Swap(i, j int)      { e[i], e[j] = e[j], e[i] }
func (e *events) Push(x any)        { *e = append(*e, x.(event)) }
func (e *events) Pop() any {
	last := (*e)[len(*e)-1]
	*e = (*e)[:len(*e)-1]
	return last
}

// evenStep is that in which a learner is told what came of a submission that was checked on hidden rows, too.
const evenStep = 40 * time.Millisecond

// simulate foretells what comes of a run: learners who do the same at the same times wait for one of the processors,
// in the order in which they come, and have it for as long as what they do costs all parts together. What came of a
// submission they are told in even steps. Log-ins, which come before the time that is looked at, are left out.
func simulate(o options, c costs, processors int) *outcome {
	foretold := &outcome{}
	free := make([]time.Duration, processors) // since when each processor is, or from when on
	var coming events
	chances := make([]*rand.Rand, o.learners)
	for i := range o.learners {
		chances[i] = rand.New(rand.NewPCG(1, uint64(i)))
		first := o.coming*time.Duration(i)/time.Duration(o.learners) + think(chances[i], o.thinking)
		coming = append(coming, event{at: first, learner: i, left: next(i)})
	}
	heap.Init(&coming)
	end := o.coming + o.during
	var busy time.Duration
	for len(coming) > 0 {
		e := heap.Pop(&coming).(event)
		if e.at > end {
			continue
		}
		first := 0
		for p := range free {
			if free[p] < free[first] {
				first = p
			}
		}
		cost := c.total(e.left[0], ofService, ofRecords, ofPractice, ofLearners)
		done := max(free[first], e.at) + cost
		free[first] = done
		if e.left[0] == submit {
			done = e.at + (done-e.at+evenStep-1)/evenStep*evenStep
		}
		if e.at > o.coming {
			foretold.took[e.left[0]] = append(foretold.took[e.left[0]], done-e.at)
			busy += cost
		}
		if e.left = e.left[1:]; len(e.left) == 0 {
			e.n++
			e.left, done = next(e.n+e.learner), done+think(chances[e.learner], o.thinking)
		}
		e.at = done
		heap.Push(&coming, e)
	}
	foretold.busy = busy.Seconds() / (o.during.Seconds() * float64(processors))
	return foretold
}

// compare prints what was foretold beside what was seen.
func compare(o options, foretold, seen *outcome) {
	fmt.Printf("Each thinks %s in the mean, for %s:\n", o.thinking, o.during)
	fmt.Printf("%-22s%12s%12s%14s%14s%14s%14s\n", "foretold and seen", "a second", "seen", "median", "seen",
		"95 of 100", "seen")
	for deed := openPaper; deed < deeds; deed++ {
		fmt.Printf("%-22s", deedNames[deed])
		for _, of := range []*outcome{foretold, seen} {
			fmt.Printf("%12.1f", float64(len(of.took[deed]))/o.during.Seconds())
		}
		for _, part := range []float64{0.5, 0.95} {
			for _, of := range []*outcome{foretold, seen} {
				fmt.Printf("%14s", fmt.Sprintf("%.1f ms", milliseconds(quantile(of.took[deed], part))))
			}
		}
		fmt.Println()
	}
	fmt.Printf("%-22s%11.0f%%%11.0f%%\n\n", "processors in use", 100*foretold.busy, 100*seen.busy)
}

// atMost is how much of a processor is given to learners: above it, waiting grows fast.
const atMost = 0.7

// capacity prints for how many such learners each part of a set-up is enough.
func capacity(o options, c costs, before, after usage, seen *outcome) {
	var each [parts]float64 // processor seconds a second, of one learner
	var disk float64        // bytes a second
	for deed := openPaper; deed < deeds; deed++ {
		rate := float64(len(seen.took[deed])) / o.during.Seconds() / float64(o.learners)
		for part := range parts {
			each[part] += rate * c.processor[deed][part].Seconds()
		}
		disk += rate * c.disk[deed]
	}
	fmt.Printf("Learners at work at once who think %s, with processors at most %.0f%% in use:\n", o.thinking,
		100*atMost)
	fmt.Printf("  %-44s%10.0f\n", "a processor that all parts share", atMost/(each[0]+each[1]+each[2]))
	for part := ofService; part < ofLearners; part++ {
		fmt.Printf("  %-44s%10.0f\n", "a processor of the "+partNames[part]+" alone", atMost/each[part])
	}
	fmt.Printf("  %-44s%10.0f\n", "a practice server of "+fmt.Sprint(runtime.NumCPU())+" processors",
		atMost*float64(runtime.NumCPU())/each[ofPractice])
	fmt.Printf("  %-44s%10.0f\n", "log-ins a minute, a processor of the service",
		60*atMost/c.processor[logIn][ofService].Seconds())
	grown := int64(0)
	for part := ofService; part < ofLearners; part++ {
		grown += max(after.memory[part]-before.memory[part], 0)
	}
	fmt.Printf("  %-44s%10.0f\n", "a gigabyte of memory, beside the first",
		float64(1<<30)*float64(o.learners)/float64(grown))
	fmt.Printf("Memory: service %d MB, records %d MB, practice %d MB; %d kB more for each learner at work.\n",
		after.memory[ofService]>>20, after.memory[ofRecords]>>20, after.memory[ofPractice]>>20,
		grown/int64(o.learners)>>10)
	fmt.Printf("Disk of the records: %.1f MB an hour for 100 learners at work.\n", disk*3600*100/(1<<20))
}
