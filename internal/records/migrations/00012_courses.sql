-- +goose Up
ALTER TABLE account
    ADD COLUMN email text NOT NULL DEFAULT '',
    ADD COLUMN anonymised_at timestamptz;

-- Sessions are listed by what they were made on, and ended by number.
ALTER TABLE session
    ADD COLUMN id bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    ADD COLUMN made_at timestamptz NOT NULL DEFAULT now(),
    ADD COLUMN address text NOT NULL DEFAULT '',     -- from which it was opened
    ADD COLUMN client text NOT NULL DEFAULT '';      -- the program, as it called itself

-- A member may be in a group ('' for none). Whoever leaves a course stays in the records.
ALTER TABLE member
    ADD COLUMN group_name text NOT NULL DEFAULT '',
    ADD COLUMN left_at timestamptz;

-- An archived course can be read and no longer be worked in.
ALTER TABLE course ADD COLUMN archived_at timestamptz;

-- The revision of a paper as it is set rises with all that marks are computed by: its rules, its times, an extension.
ALTER TABLE course_paper
    ADD COLUMN released_at timestamptz,              -- when marks were released to learners; NULL: they were not
    ADD COLUMN revision bigint NOT NULL DEFAULT 1;

-- More time for one learner or for a group: a later due time, or in an examination more minutes.
ALTER TABLE extension RENAME TO old_extension;
CREATE TABLE extension (
    id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    course_paper_id bigint NOT NULL REFERENCES course_paper ON DELETE CASCADE,
    account_id      bigint REFERENCES account,
    group_name      text,
    due_at          timestamptz,
    minutes         integer NOT NULL DEFAULT 0,
    reason          text NOT NULL,
    made_by         bigint REFERENCES account,
    made_at         timestamptz NOT NULL DEFAULT now(),
    CHECK ((account_id IS NULL) <> (group_name IS NULL)),
    UNIQUE NULLS NOT DISTINCT (course_paper_id, account_id, group_name)
);
INSERT INTO extension (course_paper_id, account_id, due_at, reason)
SELECT course_paper_id, account_id, due_at, '' FROM old_extension;
DROP TABLE old_extension;
CREATE INDEX ON extension (account_id);

-- A learner's examination: when they began it, and in which session they write it.
CREATE TABLE sitting (
    course_paper_id bigint NOT NULL REFERENCES course_paper ON DELETE CASCADE,
    account_id      bigint NOT NULL REFERENCES account,
    started_at      timestamptz NOT NULL,
    session         bytea NOT NULL,                  -- the hash of its token
    moved           integer NOT NULL DEFAULT 0,      -- how often it was gone on with in another session
    PRIMARY KEY (course_paper_id, account_id)
);
CREATE INDEX ON sitting (account_id);

