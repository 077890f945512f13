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

// freeFailures is how many log-ins may fail before the next has to wait: a second, then twice as long after each, up to a minute.
const freeFailures = 3

// LogIn opens a session; token is kept by the caller alone.
func (s *Service) LogIn(ctx context.Context, name, password, kind string) (session *Session, token string, err error) {
	name = strings.ToLower(strings.TrimSpace(name))
	if name == "" || len(name) > 200 || strings.ContainsRune(name, 0) {
		return nil, "", wrongLogIn()
	}
	failed, err := s.records.LoginFailures(ctx, name)
	if err != nil && !records.Missing(err) {
		return nil, "", err
	}
	if failed.Failures >= freeFailures {
		wait := math.Min(math.Pow(2, float64(failed.Failures-freeFailures)), 60) - failed.SecondsAgo
		if wait > 0 {
			p := problem(429, "slow-down", "Too many log-ins failed", "Wait %d seconds before the next try.", int(math.Ceil(wait)))
			p.RetryAfter = int(math.Ceil(wait))
			return nil, "", p
		}
	}
	account, err := s.records.AccountByName(ctx, name)
	if err != nil && !records.Missing(err) {
		return nil, "", err
	}
	if right := s.passwords.verify(account.Password, password); !right || err != nil {
		if err := s.records.AddLoginFailure(ctx, name); err != nil {
			return nil, "", err
		}
		return nil, "", wrongLogIn()
	}
	if failed.Failures > 0 {
		if err := s.records.ClearLoginFailures(ctx, name); err != nil {
			return nil, "", err
		}
	}
	return s.openSession(ctx, account, kind)
}

func wrongLogIn() *Problem {
	return problem(401, "wrong-log-in", "The name or the password is wrong", "Check both; your instructor can give you a new password.")
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
		return nil, problem(401, "no-session", "The session has ended", "Log in again; drafts and history are kept.")
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
	if !s.passwords.verify(session.Account.Password, current) {
		return problem(403, "wrong-password", "The current password is wrong", "Give the password that you log in with.")
	}
	if err := checkPassword(next); err != nil {
		return err
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
		return problem(422, "password-length", "The password does not do", "It has %d characters; %d to 200 are expected.", n, shortestPassword)
	}
	return nil
}

// EnsureInstructor makes the first instructor's account where there is none, and returns its one-time password, "" otherwise.
func (s *Service) EnsureInstructor(ctx context.Context, name string) (password string, err error) {
	n, err := s.records.CountInstructors(ctx)
	if err != nil || n > 0 {
		return "", err
	}
	password = oneTimePassword()
	_, err = s.records.CreateAccount(ctx, query.CreateAccountParams{
		Name: name, DisplayName: "Instructor", Role: Instructor, Password: s.passwords.hash(password), OneTime: true})
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
