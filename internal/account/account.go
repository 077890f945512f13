// Package account knows who somebody is: accounts with their passwords, logging in and out, the sessions that stand for
// somebody being logged in, and how much one account may ask of the service in a minute.
//
// What a caller did wrong is a [*problem.Problem]; any other error is a fault of Examen or of its records.
package account

import (
	"cmp"
	"context"
	"fmt"
	"slices"
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
	Email       string // "" for none
	// Administrator tells that they make courses and accounts.
	Administrator bool
	// Courses are those that they are in.
	Courses []Membership
	// Active tells that they may log in.
	Active bool
	// the password is a one-time password, which has to be changed first
	OneTime bool
	// OneTimeUntil is until when a one-time password is taken; nil for no end, or for another password.
	OneTimeUntil *time.Time
	// Anonymous tells that who it was is no longer known.
	Anonymous bool
	// Session identifies the session in which the account asks, where it does; nil otherwise.
	Session []byte

	passwordHash string
}

// Of converts a row of the records to an account, without its courses.
func Of(row query.Account) Account {
	return Account{
		ID: row.ID, Name: row.Name, DisplayName: row.DisplayName, Email: row.Email, OneTime: row.OneTime,
		Administrator: row.Administrator, Active: row.DeactivatedAt == nil, OneTimeUntil: row.OneTimeUntil,
		Anonymous: row.AnonymisedAt != nil, passwordHash: row.Password,
	}
}

// Accounts are all accounts of a service, in its records.
type Accounts struct {
	records   *records.Store
	now       func() time.Time
	passwords *passwords
	throttle  *Throttle
	oneTime   time.Duration // how long a one-time password is taken
	// sessions by the hash of their token, since every call asks for one
	sessions *records.Cache[string, Session]
}

// Bounds of what is kept of sessions: enough for a few courses at once. Sessions end by their own time, too, which is
// looked at with every call.
const (
	sessionsKept     = 5000
	sessionsKeptLast = 10 * time.Minute
)

// New returns the accounts in the records. The clock tells when sessions and one-time passwords end.
func New(store *records.Store, limits Limits, now func() time.Time) *Accounts {
	return &Accounts{
		records: store, now: now, passwords: newPasswords(), throttle: newThrottle(limits),
		oneTime: cmp.Or(limits.OneTime, DefaultOneTime),
		sessions: records.NewCache[string, Session](
			store, "sessions", sessionsKept, sessionsKeptLast, records.SessionsChanged, records.MembersChanged),
	}
}

// EnsureAdministrator makes the first account, an administrator's, where there is none, and returns its one-time
// password, otherwise "". One that ran out before anybody used it is replaced.
func (a *Accounts) EnsureAdministrator(ctx context.Context, name string) (password string, err error) {
	one := a.newOneTime()
	unused, err := a.records.NeverLoggedIn(ctx, name)
	if err == nil {
		return one.Password, a.records.SetPassword(ctx, query.SetPasswordParams{
			ID: unused.ID, Password: one.Hash, OneTime: true, OneTimeUntil: &one.Until,
		})
	} else if !records.Missing(err) {
		return "", err
	}
	n, err := a.records.CountAdministrators(ctx)
	if err != nil || n > 0 {
		return "", err
	}
	_, err = a.records.CreateAccount(ctx, query.CreateAccountParams{
		Name: name, DisplayName: "Instructor", Administrator: true,
		Password: one.Hash, OneTime: true, OneTimeUntil: &one.Until,
	})
	if err != nil {
		return "", fmt.Errorf("make the first account: %w", err)
	}
	return one.Password, nil
}

// MakeAdministrator makes an administrator's account with a password, where the name is not there already.
func (a *Accounts) MakeAdministrator(ctx context.Context, name, displayName, password string) (made bool, err error) {
	if _, err := a.records.AccountByName(ctx, name); !records.Missing(err) {
		return false, err
	}
	_, err = a.records.CreateAccount(ctx, query.CreateAccountParams{
		Name: name, DisplayName: displayName, Administrator: true, Password: a.passwords.hash(password),
	})
	return err == nil, err
}

