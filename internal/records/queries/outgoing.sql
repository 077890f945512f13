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
