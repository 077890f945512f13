-- name: KeepStrength :exec
INSERT INTO strength (build_id, answers, found) VALUES ($1, $2, $3)
ON CONFLICT (build_id, answers) DO UPDATE SET found = excluded.found, at = now();

-- name: Strengths :many
-- Those of so many answers on a build, as far as they are known.
SELECT answers, found FROM strength WHERE build_id = $1 AND answers = ANY (@of::text[]);

-- name: ForgetStrengths :exec
-- Those of builds that are no longer kept.
DELETE FROM strength WHERE build_id IN (SELECT id FROM build WHERE dropped_at IS NOT NULL);

-- name: Unmeasured :one
-- The next published exercise after one whose strength on the build in use is not known.
SELECT sqlc.embed(exercise_now), build.id AS build_id, build.database, build.variants, build.catalogue
FROM exercise_now
JOIN exercise_index ON exercise_index.exercise_id = exercise_now.id
JOIN paper ON paper.id = exercise_now.paper_id JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id
WHERE NOT exercise_now.retired AND exercise_now.id > @after AND exercise_index.answers IS NOT NULL
  AND NOT EXISTS (SELECT FROM strength WHERE strength.build_id = build.id AND strength.answers = exercise_index.answers)
ORDER BY exercise_now.id LIMIT 1;
