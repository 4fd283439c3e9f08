-- +goose Up
-- The names that files and folders of servers got, as far as they hold still: where an add-on
-- brings something to an old one, it goes to the new one.
CREATE TABLE moved (
    server_id INTEGER NOT NULL REFERENCES server (id),
    place     INTEGER NOT NULL, -- in their order
    from_path TEXT NOT NULL,
    to_path   TEXT NOT NULL,
    PRIMARY KEY (server_id, place)
) WITHOUT ROWID;
CREATE TRIGGER basis_moved_insert AFTER INSERT ON moved BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_moved_delete AFTER DELETE ON moved BEGIN UPDATE identity SET basis = basis + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
