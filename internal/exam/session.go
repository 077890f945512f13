package exam

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/base64"
	"fmt"
	"math"
	"strings"
	"time"

	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

// Kinds of sessions.
const (
	Cookie = "cookie"
	Bearer = "bearer"
)

// How long sessions last.
const (
	cookieLasts = 14 * time.Hour
	bearerLasts = 30 * 24 * time.Hour
)

// A Session is somebody's being logged in.
type Session struct {
	Account   Account
	Kind      string
	CSRFToken string
	Expires   time.Time
	hash      []byte
}

// How many log-ins may fail before the next has to wait: a second, then twice as long after each, up to a minute. They are counted by the address that they
// came from together with the name that was tried, so that nobody holds up another by name; on a device that is known, apart from all others; and by address
// alone, where a whole course may sit behind one.
const (
	freeFailures          = 3
	freeFailuresOfAddress = 100
)

// A LogIn is what somebody logs in with.
type LogIn struct {
	Name, Password string
	Kind           string // Cookie or Bearer
	Address        string // that it came from
	Device         string // the token of an earlier log-in on the same device, or ""
}

// LogIn opens a session; token and device are kept by the caller alone.
func (s *Service) LogIn(ctx context.Context, l LogIn) (session *Session, token, device string, err error) {
	name := strings.ToLower(strings.TrimSpace(l.Name))
	if name == "" || len(name) > 200 || !isText(name) || len(l.Device) > 100 {
		return nil, "", "", wrongLogIn()
	}
	if l.Kind != Cookie && l.Kind != Bearer {
		return nil, "", "", problem.New(422, "kind", "Invalid kind of session", "cookie or bearer is expected, not %.40q.", l.Kind)
	}
	known := false
	if l.Device != "" {
		if known, err = s.records.KnownDevice(ctx, query.KnownDeviceParams{TokenHash: tokenHash(l.Device), Name: name}); err != nil {
			return nil, "", "", err
		}
	}
	origins := []string{"from " + l.Address + " as " + name, "from " + l.Address}
	if known {
		origins = []string{fmt.Sprintf("on %x as %s", tokenHash(l.Device)[:8], name)}
	}
	for i, origin := range origins { // counted before the password is looked at: guesses that come at once are as many
		if err := s.count(ctx, origin, []int32{freeFailures, freeFailuresOfAddress}[i]); err != nil {
			return nil, "", "", err
		}
	}
	account, err := s.records.AccountByName(ctx, name)
	if err != nil && !records.Missing(err) {
		return nil, "", "", err
	}
	if right := s.passwords.verify(account.Password, l.Password); !right || err != nil {
		return nil, "", "", wrongLogIn()
	}
	if err := s.records.ClearLogIn(ctx, origins[0]); err != nil {
		return nil, "", "", err
	}
	if len(origins) > 1 {
		if err := s.records.ForgiveLogIn(ctx, origins[1]); err != nil {
			return nil, "", "", err
		}
	}
	if account.OneTime && account.OneTimeUntil != nil && time.Now().After(*account.OneTimeUntil) {
		return nil, "", "", problem.New(401, "one-time-expired", "The one-time password has expired", "It was to be used until %s. Ask for a new one.", account.OneTimeUntil.UTC().Format("2 January 2006"))
	}
	if device = l.Device; !known {
		device = random()
	}
	if err := s.records.KeepDevice(ctx, query.KeepDeviceParams{TokenHash: tokenHash(device), AccountID: account.ID}); err != nil {
		return nil, "", "", err
	}
	session, token, err = s.openSession(ctx, account, l.Kind)
	return session, token, device, err
}

// count counts a password that is about to be tried, and says how long to wait where too many were wrong.
func (s *Service) count(ctx context.Context, origin string, free int32) error {
	_, err := s.records.CountLogIn(ctx, query.CountLogInParams{Origin: origin, Free: free})
	if !records.Missing(err) {
		return err
	}
	wait, err := s.records.LogInWait(ctx, query.LogInWaitParams{Origin: origin, Free: free})
	if err != nil && !records.Missing(err) {
		return err
	}
	seconds := max(1, min(60, int(math.Ceil(wait))))
	p := problem.New(429, "slow-down", "Too many wrong passwords", "Wait %d seconds before the next try.", seconds)
	p.RetryAfter = seconds
	return p
}

func wrongLogIn() *problem.Problem {
	return problem.New(401, "wrong-log-in", "The name or the password is wrong", "Check both; your instructor can give you a new password.")
}

func (s *Service) openSession(ctx context.Context, account Account, kind string) (*Session, string, error) {
	lasts := cookieLasts
	if kind == Bearer {
		lasts = bearerLasts
	}
	token := random()
	session := &Session{Account: account, Kind: kind, CSRFToken: random(), Expires: time.Now().Add(lasts), hash: tokenHash(token)}
	if err := s.records.DeleteExpiredSessions(ctx); err != nil {
		return nil, "", err
	}
	err := s.records.CreateSession(ctx, query.CreateSessionParams{
		TokenHash: session.hash, AccountID: account.ID, Kind: kind, CsrfToken: session.CSRFToken, ExpiresAt: session.Expires})
	return session, token, err
}

