-- +goose Up
-- What people have corrected of an add-on's layout, under its key as derived
-- before any correction, so that later versions find it.
CREATE TABLE correction (
    rulebook TEXT NOT NULL,
    key      TEXT NOT NULL,
    body     TEXT NOT NULL,                   -- JSON; its rules are in the rulebook language
    actor    TEXT NOT NULL,
    at       INTEGER NOT NULL,
    PRIMARY KEY (rulebook, key)
);

-- +goose Down
DROP TABLE correction;
