-- name: CreateRun :one
INSERT INTO run (account_id, exercise_id, paper_id, course_id, build_id, sql, outcome, row_count, elapsed_ms, error, at, in_copy)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
RETURNING id, at;

-- name: OwnRun :one
-- An account's own run, and what it was for.
SELECT run.sql, run.in_copy, dataset.name AS dataset, coalesce(paper.slug, '')::text AS paper, coalesce(exercise.slug, '')::text AS exercise
FROM run
JOIN build ON build.id = run.build_id
JOIN dataset ON dataset.id = build.dataset_id
LEFT JOIN exercise ON exercise.id = run.exercise_id
LEFT JOIN paper ON paper.id = run.paper_id
WHERE run.id = $1 AND run.account_id = $2;

-- name: CreateAttempt :batchone
-- Keeps an attempt with its check, and the standing that comes of it: which attempt counts follows from the rules of the paper as it is set, as
-- marking.Rules says. Where these are no longer of the revision given, nothing is kept and there is no row.
WITH made AS (
    INSERT INTO attempt (account_id, exercise_id, course_id, sql, received_at, client_key)
    SELECT @account_id::bigint, @exercise_id::bigint, sqlc.narg('course_id')::bigint, @sql::text, @received_at::timestamptz, sqlc.narg('client_key')::text
    FROM held_revision(sqlc.narg('set_id')::bigint) AS held WHERE held = @revision::bigint
    RETURNING *
), checked AS (
    INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count, elapsed_ms, findings, error,
                               fingerprint, hidden_only, counted, differing)
    SELECT made.id, @version_id::bigint, @build_id::bigint, @outcome::text, @mark::numeric, @points::numeric, @row_count::bigint,
           @elapsed_ms::float8, @findings::jsonb, @error::jsonb, @fingerprint::bytea, @hidden_only::boolean, @counted::boolean, sqlc.narg('differing')::bigint
    FROM made
    RETURNING *
), stands AS (
    INSERT INTO standing AS s (account_id, exercise_id, course_id, counts_id, latest_id, outcome, computed, attempts, used,
                               hidden_only, last_at, counted, nearest, solved_at, tries, worked)
    SELECT made.account_id, made.exercise_id, made.course_id, made.id, made.id, checked.outcome, checked.mark, 1,
           checked.counted::int, checked.hidden_only::int, made.received_at, checked.counted, checked.differing,
           CASE WHEN checked.outcome = 'correct' THEN made.received_at END, CASE WHEN checked.outcome = 'correct' THEN 1 END,
           CASE WHEN EXISTS (SELECT FROM standing AS was WHERE was.account_id = made.account_id AND was.exercise_id = made.exercise_id AND was.attempts > 0) THEN 0
                ELSE work_since(made.account_id, made.exercise_id, NULL, NULL, made.received_at) END
    FROM made CROSS JOIN checked
    ON CONFLICT (account_id, exercise_id, course_id) DO UPDATE SET
        counts_id = CASE WHEN takes_place(@counts::text, @late::boolean, s, excluded.computed, excluded.counted) THEN excluded.counts_id ELSE s.counts_id END,
        outcome = CASE WHEN takes_place(@counts::text, @late::boolean, s, excluded.computed, excluded.counted) THEN excluded.outcome ELSE s.outcome END,
        computed = CASE WHEN takes_place(@counts::text, @late::boolean, s, excluded.computed, excluded.counted) THEN excluded.computed ELSE s.computed END,
        counted = CASE WHEN takes_place(@counts::text, @late::boolean, s, excluded.computed, excluded.counted) THEN excluded.counted ELSE s.counted END,
        latest_id = excluded.latest_id,
        attempts = s.attempts + 1,
        used = s.used + excluded.used,
        hidden_only = s.hidden_only + excluded.hidden_only,
        last_at = greatest(s.last_at, excluded.last_at),
        nearest = least(s.nearest, excluded.nearest),
        stuck = CASE WHEN s.solved_at IS NOT NULL OR excluded.solved_at IS NOT NULL OR excluded.nearest < s.nearest
                          OR s.nearest IS NULL AND (excluded.nearest IS NOT NULL OR s.attempts = 0) THEN 0 ELSE s.stuck + 1 END,
        solved_at = coalesce(s.solved_at, excluded.solved_at),
        tries = coalesce(s.tries, CASE WHEN excluded.solved_at IS NOT NULL THEN s.attempts + 1 END),
        worked = s.worked + CASE WHEN s.solved_at IS NOT NULL THEN 0 WHEN s.attempts = 0 THEN excluded.worked
                                 WHEN work_between(s.last_at, excluded.last_at) > 0 THEN work_between(s.last_at, excluded.last_at)
                                 ELSE work_since(s.account_id, s.exercise_id, s.latest_id, s.last_at, excluded.last_at) END,
        version = nextval('standing_version')
    RETURNING last_at
), noted AS (
    INSERT INTO note_attempt (note_id, attempt_id, account_id)
    SELECT note_like.note_id, made.id, made.account_id FROM made
    JOIN note_like ON note_like.exercise_id = made.exercise_id AND note_like.course_id = made.course_id AND note_like.alike = @alike::bytea
    WHERE @outcome::text <> 'correct'
), to_review AS (
    INSERT INTO review (attempt_id, account_id, exercise_id, course_id, cause)
    SELECT made.id, made.account_id, made.exercise_id, made.course_id, @review::text FROM made
    WHERE made.course_id IS NOT NULL AND @review::text <> ''
)
SELECT made.id, made.received_at, stands.last_at FROM made, stands;

