package records

import (
	"errors"
	"testing"
	"time"
)

// What is kept is kept only while changes are heard of, and never across one.
func TestACacheKeepsNothingAcrossAChange(t *testing.T) {
	s := &Store{caches: map[string][]cache{}}
	c := NewCache[string, int](s, "numbers", 10, time.Hour, PapersChanged)
	reads := 0
	ask := func(during func()) int {
		if _, err := c.Load("key", func() (int, error) {
			reads++
			if during != nil {
				during()
			}
			return reads, nil
		}); err != nil {
			t.Fatal(err)
		}
		return reads
	}
	for _, step := range []struct {
		what  string
		do    func()
		reads int // after two calls
	}{
		{"nothing is heard yet", func() {}, 2},
		{"changes are heard of", func() { c.listen(true) }, 3},
		{"nothing has changed", func() {}, 3},
		{"something else has changed", func() { s.Changed(SessionsChanged) }, 3},
		{"it has changed", func() { s.Changed(PapersChanged) }, 4},
		{"the connection is lost", func() { c.listen(false) }, 6},
	} {
		step.do()
		if ask(nil); ask(nil) != step.reads {
			t.Errorf("%s: %d reads, want %d", step.what, reads, step.reads)
		}
	}
	c.listen(true)
	ask(c.invalidate)
	if before := reads; ask(nil) == before {
		t.Error("what was read before a change was kept after it")
	}
	for range 2 {
		if _, err := c.Load("other", func() (int, error) { return 0, errors.New("down") }); err == nil {
			t.Error("an error was kept")
		}
	}
}

func TestACacheKeepsNothingForEver(t *testing.T) {
	c := NewCache[string, int](&Store{caches: map[string][]cache{}}, "numbers", 10, time.Millisecond, PapersChanged)
	c.listen(true)
	reads := 0
	read := func() (int, error) { reads++; return 0, nil }
	for limit := time.Now().Add(time.Minute); reads < 2; {
		if _, err := c.Load("key", read); err != nil || time.Now().After(limit) {
			t.Fatalf("it is still there, %v", err)
		}
	}
}
