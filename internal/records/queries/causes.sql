-- name: KnownCause :one
-- What was found of a text before; no row where it was not looked at.
SELECT cause FROM query_cause
WHERE version_id = @version_id AND build_id = @build_id AND text_hash = sha256(convert_to(@sql::text, 'UTF8'));

-- name: KeepCause :exec
-- Keeps what was found of an attempt's text, if that is still as it was: somebody may have been made anonymous meanwhile.
INSERT INTO query_cause (version_id, build_id, text_hash, cause)
SELECT @version_id, @build_id, sha256(convert_to(attempt.sql, 'UTF8')), sqlc.narg('cause')::jsonb
FROM attempt WHERE attempt.id = @attempt_id AND attempt.sql = @sql::text FOR SHARE
ON CONFLICT DO NOTHING;

-- name: AttemptNumber :one
-- Which of a learner's attempts at an exercise one is, from 1.
SELECT count(*) FROM attempt
WHERE attempt.account_id = @account_id AND attempt.exercise_id = @exercise_id AND attempt.id <= @id;

-- name: TellCause :execrows
-- Puts a cause before the findings of an attempt's check by which its learner was told, if none is there, and the text is
-- still as it was.
WITH unchanged AS (SELECT attempt.id FROM attempt WHERE attempt.id = @attempt_id AND attempt.sql = @sql::text FOR SHARE)
UPDATE attempt_check SET findings = @cause::jsonb || attempt_check.findings
FROM unchanged
WHERE attempt_check.attempt_id = unchanged.id AND attempt_check.id = (SELECT c.id FROM attempt_check AS c WHERE c.attempt_id = @attempt_id ORDER BY c.id DESC LIMIT 1)
  AND attempt_check.version_id = @version_id AND attempt_check.build_id = @build_id AND attempt_check.outcome = 'incorrect'
  AND NOT attempt_check.findings @? '$[*] ? (@.kind starts with "cause-")';

-- name: AttemptToExplain :one
-- An account's own attempt, with the check that holds.
SELECT attempt.sql, attempt.exercise_id, paper.slug AS paper, exercise.slug AS exercise, held.version_id, held.build_id, held.outcome, held.findings
FROM attempt
JOIN exercise ON exercise.id = attempt.exercise_id
JOIN paper ON paper.id = exercise.paper_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
WHERE attempt.id = $1 AND attempt.account_id = $2;

-- name: AnonymiseCauses :exec
DELETE FROM query_cause WHERE cause::text ~* @pattern::text;