-- name: AttemptByKey :one
SELECT sqlc.embed(attempt), sqlc.embed(attempt_check), build.number AS build_number, exercise.slug AS exercise, paper.slug AS paper
FROM attempt
JOIN attempt_check ON attempt_check.attempt_id = attempt.id
JOIN build ON build.id = attempt_check.build_id
JOIN exercise ON exercise.id = attempt.exercise_id
JOIN paper ON paper.id = exercise.paper_id
WHERE attempt.account_id = $1 AND attempt.client_key = @client_key::text
ORDER BY attempt_check.id DESC LIMIT 1;

-- name: HiddenOnly :one
-- How many attempts of a learner at an exercise were, within the last hour, wrong on hidden rows alone, and how many
-- seconds ago the last was. Nothing is looked at where the standing tells that there never were so many.
SELECT count(*) AS attempts, coalesce(extract(epoch FROM now() - max(attempt.received_at)), 0)::float8 AS seconds_ago
FROM attempt JOIN attempt_check ON attempt_check.attempt_id = attempt.id
WHERE attempt.account_id = $1 AND attempt.exercise_id = $2 AND attempt_check.hidden_only
  AND attempt.received_at > now() - interval '1 hour'
  AND (SELECT sum(hidden_only) FROM standing WHERE account_id = $1 AND exercise_id = $2) >= @at_least::int;

-- name: LockWork :exec
-- Held to the end of the transaction: one submission at a time where attempts are limited.
SELECT pg_advisory_xact_lock(hashtextextended('work ' || @account_id::text || ' ' || @exercise_id::text, 0));

-- name: AttemptsUsed :one
-- How many of the attempts that an exercise allows are used up.
SELECT coalesce(sum(used), 0)::int FROM standing
WHERE account_id = $1 AND exercise_id = $2 AND course_id IS NOT DISTINCT FROM sqlc.narg('course_id')::bigint;

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

-- name: OwnStanding :many
-- How an account stands on the exercises of a paper, in a course (NULL: in none).
SELECT sqlc.embed(standing), attempt.received_at AS counts_at,
       coalesce((SELECT mark.reason FROM mark WHERE standing.by_hand IS NOT NULL AND mark.account_id = standing.account_id
                 AND mark.exercise_id = standing.exercise_id AND mark.course_id = standing.course_id ORDER BY mark.id DESC LIMIT 1), '')::text AS reason
FROM standing JOIN exercise ON exercise.id = standing.exercise_id
LEFT JOIN attempt ON attempt.id = standing.counts_id
WHERE exercise.paper_id = @paper_id AND NOT exercise.retired AND standing.account_id = @account_id
  AND standing.course_id IS NOT DISTINCT FROM sqlc.narg('course_id')::bigint;

-- name: CourseStanding :many
-- The same for all learners of some courses, or for some of them.
SELECT standing.* FROM standing JOIN exercise ON exercise.id = standing.exercise_id
WHERE exercise.paper_id = @paper_id AND NOT exercise.retired AND standing.course_id = ANY (@courses::bigint[])
  AND (sqlc.narg('accounts')::bigint[] IS NULL OR standing.account_id = ANY (sqlc.narg('accounts')::bigint[]));

