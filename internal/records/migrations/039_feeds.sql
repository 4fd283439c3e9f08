-- +goose Up
-- Feeds that announce versions of add-ons, and what each last said.
CREATE TABLE feed (
    id          INTEGER PRIMARY KEY,
    name        TEXT NOT NULL UNIQUE,
    url         TEXT NOT NULL,
    rulebook    TEXT NOT NULL,
    key         TEXT NOT NULL,              -- of minisign; empty where nobody asks for a signature
    every_ms    INTEGER NOT NULL,           -- how often it is looked at; 0 for never by itself
    taken       TEXT NOT NULL DEFAULT '[]', -- JSON: keys of add-ons whose next versions are staged by themselves
    actor       TEXT NOT NULL,
    at          INTEGER NOT NULL,
    stamp       TEXT NOT NULL DEFAULT '{}', -- JSON: what the host said of the state of the document
    said        BLOB,                       -- JSON, packed: what it last said
    looked_at   INTEGER,                    -- when it last could be read
    changed_at  INTEGER,                    -- when it last said something else
    tried_at    INTEGER,                    -- when it was last tried
    trouble     TEXT NOT NULL DEFAULT ''    -- why it could not be read then
);
-- +goose StatementBegin
CREATE TRIGGER counts_feeds AFTER UPDATE ON feed BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'crates', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_new_feeds AFTER INSERT ON feed BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'crates', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_gone_feeds AFTER DELETE ON feed BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'crates', counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
