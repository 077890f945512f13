-- name: MakeCalendar :one
-- Gives an account's calendar an address; an earlier one holds no longer.
INSERT INTO calendar (account_id, secret_hash) VALUES ($1, $2)
ON CONFLICT (account_id) DO UPDATE SET secret_hash = excluded.secret_hash, made_at = now() RETURNING made_at;

-- name: OwnCalendar :one
SELECT made_at FROM calendar WHERE account_id = $1;

-- name: RemoveCalendar :exec
DELETE FROM calendar WHERE account_id = $1;

-- name: CalendarBySecret :one
-- Whose calendar has an address.
SELECT account.name FROM calendar JOIN account ON account.id = calendar.account_id WHERE calendar.secret_hash = $1 AND account.deactivated_at IS NULL;

-- name: CreateWebhook :one
INSERT INTO webhook (course_id, url, made_by) VALUES ($1, $2, $3) RETURNING *;

-- name: KeepWebhookSecret :exec
INSERT INTO webhook_secret (webhook_id, secret) VALUES ($1, $2);

-- name: Webhooks :many
-- A course's webhooks, with how many marks wait to be told and how many could not be.
SELECT webhook.*, account.display_name,
       (SELECT count(*) FROM delivery WHERE delivery.webhook_id = webhook.id AND delivery.state = 'waiting') AS waiting,
       (SELECT count(*) FROM delivery WHERE delivery.webhook_id = webhook.id AND delivery.state = 'failed') AS failed
FROM webhook JOIN account ON account.id = webhook.made_by WHERE webhook.course_id = $1 AND webhook.removed_at IS NULL ORDER BY webhook.id;

-- name: WebhookOf :one
SELECT * FROM webhook WHERE id = $1 AND course_id = $2 AND removed_at IS NULL;

-- name: RemoveWebhook :execrows
UPDATE webhook SET removed_at = now() WHERE id = $1 AND course_id = $2 AND removed_at IS NULL;

-- name: DropWebhookSecret :exec
DELETE FROM webhook_secret WHERE webhook_id = $1;

-- name: Deliveries :many
-- What a webhook was told, the latest first.
SELECT delivery.*, account.name, account.display_name, exercise.slug AS exercise, paper.slug AS paper
FROM delivery JOIN account ON account.id = delivery.account_id JOIN exercise ON exercise.id = delivery.exercise_id JOIN paper ON paper.id = exercise.paper_id
WHERE delivery.webhook_id = @webhook_id AND (sqlc.narg('before')::bigint IS NULL OR delivery.id < sqlc.narg('before')) ORDER BY delivery.id DESC LIMIT @most::int;

-- name: DeliveriesToQueue :many
-- Deliveries that are not in the queue yet; nobody else takes them meanwhile.
SELECT id FROM delivery WHERE queued_at IS NULL ORDER BY id LIMIT @most::int FOR UPDATE SKIP LOCKED;

-- name: DeliveriesQueued :exec
UPDATE delivery SET queued_at = now() WHERE id = ANY (@ids::bigint[]);

-- name: Delivery :one
-- What is to be told, where, and what it is about.
SELECT delivery.*, webhook.url, webhook_secret.secret, webhook.removed_at, course.slug AS course, account.name, account.display_name, account.email,
       exercise.slug AS exercise, exercise.number, exercise.title, exercise.points, paper.slug AS paper
FROM delivery JOIN webhook ON webhook.id = delivery.webhook_id LEFT JOIN webhook_secret ON webhook_secret.webhook_id = webhook.id JOIN course ON course.id = webhook.course_id
JOIN account ON account.id = delivery.account_id JOIN exercise_now AS exercise ON exercise.id = delivery.exercise_id JOIN paper ON paper.id = exercise.paper_id
WHERE delivery.id = $1;

-- name: DeliveryTried :exec
UPDATE delivery SET tries = tries + 1, status = $2, error = $3, state = $4, tried_at = now() WHERE id = $1;

