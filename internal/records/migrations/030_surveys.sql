-- +goose Up
-- What surveys of servers found. Only the last two of a server keep what differs; of those before
-- them the figures stay.
CREATE TABLE survey (
    id        INTEGER PRIMARY KEY,
    server_id INTEGER NOT NULL REFERENCES server (id),
    at        INTEGER NOT NULL, -- UTC milliseconds: when it was done
    took_ms   INTEGER NOT NULL,
    seq       INTEGER NOT NULL, -- the last event of the ledger that it was compared with
    thorough  INTEGER NOT NULL,
    actor     TEXT NOT NULL,
    counts    TEXT NOT NULL,    -- JSON
    items     BLOB              -- zstd of JSON: what differs; NULL once it is old
);
CREATE INDEX survey_server ON survey (server_id, id);
-- What people have said to ignore on a server, though nobody deployed it.
CREATE TABLE survey_ignore (
    server_id INTEGER NOT NULL REFERENCES server (id),
    pattern   TEXT NOT NULL, -- a glob over paths; what is below counts too
    note      TEXT NOT NULL,
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    PRIMARY KEY (server_id, pattern)
) WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER counts_surveys AFTER INSERT ON survey BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
