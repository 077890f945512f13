package exam

import (
	"errors"
	"testing"

	"examen/internal/records"
)

// What is known is kept only while changes are heard of, and never across one.
func TestWhatIsKnownIsForgottenWithEveryChange(t *testing.T) {
	k := newKnown()
	reads := 0
	ask := func(during func()) int {
		s, err := remember(k, k.sessions, "token", func() (Session, error) {
			reads++
			if during != nil {
				during()
			}
			return Session{Kind: Cookie}, nil
		})
		if err != nil || s.Kind != Cookie {
			t.Fatal(s, err)
		}
		return reads
	}
	for _, step := range []struct {
		what  string
		do    func()
		reads int // after two calls
	}{
		{"nothing is heard yet", func() {}, 2},
		{"changes are heard of", func() { k.listen(true) }, 3},
		{"nothing has changed", func() {}, 3},
		{"a paper has changed", func() { k.forget(records.PapersChanged) }, 3},
		{"a session has ended", func() { k.forget(records.SessionsChanged) }, 4},
		{"the connection is lost", func() { k.listen(false) }, 6},
	} {
		step.do()
		if ask(nil); ask(nil) != step.reads {
			t.Errorf("%s: %d reads, want %d", step.what, reads, step.reads)
		}
	}
	k.listen(true)
	ask(func() { k.forget(records.SessionsChanged) })
	if before := reads; ask(nil) == before {
		t.Error("what was read before a change was kept after it")
	}
	if _, err := remember(k, k.sessions, "other", func() (Session, error) { return Session{}, errors.New("down") }); err == nil || k.sessions.Contains("other") {
		t.Error("an error was kept")
	}
}
