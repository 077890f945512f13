package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
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

// A Session identifies somebody who is logged in.
type Session struct {
	Account   Account
	Kind      string
	CSRFToken string
	Expires   time.Time
	hash      []byte
}

func (a *Accounts) openSession(ctx context.Context, account Account, kind string) (*Session, string, error) {
	lasts := cookieLasts
	if kind == Bearer {
		lasts = bearerLasts
	}
	token := random()
	session := &Session{
		Account:   account,
		Kind:      kind,
		CSRFToken: random(),
		Expires:   a.now().Add(lasts),
		hash:      tokenHash(token),
	}
	if err := a.records.DeleteExpiredSessions(ctx); err != nil {
		return nil, "", err
	}
	err := a.records.CreateSession(ctx, query.CreateSessionParams{
		TokenHash: session.hash,
		AccountID: account.ID,
		Kind:      kind,
		CsrfToken: session.CSRFToken,
		ExpiresAt: session.Expires,
	})
	return session, token, err
}

// Session returns the session for a token.
func (a *Accounts) Session(ctx context.Context, token string) (*Session, error) {
	hash := tokenHash(token)
	session, err := a.sessions.Load(string(hash), func() (Session, error) {
		found, err := a.records.SessionByToken(ctx, hash)
		if err != nil {
			return Session{}, err
		}
		account, err := a.of(ctx, found.Account)
		return Session{
			Account: account, Kind: found.Session.Kind, CSRFToken: found.Session.CsrfToken,
			Expires: found.Session.ExpiresAt, hash: hash,
		}, err
	})
	if records.Missing(err) || err == nil && a.now().After(session.Expires) {
		return nil, problem.New(
			401, "no-session", "The session has ended", "Log in again; drafts and history are kept.",
		)
	} else if err != nil {
		return nil, err
	}
	return &session, nil
}

// LogOut ends a session.
func (a *Accounts) LogOut(ctx context.Context, session *Session) error {
	defer a.records.Changed(records.SessionsChanged) // after the write
	return a.records.DeleteSession(ctx, session.hash)
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