-- name: StandingsNow :many
-- Some standings, with what they are called by.
SELECT sqlc.embed(standing), account.name, course.slug AS course, exercise.slug AS exercise
FROM (SELECT unnest(@accounts::bigint[]) AS account_id, unnest(@exercises::bigint[]) AS exercise_id, unnest(@courses::bigint[]) AS course_id) AS changed
JOIN standing ON standing.account_id = changed.account_id AND standing.exercise_id = changed.exercise_id AND standing.course_id = changed.course_id
JOIN account ON account.id = standing.account_id
JOIN course ON course.id = standing.course_id
JOIN exercise ON exercise.id = standing.exercise_id;

-- name: LearnerStanding :many
-- How an account stands on every paper, in every course.
SELECT exercise.paper_id, standing.course_id, sum(coalesce(standing.by_hand, standing.computed))::numeric AS mark,
       count(*) FILTER (WHERE standing.outcome = 'correct') AS correct, count(*) FILTER (WHERE standing.attempts > 0) AS attempted
FROM standing JOIN exercise ON exercise.id = standing.exercise_id
WHERE standing.account_id = $1 AND NOT exercise.retired
GROUP BY exercise.paper_id, standing.course_id;

-- name: LatestAttempts :many
-- The latest attempt at each exercise of a paper, with its last check.
SELECT sqlc.embed(attempt), sqlc.embed(attempt_check), build.number AS build_number
FROM standing
JOIN exercise ON exercise.id = standing.exercise_id
JOIN attempt ON attempt.id = standing.latest_id
JOIN attempt_check ON attempt_check.attempt_id = attempt.id
JOIN build ON build.id = attempt_check.build_id
WHERE standing.account_id = @account_id AND exercise.paper_id = @paper_id
  AND standing.course_id IS NOT DISTINCT FROM sqlc.narg('course_id')::bigint
  AND NOT EXISTS (SELECT FROM attempt_check AS later WHERE later.attempt_id = attempt.id AND later.id > attempt_check.id);

-- name: AttemptsToStand :many
-- All attempts at the exercises of a paper as it is set, or one learner's at one exercise, with the check that holds, in the order in which they count.
SELECT attempt.id, attempt.account_id, attempt.exercise_id, attempt.received_at, held.id AS check_id, held.outcome, held.mark, held.points,
       held.counted, held.hidden_only, ARRAY(SELECT f ->> 'kind' FROM jsonb_array_elements(held.findings) AS f)::text[] AS kinds
FROM course_paper JOIN exercise ON exercise.paper_id = course_paper.paper_id
JOIN attempt ON attempt.exercise_id = exercise.id AND attempt.course_id = course_paper.course_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check WHERE attempt_check.attempt_id = attempt.id ORDER BY attempt_check.id DESC LIMIT 1) AS held
WHERE course_paper.id = @set_id
  AND (sqlc.narg('account_id')::bigint IS NULL OR attempt.account_id = sqlc.narg('account_id'))
  AND (sqlc.narg('exercise_id')::bigint IS NULL OR attempt.exercise_id = sqlc.narg('exercise_id'))
ORDER BY attempt.account_id, attempt.exercise_id, attempt.received_at, attempt.id;

-- name: CheckAgain :exec
-- Keeps for each check another that says the same, with another mark.
INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count, elapsed_ms, findings, error, fingerprint,
                           hidden_only, counted, differing, cause)
SELECT attempt_id, version_id, build_id, outcome, again.mark::numeric, points, row_count, elapsed_ms, findings, error, fingerprint, hidden_only, counted, differing, 'rules'
FROM (SELECT unnest(@checks::bigint[]) AS id, unnest(@marks::text[]) AS mark) AS again JOIN attempt_check ON attempt_check.id = again.id
ORDER BY attempt_check.id;

-- name: StandAgain :exec
-- Replaces what standings have computed.
UPDATE standing SET counts_id = again.counts_id, outcome = again.outcome, computed = again.mark::numeric, counted = again.counted,
       used = again.used, hidden_only = again.hidden_only, nearest = f.nearest, stuck = f.stuck, solved_at = f.solved_at, tries = f.tries, worked = f.worked,
       version = nextval('standing_version')
FROM (SELECT unnest(@accounts::bigint[]) AS account_id, unnest(@exercises::bigint[]) AS exercise_id, unnest(@counts::bigint[]) AS counts_id,
             unnest(@outcomes::text[]) AS outcome, unnest(@marks::text[]) AS mark, unnest(@counted::boolean[]) AS counted,
             unnest(@used::int[]) AS used, unnest(@hidden::int[]) AS hidden_only) AS again
