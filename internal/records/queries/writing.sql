-- name: CreatePaper :one
-- A paper that nobody has published yet.
INSERT INTO paper (slug, pack, title, dataset_id, sections, path) VALUES ($1, $2, $3, $4, '[]', $5) RETURNING *;

-- name: CreateVersion :one
INSERT INTO paper_version (paper_id, version, origin, text, note, made_by)
SELECT @paper_id::bigint, coalesce(max(version), 0) + 1, @origin::text, @text::text, @note::text, sqlc.narg('made_by')::bigint
FROM paper_version WHERE paper_id = @paper_id::bigint
RETURNING *;

-- name: SetPublished :exec
UPDATE paper SET published_id = $2, published_at = now() WHERE id = $1;

-- name: SetLoaded :exec
UPDATE paper SET loaded_id = $2, path = $3 WHERE id = $1;

-- name: PaperVersions :many
SELECT paper_version.id, paper_version.version, paper_version.origin, paper_version.note, paper_version.made_at,
       coalesce(account.display_name, '')::text AS made_by, paper_version.id = coalesce(paper.published_id, 0) AS published
FROM paper_version JOIN paper ON paper.id = paper_version.paper_id
LEFT JOIN account ON account.id = paper_version.made_by
WHERE paper_version.paper_id = $1 ORDER BY paper_version.version DESC LIMIT 200;

-- name: PaperVersion :one
SELECT * FROM paper_version WHERE paper_id = $1 AND version = $2;

-- name: VersionText :one
SELECT text FROM paper_version WHERE id = $1;

-- name: PapersWithoutText :many
-- Those that were published before their texts were kept, with the job that has the files of their packs.
SELECT paper.id, paper.slug, pack.job_id FROM paper JOIN pack ON pack.name = paper.pack
WHERE paper.published_id IS NULL AND paper.published_at IS NOT NULL ORDER BY pack.job_id;

-- name: PackPapers :many
-- The published papers of a pack, with their texts; or, of no pack, those of a dataset.
SELECT paper.id, paper.slug, paper.path, published.text
FROM paper JOIN paper_version AS published ON published.id = paper.published_id
JOIN dataset ON dataset.id = paper.dataset_id
WHERE paper.pack = @pack AND (@pack::text <> '' OR dataset.name = @dataset) ORDER BY paper.id;

-- name: PictureTypes :many
SELECT name, digest, media_type FROM picture WHERE paper_id = $1;

-- name: KeepPicture :exec
INSERT INTO picture (paper_id, name, digest, media_type, content) VALUES ($1, $2, $3, $4, $5)
ON CONFLICT (paper_id, name) DO UPDATE SET digest = excluded.digest, media_type = excluded.media_type, content = excluded.content;

-- name: CopyPictures :exec
INSERT INTO picture (paper_id, name, digest, media_type, content)
SELECT @into_id::bigint, p.name, p.digest, p.media_type, p.content FROM picture AS p WHERE p.paper_id = @from_id
ON CONFLICT DO NOTHING;

-- name: LockWriting :one
-- All who change the text of a paper come one after another.
SELECT * FROM writing WHERE paper_id = $1 FOR UPDATE;

-- name: WritingOf :one
SELECT * FROM writing WHERE paper_id = $1;

-- name: WritingRevision :one
-- The greatest revision of a text: of its parts, their order and their remarks. No row: it has no parts yet.
SELECT greatest(writing.revision, max(paper_part.revision), max(paper_part.remarks_revision))::bigint
FROM writing JOIN paper_part ON paper_part.paper_id = writing.paper_id
WHERE writing.paper_id = $1 GROUP BY writing.paper_id;

-- name: BeginWriting :one
INSERT INTO writing (paper_id, base_id, next_id) VALUES ($1, $2, 1)
ON CONFLICT (paper_id) DO UPDATE SET next_id = writing.next_id RETURNING *;

