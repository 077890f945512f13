package records_test

import (
	"errors"
	"testing"
	"time"

	"examen/internal/records"
)

// What is kept is kept only while changes are heard of, and never across one.
func TestACacheKeepsNothingAcrossAChange(t *testing.T) {
	c := records.NewCache[string, int](10, time.Hour)
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
		{"changes are heard of", func() { c.Listen(true) }, 3},
		{"nothing has changed", func() {}, 3},
		{"something has changed", c.Invalidate, 4},
		{"the connection is lost", func() { c.Listen(false) }, 6},
	} {
		step.do()
		if ask(nil); ask(nil) != step.reads {
			t.Errorf("%s: %d reads, want %d", step.what, reads, step.reads)
		}
	}
	c.Listen(true)
	ask(c.Invalidate)
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
	c := records.NewCache[string, int](10, time.Millisecond)
	c.Listen(true)
	reads := 0
	read := func() (int, error) { reads++; return 0, nil }
	for limit := time.Now().Add(time.Minute); reads < 2; {
		if _, err := c.Load("key", read); err != nil || time.Now().After(limit) {
			t.Fatalf("it is still there, %v", err)
		}
	}
}
