-- +goose Up
-- When a server was last started by us, so that what was read of it before is told as that.
CREATE TABLE last_start (
    server_id INTEGER PRIMARY KEY REFERENCES server (id),
    at        INTEGER NOT NULL
);
-- +goose StatementBegin
CREATE TRIGGER counts_starts AFTER UPDATE ON last_start BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
