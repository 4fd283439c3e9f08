package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/model"
)

// AddOddity records something harmless that is known of an add-on. What is known
// already stays as it was first said.
func (db *RulebookStore) AddOddity(ctx context.Context, o model.Oddity) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO oddity (rulebook, addon, text, actor, at) VALUES (?,?,?,?,?) ON CONFLICT DO NOTHING`, o.Rulebook, o.Addon, o.Text, o.Actor, db.millis())
	if err != nil {
		return fmt.Errorf("record the oddity: %w", err)
	}
	return nil
}

// DropOddity forgets one; [model.ErrConflict] where there is no such one.
func (db *RulebookStore) DropOddity(ctx context.Context, o model.Oddity) error {
	return exactly(db.sql.ExecContext(ctx, `DELETE FROM oddity WHERE rulebook = ? AND addon = ? AND text = ?`, o.Rulebook, o.Addon, o.Text))
}

// Oddities gives what is known of a rulebook's add-ons, the oldest first.
func (db *RulebookStore) Oddities(ctx context.Context, rulebook string) ([]model.Oddity, error) {
	return all(ctx, db.sql, func(r *sql.Rows, o *model.Oddity) error {
		return r.Scan(&o.Rulebook, &o.Addon, &o.Text, &o.Actor, moment{&o.At})
	}, `SELECT rulebook, addon, text, actor, at FROM oddity WHERE rulebook = ? ORDER BY at, text`, rulebook)
}
