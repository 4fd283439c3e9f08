-- +goose Up
-- What was last seen of the values that must go together on a server.
CREATE TABLE agree_look (
    server_id INTEGER PRIMARY KEY REFERENCES server (id),
    at        INTEGER NOT NULL, -- UTC milliseconds
    by        TEXT NOT NULL,    -- the deployment, or the person who looked
    found     TEXT NOT NULL     -- JSON: the findings
);
-- +goose StatementBegin
CREATE TRIGGER counts_agree_looks AFTER INSERT ON agree_look BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
