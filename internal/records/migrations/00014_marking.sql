-- +goose Up

-- What somebody who follows a course writes in the margin of learners' attempts: of one, or of a group that is alike.
CREATE TABLE note (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    course_id    bigint NOT NULL REFERENCES course,
    exercise_id  bigint NOT NULL REFERENCES exercise,
    text         text NOT NULL,
    begins       integer,                            -- the place in the attempt's text that it speaks of, in characters;
    ends         integer,                            -- NULL: all of it
    later        boolean NOT NULL,                   -- it reaches whoever comes to the same later, too: see note_like
    made_by      bigint NOT NULL REFERENCES account,
    made_at      timestamptz NOT NULL DEFAULT now(),
    withdrawn_at timestamptz
);
CREATE INDEX ON note (course_id, id) WHERE withdrawn_at IS NULL;
CREATE TABLE note_attempt (
    note_id    bigint NOT NULL REFERENCES note,
    attempt_id bigint NOT NULL REFERENCES attempt,
    account_id bigint NOT NULL REFERENCES account,
    PRIMARY KEY (note_id, attempt_id)
);
CREATE INDEX ON note_attempt (account_id, note_id);
CREATE INDEX ON note_attempt (attempt_id);

-- What an attempt comes to that such a note reaches: the fingerprint of its result, or, without one, the shape of its text.
CREATE TABLE note_like (
    note_id     bigint NOT NULL REFERENCES note,
    exercise_id bigint NOT NULL REFERENCES exercise,
    course_id   bigint NOT NULL REFERENCES course,
    alike       bytea NOT NULL,
    PRIMARY KEY (exercise_id, course_id, alike, note_id)
);

-- What learners answer to a note, and what they are answered. Each of those whom it reaches has a thread of their own.
CREATE TABLE note_answer (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    note_id     bigint NOT NULL REFERENCES note,
    course_id   bigint NOT NULL REFERENCES course,   -- those of the note
    exercise_id bigint NOT NULL REFERENCES exercise,
    account_id  bigint NOT NULL REFERENCES account,  -- whose thread
    text        text NOT NULL,
    made_by     bigint NOT NULL REFERENCES account,
    made_at     timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON note_answer (note_id, account_id, id);
CREATE TABLE note_seen (
    note_id    bigint NOT NULL REFERENCES note,
    account_id bigint NOT NULL REFERENCES account,
    seen_at    timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (note_id, account_id)
);

-- Attempts that need somebody's eye, until somebody has looked: the marking list.
CREATE TABLE review (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    attempt_id  bigint NOT NULL REFERENCES attempt,
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    course_id   bigint NOT NULL REFERENCES course,
    cause       text NOT NULL CHECK (cause IN ('rule', 'stopped', 'disputed', 'recheck', 'answer')),
    reason      text NOT NULL DEFAULT '',            -- the learner's, or what has changed
    at          timestamptz NOT NULL DEFAULT now(),
    done_by     bigint REFERENCES account,
    done_at     timestamptz,
    done_mark   bigint                               -- the mark that was set then, if one was
);
CREATE INDEX review_open ON review (course_id, id) WHERE done_at IS NULL;
CREATE INDEX ON review (account_id, exercise_id);
CREATE INDEX ON review (done_mark) WHERE done_mark IS NOT NULL;
CREATE UNIQUE INDEX review_once ON review (attempt_id, cause) WHERE done_at IS NULL OR cause = 'disputed';

ALTER TABLE mark ADD COLUMN undoes bigint;           -- the mark that this one takes back; NULL: none
CREATE UNIQUE INDEX ON mark (undoes);

CREATE TRIGGER audit AFTER INSERT OR UPDATE ON note FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'course_id', 'exercise_id');
CREATE TRIGGER audit AFTER INSERT ON note_answer FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'note_id', 'account_id', 'exercise_id');
CREATE TRIGGER audit_dispute AFTER INSERT ON review FOR EACH ROW WHEN (NEW.cause = 'disputed')
    EXECUTE FUNCTION leave_audit('id', 'account_id', 'exercise_id', 'course_id', 'cause');
CREATE TRIGGER audit_withdrawn AFTER DELETE ON review FOR EACH ROW WHEN (OLD.cause = 'disputed')
    EXECUTE FUNCTION leave_audit('id', 'account_id', 'exercise_id', 'course_id', 'cause');
CREATE TRIGGER audit_done AFTER UPDATE ON review FOR EACH ROW WHEN (NEW.done_mark IS NULL AND OLD.done_mark IS NULL)
    EXECUTE FUNCTION leave_audit('id', 'account_id', 'exercise_id', 'course_id', 'cause');

-- What was done in the last days is found by time, which rises with what is stored.
CREATE INDEX ON attempt USING brin (received_at) WITH (pages_per_range = 32);
CREATE INDEX ON run USING brin (at) WITH (pages_per_range = 32);

-- +goose Down
DROP INDEX run_at_idx, attempt_received_at_idx;
ALTER TABLE mark DROP COLUMN undoes;
DROP TABLE review, note_seen, note_answer, note_like, note_attempt, note;
