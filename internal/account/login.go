package account

import (
	"context"
	"fmt"
	"math"
	"strings"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// How many log-ins may fail before the next has to wait: a second, then twice as long after each, up to a minute. They
// are counted by the address that they came from together with the name that was tried, so that nobody holds up another
// by name; on a device that is known, apart from all others; and by address alone, where a whole course may sit behind
// one.
const (
	freeFailures          = 3
	freeFailuresOfAddress = 100
)

// A LogIn holds the credentials with which somebody logs in.
type LogIn struct {
	Name, Password string
	Kind           string // Cookie or Bearer
	Address        string // that it came from
	Client         string // the program, as it calls itself
	Device         string // the token of an earlier log-in on the same device, or ""
}

// LogIn opens a session. Only the caller keeps the token and the device token.
func (a *Accounts) LogIn(ctx context.Context, l LogIn) (session *Session, token, device string, err error) {
	name := strings.ToLower(strings.TrimSpace(l.Name))
	if name == "" || len(name) > 200 || !records.IsText(name) || len(l.Device) > 100 {
		return nil, "", "", wrongLogIn()
	}
	if l.Kind != Cookie && l.Kind != Bearer {
		return nil, "", "", problem.New(
			422, "kind", "Invalid kind of session", "cookie or bearer is expected, not %.40q.", l.Kind,
		)
	}
	known := false
	if l.Device != "" {
		if known, err = a.records.KnownDevice(
			ctx, query.KnownDeviceParams{TokenHash: tokenHash(l.Device), Name: name},
		); err != nil {
			return nil, "", "", err
		}
	}
	from := networkOf(l.Address)
	origins := []string{"from " + from + " as " + name, "from " + from}
	if known {
		origins = []string{fmt.Sprintf("on %x as %s", tokenHash(l.Device)[:8], name)}
	}
	for i, origin := range origins { // counted before the password is looked at: guesses that come at once are as many
		if err := a.count(ctx, origin, []int32{freeFailures, freeFailuresOfAddress}[i]); err != nil {
			return nil, "", "", err
		}
	}
	row, err := a.records.AccountByName(ctx, name)
	if err != nil && !records.Missing(err) {
		return nil, "", "", err
	}
	if right := a.passwords.verify(row.Password, l.Password); !right || err != nil {
		return nil, "", "", wrongLogIn()
	}
	if row.DeactivatedAt != nil {
		return nil, "", "", problem.New(403, "deactivated", "The account is deactivated",
			"What was done with it is kept. Ask your instructor.")
	}
	account, err := a.of(ctx, row)
	if err != nil {
		return nil, "", "", err
	}
	if err := a.records.ClearLogIn(ctx, origins[0]); err != nil {
		return nil, "", "", err
	}
	if len(origins) > 1 {
		if err := a.records.ForgiveLogIn(ctx, origins[1]); err != nil {
			return nil, "", "", err
		}
	}
	if account.OneTime && account.OneTimeUntil != nil && a.now().After(*account.OneTimeUntil) {
		return nil, "", "", problem.New(
			401, "one-time-expired", "The one-time password has expired",
			"It was to be used until %s. Ask for a new one.", account.OneTimeUntil.UTC().Format("2 January 2006"),
		)
	}
	if device = l.Device; !known {
		device = random()
	}
	if err := a.records.KeepDevice(
		ctx, query.KeepDeviceParams{TokenHash: tokenHash(device), AccountID: account.ID},
	); err != nil {
		return nil, "", "", err
	}
	session, token, err = a.openSession(ctx, account, l)
	return session, token, device, err
}

// count counts a password before it is tried. If too many were wrong it returns a problem that says how long to wait.
func (a *Accounts) count(ctx context.Context, origin string, free int32) error {
	_, err := a.records.CountLogIn(ctx, query.CountLogInParams{Origin: origin, Free: free})
	if !records.Missing(err) {
		return err
	}
	wait, err := a.records.LogInWait(ctx, query.LogInWaitParams{Origin: origin, Free: free})
	if err != nil && !records.Missing(err) {
		return err
	}
	seconds := max(1, min(60, int(math.Ceil(wait))))
	p := problem.New(429, "slow-down", "Too many wrong passwords", "Wait %d seconds before the next try.", seconds)
	p.RetryAfter = seconds
	return p
}

func wrongLogIn() *problem.Problem {
	return problem.New(
		401, "wrong-log-in", "The name or the password is wrong",
		"Check both; your instructor can give you a new password.",
	)
}