CROSS JOIN LATERAL followed(again.account_id, again.exercise_id, @course_id::bigint) AS f
WHERE standing.account_id = again.account_id AND standing.exercise_id = again.exercise_id AND standing.course_id = @course_id::bigint
  AND (standing.counts_id, standing.outcome, standing.computed, standing.counted, standing.used, standing.hidden_only,
       standing.nearest, standing.stuck, standing.solved_at, standing.tries, standing.worked)
      IS DISTINCT FROM (again.counts_id, again.outcome, again.mark::numeric, again.counted, again.used, again.hidden_only,
       f.nearest, f.stuck, f.solved_at, f.tries, f.worked);

-- name: PaperLearners :many
-- The learners of those of some courses that a paper is set for, or (NULL: all) the first of them.
SELECT account.id, account.name, account.display_name, member.group_name, course.id AS course_id, course.slug AS course
FROM account
JOIN member ON member.account_id = account.id AND member.role = 'learner' AND member.left_at IS NULL
JOIN course_paper ON course_paper.course_id = member.course_id
JOIN course ON course.id = member.course_id
WHERE course_paper.paper_id = @paper_id AND course.id = ANY (@courses::bigint[])
ORDER BY account.display_name, account.name, course.slug LIMIT sqlc.narg('most')::int;

-- name: History :many
-- One account's runs and attempts, in some courses or (NULL) in all. The numbers of a page are found first, each side cut
-- by its index. A page ends early where its texts are long: passed is how many bytes the entries before have, and more
-- tells whether entries follow that were left out.
WITH page AS (
    SELECT found.id FROM (
        (SELECT run.id FROM run
         WHERE run.account_id = @account_id AND (sqlc.narg('courses')::bigint[] IS NULL OR run.course_id = ANY (sqlc.narg('courses')::bigint[]))
           AND (sqlc.narg('paper_id')::bigint IS NULL OR run.paper_id = sqlc.narg('paper_id'))
           AND (sqlc.narg('exercise_id')::bigint IS NULL OR run.exercise_id = sqlc.narg('exercise_id'))
           AND (sqlc.narg('outcome')::text IS NULL OR run.outcome = sqlc.narg('outcome'))
           AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'run')
           AND (sqlc.narg('before')::bigint IS NULL OR run.id < sqlc.narg('before'))
           AND (sqlc.narg('ids')::bigint[] IS NULL OR run.id = ANY (sqlc.narg('ids')::bigint[]))
           AND (sqlc.narg('dataset_id')::bigint IS NULL OR run.build_id IN (SELECT id FROM build WHERE build.dataset_id = sqlc.narg('dataset_id')))
           AND (sqlc.narg('since')::timestamptz IS NULL OR run.at >= sqlc.narg('since'))
           AND (sqlc.narg('until')::timestamptz IS NULL OR run.at < sqlc.narg('until'))
           AND (run.cleared_at IS NULL OR run.account_id <> @reader::bigint)
         ORDER BY run.id DESC LIMIT sqlc.arg('page')::int)
        UNION ALL
        (SELECT attempt.id FROM attempt JOIN exercise AS done ON done.id = attempt.exercise_id
         WHERE attempt.account_id = @account_id AND (sqlc.narg('courses')::bigint[] IS NULL OR attempt.course_id = ANY (sqlc.narg('courses')::bigint[]))
           AND (sqlc.narg('paper_id')::bigint IS NULL OR done.paper_id = sqlc.narg('paper_id'))
           AND (sqlc.narg('exercise_id')::bigint IS NULL OR attempt.exercise_id = sqlc.narg('exercise_id'))
           AND (sqlc.narg('outcome')::text IS NULL OR sqlc.narg('outcome') = (
               SELECT held.outcome FROM attempt_check AS held WHERE held.attempt_id = attempt.id ORDER BY held.id DESC LIMIT 1))
           AND (sqlc.narg('outcome')::text IS NULL OR attempt.account_id <> @reader::bigint
                OR concat_ws(' ', done.paper_id, attempt.course_id) <> ALL (@untold::text[]))
           AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'attempt')
           AND (sqlc.narg('before')::bigint IS NULL OR attempt.id < sqlc.narg('before'))
           AND (sqlc.narg('ids')::bigint[] IS NULL OR attempt.id = ANY (sqlc.narg('ids')::bigint[]))
           AND (sqlc.narg('dataset_id')::bigint IS NULL OR done.paper_id IN (SELECT id FROM paper WHERE paper.dataset_id = sqlc.narg('dataset_id')))
           AND (sqlc.narg('since')::timestamptz IS NULL OR attempt.received_at >= sqlc.narg('since'))
           AND (sqlc.narg('until')::timestamptz IS NULL OR attempt.received_at < sqlc.narg('until'))
         ORDER BY attempt.id DESC LIMIT sqlc.arg('page')::int)
    ) AS found ORDER BY found.id DESC LIMIT sqlc.arg('page')::int
)
SELECT entries.*, (count(*) OVER () < found)::boolean AS more FROM (
    SELECT entry.*, account.name AS learner, account.display_name, dataset.name AS dataset, paper.slug AS paper,
           exercise.slug AS exercise, exercise.title, (kept_entry.entry_id IS NOT NULL)::boolean AS kept,
           coalesce(kept_entry.name, '')::text AS name, count(*) OVER () AS found,
           (sum(entry.bytes) OVER (ORDER BY entry.id DESC) - entry.bytes)::bigint AS passed
    FROM page CROSS JOIN LATERAL (SELECT * FROM entry WHERE entry.id = page.id LIMIT 1) AS entry
    JOIN account ON account.id = entry.account_id
    JOIN build ON build.id = entry.build_id
    JOIN dataset ON dataset.id = build.dataset_id
    LEFT JOIN paper ON paper.id = entry.paper_id
    LEFT JOIN exercise_now AS exercise ON exercise.id = entry.exercise_id
    LEFT JOIN kept_entry ON kept_entry.account_id = @reader::bigint AND kept_entry.entry_id = entry.id
) AS entries WHERE passed <= sqlc.arg('most_bytes')::bigint ORDER BY id DESC;

