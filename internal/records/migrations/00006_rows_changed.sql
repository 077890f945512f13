-- +goose Up

-- A statement that changes no row tells nobody: every log-in deletes the sessions that have ended, most often none.
-- +goose StatementBegin
CREATE FUNCTION tell_rows() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (SELECT FROM was) THEN
        PERFORM pg_notify('examen_changes', TG_ARGV[0]);
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
DROP TRIGGER tell ON session;
DROP TRIGGER tell ON account;
CREATE TRIGGER tell_update AFTER UPDATE ON session REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION tell_rows('sessions');
CREATE TRIGGER tell_delete AFTER DELETE ON session REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION tell_rows('sessions');
CREATE TRIGGER tell_update AFTER UPDATE ON account REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION tell_rows('sessions');
CREATE TRIGGER tell_delete AFTER DELETE ON account REFERENCING OLD TABLE AS was FOR EACH STATEMENT EXECUTE FUNCTION tell_rows('sessions');

-- +goose Down

DROP FUNCTION tell_rows CASCADE;
CREATE TRIGGER tell AFTER UPDATE OR DELETE ON session FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sessions');
CREATE TRIGGER tell AFTER UPDATE OR DELETE ON account FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sessions');
