-- +goose Up
-- Hashes of tokens, sign-in codes and sessions are keyed with a key that lies outside
-- of the database. Those of earlier versions are keyed at the next start.
ALTER TABLE token ADD COLUMN keyed INTEGER NOT NULL DEFAULT 0;
ALTER TABLE token ADD COLUMN used_at INTEGER;
ALTER TABLE signin_link ADD COLUMN keyed INTEGER NOT NULL DEFAULT 0;
-- Sessions lay in clear: everybody signs in again.
DROP TABLE session;
CREATE TABLE session (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL UNIQUE,          -- keyed hash of what the browser holds
    data       BLOB NOT NULL,
    actor      TEXT NOT NULL DEFAULT '',
    created_at INTEGER NOT NULL,
    expires_at INTEGER NOT NULL
);
-- Remembered requests held hashes of bodies with passwords in them.
DELETE FROM idempotency;
CREATE INDEX idempotency_age ON idempotency (created_at);
CREATE INDEX job_age ON job (ended_at);
CREATE INDEX job_subject ON job (kind, subject, created_at);

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
