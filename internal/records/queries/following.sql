-- name: AttemptsWithoutShape :many
-- Those at some exercises, in some courses, whose shapes were not asked for yet; up to a number.
SELECT attempt.id, attempt.sql FROM member
CROSS JOIN LATERAL (SELECT * FROM attempt AS own WHERE own.exercise_id = ANY (@exercises::bigint[]) AND own.account_id = member.account_id AND own.course_id = member.course_id OFFSET 0) AS attempt
WHERE member.course_id = ANY (@courses::bigint[]) AND member.role = 'learner' AND member.left_at IS NULL
  AND NOT EXISTS (SELECT FROM attempt_shape WHERE attempt_shape.attempt_id = attempt.id)
ORDER BY attempt.id LIMIT sqlc.arg('most')::int;

-- name: KeepShapes :exec
-- Keeps shapes; an empty one is none.
INSERT INTO attempt_shape (attempt_id, exact, any_literals)
SELECT id, nullif(exact, ''), nullif(any_literals, '')
FROM (SELECT unnest(@attempts::bigint[]) AS id, unnest(@exact::bytea[]) AS exact, unnest(@any_literals::bytea[]) AS any_literals) AS read
ON CONFLICT DO NOTHING;

-- name: ClassAttempts :many
-- All attempts at an exercise of who learns in some courses, with the checks that hold: looked up learner by learner, however many others there are.
SELECT attempt.id, attempt.account_id, attempt.received_at, held.outcome, held.fingerprint, held.build_id,
       CASE WHEN held.error IS NULL THEN ARRAY(SELECT f ->> 'kind' FROM jsonb_array_elements(held.findings) AS f)
            ELSE ARRAY[held.error ->> 'title'] END::text[] AS kinds, attempt_shape.any_literals
FROM member
CROSS JOIN LATERAL (SELECT * FROM attempt AS own WHERE own.exercise_id = @exercise_id AND own.account_id = member.account_id AND own.course_id = member.course_id OFFSET 0) AS attempt
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
LEFT JOIN attempt_shape ON attempt_shape.attempt_id = attempt.id
WHERE member.course_id = ANY (@courses::bigint[]) AND member.role = 'learner' AND member.left_at IS NULL
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

-- name: TextsOfPaper :many
-- The texts, in shape, that who learns in some courses wrote at each exercise of a paper: of each learner the first attempt with each.
SELECT attempt.exercise_id, attempt.account_id, attempt_shape.exact, min(attempt.id)::bigint AS attempt_id, min(attempt.received_at)::timestamptz AS received_at
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
JOIN member ON member.course_id = attempt.course_id AND member.account_id = attempt.account_id AND member.role = 'learner' AND member.left_at IS NULL
LEFT JOIN attempt_shape ON attempt_shape.attempt_id = attempt.id
WHERE exercise.paper_id = @paper_id AND NOT exercise.retired AND attempt.course_id = ANY (@courses::bigint[])
GROUP BY attempt.exercise_id, attempt.account_id, attempt_shape.exact;

-- name: CourseExercises :many
-- How the learners of a course stand on each exercise of its papers.
SELECT course_paper.paper_id, exercise.id, exercise.slug, exercise.number, exercise.title, exercise.reference, exercise.points,
       count(standing.account_id) AS tried, count(standing.solved_at) AS solved, count(*) FILTER (WHERE standing.tries = 1) AS first,
       count(*) FILTER (WHERE standing.stuck >= @stuck_from::int) AS stuck, coalesce(sum(coalesce(standing.by_hand, standing.computed)), 0)::numeric AS marks
FROM course_paper JOIN exercise_now AS exercise ON exercise.paper_id = course_paper.paper_id AND NOT exercise.retired
LEFT JOIN (standing JOIN member ON member.course_id = standing.course_id AND member.account_id = standing.account_id AND member.role = 'learner' AND member.left_at IS NULL)
       ON standing.exercise_id = exercise.id AND standing.course_id = course_paper.course_id AND standing.attempts > 0
WHERE course_paper.course_id = $1
GROUP BY course_paper.paper_id, exercise.id, exercise.slug, exercise.number, exercise.title, exercise.reference, exercise.points ORDER BY course_paper.paper_id, exercise.number;

-- name: CourseLearners :many
-- How each learner of a course gets on with each of some papers: how many exercises they have tried and solved, and at which they are stuck.
SELECT member.account_id, account.name, account.display_name, member.group_name, course_paper.paper_id,
       count(standing.account_id) AS tried, count(standing.solved_at) AS solved, coalesce(max(standing.last_at), 'epoch')::timestamptz AS last_at,
       coalesce(array_agg(exercise.slug ORDER BY exercise.number) FILTER (WHERE standing.stuck >= @stuck_from::int), '{}')::text[] AS stuck
FROM course_paper JOIN member ON member.course_id = course_paper.course_id AND member.role = 'learner' AND member.left_at IS NULL
JOIN account ON account.id = member.account_id
JOIN exercise ON exercise.paper_id = course_paper.paper_id AND NOT exercise.retired
LEFT JOIN standing ON standing.account_id = member.account_id AND standing.exercise_id = exercise.id AND standing.course_id = course_paper.course_id AND standing.attempts > 0
WHERE course_paper.course_id = @course_id AND course_paper.paper_id = ANY (@papers::bigint[])
GROUP BY member.account_id, account.name, account.display_name, member.group_name, course_paper.paper_id
ORDER BY account.display_name, account.name;

