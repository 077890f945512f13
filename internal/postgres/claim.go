package postgres

import (
	"context"
	"errors"
	"hash/fnv"
	"time"

	"github.com/jackc/pgx/v5"
)

// claimLock is the advisory lock that all services of one installation share in a database of each server that they
// use; claimClass is the class of another, whose number tells which installation it is.
const (
	claimLock  = 0x6578616d656e // "examen"
	claimClass = 0x6578616d     // "exam"
)

// claimPatience is how long the sessions of a service that has just ended may linger.
const claimPatience = 5 * time.Second

// ErrClaimed means that services with other records use the server.
var ErrClaimed = errors.New("another Examen uses it, with records of its own: stop that one first, or give this one " +
	"a server of its own")

// Claim reserves a server for the services of an installation until the context ends. A session holds the claim. If the
// server goes down, the claim is lost, and it is taken again as soon as the server is back. lost is called if another
// installation took it first.
func Claim(ctx context.Context, config *pgx.ConnConfig, installation string, lost func()) error {
	conn, err := claimed(ctx, config, installation)
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
			if conn, err = claimed(ctx, config, installation); errors.Is(err, ErrClaimed) {
				lost()
			}
		}
	}()
	return nil
}

// claimQuery takes both locks, and tells whether no other installation has the second.
const claimQuery = `SELECT pg_try_advisory_lock_shared($1) AND pg_try_advisory_lock_shared($2, $3) AND NOT EXISTS (
	SELECT FROM pg_locks WHERE locktype = 'advisory' AND classid = $2::int8 AND objid <> ($3::int8 & 4294967295)
		AND granted AND objsubid = 2)`

func claimed(ctx context.Context, config *pgx.ConnConfig, installation string) (*pgx.Conn, error) {
	conn, err := pgx.ConnectConfig(ctx, config.Copy())
	if err != nil {
		return nil, err
	}
	number := fnv.New32a()
	_, _ = number.Write([]byte(installation))
	for begun := time.Now(); ; {
		var got bool
		err = conn.QueryRow(
			ctx, claimQuery, int64(claimLock), int32(claimClass), int32(number.Sum32()),
		).Scan(&got)
		if err == nil && got {
			return conn, nil
		}
		if err == nil { // what was taken before it was seen that there is another
			_, err = conn.Exec(ctx, "SELECT pg_advisory_unlock_all()")
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
