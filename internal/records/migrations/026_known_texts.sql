-- +goose Up
-- Which settings texts were seen on a server, so that those are told apart that a start brings.
CREATE TABLE known_text (
    server_id INTEGER NOT NULL REFERENCES server (id),
    path      TEXT NOT NULL,
    made      TEXT NOT NULL, -- the deployment with whose start it came; empty where it was there before
    PRIMARY KEY (server_id, path)
) WITHOUT ROWID;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
