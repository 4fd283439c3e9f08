-- +goose Up
-- An add-on's own bytes for a path, which stand there once nothing overlays it.
ALTER TABLE ledger_claim ADD COLUMN brings TEXT NOT NULL DEFAULT '{}';   -- JSON

-- Contents that were made out of others, by what they were made of: they are
-- made once.
CREATE TABLE recipe (
    digest TEXT PRIMARY KEY,                  -- of the recipe
    recipe TEXT NOT NULL,                     -- JSON
    made   TEXT NOT NULL,                     -- the content
    size   INTEGER NOT NULL
);

-- +goose Down
DROP TABLE recipe;
ALTER TABLE ledger_claim DROP COLUMN brings;
