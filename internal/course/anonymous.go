package course

import (
	"context"

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
		if err := t.AnonymiseTexts(ctx, query.AnonymiseTextsParams{
			AccountID: other.ID, DisplayName: other.DisplayName, Email: other.Email,
		}); err != nil {
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

// anonymous is the account as it is called now.
func (p People) anonymous(ctx context.Context, id int64) (account.Account, error) {
	row, err := p.records.AccountByID(ctx, id)
	return account.Of(row), err
}
