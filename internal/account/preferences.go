package account

import (
	"context"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// A Look is how the console looks.
type Look string

// The looks. System follows the reader's own machine.
const (
	Light  Look = "light"
	Dark   Look = "dark"
	System Look = "system"
)

// Bounds of the text size, in pixels.
const (
	smallestText = 10
	largestText  = 28
)

// Preferences are how somebody likes to see the console.
type Preferences struct {
	TextSize int // of SQL, in pixels
	Wrap     bool
	Look     Look
	Mail     bool // what is new is told by e-mail, where the service sends any
}

// usual are the preferences of somebody who has chosen none.
var usual = Preferences{TextSize: 14, Wrap: true, Look: System, Mail: true}

// Preferences returns an account's preferences.
func (a *Accounts) Preferences(ctx context.Context, who Account) (Preferences, error) {
	row, err := a.records.Preference(ctx, who.ID)
	if records.Missing(err) {
		return usual, nil
	}
	return Preferences{TextSize: int(row.TextSize), Wrap: row.Wrap, Look: Look(row.Look), Mail: row.Mail}, err
}

// SetPreferences replaces an account's own preferences.
func (a *Accounts) SetPreferences(ctx context.Context, who Account, p Preferences) error {
	if p.TextSize < smallestText || p.TextSize > largestText {
		return problem.New(422, "preferences", "Invalid text size",
			"It is %d; from %d to %d pixels are expected.", p.TextSize, smallestText, largestText)
	}
	if p.Look != Light && p.Look != Dark && p.Look != System {
		return problem.New(422, "preferences", "Invalid look", "It is %q; light, dark or system is expected.", p.Look)
	}
	return a.records.SetPreference(ctx, query.SetPreferenceParams{
		AccountID: who.ID, TextSize: int32(p.TextSize), Wrap: p.Wrap, Look: string(p.Look), Mail: p.Mail,
	})
}
