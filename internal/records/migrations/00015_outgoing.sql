-- +goose Up

-- Whoever knows the address of somebody's calendar reads when their papers are due.
CREATE TABLE calendar (
    account_id  bigint PRIMARY KEY REFERENCES account ON DELETE CASCADE,
    secret_hash bytea NOT NULL UNIQUE,               -- SHA-256 of the secret in its address, which is kept nowhere
    made_at     timestamptz NOT NULL DEFAULT now()
);

-- Where marks are told to as they change.
CREATE TABLE webhook (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    course_id  bigint NOT NULL REFERENCES course,
    url        text NOT NULL,
    made_by    bigint NOT NULL REFERENCES account,
    made_at    timestamptz NOT NULL DEFAULT now(),
    removed_at timestamptz
);
CREATE INDEX ON webhook (course_id) WHERE removed_at IS NULL;
CREATE TABLE webhook_secret (                        -- apart from it: the log keeps what webhooks are
    webhook_id bigint PRIMARY KEY REFERENCES webhook,
    secret     bytea NOT NULL                        -- by which what is sent is signed
);
CREATE TRIGGER audit AFTER INSERT OR UPDATE ON webhook FOR EACH ROW EXECUTE FUNCTION leave_audit('id', 'course_id');

-- One row for each time a mark is told to a webhook: what it was then, and what came of it.
CREATE TABLE delivery (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    webhook_id  bigint NOT NULL REFERENCES webhook,
    account_id  bigint NOT NULL REFERENCES account,
    exercise_id bigint NOT NULL REFERENCES exercise,
    mark        numeric NOT NULL,
    by_hand     boolean NOT NULL,
    outcome     text NOT NULL,
    version     bigint NOT NULL,                     -- of the standing: of two, the higher one holds
    made_at     timestamptz NOT NULL DEFAULT now(),
    queued_at   timestamptz,
    tries       integer NOT NULL DEFAULT 0,
    status      integer,                             -- of the last answer; NULL: there was none
    error       text NOT NULL DEFAULT '',
    tried_at    timestamptz,
    state       text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'sent', 'failed'))
);
CREATE INDEX ON delivery (webhook_id, id);
CREATE INDEX ON delivery (id) WHERE queued_at IS NULL;

-- +goose StatementBegin
CREATE FUNCTION tell_mark() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO delivery (webhook_id, account_id, exercise_id, mark, by_hand, outcome, version)
    SELECT webhook.id, NEW.account_id, NEW.exercise_id, coalesce(NEW.by_hand, NEW.computed), NEW.by_hand IS NOT NULL, NEW.outcome, NEW.version
    FROM webhook WHERE webhook.course_id = NEW.course_id AND webhook.removed_at IS NULL;
    IF FOUND THEN
        PERFORM pg_notify('examen_changes', 'deliveries');
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER tell_mark_made AFTER INSERT ON standing FOR EACH ROW WHEN (NEW.course_id IS NOT NULL) EXECUTE FUNCTION tell_mark();
CREATE TRIGGER tell_mark_changed AFTER UPDATE ON standing FOR EACH ROW
    WHEN (NEW.course_id IS NOT NULL AND (coalesce(NEW.by_hand, NEW.computed), NEW.by_hand IS NULL) IS DISTINCT FROM (coalesce(OLD.by_hand, OLD.computed), OLD.by_hand IS NULL))
    EXECUTE FUNCTION tell_mark();

-- +goose Down
DROP TRIGGER tell_mark_changed ON standing;
DROP TRIGGER tell_mark_made ON standing;
DROP FUNCTION tell_mark;
DROP TABLE delivery, webhook_secret, webhook, calendar;
