-- +goose Up
-- Counts the edits that people make of a server, so that one does not undo another
-- that came in between.
ALTER TABLE server ADD COLUMN version INTEGER NOT NULL DEFAULT 1;

-- +goose Down
ALTER TABLE server DROP COLUMN version;
