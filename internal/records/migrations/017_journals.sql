-- +goose Up
-- The journal of a deployment that is over, packed: its rows are of no use then.
ALTER TABLE deployment ADD COLUMN journal BLOB;

-- +goose Down
ALTER TABLE deployment DROP COLUMN journal;
