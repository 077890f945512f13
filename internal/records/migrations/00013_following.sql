-- +goose Up

-- How far a result is from what is expected: the number of rows that are missing, or too many if those are more. NULL:
-- there was nothing to compare.
ALTER TABLE attempt_check ADD COLUMN differing bigint;
ALTER TABLE recheck_result ADD COLUMN differing bigint;

-- How somebody gets on with an exercise, kept like the rest of a standing.
ALTER TABLE standing
    ADD COLUMN nearest   bigint,                       -- the fewest differing rows of an attempt; NULL: none could be compared
    ADD COLUMN stuck     integer NOT NULL DEFAULT 0,   -- attempts since the last that came nearer; 0 once one was correct
    ADD COLUMN solved_at timestamptz,                  -- when the first correct attempt was received
    ADD COLUMN tries     integer,                      -- how many attempts there were then, that one counted
    ADD COLUMN worked    double precision NOT NULL DEFAULT 0; -- seconds up to then, or up to the last attempt, without pauses

-- What an attempt's text is but for names and layout, and whatever its literals are: made when it is first asked for.
-- NULL: the text cannot be read.
CREATE TABLE attempt_shape (
    attempt_id   bigint PRIMARY KEY REFERENCES attempt,
    exact        bytea,
    any_literals bytea
);

-- Between two entries lies work, or a pause: what is longer than half an hour.
CREATE FUNCTION work_between(since timestamptz, until timestamptz) RETURNS double precision LANGUAGE sql IMMUTABLE AS $$
    SELECT CASE WHEN until - since <= interval '30 minutes' THEN greatest(0, extract(epoch FROM until - since))::float8 ELSE 0 END
$$;

-- The seconds of work that an attempt ends, since the attempt before it.
CREATE FUNCTION work_since(account bigint, exercise bigint, after bigint, last_at timestamptz, until timestamptz) RETURNS double precision LANGUAGE sql STABLE AS $$
    SELECT coalesce(sum(work_between(was, at)), 0) FROM (
        SELECT at, lag(at) OVER (ORDER BY at) AS was FROM (
            SELECT last_at AS at WHERE last_at IS NOT NULL
            UNION ALL SELECT until
            UNION ALL SELECT run.at FROM run
                      WHERE run.exercise_id = exercise AND run.account_id = account AND run.id > coalesce(after, 0) AND run.at < until) AS entry) AS step
$$;

-- How somebody gets on, from all attempts: what a standing says that was kept one attempt at a time.
CREATE FUNCTION followed(account bigint, exercise bigint, course bigint,
    OUT nearest bigint, OUT stuck integer, OUT solved_at timestamptz, OUT tries integer, OUT worked double precision) LANGUAGE sql STABLE AS $$
    WITH attempts AS (
        SELECT attempt.received_at, held.outcome, held.differing,
               row_number() OVER (ORDER BY attempt.received_at, attempt.id)::int AS n,
               held.differing < min(held.differing) OVER (ORDER BY attempt.received_at, attempt.id ROWS BETWEEN UNBOUNDED PRECEDING AND 1 PRECEDING) AS nearer
        FROM attempt CROSS JOIN LATERAL (
            SELECT c.outcome, c.differing FROM attempt_check AS c WHERE c.attempt_id = attempt.id ORDER BY c.id DESC LIMIT 1) AS held
        WHERE attempt.exercise_id = exercise AND attempt.account_id = account AND attempt.course_id IS NOT DISTINCT FROM course
    ), ends AS (
        SELECT min(n) FILTER (WHERE outcome = 'correct') AS tries, max(n) AS last,
               coalesce(min(received_at) FILTER (WHERE outcome = 'correct'), max(received_at)) AS at FROM attempts
    )
    SELECT (SELECT min(differing) FROM attempts),
           CASE WHEN ends.tries IS NOT NULL THEN 0
                ELSE ends.last - (SELECT coalesce(max(n) FILTER (WHERE nearer), min(n) FILTER (WHERE differing IS NOT NULL), 1) FROM attempts) END,
           CASE WHEN ends.tries IS NOT NULL THEN ends.at END, ends.tries,
           (SELECT coalesce(sum(work_between(was, step.at)), 0) FROM (
                SELECT entry.at, lag(entry.at) OVER (ORDER BY entry.at) AS was FROM (
                    SELECT received_at AS at FROM attempts WHERE received_at <= ends.at
                    UNION ALL SELECT run.at FROM run WHERE run.exercise_id = exercise AND run.account_id = account AND run.at < ends.at) AS entry) AS step)
    FROM ends
$$;

UPDATE standing SET (nearest, stuck, solved_at, tries, worked) = (
    SELECT f.nearest, f.stuck, f.solved_at, f.tries, f.worked FROM followed(standing.account_id, standing.exercise_id, standing.course_id) AS f)
WHERE attempts > 0;

-- +goose Down

DROP FUNCTION followed, work_since, work_between;
DROP TABLE attempt_shape;
ALTER TABLE standing DROP COLUMN nearest, DROP COLUMN stuck, DROP COLUMN solved_at, DROP COLUMN tries, DROP COLUMN worked;
ALTER TABLE recheck_result DROP COLUMN differing;
ALTER TABLE attempt_check DROP COLUMN differing;
