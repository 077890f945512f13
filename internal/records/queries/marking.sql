-- name: SetMark :one
INSERT INTO mark (account_id, exercise_id, course_id, mark, reason, set_by, undoes) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id;

-- name: StandByHand :exec
-- A mark that is set by hand counts in place of the computed one; NULL gives that back.
INSERT INTO standing AS s (account_id, exercise_id, course_id, outcome, computed, by_hand, attempts, used, hidden_only, last_at)
VALUES (@account_id, @exercise_id, @course_id::bigint, '', 0, @by_hand, 0, 0, 0, now())
ON CONFLICT (account_id, exercise_id, course_id) DO UPDATE SET by_hand = excluded.by_hand, version = nextval('standing_version');

-- name: MarksSet :many
-- The marks that were set by hand for a learner's work on an exercise, the first first.
SELECT mark.*, account.name, account.display_name FROM mark JOIN account ON account.id = mark.set_by
WHERE mark.account_id = $1 AND mark.exercise_id = $2 AND mark.course_id = $3 ORDER BY mark.id;

-- name: StandingIn :one
-- How an account stands on an exercise in a course.
SELECT * FROM standing WHERE account_id = $1 AND exercise_id = $2 AND course_id = @course_id::bigint;

-- name: AttemptIn :one
-- An attempt, with what holds of its check, and whether whose it is has left its course.
SELECT sqlc.embed(attempt), held.outcome, held.mark, held.points, held.fingerprint, held.error, exercise.slug AS exercise, exercise.paper_id,
       paper.slug AS paper, account.name, account.display_name, member.left_at
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id JOIN paper ON paper.id = exercise.paper_id
JOIN account ON account.id = attempt.account_id
JOIN member ON member.course_id = attempt.course_id AND member.account_id = attempt.account_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
WHERE attempt.id = $1;

-- name: CreateNote :one
INSERT INTO note (course_id, exercise_id, text, begins, ends, later, made_by) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id;

-- name: NoteAttempts :exec
INSERT INTO note_attempt (note_id, attempt_id, account_id)
SELECT @note_id::bigint, attempt.id, attempt.account_id FROM attempt WHERE attempt.id = ANY (@attempts::bigint[]);

-- name: NoteLater :exec
-- Has a note reach later attempts that come to the same as some: the same result, or without one the same text in shape.
INSERT INTO note_like (note_id, exercise_id, course_id, alike)
SELECT DISTINCT @note_id::bigint, attempt.exercise_id, attempt.course_id, coalesce(held.fingerprint, attempt_shape.any_literals)
FROM attempt LEFT JOIN attempt_shape ON attempt_shape.attempt_id = attempt.id
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
WHERE attempt.id = ANY (@attempts::bigint[]) AND coalesce(held.fingerprint, attempt_shape.any_literals) IS NOT NULL;

-- name: TellNotes :exec
-- Tells that the margins of those whom a note reaches have changed.
SELECT pg_notify('examen_changes', 'notes ' || account_id) FROM (SELECT DISTINCT account_id FROM note_attempt WHERE note_id = $1) AS reader;

-- name: NoteByID :one
SELECT note.*, course.slug AS course, exercise.paper_id, EXISTS (SELECT FROM note_attempt WHERE note_attempt.note_id = note.id AND note_attempt.account_id = @reader::bigint) AS reaches
FROM note JOIN course ON course.id = note.course_id JOIN exercise ON exercise.id = note.exercise_id WHERE note.id = @id;

-- name: WithdrawNote :exec
-- Nobody reads it any more, and it reaches nobody later.
WITH later AS (DELETE FROM note_like WHERE note_like.note_id = $1)
UPDATE note SET withdrawn_at = coalesce(withdrawn_at, now()) WHERE note.id = $1;

-- name: SeeNotes :exec
-- Notes that somebody has had before their eyes: those of them that reach them.
INSERT INTO note_seen (note_id, account_id) SELECT DISTINCT note_attempt.note_id, note_attempt.account_id FROM note_attempt
WHERE note_attempt.note_id = ANY (@ids::bigint[]) AND note_attempt.account_id = @account_id ON CONFLICT DO NOTHING;

-- name: AnswerNote :one
INSERT INTO note_answer (note_id, course_id, exercise_id, account_id, text, made_by)
SELECT note.id, note.course_id, note.exercise_id, @account_id, @text, @made_by FROM note WHERE note.id = @note_id RETURNING id;

