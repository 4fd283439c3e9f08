-- +goose Up
-- How often a server is to be looked at, and when somebody last looked for updates.
CREATE TABLE rhythm (
    server_id  INTEGER PRIMARY KEY REFERENCES server (id),
    survey_ms  INTEGER NOT NULL DEFAULT 0, -- it is surveyed by itself so often, and after starts; 0: never
    updates_ms INTEGER NOT NULL DEFAULT 0, -- a person means to look for updates so often; 0: they said nothing
    updates_at INTEGER,                    -- when somebody last did
    updates_by TEXT NOT NULL DEFAULT ''
);
-- +goose StatementBegin
CREATE TRIGGER counts_rhythm AFTER UPDATE OF survey_ms, updates_ms ON rhythm BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
