-- +goose Up

-- What was slow lately, and which runs have been kept long enough. Both tables are in the order of time, so that these
-- indexes cost next to nothing.
CREATE INDEX check_at ON attempt_check USING brin (at);
CREATE INDEX run_at ON run USING brin (at);

-- What is final stays so, but where somebody is made anonymous: their name may stand in an error or a finding, too.
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND TG_TABLE_NAME IN ('audit', 'mark', 'attempt', 'attempt_check') AND current_setting('examen.anonymising', true) = 'yes' THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION '% % is final', TG_TABLE_NAME, OLD.id;
END $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND TG_TABLE_NAME IN ('audit', 'mark', 'attempt') AND current_setting('examen.anonymising', true) = 'yes' THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION '% % is final', TG_TABLE_NAME, OLD.id;
END $$;
-- +goose StatementEnd
DROP INDEX run_at;
DROP INDEX check_at;