// ByName finds an account with its courses. The error is one of the records: see [records.Missing].
func (a *Accounts) ByName(ctx context.Context, name string) (Account, error) {
	if !records.IsText(name) {
		name = ""
	}
	row, err := a.records.AccountByName(ctx, name)
	if err != nil {
		return Account{}, err
	}
	return a.of(ctx, row)
}

// of is the account that a row stands for, with its courses.
func (a *Accounts) of(ctx context.Context, row query.Account) (Account, error) {
	account := Of(row)
	courses, err := a.records.Memberships(ctx, row.ID)
	for _, c := range courses {
		account.Courses = append(account.Courses, Membership{c.ID, c.Slug, Role(c.Role)})
	}
	return account, err
}

// MayHandle checks whether who may change another person's account. An administrator may. So may an instructor of every
// course that the account is in, if it is a learner in all of them: otherwise one could take over an account that has
// rights in somebody else's course.
func MayHandle(who, other Account) error {
	if who.Can(Administer) {
		return nil
	}
	for _, c := range other.Courses {
		if c.Role != Learner || !who.Can(Instruct, c.Course) {
			return notAllowed("The account is in a course of others, too", "Ask an administrator.")
		}
	}
	if len(other.Courses) == 0 || other.Administrator {
		return notAllowed("Only administrators may do this", "Ask an administrator.")
	}
	return nil
}

// Other finds an account that the caller may change. A course that it has left counts as one that it is in: what was
// done there is still its instructors' to look after, and nobody else's.
func (a *Accounts) Other(ctx context.Context, who Account, name string) (Account, error) {
	if err := who.May(Prepare); err != nil {
		return Account{}, err
	}
	other, err := a.ByName(ctx, name)
	was := other
	if err == nil {
		var left []query.LeftCoursesRow
		left, err = a.records.LeftCourses(ctx, other.ID)
		was.Courses = slices.Clone(other.Courses)
		for _, c := range left {
			was.Courses = append(was.Courses, Membership{c.ID, c.Slug, Learner})
		}
	}
	if records.Missing(err) || err == nil && !who.Can(Administer) && !who.Can(Follow, was.Slugs()...) {
		return other, problem.New(
			404, "no-account", "There is no such account", "Nobody in your courses is called %q.", name,
		)
	} else if err != nil {
		return other, err
	}
	return other, MayHandle(who, was)
}

// Reset gives people new one-time passwords and ends their sessions.
func (a *Accounts) Reset(ctx context.Context, who Account, names ...string) (issued []Issued, err error) {
	params := query.ResetPasswordsParams{}
	for _, name := range names {
		other, err := a.Other(ctx, who, name)
		if err != nil {
			return nil, err
		}
		if other.Anonymous {
			return nil, problem.New(409, "anonymous", "The account is anonymous", "Nobody can log in with %s.", name)
		}
		one := a.newOneTime()
		other.OneTime, other.OneTimeUntil = true, &one.Until
		issued = append(issued, Issued{other, one.Password, one.Until})
		params.Ids, params.Passwords = append(params.Ids, other.ID), append(params.Passwords, one.Hash)
		params.Until = &one.Until
	}
	if len(issued) == 0 {
		return nil, nil
	}
	defer a.records.Changed(records.SessionsChanged) // after the write
	return issued, a.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.ResetPasswords(ctx, params); err != nil {
			return err
		}
		return t.EndSessions(ctx, params.Ids)
	})
}

// SetActive deactivates or reactivates an account. Deactivating ends its sessions; everything done with it is kept.
func (a *Accounts) SetActive(ctx context.Context, who Account, name string, active bool) (other Account, err error) {
	if other, err = a.Other(ctx, who, name); err != nil {
		return other, err
	}
	if other.ID == who.ID {
		return other, problem.New(
			409, "own-account", "This is your own account", "Another administrator can deactivate it.",
		)
	}
	other.Active = active
	defer a.records.Changed(records.SessionsChanged) // after the write
	return other, a.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.SetActive(ctx, query.SetActiveParams{ID: other.ID, Active: active}); err != nil || active {
			return err
		}
		return t.DeleteOtherSessions(ctx, query.DeleteOtherSessionsParams{AccountID: other.ID, TokenHash: []byte{}})
	})
}

// Sweep forgets log-ins that failed long ago.
func (a *Accounts) Sweep(ctx context.Context) error { return a.records.SweepLogIns(ctx) }
