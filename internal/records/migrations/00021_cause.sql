-- +goose Up

-- What makes queries wrong, by their text: the same text is not looked at twice on one build. A cause that is NULL was
-- looked for and not found.
CREATE TABLE query_cause (
    version_id bigint NOT NULL REFERENCES exercise_version ON DELETE CASCADE,
    build_id bigint NOT NULL REFERENCES build ON DELETE CASCADE,
    text_hash bytea NOT NULL,
    cause jsonb,
    found_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (version_id, build_id, text_hash)
);
CREATE INDEX query_cause_build ON query_cause (build_id);

-- What is final stays so, but for two things: a name is taken out where somebody is made anonymous, and a cause, which is
-- found after the verdict, is put before the findings of a check, once.
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND TG_TABLE_NAME IN ('audit', 'mark', 'attempt', 'attempt_check') AND current_setting('examen.anonymising', true) = 'yes' THEN
        RETURN NEW;
    END IF;
    IF TG_OP = 'UPDATE' AND TG_TABLE_NAME = 'attempt_check' THEN
        IF to_jsonb(NEW) - 'findings' = to_jsonb(OLD) - 'findings' AND NEW.findings <> OLD.findings AND NOT OLD.findings @? '$[*] ? (@.kind starts with "cause-")'
           AND OLD.findings = coalesce((SELECT jsonb_agg(f ORDER BY n) FROM jsonb_array_elements(NEW.findings) WITH ORDINALITY AS all_(f, n)
                                        WHERE NOT f ->> 'kind' LIKE 'cause-%'), '[]') THEN
            RETURN NEW;
        END IF;
    END IF;
    RAISE EXCEPTION '% % is final', TG_TABLE_NAME, OLD.id;
END $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION is_final() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND TG_TABLE_NAME IN ('audit', 'mark', 'attempt', 'attempt_check') AND current_setting('examen.anonymising', true) = 'yes' THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION '% % is final', TG_TABLE_NAME, OLD.id;
END $$;
-- +goose StatementEnd
DROP TABLE query_cause;
