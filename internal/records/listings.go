package records

import (
	"context"
	"database/sql"

	"github.com/pressly/goose/v3"

	"restlesscrate/internal/core/tree"
)

// packListings is the migration that packs the listings of archives, which
// earlier versions kept in a row per entry.
func packListings() *goose.Migration {
	up := func(ctx context.Context, tx *sql.Tx) error {
		archives, err := all(ctx, tx, func(r *sql.Rows, id *int64) error { return r.Scan(id) }, `SELECT id FROM archive`)
		if err != nil {
			return err
		}
		for _, id := range archives {
			entries, err := all(ctx, tx, func(r *sql.Rows, e *tree.Entry) error {
				var d string
				if err := r.Scan((*string)(&e.Path), &e.Dir, &e.Size, &d, &e.Exec); err != nil {
					return err
				}
				return e.Digest.UnmarshalText([]byte(d))
			}, `SELECT path, dir, size, digest, exec FROM archive_entry WHERE archive_id = ? ORDER BY path`, id)
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `UPDATE archive SET entries = ? WHERE id = ?`, packEntries(entries), id); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, `DROP TABLE archive_entry`)
		return err
	}
	return goose.NewGoMigration(7, &goose.GoFunc{RunTx: up}, nil)
}
