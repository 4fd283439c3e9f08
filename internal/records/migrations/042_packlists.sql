-- +goose Up
-- What players are told of a server: what a person says of it, its unlisted address, and what the
-- list was before it last changed.
CREATE TABLE packlist (
    server_id INTEGER PRIMARY KEY REFERENCES server (id),
    title     TEXT NOT NULL DEFAULT '',
    words     TEXT NOT NULL DEFAULT '',
    said      TEXT NOT NULL DEFAULT '[]', -- JSON: of add-ons
    link      TEXT NOT NULL DEFAULT '',   -- a keyed hash of what its address holds; empty for none
    secret    BLOB                        -- what its address holds, sealed
);
CREATE TABLE packlist_state (
    id        INTEGER PRIMARY KEY,
    server_id INTEGER NOT NULL REFERENCES server (id),
    digest    TEXT NOT NULL,
    entries   BLOB NOT NULL,              -- JSON, packed
    at        INTEGER NOT NULL
);
CREATE INDEX packlist_state_of ON packlist_state (server_id, id);

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
