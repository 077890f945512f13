package account

import (
	"context"
	"regexp"
	"strings"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A NewAccount is an account to be made.
type NewAccount struct {
	Name, DisplayName string
	Password          string // "" has one made
	Administrator     bool
}

var namePattern = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,62}[a-z0-9])?$`)

// Checked fills in the defaults of a new account, or returns what is wrong with it.
func (n NewAccount) Checked() (NewAccount, error) {
	n.Name, n.DisplayName = strings.ToLower(strings.TrimSpace(n.Name)), strings.TrimSpace(n.DisplayName)
	if n.DisplayName == "" {
		n.DisplayName = n.Name
	}
	switch {
	case !namePattern.MatchString(n.Name):
		return n, problem.New(422, "login", "Invalid login",
			"%q: up to 64 lower-case letters, digits, dots, hyphens and underscores are expected.", n.Name)
	case !records.IsText(n.DisplayName) || len(n.DisplayName) > 200:
		return n, problem.New(422, "display-name", "Invalid display name", "Up to 200 characters of text are expected.")
	case n.Password != "":
		return n, CheckPassword(n.Password)
	}
	return n, nil
}

// Make creates a checked account within a transaction. It returns the one-time password if one was generated.
func (a *Accounts) Make(ctx context.Context, t *records.Transaction, n NewAccount) (
	made Account, password string, err error,
) {
	row := query.CreateAccountParams{Name: n.Name, DisplayName: n.DisplayName, Administrator: n.Administrator}
	if n.Password == "" {
		one := a.newOneTime()
		password, row.Password, row.OneTime, row.OneTimeUntil = one.Password, one.Hash, true, &one.Until
	} else {
		row.Password = a.passwords.hash(n.Password)
	}
	created, err := t.CreateAccount(ctx, row)
	return Of(created), password, err
}

// Create creates an account that is in no course yet.
func (a *Accounts) Create(ctx context.Context, who Account, n NewAccount) (made Account, password string, err error) {
	if err := who.May(Administer); err != nil {
		return made, "", err
	}
	if n, err = n.Checked(); err != nil {
		return made, "", err
	}
	err = a.records.As(ctx, who.ID, func(t *records.Transaction) (err error) {
		made, password, err = a.Make(ctx, t, n)
		return err
	})
	if records.Taken(err) {
		err = problem.New(409, "login-taken", "The login is taken",
			"There is an account %q: choose another login.", n.Name)
	}
	return made, password, err
}
