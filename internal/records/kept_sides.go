package records

import (
	"context"
	"database/sql"

	"restlesscrate/internal/core/merge"
)

// KeptSides gives what was decided on a server where it and a new version both changed a
// value, by PATH:KEY.
func (db *ServerStore) KeptSides(ctx context.Context, server int64) (map[string]merge.Side, error) {
	out := map[string]merge.Side{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var at, side string
		err := r.Scan(&at, &side)
		out[at] = merge.Side(side)
		return err
	}, `SELECT at, side FROM kept_side WHERE server_id = ?`, server)
	return out, err
}

// KeepSides notes what was decided.
func (db *ServerStore) KeepSides(ctx context.Context, server int64, sides map[string]merge.Side) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		for at, side := range sides {
			if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO kept_side (server_id, at, side) VALUES (?,?,?)`, server, at, string(side)); err != nil {
				return err
			}
		}
		return nil
	})
}
