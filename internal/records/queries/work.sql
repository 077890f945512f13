-- name: CreateRun :one
INSERT INTO run (account_id, exercise_id, paper_id, build_id, sql, outcome, row_count, elapsed_ms, error)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
RETURNING id, at;

-- name: CreateAttempt :one
INSERT INTO attempt (account_id, exercise_id, build_id, sql, outcome, mark, points, row_count, elapsed_ms, findings, error, client_key, hidden_only, counted, at)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)
RETURNING id, at;

-- name: AttemptByKey :one
SELECT attempt.*, build.number AS build_number, exercise.slug AS exercise, paper.slug AS paper
FROM attempt JOIN build ON build.id = attempt.build_id JOIN exercise ON exercise.id = attempt.exercise_id JOIN paper ON paper.id = exercise.paper_id
WHERE attempt.account_id = $1 AND attempt.client_key = @client_key::text;

-- name: HiddenOnly :one
-- How many attempts of a learner at an exercise were, within the last hour, wrong on hidden rows alone, and how many seconds ago the last was.
SELECT count(*) AS attempts, coalesce(extract(epoch FROM now() - max(at)), 0)::float8 AS seconds_ago
FROM attempt WHERE account_id = $1 AND exercise_id = $2 AND hidden_only AND at > now() - interval '1 hour';

-- name: PaperHiddenOnly :many
-- The same for all learners of a paper, since ever.
SELECT attempt.account_id, attempt.exercise_id, count(*) AS attempts
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
WHERE exercise.paper_id = $1 AND hidden_only
GROUP BY attempt.account_id, attempt.exercise_id;

-- name: LockWork :exec
-- Held to the end of the transaction: one submission at a time where attempts are limited.
SELECT pg_advisory_xact_lock(hashtextextended('work ' || @account_id::text || ' ' || @exercise_id::text, 0));

-- name: CountAttempts :one
-- Those that use up one of the attempts that an exercise allows.
SELECT count(*) FROM attempt WHERE account_id = $1 AND exercise_id = $2 AND counted;

-- name: KeepDraft :one
-- Where a revision is given, the draft has to be at it still (0: there is none yet), or to have the same text already; else there is no row.
INSERT INTO draft AS d (account_id, exercise_id, sql) VALUES (@account_id, @exercise_id, @sql)
ON CONFLICT (account_id, exercise_id) DO UPDATE SET sql = excluded.sql, kept_at = now(), revision = d.revision + CASE WHEN d.sql = excluded.sql THEN 0 ELSE 1 END
WHERE sqlc.narg('revision')::bigint IS NULL OR d.revision = sqlc.narg('revision')::bigint OR d.sql = excluded.sql
RETURNING *;

-- name: Draft :one
SELECT * FROM draft WHERE account_id = $1 AND exercise_id = $2;

-- name: PaperDrafts :many
SELECT draft.* FROM draft JOIN exercise ON exercise.id = draft.exercise_id
WHERE draft.account_id = $1 AND exercise.paper_id = $2;

-- name: PaperStanding :many
-- One line for each learner and exercise with attempts: how many, and the one that counts (the best mark, and of these the first).
SELECT DISTINCT ON (attempt.account_id, attempt.exercise_id)
       attempt.account_id, attempt.exercise_id, attempt.outcome, attempt.mark, attempt.at,
       count(*) OVER (PARTITION BY attempt.account_id, attempt.exercise_id) AS attempts,
       count(*) FILTER (WHERE attempt.counted) OVER (PARTITION BY attempt.account_id, attempt.exercise_id) AS used
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
WHERE exercise.paper_id = @paper_id AND NOT exercise.retired
  AND (sqlc.narg('account_id')::bigint IS NULL OR attempt.account_id = sqlc.narg('account_id'))
ORDER BY attempt.account_id, attempt.exercise_id, attempt.mark DESC,
         CASE WHEN attempt.mark > 0 THEN attempt.id ELSE -attempt.id END;

-- name: LearnerStanding :many
-- The same, summed up for every paper of one learner.
SELECT paper_id, sum(mark)::float8 AS mark, count(*) FILTER (WHERE correct) AS correct, count(*) AS attempted
FROM (SELECT exercise.paper_id, attempt.exercise_id, max(attempt.mark) AS mark, bool_or(attempt.outcome = 'correct') AS correct
      FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
      WHERE attempt.account_id = $1 AND NOT exercise.retired
      GROUP BY exercise.paper_id, attempt.exercise_id) AS best
