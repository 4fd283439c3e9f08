-- +goose Up
-- A search tells its own deployments from those of others by their numbers.
ALTER TABLE narrowing ADD COLUMN own TEXT NOT NULL DEFAULT '[]'; -- JSON: numbers
UPDATE narrowing SET own = json_array(last) WHERE last > base;
ALTER TABLE narrowing DROP COLUMN last;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
