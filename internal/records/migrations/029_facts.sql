-- +goose Up
-- What a server's own tree, log and console tell of it: a list of name, value and where it was
-- read, and by name when that was last seen to be so: no draft is another one for having looked
-- again. What people say stays in facts, and since when in facts_at.
ALTER TABLE server ADD COLUMN told TEXT NOT NULL DEFAULT '[]';
ALTER TABLE server ADD COLUMN told_at TEXT NOT NULL DEFAULT '{}';
ALTER TABLE server ADD COLUMN facts_at TEXT NOT NULL DEFAULT '{}';
DROP TRIGGER basis_server_update;
CREATE TRIGGER basis_server_update AFTER UPDATE OF name, rulebook, transport, variables, facts, told, host_key, abilities, dropped_at, control, version ON server BEGIN UPDATE identity SET basis = basis + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
