-- +goose Up

-- When a one-time password is not taken any more.
ALTER TABLE account ADD COLUMN one_time_until timestamptz;
UPDATE account SET one_time_until = now() + interval '14 days' WHERE one_time;

-- Failed log-ins since the last good one, by where they came from: an address together with the name that was tried, an address, a known device, or an
-- account whose own password was asked for.
DROP TABLE login_failure;
CREATE TABLE login_failure (
    origin   text PRIMARY KEY,
    failures integer NOT NULL,
    last_at  timestamptz NOT NULL
);

-- Devices on which somebody has logged in to an account: others' failures do not hold them up.
CREATE TABLE device (
    token_hash bytea PRIMARY KEY,                  -- SHA-256 of the token, which the device keeps
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    seen_at    timestamptz NOT NULL DEFAULT now()
);

-- A draft's revision rises with each change, so that an older text does not overwrite a newer one.
ALTER TABLE draft ADD COLUMN revision bigint NOT NULL DEFAULT 1;

-- What was submitted once is stored once, however often it is sent: the key is made by whoever sends it.
ALTER TABLE attempt ADD COLUMN client_key text;
CREATE UNIQUE INDEX attempt_once ON attempt (account_id, client_key) WHERE client_key IS NOT NULL;
-- Right on all that the learner can see, and wrong or slow on hidden rows alone.
ALTER TABLE attempt ADD COLUMN hidden_only boolean NOT NULL DEFAULT false;
CREATE INDEX ON attempt (account_id, exercise_id, at) WHERE hidden_only;

-- The build in use is said, and no longer the latest: an earlier one can be returned to.
ALTER TABLE dataset ADD COLUMN build_id bigint REFERENCES build;
UPDATE dataset SET build_id = (SELECT id FROM build WHERE build.dataset_id = dataset.id ORDER BY number DESC LIMIT 1);
-- The job whose files it was made from: they are kept as long as the build.
ALTER TABLE build ADD COLUMN job_id bigint REFERENCES job;
-- Its databases are gone: it is too old to be kept.
ALTER TABLE build ADD COLUMN dropped_at timestamptz;
UPDATE build SET dropped_at = now() WHERE id NOT IN (SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY dataset_id ORDER BY number DESC) AS age FROM build) AS b WHERE age <= 2);
-- How the catalogue was read: one that was read by an earlier version is read again.
ALTER TABLE build ADD COLUMN catalogue_version integer NOT NULL DEFAULT 0;

CREATE OR REPLACE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id;

-- +goose Down

CREATE OR REPLACE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.dataset_id = dataset.id
          AND build.number = (SELECT max(number) FROM build AS latest WHERE latest.dataset_id = dataset.id);
ALTER TABLE build DROP COLUMN job_id, DROP COLUMN dropped_at, DROP COLUMN catalogue_version;
ALTER TABLE dataset DROP COLUMN build_id;
ALTER TABLE attempt DROP COLUMN client_key, DROP COLUMN hidden_only;
ALTER TABLE draft DROP COLUMN revision;
DROP TABLE device;
DROP TABLE login_failure;
CREATE TABLE login_failure (name text PRIMARY KEY, failures integer NOT NULL, last_at timestamptz NOT NULL);
ALTER TABLE account DROP COLUMN one_time_until;
