-- +goose Up
-- The crates that came together in one pack: what its next version no longer
-- holds is retired with it.
CREATE TABLE pallet (
    id         INTEGER PRIMARY KEY,
    rulebook   TEXT NOT NULL,
    key        TEXT NOT NULL,
    name       TEXT NOT NULL,
    version    TEXT NOT NULL,
    archive_id INTEGER NOT NULL REFERENCES archive (id) ON DELETE CASCADE,
    created_at INTEGER NOT NULL,
    UNIQUE (rulebook, key, version, archive_id)
);
CREATE TABLE pallet_member (
    pallet_id INTEGER NOT NULL REFERENCES pallet (id) ON DELETE CASCADE,
    crate_id  INTEGER NOT NULL REFERENCES crate (id),
    PRIMARY KEY (pallet_id, crate_id)
);

-- +goose Down
DROP TABLE pallet_member;
DROP TABLE pallet;
