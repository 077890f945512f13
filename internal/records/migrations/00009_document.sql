-- +goose Up
-- The pictures that a paper shows.
CREATE TABLE picture (
    paper_id   bigint NOT NULL REFERENCES paper,
    name       text NOT NULL,                        -- as the paper writes it
    digest     text NOT NULL,                        -- of the content: SHA-256, the first half, in hexadecimal digits
    media_type text NOT NULL,
    content    bytea NOT NULL,
    PRIMARY KEY (paper_id, name)
);

-- +goose Down
DROP TABLE picture;
