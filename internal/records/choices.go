package records

import (
	"context"
	"database/sql"
)

// Choices gives the parts by choice that a server has, by the add-on's key.
func (db *ServerStore) Choices(ctx context.Context, server int64) (map[string][]string, error) {
	out := map[string][]string{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var key string
		var parts []string
		if err := r.Scan(&key, asJSON(&parts)); err != nil {
			return err
		}
		out[key] = parts
		return nil
	}, `SELECT addon, parts FROM choice WHERE server_id = ?`, server)
	return out, err
}

// SaveChoices keeps parts by choice, by the add-on's key.
func (db *ServerStore) SaveChoices(ctx context.Context, server int64, parts map[string][]string) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		for key, p := range parts {
			if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO choice (server_id, addon, parts) VALUES (?,?,?)`, server, key, text(p)); err != nil {
				return err
			}
		}
		return nil
	})
}
