-- name: UpsertPaper :one
INSERT INTO paper (slug, pack, title, dataset_id, opens_at, due_at, sections) VALUES ($1, $2, $3, $4, $5, $6, $7)
ON CONFLICT (slug) DO UPDATE SET title = excluded.title, dataset_id = excluded.dataset_id,
    opens_at = excluded.opens_at, due_at = excluded.due_at, sections = excluded.sections
RETURNING *;

-- name: RetireExercises :exec
UPDATE exercise SET retired = true WHERE paper_id = $1;

-- name: UpsertExercise :exec
INSERT INTO exercise (paper_id, slug, number, title, points, blocks, reference, checking) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
ON CONFLICT (paper_id, slug) DO UPDATE SET number = excluded.number, title = excluded.title, points = excluded.points,
    blocks = excluded.blocks, reference = excluded.reference, checking = excluded.checking, retired = false;

-- name: PaperBySlug :one
SELECT * FROM paper WHERE slug = $1;

-- name: PaperExercises :many
SELECT * FROM exercise WHERE paper_id = $1 AND NOT retired ORDER BY number;

-- name: ListPapers :many
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       count(exercise.id) AS exercises, coalesce(sum(exercise.points), 0)::float8 AS points
FROM paper JOIN dataset ON dataset.id = paper.dataset_id
LEFT JOIN exercise ON exercise.paper_id = paper.id AND NOT exercise.retired
GROUP BY paper.id, dataset.id ORDER BY paper.due_at NULLS LAST, paper.slug;

-- name: LearnerPapers :many
-- When each paper that is set for a learner opens and is due. Set for several of the learner's courses, the earliest
-- opening and the latest due time hold; a missing time is no bound (the years 1 and 9999).
SELECT course_paper.paper_id,
       min(coalesce(course_paper.opens_at, '0001-01-01Z'))::timestamptz AS opens_at,
       max(coalesce(course_paper.due_at, '9999-12-31Z'))::timestamptz AS due_at
FROM course_paper JOIN enrolment ON enrolment.course_id = course_paper.course_id
WHERE enrolment.account_id = $1
GROUP BY course_paper.paper_id;

-- name: PaperFor :one
-- A paper, its dataset's build in use, and when it is open to one account; courses is how many of the account's courses it is set for.
SELECT paper.id, paper.slug, paper.title, paper.opens_at AS paper_opens_at, paper.due_at AS paper_due_at,
       dataset.name AS dataset, build.id AS build_id, build.number AS build_number, build.database, build.variants,
       times.courses, times.opens_at, times.due_at
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN LATERAL (SELECT * FROM build WHERE build.dataset_id = dataset.id ORDER BY number DESC LIMIT 1) AS build ON true
CROSS JOIN LATERAL (
    SELECT count(*)::int AS courses,
           coalesce(min(coalesce(course_paper.opens_at, '0001-01-01Z')), '0001-01-01Z')::timestamptz AS opens_at,
           coalesce(max(coalesce(course_paper.due_at, '9999-12-31Z')), '9999-12-31Z')::timestamptz AS due_at
    FROM course_paper JOIN enrolment ON enrolment.course_id = course_paper.course_id
    WHERE course_paper.paper_id = paper.id AND enrolment.account_id = @account_id) AS times
WHERE paper.slug = @slug;

-- name: PaperSections :one
SELECT sections FROM paper WHERE id = $1;

-- name: ExerciseIn :one
-- By slug, or by number.
SELECT * FROM exercise WHERE paper_id = @paper_id AND NOT retired AND (slug = @address::text OR number::text = @address::text);
