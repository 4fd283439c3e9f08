-- +goose Up
-- What was last found out about a server beside its files: whether its host was reached, and
-- whether its game runs.
CREATE TABLE seen (
    server_id    INTEGER PRIMARY KEY REFERENCES server (id),
    tried_at     INTEGER,                   -- when its host was last tried
    reached_at   INTEGER,                   -- when that last went well
    trouble      TEXT NOT NULL DEFAULT 'null', -- JSON: why the last try did not
    condition    TEXT NOT NULL DEFAULT '',  -- running, stopped, unknown; empty where nobody has asked
    words        TEXT NOT NULL DEFAULT '',  -- how that was told
    condition_at INTEGER,
    meant        TEXT NOT NULL DEFAULT ''   -- what this service last told it: running or stopped
);
-- +goose StatementBegin
CREATE TRIGGER counts_seen AFTER UPDATE OF trouble, condition ON seen
WHEN old.trouble IS NOT new.trouble OR old.condition IS NOT new.condition BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT INTO news (subject, counter) SELECT 'server ' || new.server_id, counter FROM identity WHERE true
        ON CONFLICT (subject) DO UPDATE SET counter = excluded.counter;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
