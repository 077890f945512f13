-- +goose Up

CREATE TABLE account (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name         text NOT NULL UNIQUE,
    display_name text NOT NULL,
    role         text NOT NULL CHECK (role IN ('instructor', 'learner')),
    password     text NOT NULL,                    -- argon2id, in PHC string format
    one_time     boolean NOT NULL DEFAULT false,   -- the password was made by Examen
    created_at   timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE session (
    token_hash bytea PRIMARY KEY,                  -- SHA-256 of the token, which is kept nowhere
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    kind       text NOT NULL CHECK (kind IN ('cookie', 'bearer')),
    csrf_token text NOT NULL,
    expires_at timestamptz NOT NULL
);
CREATE INDEX ON session (account_id);

-- Failed log-ins since the last good one, by the name that was tried (an account or not).
CREATE TABLE login_failure (
    name     text PRIMARY KEY,
    failures integer NOT NULL,
    last_at  timestamptz NOT NULL
);

CREATE TABLE dataset (
    id    bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name  text NOT NULL UNIQUE,
    pack  text NOT NULL,
    title text NOT NULL
);

CREATE TABLE build (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    dataset_id bigint NOT NULL REFERENCES dataset,
    number     integer NOT NULL,
    database   text NOT NULL UNIQUE,               -- on the practice server
    variants   jsonb NOT NULL,                     -- variant -> database
    catalogue  jsonb NOT NULL,                     -- tables and columns, with their meaning
    made_at    timestamptz NOT NULL DEFAULT now(),
    UNIQUE (dataset_id, number)
);

CREATE TABLE paper (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    slug       text NOT NULL UNIQUE,
    pack       text NOT NULL,
    title      text NOT NULL,
    dataset_id bigint NOT NULL REFERENCES dataset,
    opens_at   timestamptz,
    due_at     timestamptz,
    sections   jsonb NOT NULL                      -- narrative and the slugs of exercises, in order
);

CREATE TABLE exercise (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    paper_id  bigint NOT NULL REFERENCES paper,
    slug      text NOT NULL,
    number    integer NOT NULL,
    title     text NOT NULL,
    points    double precision NOT NULL,
    blocks    jsonb NOT NULL,
    reference text NOT NULL,
    checking  jsonb NOT NULL,                      -- the checking rules
    retired   boolean NOT NULL DEFAULT false,      -- no longer in the paper; its history stays
    UNIQUE (paper_id, slug)
);

CREATE TABLE course (
    id    bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    slug  text NOT NULL UNIQUE,
    title text NOT NULL
);

CREATE TABLE enrolment (
    course_id  bigint NOT NULL REFERENCES course,
    account_id bigint NOT NULL REFERENCES account,
    PRIMARY KEY (course_id, account_id)
);
CREATE INDEX ON enrolment (account_id);

CREATE TABLE course_paper (
    course_id bigint NOT NULL REFERENCES course,
    paper_id  bigint NOT NULL REFERENCES paper,
    opens_at  timestamptz,
    due_at    timestamptz,
    PRIMARY KEY (course_id, paper_id)
);
CREATE INDEX ON course_paper (paper_id);

-- A paper with the build of its dataset that is in use.
CREATE VIEW paper_in_use AS
SELECT paper.id, paper.slug, paper.title, paper.opens_at, paper.due_at, dataset.name AS dataset,
       build.id AS build_id, build.number AS build_number, build.database, build.variants
FROM paper
JOIN dataset ON dataset.id = paper.dataset_id
JOIN build ON build.dataset_id = dataset.id
          AND build.number = (SELECT max(number) FROM build AS latest WHERE latest.dataset_id = dataset.id);

-- When a paper is open to an account. Set for several of its courses, the earliest opening and the latest due time hold; a
-- missing time is no bound (the years 1 and 9999).
CREATE VIEW paper_times AS
SELECT enrolment.account_id, course_paper.paper_id, count(*)::int AS courses,
       min(coalesce(course_paper.opens_at, '0001-01-01Z'))::timestamptz AS opens_at,
       max(coalesce(course_paper.due_at, '9999-12-31Z'))::timestamptz AS due_at
FROM course_paper JOIN enrolment ON enrolment.course_id = course_paper.course_id
GROUP BY enrolment.account_id, course_paper.paper_id;

CREATE TABLE draft (
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    sql         text NOT NULL,
    kept_at     timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account_id, exercise_id)
);

-- Runs and attempts take their numbers from one sequence, so that history has one order.
CREATE SEQUENCE entry_id;

CREATE TABLE run (
    id          bigint PRIMARY KEY DEFAULT nextval('entry_id'),
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint REFERENCES exercise,
    paper_id    bigint REFERENCES paper,
    build_id    bigint NOT NULL REFERENCES build,
    sql         text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    outcome     text NOT NULL CHECK (outcome IN ('done', 'rejected', 'failed', 'stopped')),
    row_count   bigint NOT NULL,
    elapsed_ms  double precision NOT NULL,
    error       jsonb
);
CREATE INDEX ON run (account_id, id);

CREATE TABLE attempt (
    id          bigint PRIMARY KEY DEFAULT nextval('entry_id'),
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    build_id    bigint NOT NULL REFERENCES build,
    sql         text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    outcome     text NOT NULL CHECK (outcome IN ('correct', 'incorrect', 'rejected', 'failed', 'stopped')),
    mark        double precision NOT NULL,
    points      double precision NOT NULL,         -- the exercise's, at that time
    row_count   bigint NOT NULL,
    elapsed_ms  double precision NOT NULL,
    findings    jsonb NOT NULL,
    error       jsonb
);
CREATE INDEX ON attempt (account_id, id);
CREATE INDEX ON attempt (exercise_id, account_id, id);

-- An attempt is never changed afterwards, by whatever road.
-- +goose StatementBegin
CREATE FUNCTION attempt_is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'attempt % is final', OLD.id;
END $$;
-- +goose StatementEnd
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON attempt FOR EACH ROW EXECUTE FUNCTION attempt_is_final();

-- +goose Down

DROP VIEW paper_times, paper_in_use;
DROP TABLE attempt, run, draft, course_paper, enrolment, course, exercise, paper, build, dataset, login_failure, session, account;
DROP FUNCTION attempt_is_final;
DROP SEQUENCE entry_id;
