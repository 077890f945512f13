-- +goose Up
-- How somebody likes to see the console.
CREATE TABLE preference (
    account_id bigint PRIMARY KEY REFERENCES account,
    text_size  integer NOT NULL,                     -- of SQL, in pixels
    wrap       boolean NOT NULL,                     -- long lines of SQL
    look       text NOT NULL CHECK (look IN ('light', 'dark', 'system'))
);

-- +goose Down
DROP TABLE preference;
