-- +goose Up
-- What people say of how an add-on on a server is updated: not at all, or by which builds.
CREATE TABLE addon_hold (
    server_id INTEGER NOT NULL REFERENCES server (id),
    addon     TEXT NOT NULL,    -- the key
    held      INTEGER NOT NULL, -- it is not to be updated
    channel   TEXT NOT NULL,    -- stable or development
    note      TEXT NOT NULL,
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    PRIMARY KEY (server_id, addon)
) WITHOUT ROWID;
-- +goose StatementBegin
CREATE TRIGGER counts_holds AFTER INSERT ON addon_hold BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
