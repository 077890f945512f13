package account

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"fmt"
	"strings"
	"time"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// shortestPassword is in characters.
const shortestPassword = 10

// SetPassword changes one's own password and ends the account's other sessions.
func (a *Accounts) SetPassword(ctx context.Context, session *Session, current, next string) error {
	origin := fmt.Sprintf("the password of %d", session.Account.ID)
	if err := a.count(ctx, origin, freeFailures); err != nil {
		return err
	}
	if !a.passwords.verify(session.Account.passwordHash, current) {
		return problem.New(
			403, "wrong-password", "The current password is wrong", "Give the password that you log in with.",
		)
	}
	if err := a.records.ClearLogIn(ctx, origin); err != nil {
		return err
	}
	if err := CheckPassword(next); err != nil {
		return err
	}
	if next == current {
		return problem.New(422, "same-password", "The new password is the current one", "Choose another.")
	}
	hash := a.passwords.hash(next)
	defer a.records.Changed(records.SessionsChanged) // after the write
	return a.records.As(ctx, session.Account.ID, func(q *records.Transaction) error {
		if err := q.SetPassword(ctx, query.SetPasswordParams{ID: session.Account.ID, Password: hash}); err != nil {
			return err
		}
		return q.DeleteOtherSessions(
			ctx, query.DeleteOtherSessionsParams{AccountID: session.Account.ID, TokenHash: session.hash},
		)
	})
}

// CheckPassword returns a problem if a password is not acceptable.
func CheckPassword(password string) error {
	if n := len([]rune(password)); n < shortestPassword || n > 200 {
		return problem.New(
			422, "password-length", "Invalid password", "It has %d characters; %d to 200 are expected.", n,
			shortestPassword,
		)
	}
	return nil
}

// DefaultOneTime is how long a one-time password is taken where nothing else is set.
const DefaultOneTime = 14 * 24 * time.Hour

// A oneTime is a password to be handed to somebody, who has to change it when they log in with it.
type oneTime struct {
	Password string
	Hash     string
	// when it is not taken any more
	Until time.Time
}

// newOneTime makes a one-time password.
func (a *Accounts) newOneTime() oneTime {
	password := oneTimePassword()
	return oneTime{password, a.passwords.quickHash(password), a.now().Add(a.oneTime)}
}

// oneTimePassword is easy to copy from paper: 80 random bits as four groups of lower-case letters and digits.
func oneTimePassword() string {
	b := make([]byte, 10)
	_, _ = rand.Read(b) // never fails
	s := strings.ToLower(base32.StdEncoding.EncodeToString(b))
	return s[:4] + "-" + s[4:8] + "-" + s[8:12] + "-" + s[12:]
}
