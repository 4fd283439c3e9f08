package records

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/tree"
)

// KnownTexts gives the settings texts that were seen on a server, and with which deployment's
// start each came; nothing where it was there before.
func (db *ServerStore) KnownTexts(ctx context.Context, server int64) (map[tree.Path]string, error) {
	out := map[tree.Path]string{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var p, made string
		err := r.Scan(&p, &made)
		out[tree.Path(p)] = made
		return err
	}, `SELECT path, made FROM known_text WHERE server_id = ?`, server)
	if err != nil {
		return nil, fmt.Errorf("read which texts were seen: %w", err)
	}
	return out, nil
}

// SeeTexts notes all texts that are on a server now, each with the deployment with whose start it
// came if it was not known; empty where it was there before. It gives those that were not known,
// sorted.
func (db *ServerStore) SeeTexts(ctx context.Context, server int64, texts map[tree.Path]string) (fresh []tree.Path, err error) {
	known, err := db.KnownTexts(ctx, server)
	if err != nil {
		return nil, err
	}
	err = db.within(ctx, func(tx *sql.Tx) error {
		for _, p := range slices.Sorted(maps.Keys(texts)) {
			if _, was := known[p]; was {
				delete(known, p)
				continue
			}
			fresh = append(fresh, p)
			if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO known_text (server_id, path, made) VALUES (?,?,?)`, server, string(p), texts[p]); err != nil {
				return err
			}
		}
		for p := range known { // it is gone; where it comes again, that is told again
			if _, err := tx.ExecContext(ctx, `DELETE FROM known_text WHERE server_id = ? AND path = ?`, server, string(p)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("record which texts are there: %w", err)
	}
	return fresh, nil
}
