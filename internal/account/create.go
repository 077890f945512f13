package account

import (
	"context"
	"regexp"
	"slices"
	"strings"
	"time"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A NewAccount is an account to be made.
type NewAccount struct {
	Name, DisplayName string
	Email             string // "" for none
	Password          string // "" has one made
	Administrator     bool
}

var namePattern = regexp.MustCompile(`^[a-z0-9]([a-z0-9._-]{0,62}[a-z0-9])?$`)

// Checked fills in the defaults of a new account, or returns what is wrong with it.
func (n NewAccount) Checked() (NewAccount, error) {
	n.Name, n.DisplayName = strings.ToLower(strings.TrimSpace(n.Name)), strings.TrimSpace(n.DisplayName)
	n.Email = strings.TrimSpace(n.Email)
	if n.DisplayName == "" {
		n.DisplayName = n.Name
	}
	switch {
	case !namePattern.MatchString(n.Name):
		return n, problem.New(422, "login", "Invalid login",
			"%q: up to 64 lower-case letters, digits, dots, hyphens and underscores are expected.", n.Name)
	case !records.IsText(n.DisplayName) || len(n.DisplayName) > 200:
		return n, problem.New(422, "display-name", "Invalid display name", "Up to 200 characters of text are expected.")
	case n.Email != "" && !IsEmail(n.Email):
		return n, problem.New(422, "email", "Invalid e-mail address",
			"%.80q: an address such as robin@example.org is expected.", n.Email)
	case n.Password != "":
		return n, CheckPassword(n.Password)
	}
	return n, nil
}

// IsEmail tells whether a text can be an e-mail address.
func IsEmail(text string) bool {
	name, host, _ := strings.Cut(text, "@")
	return name != "" && host != "" && len(text) <= 254 && records.IsText(text) && !strings.ContainsAny(text,
		" \t\r\n<>,;")
}

// Make creates a checked account within a transaction. It returns the one-time password if one was generated.
func (a *Accounts) Make(ctx context.Context, t *records.Transaction, n NewAccount) (
	made Account, password string, err error,
) {
	row := query.CreateAccountParams{
		Name: n.Name, DisplayName: n.DisplayName, Email: n.Email, Administrator: n.Administrator,
	}
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

// An Issued is an account with the one-time password that was made for it.
type Issued struct {
	Account
	Password string
	Until    time.Time // until when it is taken
}

// MakeMany creates checked accounts within a transaction, each with a one-time password. It fails if a name is taken.
func (a *Accounts) MakeMany(ctx context.Context, t *records.Transaction, all []NewAccount) ([]Issued, error) {
	if len(all) == 0 {
		return nil, nil
	}
	var rows query.CreateAccountsParams
	made := map[string]Issued{}
	for _, n := range all {
		one := a.newOneTime()
		rows.Names, rows.DisplayNames = append(rows.Names, n.Name), append(rows.DisplayNames, n.DisplayName)
		rows.Emails, rows.Passwords = append(rows.Emails, n.Email), append(rows.Passwords, one.Hash)
		rows.Until = &one.Until
		made[n.Name] = Issued{
			Account{Name: n.Name, DisplayName: n.DisplayName, Email: n.Email, Active: true, OneTime: true},
			one.Password, one.Until,
		}
	}
	created, err := t.CreateAccounts(ctx, rows)
	if err != nil {
		return nil, err
	}
	if len(created) < len(all) {
		return nil, problem.New(409, "login-taken", "A login is taken",
			"An account was made meanwhile with a login of the list: look at what it would do again.")
	}
	var issued []Issued
	for _, row := range created {
		one := made[row.Name]
		one.ID = row.ID
		issued = append(issued, one)
	}
	slices.SortFunc(issued, func(a, b Issued) int { return strings.Compare(a.DisplayName, b.DisplayName) })
	return issued, nil
}
