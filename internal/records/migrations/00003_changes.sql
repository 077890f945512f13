-- +goose Up

-- Every replica of the service hears what has changed of what it may know by heart. See changes.go.
-- +goose StatementBegin
CREATE FUNCTION tell_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('examen_changes', TG_ARGV[0]);
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER tell AFTER UPDATE OR DELETE ON session FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sessions');
CREATE TRIGGER tell AFTER UPDATE OR DELETE ON account FOR EACH STATEMENT EXECUTE FUNCTION tell_change('sessions');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON dataset FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON build FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON paper FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON exercise FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON course_paper FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');
CREATE TRIGGER tell AFTER INSERT OR UPDATE OR DELETE ON enrolment FOR EACH STATEMENT EXECUTE FUNCTION tell_change('papers');

-- +goose Down

DROP FUNCTION tell_change CASCADE;
