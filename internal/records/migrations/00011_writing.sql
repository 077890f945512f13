-- +goose Up
-- The texts of a paper: each that was published, in a pack or from the console, and what was kept of those that were not.
CREATE TABLE paper_version (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    paper_id  bigint NOT NULL REFERENCES paper,
    version   integer NOT NULL,
    origin    text NOT NULL CHECK (origin IN ('pack', 'console', 'kept')),   -- kept: it was never published
    text      text NOT NULL,                         -- as it was written
    note      text NOT NULL DEFAULT '',              -- what was changed, in the words of whoever did it
    made_by   bigint REFERENCES account,             -- NULL: the service
    made_at   timestamptz NOT NULL DEFAULT now(),
    UNIQUE (paper_id, version)
);
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON paper_version FOR EACH ROW EXECUTE FUNCTION is_final();

ALTER TABLE paper
    ADD COLUMN path text NOT NULL DEFAULT '',        -- of its file in its pack
    ADD COLUMN published_id bigint REFERENCES paper_version,   -- NULL: never, or by an earlier version of Examen
    ADD COLUMN loaded_id bigint REFERENCES paper_version,      -- the text as its pack had it last
    ADD COLUMN published_at timestamptz;             -- NULL: it is being written
UPDATE paper SET published_at = now();

-- The text that is being written, part by part; without parts nobody has changed it yet.
CREATE SEQUENCE writing_revision;
CREATE TABLE writing (
    paper_id bigint PRIMARY KEY REFERENCES paper,
    base_id  bigint REFERENCES paper_version,        -- what it was made from; NULL: from nothing
    next_id  integer NOT NULL,                       -- of a part
    revision bigint NOT NULL DEFAULT nextval('writing_revision')   -- of what parts there are, and in which order
);
CREATE TABLE paper_part (
    paper_id   bigint NOT NULL REFERENCES paper,
    id         integer NOT NULL,
    place      integer NOT NULL,
    text       text NOT NULL,
    revision   bigint NOT NULL DEFAULT nextval('writing_revision'),
    changed_by bigint REFERENCES account,
    changed_at timestamptz NOT NULL DEFAULT now(),
    -- The examiner's remarks, and what a learner would be shown, of one revision on one build.
    inspected       bigint,
    inspected_build bigint,
    remarks         jsonb NOT NULL DEFAULT '[]',
    expected        jsonb,
    remarks_revision bigint NOT NULL DEFAULT 0,      -- when they came, in the order of the revisions
    PRIMARY KEY (paper_id, id)
);
-- Who has a paper open for writing, in which window and at which part.
CREATE TABLE paper_writer (
    paper_id   bigint NOT NULL REFERENCES paper,
    account_id bigint NOT NULL REFERENCES account,
    window_key text NOT NULL,
    part       integer,
    seen_at    timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (paper_id, account_id, window_key)
);

-- By what exercises are found: words, tables, constructs and the columns of the result, of one version.
CREATE TABLE exercise_index (
    exercise_id bigint PRIMARY KEY REFERENCES exercise,
    version_id  bigint NOT NULL,
    words       text NOT NULL,                       -- title, task and accepted answers
    tables      text[] NOT NULL,
    constructs  text[] NOT NULL,
    columns     text[] NOT NULL,                     -- of the reference answer's result
    answer_key  text NOT NULL                        -- the same for exercises with the same reference answer
);
CREATE INDEX ON exercise_index (answer_key);

CREATE OR REPLACE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants, paper.published_at
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id;

-- +goose Down
DROP VIEW paper_in_use;
CREATE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.id = dataset.build_id;
DROP TABLE exercise_index, paper_writer, paper_part, writing;
DROP SEQUENCE writing_revision;
ALTER TABLE paper DROP COLUMN path, DROP COLUMN published_id, DROP COLUMN loaded_id, DROP COLUMN published_at;
DROP TABLE paper_version;
