-- name: UpsertDataset :one
INSERT INTO dataset (name, pack, title) VALUES ($1, $2, $3)
ON CONFLICT (name) DO UPDATE SET title = excluded.title, pack = excluded.pack, dropped_at = NULL
RETURNING *;

-- name: DatasetByName :one
SELECT * FROM dataset WHERE name = $1;

-- name: DatasetByID :one
SELECT * FROM dataset WHERE id = $1;

-- name: NextBuildNumber :one
SELECT (coalesce(max(number), 0) + 1)::int FROM build JOIN dataset ON dataset.id = build.dataset_id WHERE dataset.name = $1;

-- name: CreateBuild :one
INSERT INTO build (dataset_id, number, database, variants, catalogue, report, job_id, catalogue_version) VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING *;

-- name: UseBuild :exec
-- Makes a build the one in use.
UPDATE dataset SET build_id = $2 WHERE id = $1;

-- name: ReplaceBuild :exec
-- A build that was lost has been made again from its files.
UPDATE build SET database = $2, variants = $3, catalogue = $4, catalogue_version = $5 WHERE id = $1;

-- name: RenewCatalogue :exec
UPDATE build SET catalogue = $2, catalogue_version = $3 WHERE id = $1;

-- name: OldCatalogues :many
-- Builds whose catalogue was read by an earlier version.
SELECT * FROM build WHERE dropped_at IS NULL AND catalogue_version < $1 ORDER BY id;

-- name: BuildByID :one
SELECT * FROM build WHERE id = $1;

-- name: BuildInUse :one
SELECT coalesce((SELECT build_id FROM dataset WHERE id = $1 AND dropped_at IS NULL), 0)::bigint;

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
SELECT paper.slug AS paper, sqlc.embed(exercise_now) FROM exercise_now JOIN paper ON paper.id = exercise_now.paper_id
WHERE paper.dataset_id = $1 AND NOT exercise_now.retired ORDER BY paper.slug, exercise_now.number;

-- name: DropDataset :exec
-- The builds stay, for the history that refers to them.
UPDATE dataset SET dropped_at = now() WHERE id = $1;

-- name: AllBuilds :many
SELECT * FROM build WHERE dataset_id = $1;

-- name: CurrentBuilds :many
-- The build in use of every dataset.
SELECT sqlc.embed(dataset), sqlc.embed(build)
FROM dataset JOIN build ON build.id = dataset.build_id
WHERE dataset.dropped_at IS NULL
ORDER BY dataset.id;

-- name: CurrentBuild :one
SELECT sqlc.embed(dataset), sqlc.embed(build)
FROM dataset JOIN build ON build.id = dataset.build_id
WHERE dataset.name = $1 AND dataset.dropped_at IS NULL;

-- name: LearnerDatasets :many
-- The datasets that papers are about which are open to an account, and a course that they are set for.
SELECT dataset.name, min(course_paper.course_id)::bigint AS course_id
FROM dataset
JOIN paper ON paper.dataset_id = dataset.id
JOIN course_paper ON course_paper.paper_id = paper.id
JOIN member ON member.course_id = course_paper.course_id
WHERE member.account_id = $1 AND member.left_at IS NULL AND (course_paper.opens_at IS NULL OR course_paper.opens_at <= now())
GROUP BY dataset.name;

-- name: OldBuilds :many
-- The builds of a dataset that are not kept any more: all but the one in use and the five latest others.
SELECT build.* FROM build JOIN dataset ON dataset.id = build.dataset_id
WHERE build.dataset_id = $1 AND build.dropped_at IS NULL AND build.id <> dataset.build_id
ORDER BY number DESC OFFSET 5;

-- name: MarkDropped :exec
UPDATE build SET dropped_at = now() WHERE id = $1;

-- name: KeptBuilds :many
-- Builds that should be on the practice server, those in use first.
SELECT build.* FROM build JOIN dataset ON dataset.id = build.dataset_id
WHERE build.dropped_at IS NULL AND dataset.dropped_at IS NULL ORDER BY build.id = dataset.build_id DESC, build.id;

-- name: BuildOfDatabase :one
SELECT * FROM build WHERE database = @database::text OR variants::text LIKE '%"' || @database::text || '"%' LIMIT 1;

-- name: BuildDatabases :many
SELECT database, variants FROM build WHERE dropped_at IS NULL;

-- name: Remakes :many
-- Builds that should be on the practice server, those in use first, each with the last job after the one given that makes
-- it again.
SELECT sqlc.embed(build), dataset.name AS dataset, coalesce(remade.state, '')::text AS state, remade.problem
FROM build JOIN dataset ON dataset.id = build.dataset_id
LEFT JOIN job AS remade ON remade.id = (
    SELECT max(job.id) FROM job WHERE job.id > @after AND job.options @> jsonb_build_object('remake', build.id))
WHERE build.dropped_at IS NULL AND dataset.dropped_at IS NULL ORDER BY build.id = dataset.build_id DESC, build.id;

-- name: LastJob :one
SELECT coalesce(max(id), 0)::bigint FROM job;
