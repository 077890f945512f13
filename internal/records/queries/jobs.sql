-- name: CreateJob :one
INSERT INTO job (kind, name, account_id, options, state, worker) VALUES ($1, $2, $3, $4, 'receiving', $5) RETURNING *;

-- name: DeleteJob :exec
DELETE FROM job WHERE id = $1;

-- name: AddJobFile :exec
INSERT INTO job_file (job_id, path, place, bytes) VALUES ($1, $2, $3, $4);

-- name: AddJobPiece :exec
-- With it the job shows that it is being received.
WITH alive AS (UPDATE job SET beat_at = now(), bytes = bytes + octet_length(@content::bytea) WHERE job.id = @job_id)
INSERT INTO job_piece (job_id, place, piece, content) VALUES (@job_id, @place, @piece, @content::bytea);

-- name: JobFiles :many
SELECT * FROM job_file WHERE job_id = $1 ORDER BY place;

-- name: JobPiece :one
SELECT content FROM job_piece WHERE job_id = $1 AND place = $2 AND piece = $3;

-- name: QueueJob :execrows
-- A job whose files have all come.
UPDATE job SET state = 'queued', worker = NULL WHERE id = $1 AND state = 'receiving';

-- name: ConfirmJob :execrows
UPDATE job SET state = 'queued', worker = NULL, options = options || '{"confirmed": true}' WHERE id = $1 AND state = 'asking';

-- name: ClaimJob :one
UPDATE job SET state = 'running', worker = @worker, beat_at = now(), tries = tries + 1 WHERE id = @id AND state = 'queued' RETURNING *;

-- name: BeatJob :one
-- Keeps a running job's progress, and tells whether it is to be stopped.
UPDATE job SET beat_at = now(), progress = @progress, databases = @databases WHERE id = @id AND worker = @worker AND state IN ('running', 'stopping') RETURNING state;

-- name: LeaveJob :execrows
-- A worker gives a job up: it asks, or goes back to the queue.
UPDATE job SET state = @state, report = @report, worker = NULL, databases = '[]' WHERE id = @id AND worker = @worker AND state IN ('running', 'stopping');

-- name: EndJob :execrows
UPDATE job SET state = @state, progress = @progress, report = @report, problem = @problem, errors = @errors, worker = NULL, databases = '[]', ended_at = now()
WHERE id = @id AND worker = @worker AND state IN ('running', 'stopping');

-- name: StopJob :one
-- One that does not run is stopped at once; one that runs is told to.
UPDATE job SET state = CASE WHEN state IN ('running', 'stopping') THEN 'stopping' ELSE 'stopped' END,
    ended_at = CASE WHEN state IN ('running', 'stopping') THEN NULL ELSE now() END
WHERE id = $1 AND state IN ('receiving', 'queued', 'asking', 'running', 'stopping') RETURNING state;

-- name: DropJobFiles :exec
DELETE FROM job_piece WHERE job_id = $1;

-- name: JobByID :one
SELECT sqlc.embed(job), account.name AS account FROM job JOIN account ON account.id = job.account_id WHERE job.id = $1;

-- name: ListJobs :many
SELECT sqlc.embed(job), account.name AS account FROM job JOIN account ON account.id = job.account_id
WHERE job.kind = ANY (@kinds::text[]) AND (sqlc.narg('name')::text IS NULL OR job.name = sqlc.narg('name'))
ORDER BY job.id DESC LIMIT 50;

-- name: SilentJobs :many
-- Jobs whose worker has not been heard of for so many seconds, or is of a service that is gone, and uploads that have
-- not come on for fifteen times as long. They are locked until the transaction ends.
SELECT * FROM job
WHERE state IN ('running', 'stopping') AND beat_at <= now() - make_interval(secs => @seconds::float8)
   OR state IN ('receiving', 'running', 'stopping') AND worker IS NOT NULL
      AND NOT EXISTS (SELECT FROM replica WHERE replica.holder = split_part(job.worker, '/', 1))
   OR state = 'receiving' AND beat_at <= now() - make_interval(secs => 15 * @seconds::float8)
ORDER BY id FOR UPDATE SKIP LOCKED;

-- name: ResetJob :exec
UPDATE job SET state = @state, problem = @problem, worker = NULL, databases = '[]', progress = '{}', beat_at = now(),
    ended_at = CASE WHEN @state = 'queued' THEN NULL ELSE now() END
WHERE id = @id;

-- name: NameJob :exec
UPDATE job SET name = @name WHERE id = @id AND worker = @worker;

-- name: SweepJobFiles :exec
-- Files of jobs that ended, and that no build and no pack is kept for.
DELETE FROM job_piece WHERE job_id IN (
    SELECT job.id FROM job WHERE job.state IN ('done', 'failed', 'stopped')
    AND NOT EXISTS (SELECT FROM build WHERE build.job_id = job.id AND build.dropped_at IS NULL)
    AND NOT EXISTS (SELECT FROM pack WHERE pack.job_id = job.id));

-- name: AliveJobs :many
-- The databases that unfinished jobs have begun to build.
SELECT databases FROM job WHERE state IN ('running', 'stopping');

-- name: LockBuild :exec
-- Of several who find a build lost, one comes after the other.
SELECT FROM build WHERE id = $1 FOR UPDATE;

-- name: RemakeJob :one
-- A job that makes a lost build again from its files, unless there is one already, or it has been made again since its
-- database was looked for.
INSERT INTO job (kind, name, account_id, options, state)
SELECT job.kind, job.name, job.account_id, job.options || jsonb_build_object('remake', @build_id::bigint, 'files', job.id), 'queued'
FROM job WHERE job.id = @job_id
AND EXISTS (SELECT FROM build WHERE build.id = @build_id::bigint AND build.database = @database::text)
AND NOT EXISTS (SELECT FROM job AS other WHERE other.state IN ('queued', 'running', 'stopping') AND other.options @> jsonb_build_object('remake', @build_id::bigint))
AND NOT EXISTS (SELECT FROM job AS other WHERE job.kind = 'dataset' AND other.kind = 'dataset' AND other.name = job.name AND other.state IN ('receiving', 'queued', 'running', 'asking', 'stopping'))
RETURNING *;

-- name: QueuedJobs :many
SELECT id FROM job WHERE state = 'queued' ORDER BY id;
