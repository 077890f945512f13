package course

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"regexp"
	"strings"
	"unicode"

	"examen/internal/account"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Anonymise makes somebody anonymous, for good: nobody can log in with the account, and nothing says any more whose it
// was. Attempts, runs and marks stay, so that what is counted stays. It is for learners who have left.
func (p People) Anonymise(ctx context.Context, who account.Account, name string) (account.Account, error) {
	other, err := p.accounts.Other(ctx, who, name)
	if err != nil {
		return other, err
	}
	if other.ID == who.ID {
		return other, problem.New(409, "own-account", "This is your own account", "Another administrator can do it.")
	}
	if other.Anonymous {
		return other, nil
	}
	if other.Active {
		return other, problem.New(409, "active", "The account is active",
			"Whoever is made anonymous can never log in again: deactivate %s first.", name)
	}
	defer p.records.Changed(records.SessionsChanged) // after the write
	err = p.records.As(ctx, who.ID, func(t *records.Transaction) error {
		if err := t.LetAnonymise(ctx); err != nil {
			return err
		}
		if err := anonymiseTexts(ctx, t, other); err != nil {
			return err
		}
		if err := t.AnonymiseAccount(ctx, other.ID); err != nil {
			return err
		}
		if err := t.AnonymiseReasons(ctx, other.ID); err != nil {
			return err
		}
		return t.ForgetAccount(ctx, query.ForgetAccountParams{AccountID: other.ID, Name: other.Name})
	})
	if err != nil {
		return other, err
	}
	return p.anonymous(ctx, other.ID)
}

// anonymiseTexts takes what somebody is called out of their texts, and out of what was said of these.
func anonymiseTexts(ctx context.Context, t *records.Transaction, who account.Account) error {
	called := calledLike(who)
	if err := t.AnonymiseTexts(ctx, query.AnonymiseTextsParams{AccountID: who.ID, Pattern: called}); err != nil {
		return err
	}
	if err := t.AnonymiseCauses(ctx, called); err != nil {
		return err
	}
	// An error tells a part of a name, too, where the database took it for several.
	for _, word := range strings.FieldsFunc(who.DisplayName, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if len(word) >= shortestWord {
			called += `|\m` + word + `\M`
		}
	}
	said, err := t.SaidOf(ctx, query.SaidOfParams{AccountID: who.ID, Pattern: called})
	if err != nil {
		return err
	}
	// The words' ends are written in another way in Go; it has no looking back either, and a quote more goes with it.
	pattern, err := regexp.Compile("(?i)" + strings.NewReplacer(
		`\m`, `\b`, `\M`, `\b`, `(?<=')`, `'`, `(?=')`, `'`,
	).Replace(called))
	if err != nil {
		return err
	}
	for _, s := range said {
		findings, found := unnamed(s.Findings, pattern)
		failure, failed := unnamed(s.Error, pattern)
		if err := errors.Join(found, failed); err != nil {
			return err
		}
		if s.IsCheck {
			err = t.SayOfCheck(ctx, query.SayOfCheckParams{ID: s.ID, Findings: findings, Error: failure})
		} else {
			err = t.SayOfRun(ctx, query.SayOfRunParams{ID: s.ID, Error: failure})
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// shortestWord is how long a part of a name is at least that is taken out by itself.
const shortestWord = 4

// plain is a login that might as well be a word of a query: it tells somebody only where it is quoted.
var plain = regexp.MustCompile(`^[a-z]*$`)

// calledLike is a regular expression, as PostgreSQL has them, for all that somebody is called by: their name, their
// address and their login.
func calledLike(who account.Account) string {
	login := `\m` + regexp.QuoteMeta(who.Name) + `\M`
	if plain.MatchString(who.Name) {
		login = `(?<=')` + who.Name + `(?=')`
	}
	all := []string{login}
	for _, text := range []string{who.DisplayName, who.Email} {
		if text != "" {
			all = append(all, regexp.QuoteMeta(text))
		}
	}
	return strings.Join(all, "|")
}

// unnamed replaces what fits the pattern in the texts of a JSON value, and in none of its names.
func unnamed(stored json.RawMessage, pattern *regexp.Regexp) (json.RawMessage, error) {
	if len(stored) == 0 {
		return stored, nil
	}
	read := json.NewDecoder(bytes.NewReader(stored))
	read.UseNumber()
	var value any
	if err := read.Decode(&value); err != nil {
		return nil, err
	}
	return json.Marshal(replaced(value, pattern))
}

func replaced(value any, pattern *regexp.Regexp) any {
	switch v := value.(type) {
	case string:
		return pattern.ReplaceAllString(v, "anonymous")
	case []any:
		for i := range v {
			v[i] = replaced(v[i], pattern)
		}
	case map[string]any:
		for name := range v {
			if name != "kind" && name != "type" { // words of Examen's own
				v[name] = replaced(v[name], pattern)
			}
		}
	}
	return value
}

// anonymous is the account as it is called now.
func (p People) anonymous(ctx context.Context, id int64) (account.Account, error) {
	row, err := p.records.AccountByID(ctx, id)
	return account.Of(row), err
}
