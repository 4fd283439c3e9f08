-- +goose Up
-- What people say of a deployment, and whether they found the server good as it stood after it.
ALTER TABLE deployment ADD COLUMN remark TEXT NOT NULL DEFAULT '';
ALTER TABLE deployment ADD COLUMN good INTEGER NOT NULL DEFAULT 0;
ALTER TABLE deployment ADD COLUMN remarked_by TEXT NOT NULL DEFAULT '';
ALTER TABLE deployment ADD COLUMN remarked_at INTEGER; -- Unix milliseconds; NULL: never
-- +goose StatementBegin
CREATE TRIGGER counts_remarks AFTER UPDATE OF remark, good ON deployment BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
