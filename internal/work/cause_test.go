package work

import (
	"context"
	"log/slog"
	"runtime"
	"testing"
	"time"
)

// Where more causes are wanted than can be looked for at once, the latest is the first to have its turn, and one that
// is given up waits no longer; where many wait, half of the turns are left to submissions.
func TestTurnsOfCauses(t *testing.T) {
	defer func(was time.Duration) { causeWithin = was }(causeWithin)
	causeWithin = time.Hour // whatever machine this is
	c := newCauses(2, slog.New(slog.DiscardHandler))
	waiting := func(n int) {
		for {
			c.mu.Lock()
			now := len(c.waiting)
			c.mu.Unlock()
			if now == n {
				return
			}
			runtime.Gosched()
		}
	}
	for range 2 {
		if !c.turn(context.Background()) {
			t.Fatal("two may look at once, and do not")
		}
	}
	var all []chan struct{}
	begun, goOn := make(chan int64), make(chan struct{})
	for n := range int64(2*manyWait + 1) {
		all = append(all, c.begin(n, func(context.Context) {
			begun <- n
			<-goOn
		}))
		waiting(int(n) + 1)
	}
	late, stop := context.WithCancel(context.Background())
	stop()
	if c.turn(late) {
		t.Error("one that was given up has a turn")
	}
	c.end()
	waiting(len(all)) // the one turn that is free is left to submissions
	c.end()
	first, second := <-begun, <-begun
	if first+second != int64(len(all)-1+len(all)-2) {
		t.Errorf("of %d the turn is had by %d and %d", len(all), first, second)
	}
	close(goOn)
	for range len(all) - 2 {
		<-begun
	}
	for _, done := range all {
		<-done
	}
}
