-- +goose Up

-- How strong exercises are: how many mutations of their answers the data of a build tell apart. What the strength
-- depends on, besides the build, is the accepted answers and the rules of the check: "answers" is a digest of them.
CREATE TABLE strength (
    build_id bigint NOT NULL REFERENCES build ON DELETE CASCADE,
    answers  text NOT NULL,
    found    jsonb NOT NULL,
    at       timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (build_id, answers)
);

-- The digest of an exercise's answers as they are published; NULL until it is indexed again.
ALTER TABLE exercise_index ADD COLUMN answers text;

-- +goose Down
ALTER TABLE exercise_index DROP COLUMN answers;
DROP TABLE strength;
