-- name: CreateAccount :one
INSERT INTO account (name, display_name, role, password, one_time)
VALUES ($1, $2, $3, $4, $5)
RETURNING *;

-- name: AccountByName :one
SELECT * FROM account WHERE name = $1;

-- name: CountInstructors :one
SELECT count(*) FROM account WHERE role = 'instructor';

-- name: SetPassword :exec
UPDATE account SET password = $2, one_time = $3 WHERE id = $1;

-- name: CreateSession :exec
INSERT INTO session (token_hash, account_id, kind, csrf_token, expires_at) VALUES ($1, $2, $3, $4, $5);

-- name: SessionByToken :one
SELECT sqlc.embed(session), sqlc.embed(account)
FROM session JOIN account ON account.id = session.account_id
WHERE token_hash = $1;

-- name: DeleteSession :exec
DELETE FROM session WHERE token_hash = $1;

-- name: DeleteOtherSessions :exec
DELETE FROM session WHERE account_id = $1 AND token_hash <> $2;

-- name: DeleteExpiredSessions :exec
DELETE FROM session WHERE expires_at < now();

-- name: LoginFailures :one
SELECT failures, extract(epoch FROM now() - last_at)::float8 AS seconds_ago FROM login_failure WHERE name = $1;

-- name: AddLoginFailure :exec
INSERT INTO login_failure (name, failures, last_at) VALUES ($1, 1, now())
ON CONFLICT (name) DO UPDATE SET failures = login_failure.failures + 1, last_at = now();

-- name: ClearLoginFailures :exec
DELETE FROM login_failure WHERE name = $1;