-- name: TouchWriting :exec
-- There are other parts now, or in another order.
UPDATE writing SET next_id = $2, revision = nextval('writing_revision') WHERE paper_id = $1;

-- name: RebaseWriting :exec
UPDATE writing SET base_id = $2, revision = nextval('writing_revision') WHERE paper_id = $1;

-- name: EndWriting :exec
DELETE FROM writing WHERE paper_id = $1;

-- name: RemoveParts :exec
DELETE FROM paper_part WHERE paper_id = $1;

-- name: PaperParts :many
SELECT sqlc.embed(paper_part), coalesce(account.display_name, '')::text AS changed_by
FROM paper_part LEFT JOIN account ON account.id = paper_part.changed_by
WHERE paper_id = $1 ORDER BY place;

-- name: AddPart :exec
INSERT INTO paper_part (paper_id, id, place, text, changed_by) VALUES ($1, $2, $3, $4, $5);

-- name: SetPart :exec
UPDATE paper_part SET text = $3, changed_by = $4, changed_at = now(), revision = nextval('writing_revision')
WHERE paper_id = $1 AND id = $2;

-- name: PlacePart :exec
UPDATE paper_part SET place = $3 WHERE paper_id = $1 AND id = $2;

-- name: RemovePart :exec
DELETE FROM paper_part WHERE paper_id = $1 AND id = $2;

-- name: SetRemarks :execrows
UPDATE paper_part SET inspected = @inspected, inspected_build = @build_id, remarks = @remarks, expected = @expected,
    remarks_revision = nextval('writing_revision')
WHERE paper_id = @paper_id AND id = @id AND revision = @inspected;

-- name: WritingPapers :many
-- The papers of a dataset whose text is being written.
SELECT paper.id FROM paper JOIN writing ON writing.paper_id = paper.id WHERE paper.dataset_id = $1;

-- name: BeThere :exec
INSERT INTO paper_writer (paper_id, account_id, window_key, part) VALUES ($1, $2, $3, $4)
ON CONFLICT (paper_id, account_id, window_key) DO UPDATE SET part = excluded.part, seen_at = now();

-- name: LeaveWriting :exec
DELETE FROM paper_writer WHERE paper_id = $1 AND account_id = $2 AND window_key = $3;

-- name: SweepWriters :exec
DELETE FROM paper_writer WHERE seen_at < now() - interval '1 day';

-- name: Writers :many
-- Who has a paper open for writing: who was heard of lately.
SELECT account.name, account.display_name, paper_writer.window_key, coalesce(paper_writer.part, 0)::int AS part
FROM paper_writer JOIN account ON account.id = paper_writer.account_id
WHERE paper_writer.paper_id = $1 AND paper_writer.seen_at > now() - interval '15 seconds'
ORDER BY account.display_name, paper_writer.window_key;

-- name: AttemptsByExercise :many
-- How many attempts were made at the exercises of a paper, and by how many; what instructors tried out apart.
SELECT exercise.slug, count(*) AS attempts, count(DISTINCT attempt.account_id) AS learners
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
WHERE exercise.paper_id = $1 AND NOT exercise.retired AND attempt.course_id IS NOT NULL
GROUP BY exercise.id;

-- name: PaperCourses :many
-- The courses that a paper is set for, with how many learners they have.
SELECT course.slug, course.title, course_paper.opens_at, count(member.account_id) AS learners
FROM course_paper JOIN course ON course.id = course_paper.course_id
LEFT JOIN member ON member.course_id = course.id AND member.role = 'learner' AND member.left_at IS NULL
WHERE course_paper.paper_id = $1 GROUP BY course.id, course_paper.id ORDER BY course.slug;

-- name: IndexExercise :exec
INSERT INTO exercise_index (exercise_id, version_id, words, tables, constructs, columns, answer_key, answers)
VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
ON CONFLICT (exercise_id) DO UPDATE SET version_id = excluded.version_id, words = excluded.words, tables = excluded.tables,
    constructs = excluded.constructs, columns = excluded.columns, answer_key = excluded.answer_key,
    answers = excluded.answers;

