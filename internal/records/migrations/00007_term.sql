-- +goose Up

-- What kinds of jobs there are is the service's to say.
ALTER TABLE job DROP CONSTRAINT job_kind_check;

-- What the service keeps of itself: the seed of the fingerprints of results, by which they can be compared between
-- replicas and over time.
CREATE TABLE setting (
    name  text PRIMARY KEY,
    value text NOT NULL
);
INSERT INTO setting VALUES ('fingerprint seed', abs(hashtextextended(gen_random_uuid()::text, 0))::text);

-- An administrator makes courses and accounts. Everybody else is what they are in a course.
ALTER TABLE account ADD COLUMN administrator boolean NOT NULL DEFAULT false, ADD COLUMN deactivated_at timestamptz;
UPDATE account SET administrator = true WHERE role = 'instructor';

CREATE TABLE member (
    course_id  bigint NOT NULL REFERENCES course,
    account_id bigint NOT NULL REFERENCES account,
    role       text NOT NULL CHECK (role IN ('instructor', 'assistant', 'learner')),
    joined_at  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (course_id, account_id)
);
CREATE INDEX ON member (account_id);
INSERT INTO member (course_id, account_id, role) SELECT course_id, account_id, 'learner' FROM enrolment;
INSERT INTO member (course_id, account_id, role)
SELECT course.id, account.id, 'instructor' FROM course, account WHERE account.role = 'instructor'
ON CONFLICT DO NOTHING;

-- A paper as it is set for a course: a time that is NULL is no bound.
ALTER TABLE course_paper DROP CONSTRAINT course_paper_pkey;
ALTER TABLE course_paper
    ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    ADD COLUMN rules jsonb NOT NULL DEFAULT '{}',   -- how marks come of checks; {}: the best attempt counts
    ADD UNIQUE (course_id, paper_id);
CREATE TABLE extension (
    course_paper_id bigint NOT NULL REFERENCES course_paper ON DELETE CASCADE,
    account_id      bigint NOT NULL REFERENCES account,
    due_at          timestamptz NOT NULL,
    PRIMARY KEY (course_paper_id, account_id)
);
CREATE INDEX ON extension (account_id);

-- Every change of an exercise is a version. Its number is its place in the paper, and changes without one.
CREATE TABLE exercise_version (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    exercise_id bigint NOT NULL REFERENCES exercise,
    version     integer NOT NULL,
    title       text NOT NULL,
    points      numeric NOT NULL,
    blocks      jsonb NOT NULL,
    reference   text NOT NULL,
    checking    jsonb NOT NULL,                      -- the checking rules
    made_at     timestamptz NOT NULL DEFAULT now(),
    UNIQUE (exercise_id, version)
);
INSERT INTO exercise_version (exercise_id, version, title, points, blocks, reference, checking)
SELECT id, 1, title, points::text::numeric, blocks, reference, checking FROM exercise ORDER BY id;
ALTER TABLE exercise ADD COLUMN version_id bigint REFERENCES exercise_version;
UPDATE exercise SET version_id = exercise_version.id FROM exercise_version WHERE exercise_id = exercise.id;
ALTER TABLE exercise DROP COLUMN title, DROP COLUMN points, DROP COLUMN blocks, DROP COLUMN reference, DROP COLUMN checking;

-- An exercise in its version now.
CREATE VIEW exercise_now AS
SELECT exercise.id, exercise.paper_id, exercise.slug, exercise.number, exercise.retired, version.id AS version_id,
       version.version, version.title, version.points, version.blocks, version.reference, version.checking
FROM exercise JOIN exercise_version AS version ON version.id = exercise.version_id;

-- What was submitted, and when it was received. What it came to is a check.
ALTER TABLE attempt RENAME TO old_attempt;
DROP INDEX attempt_once;
CREATE TABLE attempt (
    id          bigint PRIMARY KEY DEFAULT nextval('entry_id'),
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    course_id   bigint REFERENCES course,            -- through which; NULL: somebody's who sets exercises
    sql         text NOT NULL,
    received_at timestamptz NOT NULL,
    client_key  text
);
-- One row for each time an attempt was checked, by a version of its exercise, on a build. The last one holds. Versions and
-- builds are never deleted, as a trigger sees to: a foreign key would lock their rows with every submission of a course.
CREATE TABLE attempt_check (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    attempt_id  bigint NOT NULL REFERENCES attempt,
    version_id  bigint NOT NULL,                     -- of exercise_version
    build_id    bigint NOT NULL,                     -- of build
    outcome     text NOT NULL CHECK (outcome IN ('correct', 'incorrect', 'rejected', 'failed', 'stopped')),
    mark        numeric NOT NULL,                    -- what the attempt is worth by it
    points      numeric NOT NULL,                    -- of how many
    row_count   bigint NOT NULL,
    elapsed_ms  double precision NOT NULL,
    findings    jsonb NOT NULL,
    error       jsonb,
    fingerprint bytea,                               -- of the result, 16 bytes; NULL without one
    hidden_only boolean NOT NULL,                    -- right on all that the learner can see, wrong or slow on hidden rows
    counted     boolean NOT NULL,                    -- it uses up one of the attempts that the exercise allows
    at          timestamptz NOT NULL DEFAULT now()
);
INSERT INTO attempt (id, account_id, exercise_id, course_id, sql, received_at, client_key)
SELECT a.id, a.account_id, a.exercise_id,
       coalesce((SELECT min(set.course_id) FROM course_paper AS set
                 JOIN member ON member.course_id = set.course_id AND member.account_id = a.account_id AND member.role = 'learner'
                 JOIN exercise ON exercise.paper_id = set.paper_id WHERE exercise.id = a.exercise_id),
                (SELECT min(course_id) FROM member WHERE account_id = a.account_id AND role = 'learner')),
       a.sql, a.at, a.client_key
