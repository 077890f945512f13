-- name: UpsertDataset :one
INSERT INTO dataset (name, pack, title) VALUES ($1, $2, $3)
ON CONFLICT (name) DO UPDATE SET title = excluded.title, dropped_at = NULL
RETURNING *;

-- name: DatasetByName :one
SELECT * FROM dataset WHERE name = $1;

-- name: NextBuildNumber :one
SELECT (coalesce(max(number), 0) + 1)::int FROM build JOIN dataset ON dataset.id = build.dataset_id WHERE dataset.name = $1;

-- name: CreateBuild :one
INSERT INTO build (dataset_id, number, database, variants, catalogue, report) VALUES ($1, $2, $3, $4, $5, $6) RETURNING *;

-- name: BuildByID :one
SELECT * FROM build WHERE id = $1;

-- name: BuildInUse :one
SELECT coalesce((SELECT build.id FROM build JOIN dataset ON dataset.id = build.dataset_id WHERE build.dataset_id = $1 AND dropped_at IS NULL ORDER BY number DESC LIMIT 1), 0)::bigint;

-- name: SetBroken :exec
UPDATE build SET broken = $2 WHERE id = $1;

-- name: Builds :many
SELECT * FROM build WHERE dataset_id = $1 ORDER BY number DESC LIMIT 50;

-- name: RetitleDataset :one
-- A dataset that no pack holds, or one of a pack that is built anew by itself.
INSERT INTO dataset (name, pack, title) VALUES (@name, '', @title)
ON CONFLICT (name) DO UPDATE SET title = CASE WHEN @title = '' OR dataset.pack <> '' THEN dataset.title ELSE @title END, dropped_at = NULL
RETURNING *;

-- name: DatasetPapers :many
SELECT * FROM paper WHERE dataset_id = $1 ORDER BY slug;

-- name: DatasetAnswers :many
-- The exercises of a dataset's papers.
SELECT paper.slug AS paper, sqlc.embed(exercise) FROM exercise JOIN paper ON paper.id = exercise.paper_id
WHERE paper.dataset_id = $1 AND NOT exercise.retired ORDER BY paper.slug, exercise.number;

-- name: DropDataset :exec
-- The builds stay, for the history that refers to them.
UPDATE dataset SET dropped_at = now() WHERE id = $1;

-- name: AllBuilds :many
SELECT * FROM build WHERE dataset_id = $1;

-- name: CurrentBuilds :many
-- The build in use of every dataset.
SELECT DISTINCT ON (dataset.id) sqlc.embed(dataset), sqlc.embed(build)
FROM dataset JOIN build ON build.dataset_id = dataset.id
WHERE dataset.dropped_at IS NULL
ORDER BY dataset.id, build.number DESC;

-- name: CurrentBuild :one
SELECT sqlc.embed(dataset), sqlc.embed(build)
FROM dataset JOIN build ON build.dataset_id = dataset.id
WHERE dataset.name = $1 AND dataset.dropped_at IS NULL
ORDER BY build.number DESC LIMIT 1;

-- name: LearnerDatasets :many
-- The names of the datasets that a learner's open papers are about.
SELECT DISTINCT dataset.name
FROM dataset
JOIN paper ON paper.dataset_id = dataset.id
JOIN course_paper ON course_paper.paper_id = paper.id
JOIN enrolment ON enrolment.course_id = course_paper.course_id
WHERE enrolment.account_id = $1 AND (course_paper.opens_at IS NULL OR course_paper.opens_at <= now());

-- name: OldBuilds :many
-- The builds of a dataset that nothing runs on any more: all but the one in use and the one before it, which calls at hand may still use.
SELECT database, variants FROM build WHERE dataset_id = $1 ORDER BY number DESC OFFSET 2;

-- name: BuildDatabases :many
SELECT database, variants FROM build;
