package records

import (
	"context"
	"database/sql"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/model"
)

// addPallet records a pallet with its members; one that is there already gets
// the members that the archive has now.
func addPallet(ctx context.Context, tx *sql.Tx, rulebook string, p *layout.Pallet, archive int64, members []model.Crate, now int64) error {
	var id int64
	err := tx.QueryRowContext(ctx, `INSERT INTO pallet (rulebook, key, name, version, archive_id, created_at) VALUES (?,?,?,?,?,?)
		ON CONFLICT (rulebook, key, version, archive_id) DO UPDATE SET name = excluded.name RETURNING id`,
		rulebook, p.Key(), p.Name, p.Version, archive, now).Scan(&id)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM pallet_member WHERE pallet_id = ?`, id); err != nil {
		return err
	}
	return insertMany(ctx, tx, `pallet_member (pallet_id, crate_id)`, keeps, 2, len(members), func(i int, row []any) { row[0], row[1] = id, members[i].ID })
}

// Pallets lists a rulebook's pallets with their members, the newest first. An
// empty rulebook or key means all.
func (db *CrateStore) Pallets(ctx context.Context, rulebook, key string) ([]model.Pallet, error) {
	pallets, err := all(ctx, db.sql, func(r *sql.Rows, p *model.Pallet) error {
		return r.Scan(&p.ID, &p.Rulebook, &p.Key, &p.Name, &p.Version, moment{&p.CreatedAt})
	}, `SELECT id, rulebook, key, name, version, created_at FROM pallet WHERE (? = '' OR rulebook = ?) AND (? = '' OR key = ?) ORDER BY id DESC`, rulebook, rulebook, key, key)
	if err != nil {
		return nil, err
	}
	for i := range pallets {
		p := &pallets[i]
		p.Members, err = all(ctx, db.sql, scanCrate, `SELECT `+crateColumns+crateFrom+` JOIN pallet_member m ON m.crate_id = c.id WHERE m.pallet_id = ? ORDER BY ad.key`, p.ID)
		if err != nil {
			return nil, err
		}
	}
	return pallets, nil
}

// PalletMembers lists which add-ons, as which crates, each of a rulebook's pallets holds, the
// newest pallet first.
func (db *CrateStore) PalletMembers(ctx context.Context, rulebook string) ([]model.PalletMember, error) {
	return all(ctx, db.sql, func(r *sql.Rows, m *model.PalletMember) error {
		var digest, name, version string
		if err := r.Scan(&m.Pallet, &m.Key, &name, &version, &m.Addon, &digest); err != nil {
			return err
		}
		m.Label = name + "@" + version
		return m.Crate.UnmarshalText([]byte(digest))
	}, `SELECT p.id, p.key, p.name, p.version, ad.key, c.digest FROM pallet p JOIN pallet_member m ON m.pallet_id = p.id JOIN crate c ON c.id = m.crate_id
		JOIN addon ad ON ad.id = c.addon_id WHERE ? = '' OR p.rulebook = ? ORDER BY p.id DESC, ad.key`, rulebook, rulebook)
}

// RenamePallet gives all versions of a pallet another name.
func (db *CrateStore) RenamePallet(ctx context.Context, rulebook, key, name string) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE pallet SET key = ?, name = ? WHERE rulebook = ? AND key = ?`, layout.Key(name), name, rulebook, key)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE OR REPLACE choice SET addon = ? WHERE addon = ? AND server_id IN (SELECT id FROM server WHERE rulebook = ?)`,
			model.PalletChoice(layout.Key(name)), model.PalletChoice(key), rulebook)
		return err
	})
}

// palletOf names the pallet that an archive made under a rulebook, if any.
func (db *CrateStore) palletOf(ctx context.Context, archive, revision int64) (string, error) {
	names, err := all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) },
		`SELECT p.name || '@' || p.version FROM pallet p JOIN rulebook_revision r ON r.name = p.rulebook WHERE p.archive_id = ? AND r.id = ?`, archive, revision)
	if err != nil || len(names) == 0 {
		return "", err
	}
	return names[0], nil
}
