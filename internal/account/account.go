// Package account knows who somebody is: accounts with their passwords, logging in and out, the sessions that stand for somebody being logged in, and how much
// one account may ask of the service in a minute.
//
// What a caller did wrong is a [*problem.Problem]; any other error is a fault of Examen or of its records.
package account

import (
	"context"
	"fmt"
	"time"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// An Account is somebody who may log in.
type Account struct {
	ID          int64
	Name        string
	DisplayName string
	Role        string
	// the password is a one-time password, which has to be changed first
	OneTime bool

	passwordHash string
	oneTimeUntil *time.Time
}

// Of is the account that a row of the records stands for.
func Of(row query.Account) Account {
	return Account{
		ID: row.ID, Name: row.Name, DisplayName: row.DisplayName, Role: row.Role, OneTime: row.OneTime,
		passwordHash: row.Password, oneTimeUntil: row.OneTimeUntil,
	}
}

// Roles of accounts.
const (
	Instructor = "instructor"
	Learner    = "learner"
)

// InstructorsOnly is the problem of a call that the account may not make; nil for instructors.
func (a Account) InstructorsOnly() error {
	if a.Role == Instructor {
		return nil
	}
	return problem.New(403, "not-allowed", "Only instructors may do this", "Log in as an instructor.")
}

// Accounts are all accounts of a service, in its records.
type Accounts struct {
	records   *records.Store
	now       func() time.Time
	passwords *passwords
	throttle  *throttle
	// sessions by the hash of their token, since every call asks for one
	sessions *records.Cache[string, Session]
}

// Bounds of what is kept of sessions: enough for a few courses at once. Sessions end by their own time, too, which is looked at with every call.
const (
	sessionsKept     = 5000
	sessionsKeptLast = 10 * time.Minute
)

// New returns the accounts in the records. The clock tells when sessions and one-time passwords end.
func New(store *records.Store, limits Limits, now func() time.Time) *Accounts {
	return &Accounts{
		records: store, now: now, passwords: newPasswords(), throttle: newThrottle(limits),
		sessions: records.NewCache[string, Session](store, records.SessionsChanged, sessionsKept, sessionsKeptLast),
	}
}

// EnsureInstructor makes the first instructor's account where there is none, and returns its one-time password, otherwise "". One that ran out
// before anybody used it is replaced.
func (a *Accounts) EnsureInstructor(ctx context.Context, name string) (password string, err error) {
	one := a.NewOneTime()
	unused, err := a.records.NeverLoggedIn(ctx, name)
	if err == nil {
		return one.Password, a.records.SetPassword(ctx, query.SetPasswordParams{ID: unused.ID, Password: one.Hash, OneTime: true, OneTimeUntil: &one.Until})
	} else if !records.Missing(err) {
		return "", err
	}
	n, err := a.records.CountInstructors(ctx)
	if err != nil || n > 0 {
		return "", err
	}
	_, err = a.records.CreateAccount(ctx, query.CreateAccountParams{
		Name: name, DisplayName: "Instructor", Role: Instructor, Password: one.Hash, OneTime: true, OneTimeUntil: &one.Until,
	})
	if err != nil {
		return "", fmt.Errorf("make the first instructor's account: %w", err)
	}
	return one.Password, nil
}

// MakeInstructor makes an instructor's account with a password, where the name is not there already.
func (a *Accounts) MakeInstructor(ctx context.Context, name, displayName, password string) (made bool, err error) {
	if _, err := a.records.AccountByName(ctx, name); !records.Missing(err) {
		return false, err
	}
	_, err = a.records.CreateAccount(ctx, query.CreateAccountParams{
		Name: name, DisplayName: displayName, Role: Instructor, Password: a.passwords.hash(password),
	})
	return err == nil, err
}