-- name: MailNote :many
-- E-mail to those whom a note reaches, who have an address and want any.
INSERT INTO mail (kind, account_id, note_id)
SELECT DISTINCT 'note', note_attempt.account_id, note_attempt.note_id FROM note_attempt JOIN account ON account.id = note_attempt.account_id
LEFT JOIN preference ON preference.account_id = account.id
WHERE note_attempt.note_id = @note_id::bigint AND account.email <> '' AND account.deactivated_at IS NULL AND coalesce(preference.mail, true)
ON CONFLICT DO NOTHING RETURNING id;

-- name: MailReleased :many
-- The same to who has worked on a paper whose marks are released.
INSERT INTO mail (kind, account_id, course_paper_id)
SELECT DISTINCT 'released', standing.account_id, course_paper.id FROM course_paper JOIN exercise ON exercise.paper_id = course_paper.paper_id
JOIN standing ON standing.exercise_id = exercise.id AND standing.course_id = course_paper.course_id
JOIN member ON member.course_id = course_paper.course_id AND member.account_id = standing.account_id AND member.role = 'learner' AND member.left_at IS NULL
JOIN account ON account.id = standing.account_id LEFT JOIN preference ON preference.account_id = account.id
WHERE course_paper.id = @set_id AND account.email <> '' AND account.deactivated_at IS NULL AND coalesce(preference.mail, true)
ON CONFLICT DO NOTHING RETURNING id;

-- name: SetsDueSoon :many
-- Papers as they are set that are due, for somebody at least, between two times.
SELECT course_paper.* FROM course_paper JOIN course ON course.id = course_paper.course_id
WHERE course.archived_at IS NULL AND (course_paper.due_at > @since AND course_paper.due_at <= @until::timestamptz
      OR EXISTS (SELECT FROM extension WHERE extension.course_paper_id = course_paper.id AND extension.due_at > @since AND extension.due_at <= @until::timestamptz));

-- name: MailDue :many
-- The same to those of some accounts that have not solved all of a paper that is due soon; of each due time once.
INSERT INTO mail (kind, account_id, course_paper_id, due_at)
SELECT 'due', given.account_id, course_paper.id, given.due_at
FROM (SELECT unnest(@accounts::bigint[]) AS account_id, unnest(@due::timestamptz[]) AS due_at) AS given
JOIN course_paper ON course_paper.id = @set_id
JOIN member ON member.course_id = course_paper.course_id AND member.account_id = given.account_id AND member.role = 'learner' AND member.left_at IS NULL
JOIN account ON account.id = given.account_id LEFT JOIN preference ON preference.account_id = account.id
WHERE account.email <> '' AND account.deactivated_at IS NULL AND coalesce(preference.mail, true)
  AND EXISTS (SELECT FROM exercise WHERE exercise.paper_id = course_paper.paper_id AND NOT exercise.retired
              AND NOT EXISTS (SELECT FROM standing WHERE standing.exercise_id = exercise.id AND standing.account_id = given.account_id
                              AND standing.course_id = course_paper.course_id AND standing.solved_at IS NOT NULL))
ON CONFLICT DO NOTHING RETURNING id;

-- name: MailByID :one
-- E-mail that is to be sent, with what it is about.
SELECT mail.*, account.name, account.display_name, account.email, account.deactivated_at, paper.slug AS paper, paper.title, course.zone,
       coalesce(note.text, '')::text AS note, (note.withdrawn_at IS NOT NULL)::boolean AS withdrawn, coalesce(maker.display_name, '')::text AS maker, coalesce(exercise.slug, '')::text AS exercise,
       coalesce(exercise.title, '')::text AS exercise_title
FROM mail JOIN account ON account.id = mail.account_id
LEFT JOIN note ON note.id = mail.note_id LEFT JOIN account AS maker ON maker.id = note.made_by
LEFT JOIN exercise_now AS exercise ON exercise.id = note.exercise_id
LEFT JOIN course_paper ON course_paper.id = mail.course_paper_id
JOIN paper ON paper.id = coalesce(course_paper.paper_id, exercise.paper_id) JOIN course ON course.id = coalesce(course_paper.course_id, note.course_id)
WHERE mail.id = $1;

-- name: MailTried :exec
UPDATE mail SET tries = tries + 1, error = $2, state = $3, tried_at = now() WHERE id = $1;