-- name: CourseHistory :many
-- The same of all members of some courses, each course by its index, and of oneself.
WITH page AS (
    SELECT found.id FROM (
        SELECT of_course.id FROM unnest(@courses::bigint[]) AS course (number) CROSS JOIN LATERAL (
        (SELECT run.id FROM run
         WHERE run.course_id = course.number
           AND (sqlc.narg('paper_id')::bigint IS NULL OR run.paper_id = sqlc.narg('paper_id'))
           AND (sqlc.narg('exercise_id')::bigint IS NULL OR run.exercise_id = sqlc.narg('exercise_id'))
           AND (sqlc.narg('outcome')::text IS NULL OR run.outcome = sqlc.narg('outcome'))
           AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'run')
           AND (sqlc.narg('before')::bigint IS NULL OR run.id < sqlc.narg('before'))
           AND (sqlc.narg('ids')::bigint[] IS NULL OR run.id = ANY (sqlc.narg('ids')::bigint[]))
           AND (sqlc.narg('dataset_id')::bigint IS NULL OR run.build_id IN (SELECT id FROM build WHERE build.dataset_id = sqlc.narg('dataset_id')))
           AND (sqlc.narg('since')::timestamptz IS NULL OR run.at >= sqlc.narg('since'))
           AND (sqlc.narg('until')::timestamptz IS NULL OR run.at < sqlc.narg('until'))
           AND (run.cleared_at IS NULL OR run.account_id <> @reader::bigint)
         ORDER BY run.id DESC LIMIT sqlc.arg('page')::int)
        UNION ALL
        (SELECT attempt.id FROM attempt JOIN exercise AS done ON done.id = attempt.exercise_id
         WHERE attempt.course_id = course.number
           AND (sqlc.narg('paper_id')::bigint IS NULL OR done.paper_id = sqlc.narg('paper_id'))
           AND (sqlc.narg('exercise_id')::bigint IS NULL OR attempt.exercise_id = sqlc.narg('exercise_id'))
           AND (sqlc.narg('outcome')::text IS NULL OR sqlc.narg('outcome') = (
               SELECT held.outcome FROM attempt_check AS held WHERE held.attempt_id = attempt.id ORDER BY held.id DESC LIMIT 1))
           AND (sqlc.narg('outcome')::text IS NULL OR attempt.account_id <> @reader::bigint
                OR concat_ws(' ', done.paper_id, attempt.course_id) <> ALL (@untold::text[]))
           AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'attempt')
           AND (sqlc.narg('before')::bigint IS NULL OR attempt.id < sqlc.narg('before'))
           AND (sqlc.narg('ids')::bigint[] IS NULL OR attempt.id = ANY (sqlc.narg('ids')::bigint[]))
           AND (sqlc.narg('dataset_id')::bigint IS NULL OR done.paper_id IN (SELECT id FROM paper WHERE paper.dataset_id = sqlc.narg('dataset_id')))
           AND (sqlc.narg('since')::timestamptz IS NULL OR attempt.received_at >= sqlc.narg('since'))
           AND (sqlc.narg('until')::timestamptz IS NULL OR attempt.received_at < sqlc.narg('until'))
         ORDER BY attempt.id DESC LIMIT sqlc.arg('page')::int)
        ) AS of_course
        UNION ALL
        (SELECT run.id FROM run
         WHERE run.account_id = @reader::bigint AND (run.course_id IS NULL OR run.course_id <> ALL (@courses::bigint[]))
           AND (sqlc.narg('paper_id')::bigint IS NULL OR run.paper_id = sqlc.narg('paper_id'))
           AND (sqlc.narg('exercise_id')::bigint IS NULL OR run.exercise_id = sqlc.narg('exercise_id'))
           AND (sqlc.narg('outcome')::text IS NULL OR run.outcome = sqlc.narg('outcome'))
           AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'run')
           AND (sqlc.narg('before')::bigint IS NULL OR run.id < sqlc.narg('before'))
           AND (sqlc.narg('ids')::bigint[] IS NULL OR run.id = ANY (sqlc.narg('ids')::bigint[]))
           AND (sqlc.narg('dataset_id')::bigint IS NULL OR run.build_id IN (SELECT id FROM build WHERE build.dataset_id = sqlc.narg('dataset_id')))
           AND (sqlc.narg('since')::timestamptz IS NULL OR run.at >= sqlc.narg('since'))
           AND (sqlc.narg('until')::timestamptz IS NULL OR run.at < sqlc.narg('until'))
           AND (run.cleared_at IS NULL OR run.account_id <> @reader::bigint)
         ORDER BY run.id DESC LIMIT sqlc.arg('page')::int)
        UNION ALL
        (SELECT attempt.id FROM attempt JOIN exercise AS done ON done.id = attempt.exercise_id
         WHERE attempt.account_id = @reader::bigint AND (attempt.course_id IS NULL OR attempt.course_id <> ALL (@courses::bigint[]))
           AND (sqlc.narg('paper_id')::bigint IS NULL OR done.paper_id = sqlc.narg('paper_id'))
           AND (sqlc.narg('exercise_id')::bigint IS NULL OR attempt.exercise_id = sqlc.narg('exercise_id'))
           AND (sqlc.narg('outcome')::text IS NULL OR sqlc.narg('outcome') = (
               SELECT held.outcome FROM attempt_check AS held WHERE held.attempt_id = attempt.id ORDER BY held.id DESC LIMIT 1))
           AND (sqlc.narg('outcome')::text IS NULL OR attempt.account_id <> @reader::bigint
                OR concat_ws(' ', done.paper_id, attempt.course_id) <> ALL (@untold::text[]))
           AND (sqlc.narg('kind')::text IS NULL OR sqlc.narg('kind') = 'attempt')
           AND (sqlc.narg('before')::bigint IS NULL OR attempt.id < sqlc.narg('before'))
           AND (sqlc.narg('ids')::bigint[] IS NULL OR attempt.id = ANY (sqlc.narg('ids')::bigint[]))
           AND (sqlc.narg('dataset_id')::bigint IS NULL OR done.paper_id IN (SELECT id FROM paper WHERE paper.dataset_id = sqlc.narg('dataset_id')))
           AND (sqlc.narg('since')::timestamptz IS NULL OR attempt.received_at >= sqlc.narg('since'))
           AND (sqlc.narg('until')::timestamptz IS NULL OR attempt.received_at < sqlc.narg('until'))
         ORDER BY attempt.id DESC LIMIT sqlc.arg('page')::int)
    ) AS found ORDER BY found.id DESC LIMIT sqlc.arg('page')::int
)
SELECT entries.*, (count(*) OVER () < found)::boolean AS more FROM (
    SELECT entry.*, account.name AS learner, account.display_name, dataset.name AS dataset, paper.slug AS paper,
           exercise.slug AS exercise, exercise.title, (kept_entry.entry_id IS NOT NULL)::boolean AS kept,
           coalesce(kept_entry.name, '')::text AS name, count(*) OVER () AS found,
           (sum(entry.bytes) OVER (ORDER BY entry.id DESC) - entry.bytes)::bigint AS passed
    FROM page CROSS JOIN LATERAL (SELECT * FROM entry WHERE entry.id = page.id LIMIT 1) AS entry
    JOIN account ON account.id = entry.account_id
    JOIN build ON build.id = entry.build_id
    JOIN dataset ON dataset.id = build.dataset_id
    LEFT JOIN paper ON paper.id = entry.paper_id
    LEFT JOIN exercise_now AS exercise ON exercise.id = entry.exercise_id
    LEFT JOIN kept_entry ON kept_entry.account_id = @reader::bigint AND kept_entry.entry_id = entry.id
) AS entries WHERE passed <= sqlc.arg('most_bytes')::bigint ORDER BY id DESC;