-- A word to all who work on a paper.
CREATE TABLE notice (
    id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    course_paper_id bigint NOT NULL REFERENCES course_paper ON DELETE CASCADE,
    text            text NOT NULL,
    made_by         bigint NOT NULL REFERENCES account,
    made_at         timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON notice (course_paper_id, id);

-- Why an attempt was checked, or its mark computed, again.
ALTER TABLE attempt_check ADD COLUMN cause text NOT NULL DEFAULT 'submitted' CHECK (cause IN ('submitted', 'rules', 'recheck'));

-- Whether the attempt that counts could be read, which decides whether the next takes its place.
ALTER TABLE standing ADD COLUMN counted boolean NOT NULL DEFAULT true;

-- The revision of a paper as it is set, once nobody is changing it; until the transaction ends, nobody else can. It is
-- asked for within the statement that stores an attempt, and as a volatile function sees what was committed meanwhile.
-- +goose StatementBegin
CREATE FUNCTION held_revision(set_id bigint) RETURNS bigint LANGUAGE plpgsql VOLATILE AS $$
DECLARE
    held bigint;
BEGIN
    IF set_id IS NULL THEN
        RETURN 0;
    END IF;
    PERFORM pg_advisory_xact_lock_shared(hashtextextended('set ' || set_id, 0));
    SELECT revision INTO held FROM course_paper WHERE id = set_id;
    RETURN held;
END $$;
-- +goose StatementEnd

-- A time so many days later, at the same time of the day by the clocks of a zone.
CREATE FUNCTION later_by_days(at timestamptz, days integer, zone text) RETURNS timestamptz LANGUAGE sql STABLE AS $$
    SELECT (at AT TIME ZONE zone + days * interval '1 day') AT TIME ZONE zone
$$;

-- Whether an attempt that is stored takes the place of the one that counts; see marking.Rules, which says the same.
CREATE FUNCTION takes_place(counts text, late boolean, stands standing, mark numeric, is_counted boolean) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$
    SELECT CASE WHEN stands.counts_id IS NULL OR NOT stands.counted OR counts = '' AND stands.computed = 0 THEN true
                WHEN NOT is_counted OR counts = 'first' THEN false
                WHEN counts = 'last' AND NOT late THEN true
                ELSE mark > stands.computed END
$$;

DROP VIEW entry;
CREATE VIEW entry AS
SELECT 'run'::text AS kind, run.id, run.account_id, run.exercise_id, run.paper_id, run.course_id, run.build_id, run.sql, run.at,
       run.outcome, NULL::numeric AS mark, NULL::numeric AS points, run.row_count, run.elapsed_ms, '[]'::jsonb AS findings,
       run.error, (octet_length(run.sql) + coalesce(pg_column_size(run.error), 0))::bigint AS bytes
FROM run
UNION ALL
SELECT 'attempt', attempt.id, attempt.account_id, attempt.exercise_id, exercise.paper_id, attempt.course_id, held.build_id,
       attempt.sql, attempt.received_at, held.outcome, held.mark, held.points, held.row_count, held.elapsed_ms, held.findings,
       held.error, octet_length(attempt.sql) + pg_column_size(held.findings) + coalesce(pg_column_size(held.error), 0)
FROM attempt JOIN exercise ON exercise.id = attempt.exercise_id
CROSS JOIN LATERAL (SELECT * FROM attempt_check WHERE attempt_check.attempt_id = attempt.id ORDER BY attempt_check.id DESC LIMIT 1) AS held;

-- The audit log is searched by course, paper and person.
ALTER TABLE audit ADD COLUMN course_id bigint, ADD COLUMN paper_id bigint, ADD COLUMN account_id bigint;
CREATE INDEX ON audit (course_id, id);
CREATE INDEX ON audit (account_id, id);
CREATE INDEX ON audit (paper_id, id);
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION leave_audit() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    before jsonb := CASE WHEN TG_OP = 'INSERT' THEN '{}' ELSE to_jsonb(OLD) END;
    after  jsonb := CASE WHEN TG_OP = 'DELETE' THEN '{}' ELSE to_jsonb(NEW) END;
    subject_row jsonb := CASE WHEN TG_OP = 'DELETE' THEN before ELSE after END;
    own bigint := (subject_row ->> 'id')::bigint;
    course bigint := CASE TG_TABLE_NAME WHEN 'course' THEN own ELSE (subject_row ->> 'course_id')::bigint END;
    paper bigint := CASE TG_TABLE_NAME WHEN 'paper' THEN own ELSE (subject_row ->> 'paper_id')::bigint END;
    person bigint := CASE TG_TABLE_NAME WHEN 'account' THEN own ELSE (subject_row ->> 'account_id')::bigint END;
    different jsonb;
BEGIN
    SELECT coalesce(jsonb_object_agg(key, CASE WHEN key IN ('password', 'session') THEN '"changed"' ELSE value END), '{}') INTO different
    FROM jsonb_each(CASE WHEN TG_OP = 'DELETE' THEN before ELSE after END)
    WHERE TG_OP <> 'UPDATE' OR value IS DISTINCT FROM before -> key;
    IF TG_OP = 'UPDATE' AND different - 'revision' = '{}' THEN
        RETURN NULL;
    END IF;
    IF subject_row ? 'course_paper_id' THEN
        SELECT course_paper.course_id, course_paper.paper_id INTO course, paper
        FROM course_paper WHERE id = (subject_row ->> 'course_paper_id')::bigint;
    ELSIF subject_row ->> 'exercise_id' IS NOT NULL THEN
        SELECT exercise.paper_id INTO paper FROM exercise WHERE id = (subject_row ->> 'exercise_id')::bigint;
    END IF;
    INSERT INTO audit (actor, subject, action, row_id, changed, course_id, paper_id, account_id)
    SELECT nullif(current_setting('examen.actor', true), '')::bigint, TG_TABLE_NAME, lower(TG_OP),
           (SELECT jsonb_object_agg(name, subject_row -> name) FROM unnest(TG_ARGV) AS name WHERE subject_row ? name), different,
           course, paper, person;
    RETURN NULL;
END $$;
-- +goose StatementEnd
ALTER TABLE audit DISABLE TRIGGER final;
UPDATE audit SET
    course_id = CASE subject WHEN 'course' THEN (row_id ->> 'id')::bigint
                ELSE coalesce((row_id ->> 'course_id')::bigint, (SELECT course_id FROM course_paper WHERE id = (row_id ->> 'course_paper_id')::bigint)) END,
    paper_id = CASE subject WHEN 'paper' THEN (row_id ->> 'id')::bigint
               ELSE coalesce((row_id ->> 'paper_id')::bigint, (SELECT paper_id FROM exercise WHERE id = (row_id ->> 'exercise_id')::bigint),
                             (SELECT paper_id FROM course_paper WHERE id = (row_id ->> 'course_paper_id')::bigint)) END,
    account_id = CASE subject WHEN 'account' THEN (row_id ->> 'id')::bigint ELSE (row_id ->> 'account_id')::bigint END;
ALTER TABLE audit ENABLE TRIGGER final;
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON extension FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'course_paper_id', 'account_id', 'group_name');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON sitting FOR EACH ROW EXECUTE FUNCTION leave_audit('course_paper_id', 'account_id');
CREATE TRIGGER audit AFTER INSERT OR UPDATE OR DELETE ON notice FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'course_paper_id');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON extension FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sets');
-- A sitting concerns nobody but whoever has it: of a whole course that begins at once, each hears of their own.
-- +goose StatementBegin
CREATE FUNCTION tell_sitting() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('examen_changes', 'sitting ' || NEW.account_id);
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER tell AFTER INSERT OR UPDATE ON sitting FOR EACH ROW EXECUTE FUNCTION tell_sitting();
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON notice FOR EACH STATEMENT EXECUTE FUNCTION tell_change('notices');
DROP TRIGGER tell ON course_paper;
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON course_paper FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sets');
CREATE TRIGGER tell AFTER UPDATE OR DELETE ON course FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sets');

