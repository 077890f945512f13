-- +goose Up

-- The services that use these records, each with a range of seats that it holds as long as it says that it is alive.
CREATE TABLE replica (
    range      integer PRIMARY KEY CHECK (range > 0),
    holder     text NOT NULL UNIQUE,               -- the service, by a text of its own
    address    text NOT NULL,                      -- at which it listens
    home       text NOT NULL,                      -- where only one service can be: the machine since it was started, and the address
    started_at timestamptz NOT NULL DEFAULT now(),
    renewed_at timestamptz NOT NULL DEFAULT now()
);

-- Practice servers that are being drained, by address.
CREATE TABLE drained (
    server text PRIMARY KEY,
    at     timestamptz NOT NULL DEFAULT now()
);

-- What tells these records from any others, and what the passwords of copies are derived from.
INSERT INTO setting VALUES
    ('installation', gen_random_uuid()::text),
    ('copies key', gen_random_uuid()::text || gen_random_uuid()::text);

CREATE TRIGGER audit AFTER INSERT OR DELETE ON drained FOR EACH ROW EXECUTE FUNCTION leave_audit('server');
CREATE TRIGGER tell AFTER INSERT OR DELETE ON drained FOR EACH STATEMENT EXECUTE FUNCTION tell_change('servers');

-- +goose Down
DROP TABLE drained;
DELETE FROM setting WHERE name IN ('installation', 'copies key');
DROP TABLE replica;