FROM old_attempt AS a;
INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count, elapsed_ms, findings, error,
                           hidden_only, counted, at)
SELECT a.id, exercise.version_id, a.build_id, a.outcome, a.mark::text::numeric, a.points::text::numeric, a.row_count,
       a.elapsed_ms, a.findings, a.error, a.hidden_only, a.counted, a.at
FROM old_attempt AS a JOIN exercise ON exercise.id = a.exercise_id ORDER BY a.id;
DROP TABLE old_attempt;
CREATE INDEX attempt_of_account ON attempt (account_id, id);
CREATE INDEX attempt_of_exercise ON attempt (exercise_id, account_id, id);
CREATE INDEX attempt_of_course ON attempt (course_id, id);
CREATE UNIQUE INDEX attempt_once ON attempt (account_id, client_key) WHERE client_key IS NOT NULL;
CREATE INDEX check_of_attempt ON attempt_check (attempt_id, id);

DROP FUNCTION attempt_is_final CASCADE;
-- +goose StatementBegin
CREATE FUNCTION is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION '% % is final', TG_TABLE_NAME, OLD.id;
END $$;
-- +goose StatementEnd
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON attempt FOR EACH ROW EXECUTE FUNCTION is_final();
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON attempt_check FOR EACH ROW EXECUTE FUNCTION is_final();
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON exercise_version FOR EACH ROW EXECUTE FUNCTION is_final();
CREATE TRIGGER kept BEFORE DELETE ON build FOR EACH ROW EXECUTE FUNCTION is_final();

-- A mark that somebody has set. The last one counts in place of the one computed; NULL gives that back.
CREATE TABLE mark (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    course_id   bigint NOT NULL REFERENCES course,
    mark        numeric,
    reason      text NOT NULL,
    set_by      bigint NOT NULL REFERENCES account,
    set_at      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON mark (exercise_id, course_id, account_id, id);
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON mark FOR EACH ROW EXECUTE FUNCTION is_final();

-- How an account stands on an exercise, in a course: kept up to date with every attempt, check and mark. It is written
-- with the attempt that it names, which is final.
CREATE SEQUENCE standing_version;
CREATE TABLE standing (
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    course_id   bigint REFERENCES course,
    counts_id   bigint,                              -- the attempt that counts; NULL: a mark was set and there is none
    latest_id   bigint,
    outcome     text NOT NULL,                       -- of the one that counts; '' without attempts
    computed    numeric NOT NULL,                    -- its mark
    by_hand     numeric,                             -- the mark that was set in its place
    attempts    integer NOT NULL,
    used        integer NOT NULL,                    -- of those that the exercise allows
    hidden_only integer NOT NULL,                    -- that were right on all that the learner can see, and wrong elsewhere
    last_at     timestamptz NOT NULL,
    version     bigint NOT NULL DEFAULT nextval('standing_version'),
    UNIQUE NULLS NOT DISTINCT (account_id, exercise_id, course_id)
) WITH (fillfactor = 70);                            -- room for the next version of a row beside it
CREATE INDEX ON standing (exercise_id, course_id);
INSERT INTO standing (account_id, exercise_id, course_id, counts_id, latest_id, outcome, computed, attempts, used, hidden_only, last_at)
SELECT DISTINCT ON (a.account_id, a.exercise_id, a.course_id)
       a.account_id, a.exercise_id, a.course_id, a.id, max(a.id) OVER work, c.outcome, c.mark, count(*) OVER work,
       count(*) FILTER (WHERE c.counted) OVER work, count(*) FILTER (WHERE c.hidden_only) OVER work,
       max(a.received_at) OVER work
FROM attempt AS a JOIN attempt_check AS c ON c.attempt_id = a.id
WINDOW work AS (PARTITION BY a.account_id, a.exercise_id, a.course_id)
ORDER BY a.account_id, a.exercise_id, a.course_id, c.mark DESC, CASE WHEN c.mark > 0 THEN a.id ELSE -a.id END;

ALTER TABLE run ADD COLUMN course_id bigint REFERENCES course;
UPDATE run SET course_id = coalesce(
    (SELECT min(set.course_id) FROM course_paper AS set
     JOIN member ON member.course_id = set.course_id AND member.account_id = run.account_id AND member.role = 'learner'
     WHERE set.paper_id = run.paper_id),
    (SELECT min(course_id) FROM member WHERE account_id = run.account_id AND role = 'learner'));
CREATE INDEX run_of_course ON run (course_id, id);
CREATE INDEX run_of_exercise ON run (exercise_id, account_id, id);
CREATE INDEX run_of_paper ON run (paper_id, id);

-- Runs and attempts alike; of an attempt with its last check.
CREATE VIEW entry AS
SELECT 'run'::text AS kind, run.id, run.account_id, run.exercise_id, run.paper_id, run.build_id, run.sql, run.at, run.outcome,
       NULL::numeric AS mark, NULL::numeric AS points, run.row_count, run.elapsed_ms, '[]'::jsonb AS findings, run.error,
       (octet_length(run.sql) + coalesce(pg_column_size(run.error), 0))::bigint AS bytes
FROM run
UNION ALL
SELECT 'attempt', attempt.id, attempt.account_id, attempt.exercise_id, exercise.paper_id, held.build_id, attempt.sql,
       attempt.received_at, held.outcome, held.mark, held.points, held.row_count, held.elapsed_ms, held.findings, held.error,
       octet_length(attempt.sql) + pg_column_size(held.findings) + coalesce(pg_column_size(held.error), 0)
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check WHERE attempt_check.attempt_id = attempt.id ORDER BY attempt_check.id DESC LIMIT 1) AS held;

