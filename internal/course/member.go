package course

import (
	"context"
	"regexp"
	"strings"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

var namePattern = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,62}[a-z0-9])?$`)

// A NewLearner is to be added to a course.
type NewLearner struct {
	Name, DisplayName string
	Password          string // "" has one made
}

// AddLearner adds a learner to a course, making the account where there is none. password is the one-time password, if one was made.
func (c *Courses) AddLearner(ctx context.Context, who account.Account, courseSlug string, n NewLearner) (added account.Account, password string, err error) {
	course, err := c.course(ctx, who, courseSlug)
	if err != nil {
		return added, "", err
	}
	n.Name, n.DisplayName = strings.ToLower(strings.TrimSpace(n.Name)), strings.TrimSpace(n.DisplayName)
	if !namePattern.MatchString(n.Name) {
		return added, "", problem.New(422, "learner-name", "Invalid learner name", "%q: up to 64 lower-case letters, digits, dots, hyphens and underscores are expected.", n.Name)
	}
	if n.DisplayName == "" {
		n.DisplayName = n.Name
	}
	if !records.IsText(n.DisplayName) || len(n.DisplayName) > 200 {
		return added, "", problem.New(422, "learner-name", "Invalid display name", "Up to 200 characters of text are expected.")
	}
	defer c.records.Changed(records.PapersChanged) // after the write
	row, err := c.records.AccountByName(ctx, n.Name)
	if records.Missing(err) {
		made := query.CreateAccountParams{Name: n.Name, DisplayName: n.DisplayName, Role: account.Learner}
		if n.Password == "" {
			one := c.accounts.NewOneTime()
			password, made.Password, made.OneTime, made.OneTimeUntil = one.Password, one.Hash, true, &one.Until
		} else if err := account.CheckPassword(n.Password); err != nil {
			return added, "", err
		} else {
			made.Password = c.accounts.Hash(n.Password)
		}
		err = c.records.Together(ctx, func(q *records.Transaction) error {
			row, err := q.CreateAccount(ctx, made)
			if err != nil {
				return err
			}
			added = account.Of(row)
			return q.Enrol(ctx, query.EnrolParams{CourseID: course.ID, AccountID: row.ID})
		})
		return added, password, err
	}
	if err != nil {
		return added, "", err
	}
	if added = account.Of(row); added.Role != account.Learner {
		return added, "", problem.New(409, "not-a-learner", "The account is not a learner's", "%q is an instructor's account: choose another name.", n.Name)
	}
	return added, "", c.records.Enrol(ctx, query.EnrolParams{CourseID: course.ID, AccountID: added.ID})
}

// ResetLearner gives a learner a new one-time password and ends their sessions.
func (c *Courses) ResetLearner(ctx context.Context, who account.Account, name string) (learner account.Account, password string, err error) {
	if learner, err = c.Learner(ctx, who, name); err != nil {
		return learner, "", err
	}
	one := c.accounts.NewOneTime()
	learner.OneTime = true
	err = c.records.Together(ctx, func(q *records.Transaction) error {
		if err := q.SetPassword(ctx, query.SetPasswordParams{ID: learner.ID, Password: one.Hash, OneTime: true, OneTimeUntil: &one.Until}); err != nil {
			return err
		}
		return q.DeleteOtherSessions(ctx, query.DeleteOtherSessionsParams{AccountID: learner.ID, TokenHash: []byte{}})
	})
	if err == nil {
		c.records.Changed(records.SessionsChanged)
	}
	return learner, one.Password, err
}

// Learner finds a learner's account, for an instructor.
func (c *Courses) Learner(ctx context.Context, who account.Account, name string) (account.Account, error) {
	if err := who.InstructorsOnly(); err != nil {
		return account.Account{}, err
	}
	if !records.IsText(name) {
		name = ""
	}
	row, err := c.records.AccountByName(ctx, name)
	if records.Missing(err) || err == nil && row.Role != account.Learner {
		return account.Account{}, problem.New(404, "no-learner", "There is no such learner", "No learner is called %q.", name)
	}
	return account.Of(row), err
}