-- name: ReviewAnswer :exec
-- A learner's answer to a note is to be looked at, with the attempt that it is about.
INSERT INTO review (attempt_id, account_id, exercise_id, course_id, cause, reason)
SELECT attempt.id, attempt.account_id, attempt.exercise_id, attempt.course_id, 'answer', @reason
FROM note_attempt JOIN attempt ON attempt.id = note_attempt.attempt_id
WHERE note_attempt.note_id = @note_id AND note_attempt.account_id = @account_id ORDER BY attempt.id DESC LIMIT 1
ON CONFLICT (attempt_id, cause) WHERE done_at IS NULL OR cause = 'disputed' DO UPDATE SET reason = excluded.reason;

-- name: AnswersReviewed :exec
-- Somebody who follows the course has answered: what a learner said of a note has been looked at.
UPDATE review SET done_by = @done_by, done_at = now()
WHERE cause = 'answer' AND done_at IS NULL AND review.account_id = @account_id
  AND review.attempt_id IN (SELECT note_attempt.attempt_id FROM note_attempt WHERE note_attempt.note_id = @note_id AND note_attempt.account_id = @account_id);

-- name: Notes :many
-- Notes in some courses, the latest first, up to a number: each once for everybody whom it reaches, with their latest attempt that it is about.
WITH found AS (
    SELECT note.*, exercise.slug AS exercise, exercise.number, exercise.paper_id FROM note JOIN exercise ON exercise.id = note.exercise_id
    WHERE note.withdrawn_at IS NULL AND note.course_id = ANY (@courses::bigint[])
      AND (sqlc.narg('paper_id')::bigint IS NULL OR exercise.paper_id = sqlc.narg('paper_id'))
      AND (sqlc.narg('exercise_id')::bigint IS NULL OR note.exercise_id = sqlc.narg('exercise_id'))
      AND (sqlc.narg('account_id')::bigint IS NULL OR EXISTS (SELECT FROM note_attempt WHERE note_attempt.note_id = note.id AND note_attempt.account_id = sqlc.narg('account_id')))
      AND (sqlc.narg('attempt_id')::bigint IS NULL OR EXISTS (SELECT FROM note_attempt WHERE note_attempt.note_id = note.id AND note_attempt.attempt_id = sqlc.narg('attempt_id')))
      AND (sqlc.narg('before')::bigint IS NULL OR note.id < sqlc.narg('before'))
    ORDER BY note.id DESC LIMIT @most::int
)
SELECT found.id, found.course_id, found.paper_id, course.slug AS course, paper.slug AS paper, found.exercise, found.number, found.exercise_id, found.text, found.begins, found.ends, found.later,
       found.made_at, maker.name AS maker, maker.display_name AS maker_name, account.name, account.display_name, reader.attempt_id, reader.attempts, attempt.received_at, note_seen.seen_at,
       CASE WHEN found.begins IS NULL THEN '' ELSE substring(attempt.sql FROM found.begins + 1 FOR found.ends - found.begins) END::text AS quote,
       coalesce((SELECT jsonb_agg(jsonb_build_object('text', answer.text, 'by', by.display_name, 'at', answer.made_at, 'learner', answer.made_by = answer.account_id) ORDER BY answer.id)
                 FROM note_answer AS answer JOIN account AS by ON by.id = answer.made_by
                 WHERE answer.note_id = found.id AND answer.account_id = account.id), '[]')::jsonb AS answers
FROM found JOIN course ON course.id = found.course_id JOIN paper ON paper.id = found.paper_id JOIN account AS maker ON maker.id = found.made_by
CROSS JOIN LATERAL (
    SELECT note_attempt.account_id, max(note_attempt.attempt_id)::bigint AS attempt_id, array_agg(note_attempt.attempt_id)::bigint[] AS attempts FROM note_attempt
    WHERE note_attempt.note_id = found.id AND (sqlc.narg('account_id')::bigint IS NULL OR note_attempt.account_id = sqlc.narg('account_id'))
    GROUP BY note_attempt.account_id) AS reader
JOIN account ON account.id = reader.account_id JOIN attempt ON attempt.id = reader.attempt_id
LEFT JOIN note_seen ON note_seen.note_id = found.id AND note_seen.account_id = account.id
ORDER BY found.id DESC, account.display_name, account.name;

-- name: DisputesOf :many
-- What an account disputes of its attempts at a paper in a course, the latest of each exercise.
SELECT DISTINCT ON (review.exercise_id) review.exercise_id, review.attempt_id, review.reason, review.at, review.done_at, coalesce(done.display_name, '')::text AS done_by
FROM review JOIN exercise ON exercise.id = review.exercise_id LEFT JOIN account AS done ON done.id = review.done_by
WHERE review.account_id = @account_id AND review.course_id = @course_id AND exercise.paper_id = @paper_id AND review.cause = 'disputed'
ORDER BY review.exercise_id, review.id DESC;