-- name: FoundTexts :many
-- The latest of an account's runs and attempts whose texts are like a pattern, and those that the reader keeps under such
-- a name.
(SELECT run.id FROM run WHERE run.account_id = @account_id AND left(run.sql, 5000) ILIKE @pattern::text
   AND (run.cleared_at IS NULL OR run.account_id <> @reader::bigint) ORDER BY run.id DESC LIMIT @most::int)
UNION ALL
(SELECT attempt.id FROM attempt WHERE attempt.account_id = @account_id AND left(attempt.sql, 5000) ILIKE @pattern::text ORDER BY attempt.id DESC LIMIT @most::int)
UNION ALL
SELECT kept_entry.entry_id FROM kept_entry WHERE kept_entry.account_id = @reader::bigint AND kept_entry.name ILIKE @pattern::text;

-- name: CourseFoundTexts :many
-- The same of all members of some courses.
(SELECT run.id FROM run WHERE run.course_id = ANY (@courses::bigint[]) AND left(run.sql, 5000) ILIKE @pattern::text
   AND (run.cleared_at IS NULL OR run.account_id <> @reader::bigint) ORDER BY run.id DESC LIMIT @most::int)
UNION ALL
(SELECT attempt.id FROM attempt WHERE attempt.course_id = ANY (@courses::bigint[]) AND left(attempt.sql, 5000) ILIKE @pattern::text ORDER BY attempt.id DESC LIMIT @most::int);

