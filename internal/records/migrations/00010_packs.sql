-- +goose Up
-- The packs that are loaded, each with the job whose files it came from; these are kept as long as the pack is.
CREATE TABLE pack (
    name      text PRIMARY KEY,
    title     text NOT NULL,
    job_id    bigint NOT NULL REFERENCES job,
    loaded_at timestamptz NOT NULL DEFAULT now()
);
INSERT INTO pack (name, title, job_id, loaded_at)
SELECT DISTINCT ON (dataset.pack) dataset.pack, dataset.pack, job.id, build.made_at
FROM dataset JOIN build ON build.dataset_id = dataset.id AND build.dropped_at IS NULL
JOIN job ON job.id = build.job_id AND job.kind = 'pack'
ORDER BY dataset.pack, build.id DESC;

-- +goose Down
DROP TABLE pack;
