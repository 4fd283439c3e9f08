-- +goose Up
-- What people look at counts as well: who watches is told when it changes, instead of
-- asking again and again.
CREATE TRIGGER counts_servers AFTER UPDATE ON server
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_new_servers AFTER INSERT ON server
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_troubles AFTER UPDATE OF trouble, aftermath, draft, untidy ON deployment
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_roll_calls AFTER INSERT ON roll_call
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_crates AFTER INSERT ON crate
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_crate_edits AFTER UPDATE ON crate
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_confirmations AFTER INSERT ON confirmation
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_oddities AFTER INSERT ON oddity
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_gone_oddities AFTER DELETE ON oddity
BEGIN UPDATE identity SET counter = counter + 1; END;
CREATE TRIGGER counts_rulebook_edits AFTER UPDATE ON rulebook_revision
BEGIN UPDATE identity SET counter = counter + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
