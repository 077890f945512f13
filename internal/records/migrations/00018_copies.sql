-- +goose Up

-- Learners may change the dataset, each in a copy of their own: wherever they read it, or where they read the paper.
ALTER TABLE dataset ADD COLUMN changes boolean NOT NULL DEFAULT false;
ALTER TABLE paper ADD COLUMN changes boolean NOT NULL DEFAULT false;

CREATE OR REPLACE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants, paper.published_at,
       (paper.changes OR dataset.changes)::boolean AS changes
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id;

-- A learner's own copy of a build.
CREATE TABLE copy (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES account,
    build_id   bigint NOT NULL REFERENCES build,
    database   text NOT NULL UNIQUE,               -- on the practice server
    made_of    text NOT NULL,                      -- the build's database then; the build may have been made again
    since      bigint NOT NULL,                    -- the server's first transaction that can have changed it
    bytes      bigint NOT NULL,                    -- on disk, when it was last looked at
    made_at    timestamptz NOT NULL DEFAULT now(),
    used_at    timestamptz NOT NULL DEFAULT now(),
    UNIQUE (account_id, build_id)
);
CREATE INDEX ON copy (used_at);

-- Its statements ran in the learner's copy.
ALTER TABLE run ADD COLUMN in_copy boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE run DROP COLUMN in_copy;
DROP TABLE copy;
DROP VIEW paper_in_use;
CREATE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants, paper.published_at
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id;
ALTER TABLE paper DROP COLUMN changes;
ALTER TABLE dataset DROP COLUMN changes;
