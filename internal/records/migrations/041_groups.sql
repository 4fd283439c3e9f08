-- +goose Up
-- Servers that are deployed to together, and what was done on all of them.
CREATE TABLE server_group (
    id      INTEGER PRIMARY KEY,
    name    TEXT NOT NULL UNIQUE,
    servers TEXT NOT NULL,              -- JSON: ids
    actor   TEXT NOT NULL,
    at      INTEGER NOT NULL
);
CREATE TABLE group_run (
    id       INTEGER PRIMARY KEY,
    group_id INTEGER NOT NULL REFERENCES server_group (id) ON DELETE CASCADE,
    parts    TEXT NOT NULL,             -- JSON: a deployment on each server, and what came of it
    state    TEXT NOT NULL,             -- drafted, running, done, stopped, back
    actor    TEXT NOT NULL,
    at       INTEGER NOT NULL
);
CREATE INDEX group_run_of ON group_run (group_id, id);
-- Values that differ between two servers on purpose: a promotion leaves them.
CREATE TABLE kept_apart (
    from_id INTEGER NOT NULL REFERENCES server (id),
    to_id   INTEGER NOT NULL REFERENCES server (id),
    path    TEXT NOT NULL,
    value   TEXT NOT NULL,              -- its value path
    actor   TEXT NOT NULL,
    at      INTEGER NOT NULL,
    PRIMARY KEY (from_id, to_id, path, value)
) WITHOUT ROWID;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
