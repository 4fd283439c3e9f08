-- +goose Up
-- What is long in a draft, each part packed by itself: who reads the steps need not
-- unpack the motions. The column draft stays for drafts of earlier versions.
ALTER TABLE deployment ADD COLUMN draft_changes BLOB;
ALTER TABLE deployment ADD COLUMN draft_steps BLOB;
ALTER TABLE deployment ADD COLUMN draft_motions BLOB;
ALTER TABLE deployment ADD COLUMN draft_ahead BLOB; -- what a run needs before the draft is made anew
CREATE INDEX addon_key ON addon (key);
CREATE INDEX ledger_path_files ON ledger_path (server_id) WHERE being = 3;
DROP TRIGGER counts_troubles;
CREATE TRIGGER counts_troubles AFTER UPDATE OF trouble, aftermath, draft, outline, untidy ON deployment
BEGIN UPDATE identity SET counter = counter + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
