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

// Tick records that a person has done something by hand on a server.
func (db *RollCallStore) Tick(ctx context.Context, server int64, words, actor string) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO ticked (server_id, text, actor, at) VALUES (?,?,?,?) ON CONFLICT DO NOTHING`, server, words, actor, db.millis())
	if err != nil {
		return fmt.Errorf("record the tick: %w", err)
	}
	return nil
}

// Ticked gives what people have done by hand on a server.
func (db *RollCallStore) Ticked(ctx context.Context, server int64) (map[string]bool, error) {
	list, err := all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT text FROM ticked WHERE server_id = ?`, server)
	out := map[string]bool{}
	for _, s := range list {
		out[s] = true
	}
	return out, err
}
