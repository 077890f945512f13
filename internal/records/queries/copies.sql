-- name: OwnCopy :one
-- An account's copy of a build.
SELECT * FROM copy WHERE account_id = $1 AND build_id = $2;

-- name: CreateCopy :one
-- Keeps a copy that was made; none where there is one already.
INSERT INTO copy (account_id, build_id, database, made_of, since, bytes) VALUES ($1, $2, $3, $4, $5, $6)
ON CONFLICT (account_id, build_id) DO NOTHING
RETURNING *;

-- name: UseCopy :one
UPDATE copy SET used_at = now(), bytes = $2 WHERE database = $1 RETURNING used_at;

-- name: MeasureCopy :exec
UPDATE copy SET bytes = $2 WHERE database = $1;

-- name: ForgetCopy :exec
DELETE FROM copy WHERE database = $1;

-- name: OwnCopies :many
-- An account's copies, the one used last first.
SELECT sqlc.embed(copy), dataset.name AS dataset, build.number AS build, build.database AS of,
       build.id = dataset.build_id AS in_use
FROM copy
JOIN build ON build.id = copy.build_id
JOIN dataset ON dataset.id = build.dataset_id
WHERE copy.account_id = $1
ORDER BY copy.used_at DESC;

-- name: AllCopies :many
-- All copies, the one used least recently first; stale tells of those whose build was replaced, or dropped.
SELECT sqlc.embed(copy),
       (build.id IS DISTINCT FROM dataset.build_id OR dataset.dropped_at IS NOT NULL OR copy.made_of <> build.database)::boolean AS stale
FROM copy
JOIN build ON build.id = copy.build_id
JOIN dataset ON dataset.id = build.dataset_id
ORDER BY copy.used_at;

-- name: DatabasesInUse :many
-- The databases of the builds in use.
SELECT build.database, build.variants FROM build JOIN dataset ON dataset.build_id = build.id
WHERE dataset.dropped_at IS NULL;

-- name: AllowChanges :execrows
UPDATE dataset SET changes = $2 WHERE name = $1 AND dropped_at IS NULL;

-- name: EndRun :exec
-- What became of a run that was noted as it began.
UPDATE run SET outcome = $2, row_count = $3, elapsed_ms = $4, error = $5, in_copy = $6 WHERE id = $1;
