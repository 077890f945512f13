package postgres

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// claimLock is the advisory lock that a service holds in a database of each server that it uses.
const claimLock = 0x6578616d656e // "examen"

// claimPatience is how long the sessions of a service that has just ended may linger.
const claimPatience = 5 * time.Second

// ErrClaimed means that another service uses the server.
var ErrClaimed = errors.New("another Examen service uses it: stop that one first, or give this one a server of its own")

// Claim reserves a server for this service until the context ends. A session holds the claim. If the server goes down,
// the claim is lost, and it is taken again as soon as the server is back. lost is called if another service took it
// first.
func Claim(ctx context.Context, config *pgx.ConnConfig, lost func()) error {
	conn, err := claimed(ctx, config)
	if err != nil {
		return err
	}
	go func() {
		for {
			if conn != nil {
				_, _ = conn.WaitForNotification(ctx) // it listens to nothing: this returns when the session ends
				conn.Close(context.WithoutCancel(ctx))
			}
			select {
			case <-time.After(200 * time.Millisecond):
			case <-ctx.Done():
				return
			}
			if conn, err = claimed(ctx, config); errors.Is(err, ErrClaimed) {
				lost()
			}
		}
	}()
	return nil
}

func claimed(ctx context.Context, config *pgx.ConnConfig) (*pgx.Conn, error) {
	conn, err := pgx.ConnectConfig(ctx, config.Copy())
	if err != nil {
		return nil, err
	}
	for begun := time.Now(); ; {
		var got bool
		if err = conn.QueryRow(ctx, "SELECT pg_try_advisory_lock($1)", int64(claimLock)).Scan(&got); err == nil && got {
			return conn, nil
		}
		if err != nil || time.Since(begun) > claimPatience {
			conn.Close(context.WithoutCancel(ctx))
			if err == nil {
				err = ErrClaimed
			}
			return nil, err
		}
		time.Sleep(100 * time.Millisecond)
	}
}
