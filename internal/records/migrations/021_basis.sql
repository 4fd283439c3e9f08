-- +goose Up
-- The basis of drafts: a number that is another one once anything is written that a draft
-- is made from. Contents and events come by hundreds of thousands; a new content comes
-- with a container or an archive, and every event with a cause.
ALTER TABLE identity ADD COLUMN basis INTEGER NOT NULL DEFAULT 0;
CREATE TRIGGER basis_rulebook_revision_insert AFTER INSERT ON rulebook_revision BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_rulebook_revision_update AFTER UPDATE ON rulebook_revision BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_rulebook_revision_delete AFTER DELETE ON rulebook_revision BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_server_insert AFTER INSERT ON server BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_server_update AFTER UPDATE OF name, rulebook, transport, variables, facts, host_key, abilities, dropped_at, control, version ON server BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_server_delete AFTER DELETE ON server BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_secret_insert AFTER INSERT ON secret BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_secret_update AFTER UPDATE ON secret BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_secret_delete AFTER DELETE ON secret BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_addon_insert AFTER INSERT ON addon BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_addon_update AFTER UPDATE ON addon BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_addon_delete AFTER DELETE ON addon BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_addon_alias_insert AFTER INSERT ON addon_alias BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_addon_alias_update AFTER UPDATE ON addon_alias BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_addon_alias_delete AFTER DELETE ON addon_alias BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_crate_insert AFTER INSERT ON crate BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_crate_update AFTER UPDATE ON crate BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_crate_delete AFTER DELETE ON crate BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_crate_archive_insert AFTER INSERT ON crate_archive BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_crate_archive_update AFTER UPDATE ON crate_archive BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_crate_archive_delete AFTER DELETE ON crate_archive BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_correction_insert AFTER INSERT ON correction BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_correction_update AFTER UPDATE ON correction BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_correction_delete AFTER DELETE ON correction BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_choice_insert AFTER INSERT ON choice BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_choice_update AFTER UPDATE ON choice BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_choice_delete AFTER DELETE ON choice BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_pallet_insert AFTER INSERT ON pallet BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_pallet_update AFTER UPDATE ON pallet BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_pallet_delete AFTER DELETE ON pallet BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_pallet_member_insert AFTER INSERT ON pallet_member BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_pallet_member_update AFTER UPDATE ON pallet_member BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_pallet_member_delete AFTER DELETE ON pallet_member BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_recipe_insert AFTER INSERT ON recipe BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_recipe_update AFTER UPDATE ON recipe BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_recipe_delete AFTER DELETE ON recipe BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_confirmation_insert AFTER INSERT ON confirmation BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_confirmation_update AFTER UPDATE ON confirmation BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_confirmation_delete AFTER DELETE ON confirmation BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_ticked_insert AFTER INSERT ON ticked BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_ticked_update AFTER UPDATE ON ticked BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_ticked_delete AFTER DELETE ON ticked BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_oddity_insert AFTER INSERT ON oddity BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_oddity_update AFTER UPDATE ON oddity BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_oddity_delete AFTER DELETE ON oddity BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_roll_call_insert AFTER INSERT ON roll_call BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_roll_call_update AFTER UPDATE ON roll_call BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_roll_call_delete AFTER DELETE ON roll_call BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_container_insert AFTER INSERT ON container BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_container_update AFTER UPDATE ON container BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_container_delete AFTER DELETE ON container BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_archive_insert AFTER INSERT ON archive BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_archive_update AFTER UPDATE ON archive BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_archive_delete AFTER DELETE ON archive BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_content_update AFTER UPDATE ON content BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_content_delete AFTER DELETE ON content BEGIN UPDATE identity SET basis = basis + 1; END;
CREATE TRIGGER basis_ledger_cause_insert AFTER INSERT ON ledger_cause BEGIN UPDATE identity SET basis = basis + 1; END;

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
