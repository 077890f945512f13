-- name: AuditLog :many
-- Who did what: what somebody may see who sees all (but for the work of courses that they do not follow), or what they instruct.
SELECT audit.id, audit.at, audit.subject, audit.action, audit.changed, coalesce(actor.name, '')::text AS actor, coalesce(actor.display_name, '')::text AS actor_name,
       coalesce(person.name, '')::text AS person, coalesce(person.display_name, '')::text AS person_name, coalesce(course.slug, '')::text AS course,
       coalesce(course.zone, 'UTC')::text AS zone, coalesce(paper.slug, '')::text AS paper, coalesce(exercise.title, '')::text AS exercise, audit.row_id
FROM audit
LEFT JOIN account AS actor ON actor.id = audit.actor
LEFT JOIN account AS person ON person.id = audit.account_id
LEFT JOIN course ON course.id = audit.course_id
LEFT JOIN paper ON paper.id = audit.paper_id
LEFT JOIN exercise_now AS exercise ON exercise.id = CASE audit.subject WHEN 'exercise' THEN (audit.row_id ->> 'id')::bigint ELSE (audit.row_id ->> 'exercise_id')::bigint END
WHERE (audit.course_id = ANY (@courses::bigint[])
       OR @everything::boolean AND (audit.course_id IS NULL OR audit.subject NOT IN ('mark', 'extension', 'sitting', 'note', 'note_answer', 'review'))
       OR audit.course_id IS NULL AND audit.subject IN ('paper', 'exercise', 'exercise_version', 'recheck')
       OR audit.subject = 'account' AND audit.account_id IN (SELECT member.account_id FROM member WHERE member.course_id = ANY (@courses::bigint[])))
  AND (sqlc.narg('course_id')::bigint IS NULL OR audit.course_id = sqlc.narg('course_id'))
  AND (sqlc.narg('paper_id')::bigint IS NULL OR audit.paper_id = sqlc.narg('paper_id'))
  AND (sqlc.narg('person_id')::bigint IS NULL OR audit.account_id = sqlc.narg('person_id'))
  AND (sqlc.narg('actor_id')::bigint IS NULL OR audit.actor = sqlc.narg('actor_id'))
  AND (sqlc.narg('subjects')::text[] IS NULL OR audit.subject = ANY (sqlc.narg('subjects')::text[]))
  AND (sqlc.narg('since')::timestamptz IS NULL OR audit.at >= sqlc.narg('since'))
  AND (sqlc.narg('until')::timestamptz IS NULL OR audit.at < sqlc.narg('until'))
  AND (sqlc.narg('before')::bigint IS NULL OR audit.id < sqlc.narg('before'))
  AND (audit.subject <> 'exercise_version' OR audit.action = 'insert')
ORDER BY audit.id DESC LIMIT @most::int;

-- name: LetAnonymise :exec
-- For the rest of the transaction, what is final may be changed where somebody is made anonymous; see is_final.
SELECT set_config('examen.anonymising', 'yes', true);

-- name: AnonymiseAccount :exec
UPDATE account SET name = 'anonymous-' || id, display_name = 'Anonymous ' || id, email = '', password = '', one_time = false, one_time_until = NULL,
       deactivated_at = coalesce(deactivated_at, now()), anonymised_at = coalesce(anonymised_at, now())
WHERE id = @account_id;

-- name: ForgetAccount :exec
-- What belongs to somebody and to no statistics: sessions, devices, own texts, drafts, names and preferences.
WITH s AS (DELETE FROM session WHERE session.account_id = @account_id), d AS (DELETE FROM device WHERE device.account_id = @account_id),
     t AS (DELETE FROM own_text WHERE own_text.account_id = @account_id), r AS (DELETE FROM draft WHERE draft.account_id = @account_id),
     k AS (DELETE FROM kept_entry WHERE kept_entry.account_id = @account_id), v AS (DELETE FROM visit WHERE visit.account_id = @account_id),
     o AS (UPDATE copy SET used_at = 'epoch' WHERE copy.account_id = @account_id), -- it is dropped next
     p AS (DELETE FROM preference WHERE preference.account_id = @account_id), c AS (DELETE FROM calendar WHERE calendar.account_id = @account_id)
DELETE FROM login_failure WHERE right(origin, length(' as ' || @name::text)) = ' as ' || @name::text;

-- name: AnonymiseTexts :exec
-- Takes what a person is called out of what they wrote: whatever fits the pattern.
WITH texts AS (
    UPDATE attempt SET sql = regexp_replace(attempt.sql, @pattern::text, 'anonymous', 'gi'), client_key = NULL
    WHERE attempt.account_id = @account_id AND (attempt.sql ~* @pattern::text OR attempt.client_key ~* @pattern::text)
)
UPDATE run SET sql = regexp_replace(run.sql, @pattern::text, 'anonymous', 'gi')
WHERE run.account_id = @account_id AND run.sql ~* @pattern::text;

-- name: SaidOf :many
-- What was said of a person's attempts and runs that fits a pattern.
SELECT true AS is_check, held.id, held.findings, held.error
FROM attempt_check AS held JOIN attempt ON attempt.id = held.attempt_id
WHERE attempt.account_id = @account_id AND (held.error::text ~* @pattern::text OR held.findings::text ~* @pattern::text)
UNION ALL
SELECT false, run.id, '[]'::jsonb, run.error FROM run
WHERE run.account_id = @account_id AND run.error::text ~* @pattern::text;

-- name: SayOfCheck :exec
UPDATE attempt_check SET findings = $2, error = $3 WHERE id = $1;

-- name: SayOfRun :exec
UPDATE run SET error = $2 WHERE id = $1;

