-- +goose Up
-- What changed last, by subject and by the count of it: who watches asks again for that alone.
CREATE TABLE news (
    subject TEXT PRIMARY KEY,                 -- "server ID", ledger, crates, oddities, rulebooks
    counter INTEGER NOT NULL
) WITHOUT ROWID;
DROP TRIGGER counts_deployments;
DROP TRIGGER counts_changes;
DROP TRIGGER counts_troubles;
DROP TRIGGER counts_servers;
DROP TRIGGER counts_new_servers;
DROP TRIGGER counts_roll_calls;
DROP TRIGGER counts_confirmations;
DROP TRIGGER counts_crates;
DROP TRIGGER counts_crate_edits;
DROP TRIGGER counts_oddities;
DROP TRIGGER counts_gone_oddities;
DROP TRIGGER counts_rulebooks;
DROP TRIGGER counts_rulebook_edits;
-- +goose StatementBegin
CREATE TRIGGER counts_deployments AFTER INSERT ON deployment BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_changes AFTER UPDATE OF state ON deployment BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_troubles AFTER UPDATE OF trouble, aftermath, draft, outline, untidy ON deployment BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_servers AFTER UPDATE ON server BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_new_servers AFTER INSERT ON server BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_roll_calls AFTER INSERT ON roll_call BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_confirmations AFTER INSERT ON confirmation BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_ledgers AFTER INSERT ON ledger_cause BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'ledger', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_crates AFTER INSERT ON crate BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'crates', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_crate_edits AFTER UPDATE ON crate BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'crates', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_layouts AFTER INSERT ON layout BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'crates', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_oddities AFTER INSERT ON oddity BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'oddities', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_gone_oddities AFTER DELETE ON oddity BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'oddities', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_rulebooks AFTER INSERT ON rulebook_revision BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'rulebooks', counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_rulebook_edits AFTER UPDATE ON rulebook_revision BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'rulebooks', counter FROM identity;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