-- name: KeptEntries :many
SELECT entry_id FROM kept_entry WHERE account_id = $1;

-- name: OwnEntry :one
-- Whether a run or an attempt is an account's own.
SELECT (EXISTS (SELECT FROM run WHERE run.id = @id AND run.account_id = @account_id)
    OR EXISTS (SELECT FROM attempt WHERE attempt.id = @id AND attempt.account_id = @account_id))::boolean AS own;

-- name: KeepEntry :exec
INSERT INTO kept_entry (account_id, entry_id, name) VALUES ($1, $2, $3)
ON CONFLICT (account_id, entry_id) DO UPDATE SET name = excluded.name;

-- name: UnkeepEntry :exec
DELETE FROM kept_entry WHERE account_id = $1 AND entry_id = $2;

-- name: ClearRun :execrows
UPDATE run SET cleared_at = now() WHERE id = $1 AND account_id = $2 AND cleared_at IS NULL;

-- name: ClearRuns :execrows
-- Clears an account's runs, except those that it keeps: all, or those of a paper or an exercise.
UPDATE run SET cleared_at = now()
WHERE run.account_id = @account_id AND run.cleared_at IS NULL
  AND (sqlc.narg('paper_id')::bigint IS NULL OR run.paper_id = sqlc.narg('paper_id'))
  AND (sqlc.narg('exercise_id')::bigint IS NULL OR run.exercise_id = sqlc.narg('exercise_id'))
  AND NOT EXISTS (SELECT FROM kept_entry WHERE kept_entry.account_id = run.account_id AND kept_entry.entry_id = run.id);

-- name: OwnTexts :many
SELECT own_text.id, own_text.name, own_text.sql, own_text.kept_at, own_text.revision, dataset.name AS dataset
FROM own_text JOIN dataset ON dataset.id = own_text.dataset_id
WHERE own_text.account_id = $1 ORDER BY own_text.kept_at DESC;

