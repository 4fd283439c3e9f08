-- +goose Up
-- What there is to know of an archive before any rulebook speaks.
ALTER TABLE archive ADD COLUMN findings TEXT NOT NULL DEFAULT '[]';

-- One archive can hold several add-ons: the crates of a layout, in order.
CREATE TABLE layout_crate (
    archive_id  INTEGER NOT NULL REFERENCES archive (id) ON DELETE CASCADE,
    revision_id INTEGER NOT NULL REFERENCES rulebook_revision (id),
    corrections TEXT NOT NULL DEFAULT '',
    position    INTEGER NOT NULL,
    crate_id    INTEGER NOT NULL REFERENCES crate (id),
    PRIMARY KEY (archive_id, revision_id, corrections, position)
);
INSERT INTO layout_crate SELECT archive_id, revision_id, corrections, 0, crate_id FROM layout WHERE crate_id IS NOT NULL;
ALTER TABLE layout DROP COLUMN crate_id;
-- What a person has to choose from where the layout could not tell.
ALTER TABLE layout ADD COLUMN choices TEXT NOT NULL DEFAULT '[]';

-- +goose Down
ALTER TABLE layout DROP COLUMN choices;
ALTER TABLE layout ADD COLUMN crate_id INTEGER REFERENCES crate (id);
UPDATE layout SET crate_id = (SELECT crate_id FROM layout_crate lc
    WHERE lc.archive_id = layout.archive_id AND lc.revision_id = layout.revision_id AND lc.corrections = layout.corrections AND lc.position = 0);
DROP TABLE layout_crate;
ALTER TABLE archive DROP COLUMN findings;
