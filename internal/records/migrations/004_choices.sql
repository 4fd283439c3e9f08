-- +goose Up
-- Which parts by choice a server has of an add-on: kept for its next versions.
CREATE TABLE choice (
    server_id INTEGER NOT NULL REFERENCES server (id),
    addon     TEXT NOT NULL,                  -- the key
    parts     TEXT NOT NULL,                  -- JSON
    PRIMARY KEY (server_id, addon)
);

-- +goose Down
DROP TABLE choice;
