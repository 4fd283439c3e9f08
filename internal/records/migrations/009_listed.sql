-- +goose Up
-- Entries of add-ons in texts that name what a server loads, and the edits that
-- made them. JSON.
ALTER TABLE ledger_path ADD COLUMN listed TEXT NOT NULL DEFAULT 'null';
ALTER TABLE ledger_event ADD COLUMN edit TEXT NOT NULL DEFAULT '{}';   -- listed before and after, edits with their undos

-- +goose Down
ALTER TABLE ledger_event DROP COLUMN edit;
ALTER TABLE ledger_path DROP COLUMN listed;
