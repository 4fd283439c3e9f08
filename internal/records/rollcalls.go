package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/model"
)

// AddRollCall records what a roll call found.
func (db *RollCallStore) AddRollCall(ctx context.Context, c model.RollCall) error {
	var deployment any
	if c.DeploymentID != 0 {
		deployment = c.DeploymentID
	}
	_, err := db.sql.ExecContext(ctx, `INSERT INTO roll_call (server_id, deployment_id, roll, seq, actor, at)
		VALUES (?,?,?,(SELECT COALESCE(MAX(seq), 0) FROM ledger_event WHERE server_id = ?),?,?)`, c.ServerID, deployment, text(c.Roll), c.ServerID, c.Actor, db.millis())
	if err != nil {
		return fmt.Errorf("record the roll call: %w", err)
	}
	return nil
}

// LastRollCall gives a server's newest roll call; [ErrNotFound] where there was
// none.
func (db *RollCallStore) LastRollCall(ctx context.Context, server int64) (model.RollCall, error) {
	return first(ctx, db.sql, scanRollCall, `SELECT `+rollCallColumns+` WHERE c.server_id = ? ORDER BY c.id DESC LIMIT 1`, server)
}

// RollCallOf gives the newest roll call of a deployment; [ErrNotFound] where
// there was none.
func (db *RollCallStore) RollCallOf(ctx context.Context, deployment int64) (model.RollCall, error) {
	return first(ctx, db.sql, scanRollCall, `SELECT `+rollCallColumns+` WHERE c.deployment_id = ? ORDER BY c.id DESC LIMIT 1`, deployment)
}

const rollCallColumns = `c.server_id, COALESCE(c.deployment_id, 0), COALESCE(s.name || '#' || d.number, ''), c.roll, c.seq, c.actor, c.at
	FROM roll_call c JOIN server s ON s.id = c.server_id LEFT JOIN deployment d ON d.id = c.deployment_id`

func scanRollCall(r *sql.Rows, c *model.RollCall) error {
	return r.Scan(&c.ServerID, &c.DeploymentID, &c.Deployment, asJSON(&c.Roll), &c.Seq, &c.Actor, moment{&c.At})
}

// Confirm records a person's word on an add-on; a later word takes the place of
// an earlier one.
func (db *RollCallStore) Confirm(ctx context.Context, c model.Confirmation) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO confirmation (server_id, addon, crate, note, actor, at) VALUES (?,?,?,?,?,?)
		ON CONFLICT DO UPDATE SET note = excluded.note, actor = excluded.actor, at = excluded.at`, c.ServerID, c.Addon, c.Crate.String(), c.Note, c.Actor, db.millis())
	if err != nil {
		return fmt.Errorf("record the confirmation: %w", err)
	}
	return nil
}

// Confirmations gives the confirmations of a server.
func (db *RollCallStore) Confirmations(ctx context.Context, server int64) ([]model.Confirmation, error) {
	return all(ctx, db.sql, func(r *sql.Rows, c *model.Confirmation) error {
		var crate string
		if err := r.Scan(&c.ServerID, &c.Addon, &crate, &c.Note, &c.Actor, moment{&c.At}); err != nil {
			return err
		}
		return c.Crate.UnmarshalText([]byte(crate))
	}, `SELECT server_id, addon, crate, note, actor, at FROM confirmation WHERE server_id = ?`, server)
}

// DoByHand records that a person has done something by hand on a server, instead of what
// they had done for the same before.
func (db *RollCallStore) DoByHand(ctx context.Context, server int64, key model.HandKey, words, actor string) error {
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO done_by_hand (server_id, addon, what, text, actor, at) VALUES (?,?,?,?,?,?)`, server, key.Addon, key.What, words, actor, db.millis())
	if err != nil {
		return fmt.Errorf("record what was done by hand: %w", err)
	}
	return nil
}

// UndoByHand records that it is not so any more.
func (db *RollCallStore) UndoByHand(ctx context.Context, server int64, key model.HandKey) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM done_by_hand WHERE server_id = ? AND addon = ? AND what = ?`, server, key.Addon, key.What)
	if err != nil {
		return fmt.Errorf("record what was taken back by hand: %w", err)
	}
	return nil
}

// DoneByHand gives the words of what people have done by hand on a server.
func (db *RollCallStore) DoneByHand(ctx context.Context, server int64) (map[model.HandKey]string, error) {
	out := map[model.HandKey]string{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var k model.HandKey
		var words string
		err := r.Scan(&k.Addon, &k.What, &words)
		out[k] = words
		return err
	}, `SELECT addon, what, text FROM done_by_hand WHERE server_id = ?`, server)
	return out, err
}
