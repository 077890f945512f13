-- name: AttemptsWithoutShape :many
-- Those at an exercise, in some courses, whose shapes were not asked for yet; up to a number.
SELECT attempt.id, attempt.sql FROM attempt
WHERE attempt.exercise_id = @exercise_id AND attempt.course_id = ANY (@courses::bigint[])
  AND NOT EXISTS (SELECT FROM attempt_shape WHERE attempt_shape.attempt_id = attempt.id)
ORDER BY attempt.id LIMIT sqlc.arg('most')::int;

-- name: KeepShapes :exec
-- Keeps shapes; an empty one is none.
INSERT INTO attempt_shape (attempt_id, exact, any_literals)
SELECT id, nullif(exact, ''), nullif(any_literals, '')
FROM (SELECT unnest(@attempts::bigint[]) AS id, unnest(@exact::bytea[]) AS exact, unnest(@any_literals::bytea[]) AS any_literals) AS read
ON CONFLICT DO NOTHING;

-- name: ClassAttempts :many
-- All attempts at an exercise of who learns in some courses, with the checks that hold.
SELECT attempt.id, attempt.account_id, attempt.received_at, held.outcome, held.fingerprint, held.build_id,
       CASE WHEN held.error IS NULL THEN ARRAY(SELECT f ->> 'kind' FROM jsonb_array_elements(held.findings) AS f)
            ELSE ARRAY[held.error ->> 'title'] END::text[] AS kinds, attempt_shape.any_literals
FROM attempt
JOIN member ON member.course_id = attempt.course_id AND member.account_id = attempt.account_id AND member.role = 'learner' AND member.left_at IS NULL
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
LEFT JOIN attempt_shape ON attempt_shape.attempt_id = attempt.id
WHERE attempt.exercise_id = @exercise_id AND attempt.course_id = ANY (@courses::bigint[])
ORDER BY attempt.id;

-- name: ClassWorked :many
-- The seconds that it took who has solved an exercise.
SELECT standing.worked FROM standing
JOIN member ON member.course_id = standing.course_id AND member.account_id = standing.account_id AND member.role = 'learner' AND member.left_at IS NULL
WHERE standing.exercise_id = @exercise_id AND standing.course_id = ANY (@courses::bigint[]) AND standing.solved_at IS NOT NULL;

-- name: AttemptsShown :many
-- Some attempts, with whose they are and the checks that hold.
SELECT attempt.id, attempt.sql, attempt.received_at, account.name, account.display_name, held.outcome, held.findings, held.error
FROM attempt JOIN account ON account.id = attempt.account_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
WHERE attempt.id = ANY (@ids::bigint[]);
