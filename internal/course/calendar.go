package course

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"fmt"
	"strings"
	"time"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Calendars gives access to due times as calendars that other programs read.
type Calendars struct{ *Courses }

// Make gives the account's calendar an address, and returns the secret in it. It is told once; an earlier address
// leads nowhere from then on.
func (c Calendars) Make(ctx context.Context, who account.Account) (secret string, made time.Time, err error) {
	secret = rand.Text()
	made, err = c.records.MakeCalendar(ctx, query.MakeCalendarParams{AccountID: who.ID, SecretHash: hashed(secret)})
	return secret, made, err
}

// Made tells when the account's calendar was given its address; nil if it has none.
func (c Calendars) Made(ctx context.Context, who account.Account) (*time.Time, error) {
	made, err := c.records.OwnCalendar(ctx, who.ID)
	if records.Missing(err) {
		return nil, nil
	}
	return &made, err
}

// Remove has the address of the account's calendar lead nowhere.
func (c Calendars) Remove(ctx context.Context, who account.Account) error {
	return c.records.RemoveCalendar(ctx, who.ID)
}

func hashed(secret string) []byte {
	hash := sha256.Sum256([]byte(secret))
	return hash[:]
}

// Read returns the calendar that has a secret in its address: when the papers are due that its account has, by its own
// extensions. Whoever knows the secret may read it, and nothing else.
func (c Calendars) Read(ctx context.Context, secret string) ([]byte, error) {
	name, err := c.records.CalendarBySecret(ctx, hashed(strings.TrimSuffix(secret, ".ics")))
	if records.Missing(err) {
		return nil, problem.New(404, "no-calendar", "There is no such calendar",
			"Its address was changed or taken back: ask whose it is for the one that holds.")
	} else if err != nil {
		return nil, err
	}
	who, err := c.accounts.ByName(ctx, name)
	if err != nil {
		return nil, err
	}
	papers, err := c.Papers(ctx, who)
	if err != nil {
		return nil, err
	}
	var due []export.Due
	for _, p := range papers {
		if p.Span.Due.IsZero() {
			continue
		}
		d := export.Due{ID: fmt.Sprintf("%s-%d@examen", p.Slug, who.ID), Title: p.Title, At: p.Span.Due}
		if closes := p.Span.Closes(); closes.After(d.At) {
			d.Note = "Attempts are accepted until " + when(closes, p.Zone) + "."
		}
		due = append(due, d)
	}
	var made bytes.Buffer
	err = export.Calendar(&made, "Examen: "+who.DisplayName, c.now(), due)
	return made.Bytes(), err
}
