-- +goose Up
-- The pictures that a paper shows.
CREATE TABLE picture (
    paper_id   bigint NOT NULL REFERENCES paper,
    name       text NOT NULL,                        -- as the paper writes it
    digest     text NOT NULL,                        -- of the content: SHA-256, the first half, in hexadecimal digits
    media_type text NOT NULL,
    content    bytea NOT NULL,
    PRIMARY KEY (paper_id, name)
);

-- Where a course shows its times.
ALTER TABLE course ADD COLUMN zone text NOT NULL DEFAULT 'UTC';

-- What somebody keeps of their runs and attempts, with a name of their own ('' for none).
CREATE TABLE kept_entry (
    account_id bigint NOT NULL REFERENCES account,
    entry_id   bigint NOT NULL,                      -- of run or attempt
    name       text NOT NULL,
    PRIMARY KEY (account_id, entry_id)
);
-- A run that is cleared is not in its account's own history; those who follow the course see it still.
ALTER TABLE run ADD COLUMN cleared_at timestamptz;

-- The history is searched by the beginning of the texts, so that a text of any length costs the same to store.
CREATE EXTENSION IF NOT EXISTS pg_trgm;
CREATE EXTENSION IF NOT EXISTS btree_gin;
CREATE INDEX run_text ON run USING gin (account_id, left(sql, 5000) gin_trgm_ops);
CREATE INDEX attempt_text ON attempt USING gin (account_id, left(sql, 5000) gin_trgm_ops);

-- Texts that belong to no exercise.
CREATE TABLE own_text (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES account,
    dataset_id bigint NOT NULL REFERENCES dataset,
    name       text NOT NULL,
    sql        text NOT NULL,
    kept_at    timestamptz NOT NULL DEFAULT now(),
    revision   bigint NOT NULL DEFAULT 1,
    UNIQUE (account_id, name)
);

-- When somebody last opened a paper, by which what is new in it is told.
CREATE TABLE visit (
    account_id bigint NOT NULL REFERENCES account,
    paper_id   bigint NOT NULL REFERENCES paper,
    at         timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account_id, paper_id)
);

-- +goose Down
DROP TABLE visit, own_text, kept_entry, picture;
DROP INDEX run_text, attempt_text;
ALTER TABLE run DROP COLUMN cleared_at;
ALTER TABLE course DROP COLUMN zone;
