-- +goose Up
-- Which database this is and how far it has come: the stockroom remembers both, so
-- that a lost or older database is noticed. The counter counts what would be missed.
CREATE TABLE identity (
    id      TEXT NOT NULL,
    counter INTEGER NOT NULL
);
INSERT INTO identity VALUES (lower(hex(randomblob(16))), 1);
CREATE TRIGGER counts_containers AFTER INSERT ON container
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_deployments AFTER INSERT ON deployment
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_changes AFTER UPDATE OF state ON deployment
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_rulebooks AFTER INSERT ON rulebook_revision
BEGIN UPDATE identity SET counter = counter + 1; END;

-- Archives that were recorded again from their bytes alone.
ALTER TABLE archive ADD COLUMN recovered INTEGER NOT NULL DEFAULT 0;

-- A content whose bytes were found damaged: staging it again gives it a new place.
ALTER TABLE content ADD COLUMN damaged INTEGER NOT NULL DEFAULT 0;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
