package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/model"
)

// SetHold keeps how an add-on on a server is updated.
func (db *SurveyStore) SetHold(ctx context.Context, server int64, h model.Hold) error {
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO addon_hold (server_id, addon, held, channel, note, actor, at) VALUES (?,?,?,?,?,?,?)`,
		server, h.Addon, h.Held, h.Channel, h.Note, h.Actor, db.millis())
	if err != nil {
		return fmt.Errorf("record how %s is updated: %w", h.Addon, err)
	}
	return nil
}

// Holds gives what people said of how the add-ons of a server are updated, by their keys.
func (db *SurveyStore) Holds(ctx context.Context, server int64) (map[string]model.Hold, error) {
	out := map[string]model.Hold{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var h model.Hold
		err := r.Scan(&h.Addon, &h.Held, &h.Channel, &h.Note, &h.Actor, moment{&h.At})
		out[h.Addon] = h
		return err
	}, `SELECT addon, held, channel, note, actor, at FROM addon_hold WHERE server_id = ?`, server)
	return out, err
}