-- name: CourseDays :many
-- What was done in a course on each day of its zone since a time.
SELECT to_char(day, 'YYYY-MM-DD')::text AS day, sum(attempts)::bigint AS attempts, sum(runs)::bigint AS runs, count(DISTINCT account_id) AS learners FROM (
    SELECT date_trunc('day', attempt.received_at AT TIME ZONE course.zone) AS day, attempt.account_id, 1 AS attempts, 0 AS runs
    FROM attempt JOIN course ON course.id = attempt.course_id WHERE attempt.course_id = @course_id AND attempt.received_at >= @since
    UNION ALL
    SELECT date_trunc('day', run.at AT TIME ZONE course.zone), run.account_id, 0, 1
    FROM run JOIN course ON course.id = run.course_id WHERE run.course_id = @course_id AND run.at >= @since) AS done
GROUP BY day ORDER BY day;

-- name: CountReviews :one
-- How many attempts of a course need an eye; see Reviews.
SELECT count(*) FROM review JOIN standing ON standing.account_id = review.account_id AND standing.exercise_id = review.exercise_id AND standing.course_id = review.course_id
WHERE review.course_id = @course_id::bigint AND review.done_at IS NULL
  AND (review.cause NOT IN ('rule', 'stopped')
       OR standing.outcome <> 'correct' AND standing.by_hand IS NULL AND review.attempt_id IN (standing.counts_id, standing.latest_id));

-- name: AttemptsAt :many
-- The attempts at some exercises of those who learn in some courses, from one to another, each learner's together, with the check that holds.
SELECT attempt.id, attempt.exercise_id, attempt.account_id, attempt.course_id, account.name, account.display_name, course.slug AS course, attempt.received_at, attempt.sql,
       held.outcome, held.mark, held.points, (standing.counts_id = attempt.id)::boolean AS counts
FROM (SELECT member.account_id, member.course_id FROM member
      WHERE member.course_id = ANY (@courses::bigint[]) AND member.role = 'learner' AND member.left_at IS NULL
        AND (member.account_id, member.course_id) > (@after_account::bigint, @after_course::bigint)
        AND (member.account_id, member.course_id) <= (@to_account::bigint, @to_course::bigint)) AS learner
JOIN account ON account.id = learner.account_id JOIN course ON course.id = learner.course_id
CROSS JOIN LATERAL (SELECT * FROM attempt AS own WHERE own.exercise_id = ANY (@exercises::bigint[]) AND own.account_id = learner.account_id AND own.course_id = learner.course_id OFFSET 0) AS attempt
JOIN standing ON standing.account_id = attempt.account_id AND standing.exercise_id = attempt.exercise_id AND standing.course_id = attempt.course_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
ORDER BY attempt.account_id, attempt.course_id, attempt.exercise_id, attempt.id;

-- name: LearnersFrom :many
-- A page of those who learn in some courses.
SELECT member.account_id, member.course_id FROM member
WHERE member.course_id = ANY (@courses::bigint[]) AND member.role = 'learner' AND member.left_at IS NULL
  AND (member.account_id, member.course_id) > (@after_account::bigint, @after_course::bigint)
ORDER BY member.account_id, member.course_id LIMIT @learners::int;

-- name: LearnerWork :many
-- How a learner stands on every exercise of a course's papers, with the attempt that counts.
SELECT course_paper.paper_id, paper.title AS paper, course_paper.due_at, exercise.number, exercise.title, exercise.points, coalesce(standing.outcome, '')::text AS outcome,
       coalesce(standing.attempts, 0)::int AS attempts, coalesce(standing.computed, 0)::numeric AS computed, standing.by_hand,
       coalesce((SELECT mark.reason FROM mark WHERE standing.by_hand IS NOT NULL AND mark.account_id = standing.account_id
                 AND mark.exercise_id = standing.exercise_id AND mark.course_id = standing.course_id ORDER BY mark.id DESC LIMIT 1), '')::text AS reason,
       coalesce(attempt.sql, '')::text AS sql, attempt.received_at
FROM course_paper JOIN paper ON paper.id = course_paper.paper_id JOIN exercise_now AS exercise ON exercise.paper_id = paper.id AND NOT exercise.retired
LEFT JOIN standing ON standing.account_id = @account_id AND standing.exercise_id = exercise.id AND standing.course_id = course_paper.course_id
LEFT JOIN attempt ON attempt.id = standing.counts_id
WHERE course_paper.course_id = @course_id::bigint ORDER BY course_paper.due_at NULLS LAST, paper.slug, exercise.number;

-- name: CourseMarks :many
-- The mark of each learner of a course for each of its papers that they have worked on.
SELECT standing.account_id, exercise.paper_id, sum(coalesce(standing.by_hand, standing.computed))::numeric AS mark
FROM standing JOIN exercise ON exercise.id = standing.exercise_id AND NOT exercise.retired
JOIN course_paper ON course_paper.paper_id = exercise.paper_id AND course_paper.course_id = standing.course_id
WHERE standing.course_id = @course_id::bigint GROUP BY standing.account_id, exercise.paper_id;
