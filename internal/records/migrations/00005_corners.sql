-- +goose Up

-- Whether an attempt uses up one of those that its exercise allows: a text that cannot be read, or is no query, does not.
ALTER TABLE attempt ADD COLUMN counted boolean NOT NULL DEFAULT true;
