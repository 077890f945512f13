-- name: CreateRun :one
INSERT INTO run (account_id, exercise_id, paper_id, build_id, sql, outcome, row_count, elapsed_ms, error)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
RETURNING id, at;

-- name: CreateAttempt :one
INSERT INTO attempt (account_id, exercise_id, build_id, sql, outcome, mark, points, row_count, elapsed_ms, findings, error)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
RETURNING id, at;

-- name: LockWork :exec
-- Held to the end of the transaction: one submission at a time where attempts are limited.
SELECT pg_advisory_xact_lock(hashtextextended('work ' || @account_id::text || ' ' || @exercise_id::text, 0));

-- name: CountAttempts :one
SELECT count(*) FROM attempt WHERE account_id = $1 AND exercise_id = $2;

-- name: KeepDraft :one
INSERT INTO draft (account_id, exercise_id, sql) VALUES ($1, $2, $3)
ON CONFLICT (account_id, exercise_id) DO UPDATE SET sql = excluded.sql, kept_at = now()
RETURNING kept_at;

-- name: PaperDrafts :many
SELECT draft.* FROM draft JOIN exercise ON exercise.id = draft.exercise_id
WHERE draft.account_id = $1 AND exercise.paper_id = $2;

-- name: PaperStanding :many
-- One line for each learner and exercise with attempts: how many, and the one that counts (the best mark, and of these the first).
SELECT DISTINCT ON (attempt.account_id, attempt.exercise_id)
       attempt.account_id, attempt.exercise_id, attempt.outcome, attempt.mark, attempt.at,
       count(*) OVER (PARTITION BY attempt.account_id, attempt.exercise_id) AS attempts
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
-- Each side is cut before the union, so that one page costs two index reads where a learner is named.
SELECT entry.*, account.name AS learner, account.display_name, dataset.name AS dataset, paper.slug AS paper, exercise.slug AS exercise, exercise.title
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
ORDER BY entry.id DESC LIMIT sqlc.arg('page')::int;