DROP VIEW paper_times;
DROP TABLE enrolment;
ALTER TABLE account DROP COLUMN role;

-- Who changed what: of accounts, members, courses, papers, exercises and marks, every row that changes leaves a line, in
-- the same transaction. Who it was the service says for the transaction (examen.actor); NULL is the service itself.
CREATE TABLE audit (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at      timestamptz NOT NULL DEFAULT now(),
    actor   bigint REFERENCES account,
    subject text NOT NULL,                           -- the table
    action  text NOT NULL CHECK (action IN ('insert', 'update', 'delete')),
    row_id  jsonb NOT NULL,                          -- what names the row
    changed jsonb NOT NULL                           -- of the row: what it is now; of an update only what has changed
);
CREATE INDEX ON audit (actor, id);
CREATE INDEX ON audit (subject, id);
CREATE TRIGGER final BEFORE UPDATE OR DELETE ON audit FOR EACH ROW EXECUTE FUNCTION is_final();
-- +goose StatementBegin
CREATE FUNCTION leave_audit() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    before jsonb := CASE WHEN TG_OP = 'INSERT' THEN '{}' ELSE to_jsonb(OLD) END;
    after  jsonb := CASE WHEN TG_OP = 'DELETE' THEN '{}' ELSE to_jsonb(NEW) END;
    subject_row jsonb := CASE WHEN TG_OP = 'DELETE' THEN before ELSE after END;
    different jsonb;
BEGIN
    SELECT coalesce(jsonb_object_agg(key, CASE WHEN key = 'password' THEN '"changed"' ELSE value END), '{}') INTO different
    FROM jsonb_each(CASE WHEN TG_OP = 'DELETE' THEN before ELSE after END)
    WHERE TG_OP <> 'UPDATE' OR value IS DISTINCT FROM before -> key;
    IF TG_OP = 'UPDATE' AND different = '{}' THEN
        RETURN NULL;
    END IF;
    INSERT INTO audit (actor, subject, action, row_id, changed)
    SELECT nullif(current_setting('examen.actor', true), '')::bigint, TG_TABLE_NAME, lower(TG_OP),
           (SELECT jsonb_object_agg(name, subject_row -> name) FROM unnest(TG_ARGV) AS name WHERE subject_row ? name), different;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON account FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'name');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON course FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'slug');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON member FOR EACH ROW EXECUTE FUNCTION leave_audit('course_id', 'account_id');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON course_paper FOR EACH ROW EXECUTE FUNCTION leave_audit('course_id', 'paper_id');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON extension FOR EACH ROW EXECUTE FUNCTION leave_audit('course_paper_id', 'account_id');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON paper FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'slug');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON exercise FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'slug');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON exercise_version FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'exercise_id');
CREATE TRIGGER audit AFTER INSERT ON mark FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'account_id', 'exercise_id', 'course_id');

-- What a session is kept with holds the courses of its account, too.
CREATE TRIGGER tell_insert AFTER INSERT ON member FOR EACH STATEMENT EXECUTE FUNCTION tell_change('members');
CREATE TRIGGER tell_update AFTER UPDATE ON member REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION tell_rows('members');
CREATE TRIGGER tell_delete AFTER DELETE ON member REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION tell_rows('members');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON extension FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');