-- name: CreateOwnText :one
-- Of one account there are so many at most: else there is no row.
INSERT INTO own_text (account_id, dataset_id, name, sql)
SELECT @account_id, @dataset_id, @name, @sql WHERE (SELECT count(*) FROM own_text AS owned WHERE owned.account_id = @account_id) < @most::int
RETURNING *;

-- name: KeepOwnText :one
-- Where a revision is given, the text has to be at it still; else there is no row.
UPDATE own_text SET dataset_id = @dataset_id, name = @name, sql = @sql, kept_at = now(), revision = revision + 1
WHERE id = @id AND account_id = @account_id
  AND (sqlc.narg('revision')::bigint IS NULL OR revision = sqlc.narg('revision')::bigint)
RETURNING *;

-- name: HasOwnText :one
SELECT EXISTS (SELECT FROM own_text WHERE id = $1 AND account_id = $2);

-- name: RemoveOwnText :execrows
DELETE FROM own_text WHERE id = $1 AND account_id = $2;

-- name: Visit :exec
INSERT INTO visit (account_id, paper_id) VALUES ($1, $2)
ON CONFLICT (account_id, paper_id) DO UPDATE SET at = now() WHERE visit.at < now() - interval '1 minute';

-- name: MarksSince :many
-- How many marks others have set for an account in each paper since it was there last.
SELECT exercise.paper_id, count(DISTINCT mark.exercise_id) AS marks
FROM mark JOIN exercise ON exercise.id = mark.exercise_id
LEFT JOIN visit ON visit.account_id = mark.account_id AND visit.paper_id = exercise.paper_id
WHERE mark.account_id = $1 AND mark.set_at > coalesce(visit.at, '-infinity') GROUP BY exercise.paper_id;

-- name: RechecksSince :many
-- In how many exercises of each paper an account's marks have changed, since it was there last, because attempts were checked again.
SELECT exercise.paper_id, count(DISTINCT attempt.exercise_id) AS exercises
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
JOIN attempt_check AS again ON again.attempt_id = attempt.id AND again.cause = 'recheck'
LEFT JOIN visit ON visit.account_id = attempt.account_id AND visit.paper_id = exercise.paper_id
WHERE attempt.account_id = $1 AND attempt.course_id IS NOT NULL AND again.at > coalesce(visit.at, '-infinity')
  AND again.mark <> (SELECT before.mark FROM attempt_check AS before WHERE before.attempt_id = attempt.id AND before.id < again.id ORDER BY before.id DESC LIMIT 1)
GROUP BY exercise.paper_id;

-- name: LastWorked :many
-- The exercise of each paper on which an account worked last, and when.
SELECT DISTINCT ON (exercise.paper_id) exercise.paper_id, exercise.slug, exercise.number, exercise.title, worked.at::timestamptz AS at
FROM (SELECT exercise_id, kept_at AS at FROM draft WHERE draft.account_id = @account_id
      UNION ALL SELECT exercise_id, last_at FROM standing WHERE standing.account_id = @account_id AND attempts > 0) AS worked
JOIN exercise_now AS exercise ON exercise.id = worked.exercise_id AND NOT exercise.retired
ORDER BY exercise.paper_id, worked.at DESC;

-- name: OwnMarks :many
-- The exercises of some papers, and how an account stands on them in each of its courses: with the attempt that counts, and
-- the reason of a mark that was set by hand.
SELECT exercise.paper_id, exercise.slug, exercise.number, exercise.title, exercise.points, standing.course_id,
       coalesce(standing.outcome, '') AS outcome, coalesce(standing.by_hand, standing.computed, 0)::numeric AS mark,
       (standing.by_hand IS NOT NULL)::boolean AS by_hand, coalesce(standing.attempts, 0) AS attempts, attempt.received_at AS counts_at,
       coalesce((SELECT mark.reason FROM mark WHERE mark.account_id = standing.account_id AND mark.exercise_id = standing.exercise_id
                 AND mark.course_id = standing.course_id AND standing.by_hand IS NOT NULL ORDER BY mark.id DESC LIMIT 1), '')::text AS reason
FROM exercise_now AS exercise
LEFT JOIN standing ON standing.exercise_id = exercise.id AND standing.account_id = @account_id
LEFT JOIN attempt ON attempt.id = standing.counts_id
WHERE exercise.paper_id = ANY (@papers::bigint[]) AND NOT exercise.retired ORDER BY exercise.paper_id, exercise.number;