-- name: AnonymiseReasons :exec
-- Takes what others said of a person, and what they said themselves, out of marks, extensions, notes and the log.
WITH marks AS (UPDATE mark SET reason = '' WHERE mark.account_id = @account_id AND mark.reason <> ''),
     times AS (UPDATE extension SET reason = '' WHERE extension.account_id = @account_id AND extension.reason <> ''),
     answers AS (UPDATE note_answer SET text = '' WHERE note_answer.account_id = @account_id),
     disputes AS (UPDATE review SET reason = '' WHERE review.account_id = @account_id AND review.cause IN ('disputed', 'answer')),
     own AS (SELECT note_id AS id FROM note_attempt WHERE note_id IN (SELECT a.note_id FROM note_attempt AS a WHERE a.account_id = @account_id)
             GROUP BY note_id HAVING bool_and(note_attempt.account_id = @account_id)),
     notes AS (UPDATE note SET text = '' WHERE note.id IN (SELECT own.id FROM own))
UPDATE audit SET changed = changed - '{name,display_name,email,reason,text}'::text[],
       row_id = CASE WHEN row_id ? 'name' THEN jsonb_set(row_id, '{name}', to_jsonb('anonymous-' || @account_id::bigint)) ELSE row_id END
WHERE audit.account_id = @account_id::bigint OR audit.subject = 'note' AND (audit.row_id ->> 'id')::bigint IN (SELECT own.id FROM own);

-- name: MembershipsOf :many
-- What somebody is, or was, in courses.
SELECT course.slug, course.title, member.role, member.group_name, member.joined_at, member.left_at
FROM member JOIN course ON course.id = member.course_id WHERE member.account_id = $1 ORDER BY course.slug;

-- name: MarksOf :many
-- The marks that were set for somebody by hand.
SELECT mark.course_id, exercise.paper_id, course.slug AS course, paper.slug AS paper, exercise.slug AS exercise, coalesce(mark.mark::text, '')::text AS mark,
       mark.reason, setter.display_name AS set_by, mark.set_at
FROM mark JOIN course ON course.id = mark.course_id JOIN exercise ON exercise.id = mark.exercise_id JOIN paper ON paper.id = exercise.paper_id
JOIN account AS setter ON setter.id = mark.set_by WHERE mark.account_id = $1 ORDER BY mark.id;

-- name: StandingOf :many
SELECT standing.course_id, exercise.paper_id, coalesce(course.slug, '')::text AS course, paper.slug AS paper, exercise.slug AS exercise,
       standing.outcome, coalesce(standing.by_hand, standing.computed)::numeric AS mark, standing.attempts
FROM standing LEFT JOIN course ON course.id = standing.course_id JOIN exercise ON exercise.id = standing.exercise_id
JOIN paper ON paper.id = exercise.paper_id WHERE standing.account_id = $1 ORDER BY paper.slug, exercise.number;

-- name: ExtensionsOf :many
SELECT course.slug AS course, paper.slug AS paper, extension.due_at, extension.minutes, extension.reason, extension.made_at
FROM extension JOIN course_paper ON course_paper.id = extension.course_paper_id JOIN course ON course.id = course_paper.course_id
JOIN paper ON paper.id = course_paper.paper_id WHERE extension.account_id = $1 ORDER BY extension.id;

-- name: SittingsOf :many
SELECT course.slug AS course, paper.slug AS paper, sitting.started_at, sitting.moved
FROM sitting JOIN course_paper ON course_paper.id = sitting.course_paper_id JOIN course ON course.id = course_paper.course_id
JOIN paper ON paper.id = course_paper.paper_id WHERE sitting.account_id = $1 ORDER BY sitting.started_at;

-- name: DraftsOf :many
SELECT paper.slug AS paper, exercise.slug AS exercise, draft.sql, draft.kept_at
FROM draft JOIN exercise ON exercise.id = draft.exercise_id JOIN paper ON paper.id = exercise.paper_id
WHERE draft.account_id = $1 ORDER BY paper.slug, exercise.number;

-- name: ChecksOf :many
-- All checks of some attempts.
SELECT attempt_id, outcome, mark, points, at, cause FROM attempt_check WHERE attempt_id = ANY (@attempts::bigint[]) ORDER BY id;

-- name: NotesTo :many
-- The notes that reached somebody, also those that were withdrawn, with what was answered in their thread.
SELECT note.course_id, exercise.paper_id, course.slug AS course, paper.slug AS paper, exercise.slug AS exercise, note.text, maker.display_name AS made_by, note.made_at,
       note.withdrawn_at, note_seen.seen_at,
       coalesce((SELECT jsonb_agg(jsonb_build_object('text', answer.text, 'by', by.display_name, 'at', answer.made_at) ORDER BY answer.id)
                 FROM note_answer AS answer JOIN account AS by ON by.id = answer.made_by
                 WHERE answer.note_id = note.id AND answer.account_id = @account_id), '[]')::jsonb AS answers
FROM note JOIN course ON course.id = note.course_id JOIN exercise ON exercise.id = note.exercise_id JOIN paper ON paper.id = exercise.paper_id
JOIN account AS maker ON maker.id = note.made_by LEFT JOIN note_seen ON note_seen.note_id = note.id AND note_seen.account_id = @account_id
WHERE note.id IN (SELECT note_attempt.note_id FROM note_attempt WHERE note_attempt.account_id = @account_id) ORDER BY note.id;

-- name: DisputesBy :many
-- What somebody disputed.
SELECT course.slug AS course, paper.slug AS paper, exercise.slug AS exercise, review.reason, review.at, review.done_at
FROM review JOIN course ON course.id = review.course_id JOIN exercise ON exercise.id = review.exercise_id JOIN paper ON paper.id = exercise.paper_id
WHERE review.account_id = $1 AND review.cause = 'disputed' ORDER BY review.id;
