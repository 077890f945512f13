-- name: SetsOfPaper :many
-- A paper as it is set for some courses.
SELECT course_paper.*, course.slug AS course FROM course_paper JOIN course ON course.id = course_paper.course_id
WHERE course_paper.paper_id = $1 AND course_paper.course_id = ANY (@courses::bigint[]) AND course.archived_at IS NULL ORDER BY course_paper.id;

-- name: AttemptsToRecheck :many
-- Those of the attempts at an exercise in some courses, up to a number, that have not been checked again on this version and build; those with the same text together.
SELECT attempt.id, attempt.sql FROM attempt
WHERE attempt.exercise_id = @exercise_id AND attempt.course_id = ANY (@courses::bigint[]) AND attempt.id <= @up_to::bigint
  AND NOT EXISTS (SELECT FROM recheck_result AS r WHERE r.attempt_id = attempt.id AND r.version_id = @version_id::bigint AND r.build_id = @build_id::bigint
                  AND r.at > now() - interval '1 day')
ORDER BY attempt.sql, attempt.id;

-- name: LastEntry :one
-- The number of the latest attempt.
SELECT coalesce(max(id), 0)::bigint FROM attempt;

-- name: KeepRecheck :exec
-- Keeps what checking the same text again came to, for several attempts.
INSERT INTO recheck_result (attempt_id, version_id, build_id, outcome, points, row_count, elapsed_ms, findings, error, fingerprint, hidden_only, counted, differing)
SELECT attempt.id, @version_id::bigint, @build_id::bigint, @outcome::text, @points::numeric, @row_count::bigint, @elapsed_ms::float8, @findings::jsonb,
       @error::jsonb, @fingerprint::bytea, @hidden_only::boolean, @counted::boolean, sqlc.narg('differing')::bigint
FROM unnest(@attempts::bigint[]) AS attempt (id)
ON CONFLICT (attempt_id) DO UPDATE SET version_id = excluded.version_id, build_id = excluded.build_id, outcome = excluded.outcome, points = excluded.points,
    row_count = excluded.row_count, elapsed_ms = excluded.elapsed_ms, findings = excluded.findings, error = excluded.error,
    fingerprint = excluded.fingerprint, hidden_only = excluded.hidden_only, counted = excluded.counted, differing = excluded.differing, at = now();

-- name: RecheckedAttempts :many
-- All attempts at exercises of a paper as it is set, with the check that holds and, up to a number, what checking them again on what holds now came to.
SELECT attempt.id, attempt.account_id, attempt.exercise_id, attempt.received_at, account.name, account.display_name, exercise.slug AS exercise, exercise.number,
       held.id AS check_id, held.outcome, held.mark, held.points, held.counted, held.hidden_only,
       ARRAY(SELECT f ->> 'kind' FROM jsonb_array_elements(held.findings) AS f)::text[] AS kinds,
       (again.attempt_id IS NOT NULL)::boolean AS rechecked, coalesce(again.outcome, '')::text AS new_outcome, coalesce(again.points, 0)::numeric AS new_points,
       coalesce(again.counted, false)::boolean AS new_counted, coalesce(again.hidden_only, false)::boolean AS new_hidden_only,
       ARRAY(SELECT f ->> 'kind' FROM jsonb_array_elements(again.findings) AS f)::text[] AS new_kinds,
       coalesce(again.findings -> 0 ->> 'sentence', again.error ->> 'title', '')::text AS why
FROM course_paper JOIN exercise ON exercise.paper_id = course_paper.paper_id
JOIN paper ON paper.id = course_paper.paper_id JOIN dataset ON dataset.id = paper.dataset_id
JOIN attempt ON attempt.exercise_id = exercise.id AND attempt.course_id = course_paper.course_id
JOIN account ON account.id = attempt.account_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check WHERE attempt_check.attempt_id = attempt.id ORDER BY attempt_check.id DESC LIMIT 1) AS held
LEFT JOIN recheck_result AS again ON again.attempt_id = attempt.id AND attempt.id <= @up_to::bigint
     AND again.version_id = exercise.version_id AND again.build_id = dataset.build_id
WHERE course_paper.id = @set_id AND (sqlc.narg('exercise_id')::bigint IS NULL OR attempt.exercise_id = sqlc.narg('exercise_id'))
ORDER BY attempt.account_id, attempt.exercise_id, attempt.received_at, attempt.id;

-- name: ApplyRecheck :execrows
-- Keeps what checking attempts again came to as their checks. The marks follow when they stand again.
INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count, elapsed_ms, findings, error, fingerprint, hidden_only, counted, differing, cause)
SELECT r.attempt_id, r.version_id, r.build_id, r.outcome, given.mark::numeric, r.points, r.row_count, r.elapsed_ms, r.findings, r.error, r.fingerprint, r.hidden_only, r.counted, r.differing, 'recheck'
FROM (SELECT unnest(@attempts::bigint[]) AS id, unnest(@marks::text[]) AS mark) AS given JOIN recheck_result AS r ON r.attempt_id = given.id
ORDER BY r.attempt_id;

-- name: DropRecheckResults :exec
DELETE FROM recheck_result WHERE attempt_id = ANY (@attempts::bigint[]) OR at < now() - interval '1 day';

-- name: CreateRecheck :exec
INSERT INTO recheck (paper_id, exercise_id, reason, attempts, changed) VALUES ($1, $2, $3, $4, $5);
