-- +goose Up
-- A search for the add-on of a server that does something wrong: what is off for it, and what was
-- answered so far.
CREATE TABLE narrowing (
    server_id INTEGER PRIMARY KEY REFERENCES server (id),
    base      INTEGER NOT NULL, -- the number of the last deployment before it
    last      INTEGER NOT NULL, -- of the last one that was its own; base where there is none
    search    TEXT NOT NULL,    -- JSON
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL
);

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
