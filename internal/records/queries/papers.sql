-- name: UpsertPaper :one
INSERT INTO paper (slug, pack, title, dataset_id, opens_at, due_at, sections, changes)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
ON CONFLICT (slug) DO UPDATE SET pack = excluded.pack, title = excluded.title, dataset_id = excluded.dataset_id,
    opens_at = excluded.opens_at, due_at = excluded.due_at, sections = excluded.sections,
    changes = excluded.changes
RETURNING *;

-- name: RetireExercises :exec
-- Those of a paper that are in it no longer.
UPDATE exercise SET retired = true WHERE paper_id = @paper_id AND NOT retired AND slug <> ALL (@kept::text[]);

-- name: UpsertExercise :one
INSERT INTO exercise (paper_id, slug, number) VALUES ($1, $2, $3)
ON CONFLICT (paper_id, slug) DO UPDATE SET number = excluded.number, retired = false
RETURNING id;

-- name: NewVersion :exec
-- Makes a version of an exercise, unless the one that it has is the same.
WITH made AS (
    INSERT INTO exercise_version (exercise_id, version, title, points, blocks, reference, checking)
    SELECT @exercise_id::bigint, coalesce(max(version), 0) + 1, @title::text, @points::numeric, @blocks::jsonb, @reference::text, @checking::jsonb
    FROM exercise_version WHERE exercise_id = @exercise_id::bigint
    HAVING NOT EXISTS (
        SELECT FROM exercise JOIN exercise_version AS now ON now.id = exercise.version_id
        WHERE exercise.id = @exercise_id::bigint AND (now.title, now.points, now.blocks, now.reference, now.checking)
              = (@title::text, @points::numeric, @blocks::jsonb, @reference::text, @checking::jsonb))
    RETURNING id)
UPDATE exercise SET version_id = made.id FROM made WHERE exercise.id = @exercise_id::bigint;

-- name: PaperBySlug :one
SELECT * FROM paper WHERE slug = $1;

-- name: PaperInUseBySlug :one
SELECT * FROM paper_in_use WHERE slug = $1;

-- name: PaperExercises :many
SELECT * FROM exercise_now WHERE paper_id = $1 AND NOT retired ORDER BY number;

-- name: ExerciseIn :one
-- By slug, or by number.
SELECT * FROM exercise_now WHERE paper_id = @paper_id AND NOT retired AND (slug = @address::text OR number::text = @address::text);

-- name: ListPapers :many
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset, paper.published_at,
       count(exercise_now.id) AS exercises, coalesce(sum(exercise_now.points), 0)::numeric AS points
FROM paper JOIN dataset ON dataset.id = paper.dataset_id
LEFT JOIN exercise_now ON exercise_now.paper_id = paper.id AND NOT exercise_now.retired
GROUP BY paper.id, dataset.id ORDER BY paper.due_at NULLS LAST, paper.slug;

-- name: LinkTargets :many
-- What links in papers may lead to: every paper, with the slugs of its exercises.
SELECT paper.slug, coalesce(array_agg(exercise.slug) FILTER (WHERE exercise.slug IS NOT NULL), '{}')::text[] AS exercises
FROM paper LEFT JOIN exercise ON exercise.paper_id = paper.id AND NOT exercise.retired
GROUP BY paper.id;

-- name: PaperSections :one
SELECT sections FROM paper WHERE id = $1;

-- name: PaperPictures :many
SELECT name, digest FROM picture WHERE paper_id = $1;

-- name: Picture :one
SELECT media_type, content FROM picture WHERE paper_id = $1 AND digest = $2 LIMIT 1;

-- name: KeepPack :exec
INSERT INTO pack (name, title, job_id) VALUES ($1, $2, $3)
ON CONFLICT (name) DO UPDATE SET title = excluded.title, job_id = excluded.job_id, loaded_at = now();

-- name: ListPacks :many
-- The packs, and the datasets that no pack holds and papers are about: these can be had as packs, too.
SELECT pack.name, pack.title, pack.loaded_at,
       (SELECT count(*) FROM paper WHERE paper.pack = pack.name) AS papers,
       (SELECT count(*) FROM dataset WHERE dataset.pack = pack.name AND dataset.dropped_at IS NULL) AS datasets
FROM pack
UNION ALL
SELECT dataset.name, dataset.title, build.made_at,
       (SELECT count(*) FROM paper WHERE paper.dataset_id = dataset.id AND paper.pack = ''), 1
FROM dataset JOIN build ON build.id = dataset.build_id
WHERE dataset.pack = '' AND dataset.dropped_at IS NULL
  AND EXISTS (SELECT FROM paper WHERE paper.dataset_id = dataset.id AND paper.published_id IS NOT NULL)
ORDER BY 1;

-- name: PackByName :one
SELECT * FROM pack WHERE name = $1;
