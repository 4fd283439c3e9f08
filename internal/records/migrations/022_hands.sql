-- +goose Up
-- What a person has done by hand on a server: once for all, or for one add-on (its key). what
-- is the rulebook's words, with their placeholders; text is as it was told.
CREATE TABLE done_by_hand (
    server_id INTEGER NOT NULL REFERENCES server (id),
    addon     TEXT NOT NULL,
    what      TEXT NOT NULL,
    text      TEXT NOT NULL,
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    PRIMARY KEY (server_id, addon, what)
);
INSERT OR REPLACE INTO done_by_hand SELECT server_id, '', CASE instr(text, char(10)) WHEN 0 THEN text ELSE substr(text, 1, instr(text, char(10)) - 1) END, text, actor, at FROM ticked;
DROP TABLE ticked;
CREATE TRIGGER basis_done_by_hand_insert AFTER INSERT ON done_by_hand BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_done_by_hand_update AFTER UPDATE ON done_by_hand BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_done_by_hand_delete AFTER DELETE ON done_by_hand BEGIN UPDATE identity SET basis = basis + 1; END;
-- Whether what a waiting deployment waits for is part of taking it back.
ALTER TABLE deployment ADD COLUMN goes_back INTEGER NOT NULL DEFAULT 0;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