// Session returns the session that a token stands for.
func (s *Service) Session(ctx context.Context, token string) (*Session, error) {
	hash := tokenHash(token)
	session, err := remember(s.known, s.known.sessions, string(hash), func() (Session, error) {
		found, err := s.records.SessionByToken(ctx, hash)
		return Session{Account: found.Account, Kind: found.Session.Kind, CSRFToken: found.Session.CsrfToken, Expires: found.Session.ExpiresAt, hash: hash}, err
	})
	if records.Missing(err) || err == nil && time.Now().After(session.Expires) {
		return nil, problem.New(401, "no-session", "The session has ended", "Log in again; drafts and history are kept.")
	} else if err != nil {
		return nil, err
	}
	return &session, nil
}

// LogOut ends a session.
func (s *Service) LogOut(ctx context.Context, session *Session) error {
	defer s.known.forget(records.SessionsChanged)
	return s.records.DeleteSession(ctx, session.hash)
}

// shortestPassword is in characters.
const shortestPassword = 10

// SetPassword changes one's own password and ends the account's other sessions.
func (s *Service) SetPassword(ctx context.Context, session *Session, current, next string) error {
	origin := fmt.Sprintf("the password of %d", session.Account.ID)
	if err := s.count(ctx, origin, freeFailures); err != nil {
		return err
	}
	if !s.passwords.verify(session.Account.Password, current) {
		return problem.New(403, "wrong-password", "The current password is wrong", "Give the password that you log in with.")
	}
	if err := s.records.ClearLogIn(ctx, origin); err != nil {
		return err
	}
	if err := checkPassword(next); err != nil {
		return err
	}
	if next == current {
		return problem.New(422, "same-password", "The new password is the current one", "Choose another.")
	}
	hash := s.passwords.hash(next)
	defer s.known.forget(records.SessionsChanged)
	return s.records.Together(ctx, func(q *records.Transaction) error {
		if err := q.SetPassword(ctx, query.SetPasswordParams{ID: session.Account.ID, Password: hash}); err != nil {
			return err
		}
		return q.DeleteOtherSessions(ctx, query.DeleteOtherSessionsParams{AccountID: session.Account.ID, TokenHash: session.hash})
	})
}

func checkPassword(password string) error {
	if n := len([]rune(password)); n < shortestPassword || n > 200 {
		return problem.New(422, "password-length", "Invalid password", "It has %d characters; %d to 200 are expected.", n, shortestPassword)
	}
	return nil
}

// oneTimeLasts is how long a one-time password is taken.
const oneTimeLasts = 14 * 24 * time.Hour

func oneTimeUntil() *time.Time {
	until := time.Now().Add(oneTimeLasts)
	return &until
}

// EnsureInstructor makes the first instructor's account where there is none, and returns its one-time password, "" otherwise. One that ran out before
// anybody used it is replaced.
func (s *Service) EnsureInstructor(ctx context.Context, name string) (password string, err error) {
	password = oneTimePassword()
	unused, err := s.records.NeverLoggedIn(ctx, name)
	if err == nil {
		return password, s.records.SetPassword(ctx, query.SetPasswordParams{ID: unused.ID, Password: s.passwords.hash(password), OneTime: true, OneTimeUntil: oneTimeUntil()})
	} else if !records.Missing(err) {
		return "", err
	}
	n, err := s.records.CountInstructors(ctx)
	if err != nil || n > 0 {
		return "", err
	}
	_, err = s.records.CreateAccount(ctx, query.CreateAccountParams{
		Name: name, DisplayName: "Instructor", Role: Instructor, Password: s.passwords.hash(password), OneTime: true, OneTimeUntil: oneTimeUntil()})
	if err != nil {
		return "", fmt.Errorf("make the first instructor's account: %w", err)
	}
	return password, nil
}

func tokenHash(token string) []byte {
	h := sha256.Sum256([]byte(token))
	return h[:]
}

func random() string {
	b := make([]byte, 32)
	_, _ = rand.Read(b) // never fails
	return base64.RawURLEncoding.EncodeToString(b)
}

// oneTimePassword is easy to copy from paper: 80 random bits as four groups of lower-case letters and digits.
func oneTimePassword() string {
	b := make([]byte, 10)
	_, _ = rand.Read(b) // never fails
	s := strings.ToLower(base32.StdEncoding.EncodeToString(b))
	return s[:4] + "-" + s[4:8] + "-" + s[8:12] + "-" + s[12:]
}

// MakeInstructor makes an instructor's account with a password, where the name is not there already.
func (s *Service) MakeInstructor(ctx context.Context, name, displayName, password string) (made bool, err error) {
	if _, err := s.records.AccountByName(ctx, name); !records.Missing(err) {
		return false, err
	}
	_, err = s.records.CreateAccount(ctx, query.CreateAccountParams{Name: name, DisplayName: displayName, Role: Instructor, Password: s.passwords.hash(password)})
	return err == nil, err
}
