-- name: SlowExercises :many
-- The exercises whose answers took longest within so many days: of 95 in 100 no longer, in milliseconds.
SELECT paper.slug AS paper, exercise.slug AS exercise, exercise.number, exercise.title, slow.checks,
       slow.median, slow.most AS p95, slow.longest, slow.stopped
FROM (
    SELECT attempt.exercise_id, count(*) AS checks,
           (percentile_cont(0.5) WITHIN GROUP (ORDER BY held.elapsed_ms))::float8 AS median,
           (percentile_cont(0.95) WITHIN GROUP (ORDER BY held.elapsed_ms))::float8 AS most,
           max(held.elapsed_ms)::float8 AS longest,
           count(*) FILTER (WHERE held.outcome = 'stopped') AS stopped
    FROM attempt_check AS held JOIN attempt ON attempt.id = held.attempt_id
    WHERE held.at > now() - make_interval(days => @days::int) AND held.outcome <> 'rejected'
    GROUP BY attempt.exercise_id
    ORDER BY most DESC, attempt.exercise_id LIMIT 10
) AS slow
JOIN exercise_now AS exercise ON exercise.id = slow.exercise_id
JOIN paper ON paper.id = exercise.paper_id
ORDER BY slow.most DESC, exercise.id;

-- name: FailedLogIns :many
-- Where log-ins failed within the last day, and as whom; of names, those that are accounts': another one may be a
-- password in the wrong field.
SELECT login_failure.failures, login_failure.last_at,
       coalesce(substring(origin FROM '^from (\S+)'), '')::text AS address,
       coalesce(account.name, '')::text AS name,
       (origin ~ ' as ')::boolean AS named
FROM login_failure
LEFT JOIN account ON account.name = substring(origin FROM '^(?:from|on) \S+ as (.*)$')
WHERE failures > 0 AND last_at > now() - interval '1 day'
ORDER BY failures DESC, last_at DESC LIMIT 20;

-- name: BuildsOnDisk :many
-- The databases of all builds that are kept.
SELECT dataset.name AS dataset, build.number, build.database, build.variants, (build.id = dataset.build_id)::boolean AS in_use
FROM build JOIN dataset ON dataset.id = build.dataset_id
WHERE build.dropped_at IS NULL AND dataset.dropped_at IS NULL
ORDER BY dataset.name, build.number;

-- name: CopiesOfDatasets :many
-- The databases of learners' copies, and the dataset that each is a copy of.
SELECT copy.database, dataset.name AS dataset
FROM copy JOIN build ON build.id = copy.build_id JOIN dataset ON dataset.id = build.dataset_id;

-- name: RecordsSize :one
-- The bytes that the records take on disk.
SELECT pg_database_size(current_database())::bigint;

-- name: ForgetRuns :execrows
-- Deletes runs that are older than so many seconds, at most so many at once; not those that somebody keeps.
DELETE FROM run WHERE run.id IN (
    SELECT old.id FROM run AS old WHERE old.at < now() - make_interval(secs => @seconds::float8)
    AND NOT EXISTS (SELECT FROM kept_entry WHERE kept_entry.entry_id = old.id)
    LIMIT @most::int);