-- name: Unindexed :many
-- Exercises that have changed since they were indexed, with where their answers run.
SELECT sqlc.embed(exercise_now), build.database FROM exercise_now
JOIN paper ON paper.id = exercise_now.paper_id JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id
LEFT JOIN exercise_index ON exercise_index.exercise_id = exercise_now.id
WHERE NOT exercise_now.retired AND (exercise_index.version_id IS DISTINCT FROM exercise_now.version_id
    OR exercise_index.answers IS NULL)
ORDER BY exercise_now.id LIMIT 1000;

-- name: FindExercises :many
-- Exercises by what they are about, those with the same reference answer on one dataset beside each other, with how
-- learners fared.
SELECT exercise_now.id, exercise_now.slug, exercise_now.number, exercise_now.title, exercise_now.points, exercise_now.reference,
       paper.slug AS paper, paper.title AS paper_title, dataset.name AS dataset,
       exercise_index.tables, exercise_index.constructs, exercise_index.columns, exercise_index.answer_key,
       strength.found AS strength,
       coalesce(record.learners, 0)::bigint AS learners, coalesce(record.solved, 0)::bigint AS solved,
       coalesce(record.attempts, 0)::bigint AS attempts, coalesce(record.solving, 0)::bigint AS solving
FROM exercise_now
JOIN exercise_index ON exercise_index.exercise_id = exercise_now.id
JOIN paper ON paper.id = exercise_now.paper_id JOIN dataset ON dataset.id = paper.dataset_id
LEFT JOIN strength ON strength.build_id = dataset.build_id AND strength.answers = exercise_index.answers
LEFT JOIN LATERAL (
    SELECT count(*) FILTER (WHERE attempts > 0) AS learners, count(*) FILTER (WHERE outcome = 'correct') AS solved,
           sum(attempts) AS attempts, sum(attempts) FILTER (WHERE outcome = 'correct') AS solving
    FROM standing WHERE standing.exercise_id = exercise_now.id AND standing.course_id IS NOT NULL) AS record ON true
WHERE NOT exercise_now.retired
  AND (@text::text = '' OR exercise_index.words ILIKE @text)
  AND (@dataset::text = '' OR dataset.name = @dataset)
  AND (@table_name::text = '' OR @table_name = ANY (exercise_index.tables))
  AND (@construct::text = '' OR @construct = ANY (exercise_index.constructs))
  AND (@result_column::text = '' OR @result_column = ANY (exercise_index.columns))
ORDER BY dataset.name, exercise_index.answer_key, paper.slug, exercise_now.number
LIMIT 500;

-- name: PaperByID :one
SELECT * FROM paper WHERE id = $1;

-- name: IsVersion :one
SELECT EXISTS (SELECT FROM paper_version WHERE paper_id = $1 AND text = $2);

-- name: RemoveWritten :exec
-- A paper that was never published, with all that belongs to it.
WITH gone AS (SELECT p.id FROM paper AS p WHERE p.id = $1 AND p.published_at IS NULL),
parts AS (DELETE FROM paper_part WHERE paper_id IN (SELECT id FROM gone)),
texts AS (DELETE FROM writing WHERE paper_id IN (SELECT id FROM gone)),
writers AS (DELETE FROM paper_writer WHERE paper_id IN (SELECT id FROM gone)),
runs AS (UPDATE run SET paper_id = NULL WHERE paper_id IN (SELECT id FROM gone)),
visits AS (DELETE FROM visit WHERE paper_id IN (SELECT id FROM gone)),
pictures AS (DELETE FROM picture WHERE paper_id IN (SELECT id FROM gone))
DELETE FROM paper WHERE paper.id IN (SELECT id FROM gone);
