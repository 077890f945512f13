-- +goose Up

-- E-mail to somebody: of each thing at most one. Its text is made when it is sent.
CREATE TABLE mail (
    id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    kind            text NOT NULL CHECK (kind IN ('due', 'note', 'released')),
    account_id      bigint NOT NULL REFERENCES account,
    course_paper_id bigint REFERENCES course_paper ON DELETE CASCADE,
    note_id         bigint REFERENCES note,
    due_at          timestamptz,                     -- of a paper that is due soon
    made_at         timestamptz NOT NULL DEFAULT now(),
    tries           integer NOT NULL DEFAULT 0,
    error           text NOT NULL DEFAULT '',
    tried_at        timestamptz,
    state           text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'sent', 'failed', 'left out')),
    UNIQUE NULLS NOT DISTINCT (kind, account_id, course_paper_id, note_id, due_at)
);
ALTER TABLE preference ADD COLUMN mail boolean NOT NULL DEFAULT true;

-- +goose Down
ALTER TABLE preference DROP COLUMN mail;
DROP TABLE mail;
