-- +goose Up
-- What people know of an add-on that looks wrong and is harmless.
CREATE TABLE oddity (
    rulebook TEXT NOT NULL,
    addon    TEXT NOT NULL,
    text     TEXT NOT NULL,
    actor    TEXT NOT NULL,
    at       INTEGER NOT NULL,
    PRIMARY KEY (rulebook, addon, text)
);

-- +goose Down
DROP TABLE oddity;
