-- +goose Up
-- What is only read whole is kept in one value: see packed.go. The rows that
-- earlier versions kept are packed by the step after this one.
ALTER TABLE archive ADD COLUMN entries BLOB;
-- The files of a crate, which its body then lacks. NULL: the body has them.
ALTER TABLE crate ADD COLUMN files BLOB;

-- A content is indexed once over all archives, where it is read best.
CREATE TABLE content (
    digest       BLOB PRIMARY KEY,            -- SHA-256, 32 bytes
    container_id INTEGER NOT NULL REFERENCES container (id),
    start        INTEGER NOT NULL,
    length       INTEGER NOT NULL,
    size         INTEGER NOT NULL,
    stored       INTEGER NOT NULL             -- 1 as it is, 0 deflated
) WITHOUT ROWID;
INSERT INTO content SELECT unhex(digest), container_id, start, length, size, method = 'stored'
    FROM location WHERE true ORDER BY digest, method = 'stored' DESC ON CONFLICT DO NOTHING;
DROP TABLE location;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
