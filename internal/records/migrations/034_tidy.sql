-- +goose Up
-- Downloads whose bytes were let go: what they held, and where it went, stays known.
ALTER TABLE archive ADD COLUMN dropped_at INTEGER;
-- Deployments whose way back was given up: bytes that only it needed are gone.
ALTER TABLE deployment ADD COLUMN given_up_at INTEGER;
-- Containers that nothing refers to any more and whose files are about to be deleted.
CREATE TABLE leaving (name TEXT PRIMARY KEY) WITHOUT ROWID;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
