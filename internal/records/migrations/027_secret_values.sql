-- +goose Up
-- Values of texts that a person has marked as secret, or that were drawn from one.
CREATE TABLE secret_value (
    server_id INTEGER NOT NULL REFERENCES server (id),
    path      TEXT NOT NULL,
    at        TEXT NOT NULL, -- the value path; of a group, for all that is in it
    actor     TEXT NOT NULL,
    marked_at INTEGER NOT NULL, -- UTC milliseconds
    PRIMARY KEY (server_id, path, at)
) WITHOUT ROWID;
CREATE TRIGGER basis_secret_value_insert AFTER INSERT ON secret_value BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_secret_value_delete AFTER DELETE ON secret_value BEGIN UPDATE identity SET basis = basis + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