-- What is final stays so, except that somebody's name and what was said of them are taken out when they are made anonymous.
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND TG_TABLE_NAME IN ('audit', 'mark', 'attempt') AND current_setting('examen.anonymising', true) = 'yes' THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION '% % is final', TG_TABLE_NAME, OLD.id;
END $$;
-- +goose StatementEnd

-- A recheck: all attempts at a paper, or at one exercise, were checked again on what held then.
CREATE TABLE recheck (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    paper_id    bigint NOT NULL REFERENCES paper,
    exercise_id bigint REFERENCES exercise,          -- NULL: all of the paper
    reason      text NOT NULL,
    attempts    integer NOT NULL,
    changed     integer NOT NULL,                    -- standings
    made_at     timestamptz NOT NULL DEFAULT now()
);
CREATE TRIGGER audit AFTER INSERT ON recheck FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'paper_id', 'exercise_id');
-- What checking an attempt again came to, until it is confirmed: a recheck that is stopped goes on from here.
CREATE TABLE recheck_result (
    attempt_id  bigint PRIMARY KEY REFERENCES attempt,
    version_id  bigint NOT NULL,
    build_id    bigint NOT NULL,
    outcome     text NOT NULL,
    points      numeric NOT NULL,
    row_count   bigint NOT NULL,
    elapsed_ms  double precision NOT NULL,
    findings    jsonb NOT NULL,
    error       jsonb,
    fingerprint bytea,
    hidden_only boolean NOT NULL,
    counted     boolean NOT NULL,
    at          timestamptz NOT NULL DEFAULT now()
);
