-- +goose Up
-- A draft without its changes, steps and motions, so that lists of deployments do
-- not read what is long. JSON.
ALTER TABLE deployment ADD COLUMN outline TEXT NOT NULL DEFAULT '{}';
ALTER TABLE deployment ADD COLUMN motions INTEGER NOT NULL DEFAULT 0; -- how many the draft has
UPDATE deployment SET outline = json_set(json_remove(draft, '$.steps', '$.motions'), '$.changes', NULL),
    motions = COALESCE(json_array_length(draft, '$.motions'), 0);

-- +goose Down
ALTER TABLE deployment DROP COLUMN motions;
ALTER TABLE deployment DROP COLUMN outline;
