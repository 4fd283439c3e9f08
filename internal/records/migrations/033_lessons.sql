-- +goose Up
-- What a server has taught whose rulebook grows from answers, instead of being written first.
CREATE TABLE lesson (
    server_id INTEGER PRIMARY KEY REFERENCES server (id),
    rulebook  TEXT NOT NULL,    -- the one that grows; a server that was given another one teaches no more
    answers   TEXT NOT NULL,    -- JSON: the answers so far, by question
    archives  TEXT NOT NULL,    -- JSON: digests of downloads that it learns from
    apart     TEXT NOT NULL,    -- JSON: digests of those that are no add-ons of it
    made      BLOB NOT NULL,    -- the rulebook as the answers made it last, before edits by hand
    version   INTEGER NOT NULL  -- counts the answers
);

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