GROUP BY paper_id;

-- name: LatestAttempts :many
SELECT DISTINCT ON (attempt.exercise_id) attempt.*, build.number AS build_number
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id JOIN build ON build.id = attempt.build_id
WHERE attempt.account_id = $1 AND exercise.paper_id = $2
ORDER BY attempt.exercise_id, attempt.id DESC;

-- name: PaperLearners :many
-- The learners of the courses that a paper is set for.
SELECT DISTINCT account.id, account.name, account.display_name
FROM account
JOIN enrolment ON enrolment.account_id = account.id
JOIN course_paper ON course_paper.course_id = enrolment.course_id
JOIN course ON course.id = enrolment.course_id
WHERE course_paper.paper_id = @paper_id AND (sqlc.narg('course')::text IS NULL OR course.slug = sqlc.narg('course'))
ORDER BY account.display_name, account.name;

-- name: History :many
-- Each side is cut before the union, so that one page costs two index reads where a learner is named. A page ends early where its texts are long: passed is how
-- many bytes the entries before have, and more tells whether entries follow that were left out.
SELECT entries.*, (count(*) OVER () < found)::boolean AS more FROM (
SELECT entry.*, account.name AS learner, account.display_name, dataset.name AS dataset, paper.slug AS paper, exercise.slug AS exercise, exercise.title,
       (sum(octet_length(entry.sql) + pg_column_size(entry.findings) + coalesce(pg_column_size(entry.error), 0)) OVER (ORDER BY entry.id DESC)
        - octet_length(entry.sql) - pg_column_size(entry.findings) - coalesce(pg_column_size(entry.error), 0))::bigint AS passed, count(*) OVER () AS found
FROM (
    (SELECT 'run'::text AS kind, run.id, run.account_id, run.exercise_id, run.paper_id, run.build_id, run.sql, run.at, run.outcome,
            NULL::float8 AS mark, NULL::float8 AS points, run.row_count, run.elapsed_ms, '[]'::jsonb AS findings, run.error
     FROM run
     WHERE (sqlc.narg('account_id')::bigint IS NULL OR run.account_id = sqlc.narg('account_id'))
       AND (sqlc.narg('paper_id')::bigint IS NULL OR run.paper_id = sqlc.narg('paper_id'))
       AND (sqlc.narg('exercise_id')::bigint IS NULL OR run.exercise_id = sqlc.narg('exercise_id'))
       AND (sqlc.narg('outcome')::text IS NULL OR run.outcome = sqlc.narg('outcome'))
       AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'run')
       AND (sqlc.narg('before')::bigint IS NULL OR run.id < sqlc.narg('before'))
     ORDER BY run.id DESC LIMIT sqlc.arg('page')::int)
    UNION ALL
    (SELECT 'attempt', attempt.id, attempt.account_id, attempt.exercise_id, done.paper_id, attempt.build_id, attempt.sql, attempt.at, attempt.outcome,
            attempt.mark, attempt.points, attempt.row_count, attempt.elapsed_ms, attempt.findings, attempt.error
     FROM attempt JOIN exercise AS done ON done.id = attempt.exercise_id
     WHERE (sqlc.narg('account_id')::bigint IS NULL OR attempt.account_id = sqlc.narg('account_id'))
       AND (sqlc.narg('paper_id')::bigint IS NULL OR done.paper_id = sqlc.narg('paper_id'))
       AND (sqlc.narg('exercise_id')::bigint IS NULL OR attempt.exercise_id = sqlc.narg('exercise_id'))
       AND (sqlc.narg('outcome')::text IS NULL OR attempt.outcome = sqlc.narg('outcome'))
       AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'attempt')
       AND (sqlc.narg('before')::bigint IS NULL OR attempt.id < sqlc.narg('before'))
     ORDER BY attempt.id DESC LIMIT sqlc.arg('page')::int)
) AS entry
JOIN account ON account.id = entry.account_id
JOIN build ON build.id = entry.build_id
JOIN dataset ON dataset.id = build.dataset_id
LEFT JOIN paper ON paper.id = entry.paper_id
LEFT JOIN exercise ON exercise.id = entry.exercise_id
ORDER BY entry.id DESC LIMIT sqlc.arg('page')::int
) AS entries WHERE passed <= sqlc.arg('most_bytes')::bigint ORDER BY id DESC;
