-- name: CreateAccount :one
INSERT INTO account (name, display_name, email, administrator, password, one_time, one_time_until)
VALUES ($1, $2, $3, $4, $5, $6, $7)
RETURNING *;

-- name: DescribeAccount :exec
UPDATE account SET display_name = $2, email = $3 WHERE id = $1;

-- name: AccountsByName :many
SELECT * FROM account WHERE name = ANY (@names::text[]);

-- name: AccountByName :one
SELECT * FROM account WHERE name = $1;

-- name: Memberships :many
-- The courses that an account is in.
SELECT course.id, course.slug, member.role
FROM member JOIN course ON course.id = member.course_id
WHERE member.account_id = $1 AND member.left_at IS NULL
ORDER BY course.slug;

-- name: CountAdministrators :one
SELECT count(*) FROM account WHERE administrator AND deactivated_at IS NULL;

-- name: SetActive :exec
-- An account that was deactivated keeps the time at which it first was.
UPDATE account SET deactivated_at = CASE WHEN @active::boolean THEN NULL ELSE coalesce(deactivated_at, now()) END WHERE id = @id;

-- name: SetPassword :exec
UPDATE account SET password = $2, one_time = $3, one_time_until = $4 WHERE id = $1;

-- name: CreateSession :exec
INSERT INTO session (token_hash, account_id, kind, csrf_token, expires_at, address, client) VALUES ($1, $2, $3, $4, $5, $6, $7);

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

-- name: CountLogIn :one
-- Counts a log-in from somewhere before its password is looked at, unless it has to wait: then there is no row. After so many that failed one has to wait a
-- second, then twice as long after each, at most a minute. A time ahead of the clock, which went back, is no reason to wait; after an hour all is forgotten.
INSERT INTO login_failure AS f (origin, failures, last_at) VALUES (@origin, 1, now())
ON CONFLICT (origin) DO UPDATE SET last_at = now(), failures = CASE WHEN f.last_at < now() - interval '1 hour' THEN 1 ELSE f.failures + 1 END
WHERE f.failures < @free::int OR f.last_at > now() OR f.last_at <= now() - make_interval(secs => least(power(2, least(f.failures - @free::int, 6)), 60))
RETURNING failures;

-- name: LogInWait :one
-- How many seconds a log-in has to wait.
SELECT greatest(least(power(2, least(failures - @free::int, 6)), 60) - extract(epoch FROM now() - last_at), 1)::float8 FROM login_failure WHERE origin = @origin;

-- name: ClearLogIn :exec
DELETE FROM login_failure WHERE origin = $1;

-- name: ForgiveLogIn :exec
-- Takes one failure back that was none.
UPDATE login_failure SET failures = greatest(failures - 1, 0) WHERE origin = $1;

-- name: SweepLogIns :exec
WITH old AS (DELETE FROM device WHERE seen_at < now() - interval '1 year')
DELETE FROM login_failure WHERE last_at < now() - interval '1 day' OR last_at > now() + interval '1 hour';

-- name: KnownDevice :one
-- Whether a device has been logged in on to an account before.
SELECT EXISTS (SELECT FROM device JOIN account ON account.id = device.account_id WHERE token_hash = $1 AND account.name = $2);

-- name: KeepDevice :exec
INSERT INTO device (token_hash, account_id) VALUES ($1, $2) ON CONFLICT (token_hash) DO UPDATE SET seen_at = now(), account_id = excluded.account_id;

-- name: NeverLoggedIn :one
-- The first account, where its one-time password ran out before anybody used it.
SELECT * FROM account WHERE name = $1 AND one_time AND one_time_until < now();

-- name: Preference :one
SELECT * FROM preference WHERE account_id = $1;

-- name: SetPreference :exec
INSERT INTO preference (account_id, text_size, wrap, look, mail) VALUES ($1, $2, $3, $4, $5)
ON CONFLICT (account_id) DO UPDATE SET text_size = excluded.text_size, wrap = excluded.wrap, look = excluded.look, mail = excluded.mail;

-- name: CreateAccounts :many
-- Accounts with one-time passwords; names that are taken are left out.
INSERT INTO account (name, display_name, email, administrator, password, one_time, one_time_until)
SELECT given.name, given.display_name, given.email, false, given.password, true, @until
FROM (SELECT unnest(@names::text[]) AS name, unnest(@display_names::text[]) AS display_name, unnest(@emails::text[]) AS email,
             unnest(@passwords::text[]) AS password) AS given
ON CONFLICT (name) DO NOTHING
RETURNING id, name;

-- name: DescribeAccounts :exec
UPDATE account SET display_name = given.display_name, email = given.email
FROM (SELECT unnest(@ids::bigint[]) AS id, unnest(@display_names::text[]) AS display_name, unnest(@emails::text[]) AS email) AS given
WHERE account.id = given.id;

-- name: CoursesOfAccounts :many
-- The courses that accounts are in, or were.
SELECT member.account_id, course.id, course.slug, member.role FROM member JOIN course ON course.id = member.course_id
WHERE member.account_id = ANY (@ids::bigint[]);

-- name: ResetPasswords :exec
UPDATE account SET password = given.password, one_time = true, one_time_until = @until
FROM (SELECT unnest(@ids::bigint[]) AS id, unnest(@passwords::text[]) AS password) AS given WHERE account.id = given.id;

-- name: EndSessions :exec
DELETE FROM session WHERE account_id = ANY (@ids::bigint[]);

-- name: Sessions :many
SELECT * FROM session WHERE account_id = $1 AND expires_at > now() ORDER BY made_at DESC;

-- name: EndSession :execrows
DELETE FROM session WHERE account_id = $1 AND id = $2;

-- name: AccountByID :one
SELECT * FROM account WHERE id = $1;

-- name: LeftCourses :many
-- The courses that an account was in and has left.
SELECT course.id, course.slug FROM member JOIN course ON course.id = member.course_id
WHERE member.account_id = $1 AND member.left_at IS NOT NULL ORDER BY course.slug;
