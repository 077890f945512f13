-- +goose Up

-- A build of a dataset or the load of a pack, from its upload to its end. River has it run; this says how it goes.
CREATE TABLE job (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    kind       text NOT NULL CHECK (kind IN ('dataset', 'pack')),
    name       text NOT NULL,                      -- the dataset's, or the pack's once it is known
    account_id bigint NOT NULL REFERENCES account,
    options    jsonb NOT NULL,
    state      text NOT NULL CHECK (state IN ('receiving', 'queued', 'running', 'asking', 'stopping', 'done', 'failed', 'stopped')),
    bytes      bigint NOT NULL DEFAULT 0,          -- of all files
    progress   jsonb NOT NULL DEFAULT '{}',
    report     jsonb,                              -- of a job that is done; of one that asks, what it asks about
    problem    jsonb,                              -- of a job that failed
    errors     jsonb NOT NULL DEFAULT '[]',        -- of its scripts
    databases  jsonb NOT NULL DEFAULT '[]',        -- that it has begun to build and nothing refers to
    worker     text,                               -- the process that runs it
    beat_at    timestamptz NOT NULL DEFAULT now(), -- when that was last heard of
    tries      integer NOT NULL DEFAULT 0,
    made_at    timestamptz NOT NULL DEFAULT now(),
    ended_at   timestamptz
);
-- A dataset is built once at a time.
CREATE UNIQUE INDEX job_at_hand ON job (name) WHERE kind = 'dataset' AND state IN ('receiving', 'queued', 'running', 'asking', 'stopping');
CREATE INDEX ON job (state) WHERE state IN ('receiving', 'queued', 'running', 'asking', 'stopping');

-- The files of a job, until it ends; each in pieces.
CREATE TABLE job_file (
    job_id bigint NOT NULL REFERENCES job ON DELETE CASCADE,
    path   text NOT NULL,
    place  integer NOT NULL,                       -- in the order in which they were given
    bytes  bigint NOT NULL,
    PRIMARY KEY (job_id, path)
);
CREATE TABLE job_piece (
    job_id  bigint NOT NULL REFERENCES job ON DELETE CASCADE,
    place   integer NOT NULL,                      -- of the file
    piece   integer NOT NULL,
    content bytea NOT NULL,
    PRIMARY KEY (job_id, place, piece)
);
ALTER TABLE job_piece ALTER COLUMN content SET STORAGE EXTERNAL;

ALTER TABLE dataset ADD COLUMN dropped_at timestamptz;

ALTER TABLE build ADD COLUMN report jsonb NOT NULL DEFAULT '{}';
-- The reference answers that do not run on the build, found after it was made.
ALTER TABLE build ADD COLUMN broken jsonb NOT NULL DEFAULT '[]';

-- +goose Down

ALTER TABLE build DROP COLUMN broken, DROP COLUMN report;
ALTER TABLE dataset DROP COLUMN dropped_at;
DROP TABLE job_piece, job_file, job;
