-- +goose Up
-- Whose value stays where a server and a new version of an add-on both changed it: what a
-- person decided once for a value of a text.
CREATE TABLE kept_side (
    server_id INTEGER NOT NULL REFERENCES server (id),
    at        TEXT NOT NULL, -- PATH:KEY, or PATH for all of a text
    side      TEXT NOT NULL CHECK (side IN ('mine', 'theirs')),
    PRIMARY KEY (server_id, at)
);
CREATE TRIGGER basis_kept_side_insert AFTER INSERT ON kept_side BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_kept_side_update AFTER UPDATE ON kept_side BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_kept_side_delete AFTER DELETE ON kept_side BEGIN UPDATE identity SET basis = basis + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
