package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"restlesscrate/internal/model"
)

// Corrections gives what people have corrected in one rulebook, by key.
func (db *CrateStore) Corrections(ctx context.Context, rulebook string) (map[string]model.Correction, error) {
	out := map[string]model.Correction{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var key string
		var c model.Correction
		if err := r.Scan(&key, asJSON(&c)); err != nil {
			return err
		}
		out[key] = c
		return nil
	}, `SELECT key, body FROM correction WHERE rulebook = ? ORDER BY key`, rulebook)
	return out, err
}

// Correct changes the correction of one add-on; change gets what is there.
func (db *CrateStore) Correct(ctx context.Context, rulebook, key, actor string, change func(*model.Correction)) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		var c model.Correction
		err := tx.QueryRowContext(ctx, `SELECT body FROM correction WHERE rulebook = ? AND key = ?`, rulebook, key).Scan(asJSON(&c))
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		change(&c)
		_, err = tx.ExecContext(ctx, `INSERT OR REPLACE INTO correction (rulebook, key, body, actor, at) VALUES (?,?,?,?,?)`, rulebook, key, text(c), actor, db.millis())
		return err
	})
	if err != nil {
		return fmt.Errorf("record the correction of %s: %w", key, err)
	}
	return nil
}
