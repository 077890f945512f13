package account

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"strconv"
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

// longestClient is how much is kept of what a program calls itself, in bytes.
const longestClient = 200

// A Session identifies somebody who is logged in.
type Session struct {
	Account   Account
	Kind      string
	CSRFToken string
	Expires   time.Time
	hash      []byte
}

func (a *Accounts) openSession(ctx context.Context, account Account, l LogIn) (*Session, string, error) {
	kind := l.Kind
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
		Address:   l.Address,
		Client:    records.Text(l.Client, longestClient),
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
		account.Session = hash
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

// An Open is a session that somebody has.
type Open struct {
	ID            string
	Kind          string
	Made, Expires time.Time
	Address       string // from which it was opened
	Client        string // the program, as it called itself
	Own           bool   // it is the one that asks
}

// Sessions lists somebody's sessions, one's own or those of an account that one may change: the latest first.
func (a *Accounts) Sessions(ctx context.Context, session *Session, name string) ([]Open, error) {
	id, err := a.whoseSessions(ctx, session, name)
	if err != nil {
		return nil, err
	}
	rows, err := a.records.Sessions(ctx, id)
	all := []Open{}
	for _, row := range rows {
		all = append(all, Open{
			strconv.FormatInt(row.ID, 10), row.Kind, row.MadeAt, row.ExpiresAt, row.Address, row.Client,
			bytes.Equal(row.TokenHash, session.hash),
		})
	}
	return all, err
}

// EndSession ends one of somebody's sessions.
func (a *Accounts) EndSession(ctx context.Context, session *Session, name, id string) error {
	account, err := a.whoseSessions(ctx, session, name)
	if err != nil {
		return err
	}
	number, err := strconv.ParseInt(id, 10, 64)
	n := int64(0)
	if err == nil {
		defer a.records.Changed(records.SessionsChanged) // after the write
		n, err = a.records.EndSession(ctx, query.EndSessionParams{AccountID: account, ID: number})
		if err != nil {
			return err
		}
	}
	if n == 0 {
		return problem.New(404, "no-such-session", "There is no such session", "It has ended already.")
	}
	return nil
}

// whoseSessions finds the account whose sessions are asked for.
func (a *Accounts) whoseSessions(ctx context.Context, session *Session, name string) (int64, error) {
	if name == session.Account.Name {
		return session.Account.ID, nil
	}
	other, err := a.Other(ctx, session.Account, name)
	return other.ID, err
}
