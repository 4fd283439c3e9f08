-- +goose Up
-- What is on disk once: the files of a crate refer to the listing of its archive, which
-- has their digests, and a cause knows its last event. Crates of earlier versions stay.
ALTER TABLE crate ADD COLUMN listing_id INTEGER REFERENCES archive (id);
ALTER TABLE ledger_cause ADD COLUMN last_seq INTEGER;
UPDATE ledger_cause SET last_seq = (SELECT MAX(e.seq) FROM ledger_event e WHERE e.cause_id = ledger_cause.id);
DROP INDEX ledger_event_cause;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