-- name: Dispute :execrows
INSERT INTO review (attempt_id, account_id, exercise_id, course_id, cause, reason)
SELECT attempt.id, attempt.account_id, attempt.exercise_id, attempt.course_id, 'disputed', @reason FROM attempt WHERE attempt.id = @attempt_id
ON CONFLICT DO NOTHING;

-- name: WithdrawDispute :execrows
DELETE FROM review WHERE attempt_id = $1 AND cause = 'disputed' AND done_at IS NULL;

-- name: ReviewRecheck :exec
-- Attempts whose marks a recheck has changed are to be looked at, each with what has changed.
INSERT INTO review (attempt_id, account_id, exercise_id, course_id, cause, reason)
SELECT attempt.id, attempt.account_id, attempt.exercise_id, attempt.course_id, 'recheck', given.reason
FROM (SELECT unnest(@attempts::bigint[]) AS id, unnest(@reasons::text[]) AS reason) AS given JOIN attempt ON attempt.id = given.id
ON CONFLICT (attempt_id, cause) WHERE done_at IS NULL OR cause = 'disputed' DO UPDATE SET reason = excluded.reason, at = now();

-- name: Reviews :many
-- The attempts in some courses that need an eye, those that have waited longest first, up to a number: of those that a rule or a limit stood in the way
-- of only the latest or the one that counts, as long as the exercise is not solved.
SELECT review.id, review.cause, review.reason, review.at, review.attempt_id, course.slug AS course, paper.slug AS paper, exercise.slug AS exercise, exercise.number, exercise.title,
       account.name, account.display_name, attempt.sql, attempt.received_at, held.outcome, held.mark, held.points, held.findings, held.error,
       standing.computed, standing.by_hand, coalesce(last_mark.id, 0)::bigint AS mark_id, coalesce(last_mark.reason, '')::text AS mark_reason
FROM review JOIN course ON course.id = review.course_id JOIN exercise_now AS exercise ON exercise.id = review.exercise_id JOIN paper ON paper.id = exercise.paper_id
JOIN account ON account.id = review.account_id JOIN attempt ON attempt.id = review.attempt_id
JOIN standing ON standing.account_id = review.account_id AND standing.exercise_id = review.exercise_id AND standing.course_id = review.course_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
LEFT JOIN LATERAL (SELECT mark.id, mark.reason FROM mark WHERE mark.account_id = review.account_id AND mark.exercise_id = review.exercise_id
                   AND mark.course_id = review.course_id ORDER BY mark.id DESC LIMIT 1) AS last_mark ON true
WHERE review.course_id = ANY (@courses::bigint[]) AND review.done_at IS NULL AND review.id > @after::bigint
  AND (sqlc.narg('paper_id')::bigint IS NULL OR exercise.paper_id = sqlc.narg('paper_id'))
  AND (sqlc.narg('cause')::text IS NULL OR review.cause = sqlc.narg('cause'))
  AND (review.cause NOT IN ('rule', 'stopped')
       OR standing.outcome <> 'correct' AND standing.by_hand IS NULL AND review.attempt_id IN (standing.counts_id, standing.latest_id))
ORDER BY review.id LIMIT @most::int;

-- name: ReviewByID :one
SELECT review.*, course.slug AS course FROM review JOIN course ON course.id = review.course_id WHERE review.id = $1;

-- name: FinishReview :exec
UPDATE review SET done_by = $2, done_at = now() WHERE id = $1 AND done_at IS NULL;

-- name: ReopenReview :exec
UPDATE review SET done_by = NULL, done_at = NULL, done_mark = NULL
WHERE review.id = $1 AND NOT EXISTS (SELECT FROM review AS other WHERE other.attempt_id = review.attempt_id AND other.cause = review.cause AND other.done_at IS NULL);

-- name: ReviewedByMark :exec
-- A mark that is set by hand answers what was to be looked at of the work.
UPDATE review SET done_by = @done_by, done_at = now(), done_mark = @mark_id::bigint
WHERE account_id = @account_id AND exercise_id = @exercise_id AND course_id = @course_id AND done_at IS NULL AND cause <> 'answer';

-- name: ReopenByMark :exec
UPDATE review SET done_by = NULL, done_at = NULL, done_mark = NULL WHERE done_mark = @mark_id::bigint;
