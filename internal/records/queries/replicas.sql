-- name: TakeRange :one
-- Takes the lowest range that nobody holds, or whose holder has been silent for so many seconds, or was in the same
-- home and so is dead.
INSERT INTO replica (range, holder, address, home)
SELECT min(n), @holder, @address, @home
FROM generate_series(1, (SELECT count(*) + 1 FROM replica)) AS n
WHERE NOT EXISTS (
    SELECT FROM replica WHERE range = n AND home <> @home
    AND renewed_at > now() - make_interval(secs => @seconds::float8))
ON CONFLICT (range) DO UPDATE
SET holder = excluded.holder, address = excluded.address, home = excluded.home, started_at = now(), renewed_at = now()
RETURNING range;

-- name: RenewRange :execrows
UPDATE replica SET renewed_at = now() WHERE range = $1 AND holder = $2;

-- name: SilentRange :one
-- Takes a range, in order to release it, whose holder has been silent for so many seconds.
UPDATE replica SET holder = @holder, home = @holder, renewed_at = now()
WHERE range = (SELECT range FROM replica WHERE renewed_at <= now() - make_interval(secs => @seconds::float8)
               ORDER BY range LIMIT 1 FOR UPDATE SKIP LOCKED)
RETURNING range;

-- name: ReleaseRange :exec
DELETE FROM replica WHERE holder = $1;

-- name: Replicas :many
-- The services that are alive, or were until so many seconds ago. A range that is being released is nobody's.
SELECT * FROM replica WHERE home <> holder AND renewed_at > now() - make_interval(secs => @seconds::float8) ORDER BY range;

-- name: Drained :many
SELECT server FROM drained ORDER BY server;

-- name: DrainServer :exec
INSERT INTO drained (server) VALUES ($1) ON CONFLICT DO NOTHING;

-- name: UndrainServer :exec
DELETE FROM drained WHERE server = $1;
