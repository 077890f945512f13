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

-- name: LinkTargets :many
-- What links in papers may lead to: every paper, with the slugs of its exercises.
SELECT paper.slug, coalesce(array_agg(exercise.slug) FILTER (WHERE exercise.slug IS NOT NULL), '{}')::text[] AS exercises
FROM paper LEFT JOIN exercise ON exercise.paper_id = paper.id AND NOT exercise.retired
GROUP BY paper.id;

-- name: SetPapers :many
-- When each paper that is set for some course opens in the first of them, and is due in the last.
SELECT paper_id, min(coalesce(opens_at, '0001-01-01Z'))::timestamptz AS opens_at, max(coalesce(due_at, '9999-12-31Z'))::timestamptz AS due_at
FROM course_paper WHERE sqlc.narg('paper_id')::bigint IS NULL OR paper_id = sqlc.narg('paper_id') GROUP BY paper_id;

-- name: LearnerPapers :many
-- When each paper that is set for a learner opens and is due.
SELECT paper_id, opens_at, due_at FROM paper_times WHERE account_id = $1;

-- name: PaperFor :one
-- A paper as one account may read it; courses is how many of the account's courses it is set for.
SELECT sqlc.embed(paper_in_use), coalesce(times.courses, 0)::int AS courses,
       coalesce(times.opens_at, '0001-01-01Z')::timestamptz AS opens_at, coalesce(times.due_at, '9999-12-31Z')::timestamptz AS due_at
FROM paper_in_use
LEFT JOIN paper_times AS times ON times.paper_id = paper_in_use.id AND times.account_id = @account_id
WHERE paper_in_use.slug = @slug;

-- name: ExerciseFor :one
-- The same with an exercise of the paper, by slug or number.
SELECT sqlc.embed(exercise), sqlc.embed(paper_in_use), coalesce(times.courses, 0)::int AS courses,
       coalesce(times.opens_at, '0001-01-01Z')::timestamptz AS opens_at, coalesce(times.due_at, '9999-12-31Z')::timestamptz AS due_at
FROM paper_in_use
JOIN exercise ON exercise.paper_id = paper_in_use.id AND NOT exercise.retired AND (exercise.slug = @address::text OR exercise.number::text = @address::text)
LEFT JOIN paper_times AS times ON times.paper_id = paper_in_use.id AND times.account_id = @account_id
WHERE paper_in_use.slug = @slug;

-- name: PaperSections :one
SELECT sections FROM paper WHERE id = $1;

-- name: ExerciseIn :one
-- By slug, or by number.
SELECT * FROM exercise WHERE paper_id = @paper_id AND NOT retired AND (slug = @address::text OR number::text = @address::text);
