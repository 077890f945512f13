package records

import (
	"context"
	"fmt"
	"strings"
)

// What an account has asked for within a minute is counted where it asks. Services tell each other of those who ask for
// much, so that what is too much is so in all of them together.

// spentTopic begins what is told of it.
const spentTopic = "spent "

// TellSpent tells other services what an account has asked for since it was told last: so many calls, and bytes of text
// to be stored.
func (s *Store) TellSpent(ctx context.Context, account int64, calls, bytes int) error {
	_, err := s.pool.Exec(ctx, "SELECT pg_notify('examen_changes', $1)",
		fmt.Sprint(spentTopic, s.name, " ", account, " ", calls, " ", bytes))
	return err
}

// HearSpent has f called with what accounts have asked for of other services. It needs [Store.Follow].
func (s *Store) HearSpent(f func(account int64, calls, bytes int)) {
	s.mu.Lock()
	s.spent = f
	s.mu.Unlock()
}

func (s *Store) hearSpent(told string) {
	var by string
	var account int64
	var calls, bytes int
	_, err := fmt.Fscan(strings.NewReader(told), &by, &account, &calls, &bytes)
	s.mu.Lock()
	f := s.spent
	s.mu.Unlock()
	if err == nil && by != s.name && f != nil {
		f(account, calls, bytes)
	}
}
