package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Finish ends a run: in one transaction the deployment becomes done, its
// changes become events, and the ledger's state follows from them. reported
// gives what the host says of each path that holds content.
func (db *DB) Finish(ctx context.Context, d model.Deployment, reported map[tree.Path]draft.Reported, untidy bool) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		if err := exactly(tx.ExecContext(ctx, `UPDATE deployment SET state = ?, ended_at = ?, untidy = ?, trouble = '', notes = ?, figures = ? WHERE id = ? AND state = ?`,
			model.Done, db.millis(), untidy, text(d.Notes), text(d.Figures), d.ID, model.Running)); err != nil {
			return err
		}
		for _, set := range d.Draft.Sets {
			if err := exactly(tx.ExecContext(ctx, `UPDATE server SET variables = json_set(variables, ?, ?), version = version + 1 WHERE id = ?`, `$."`+set.Variable+`"`, set.After, d.ServerID)); err != nil {
				return fmt.Errorf("%s is now %s: %w", set.Variable, set.After, err)
			}
		}
		w, err := prepareLedger(ctx, tx)
		if err != nil {
			return err
		}
		defer w.close()
		for _, c := range d.Draft.Changes {
			res, err := w.event.ExecContext(ctx, d.ServerID, string(c.Path), text(c.Before), text(c.After), text(c.ClaimsBefore), text(c.ClaimsAfter), text(textEdit{c.ListedBefore, c.ListedAfter, c.Edits}), d.ID, d.Runner, db.millis())
			if err != nil {
				return err
			}
			seq, err := res.LastInsertId()
			if err != nil {
				return err
			}
			if err := w.apply(ctx, d.ServerID, seq, c, reported[c.Path]); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("record %s: %w", d.Name(), err)
	}
	return nil
}

// ledgerWriter holds the statements that one transaction writes many rows with.
type ledgerWriter struct{ event, forget, path, claim *sql.Stmt }

func prepareLedger(ctx context.Context, tx *sql.Tx) (w *ledgerWriter, err error) {
	w = &ledgerWriter{}
	for to, query := range map[**sql.Stmt]string{
		&w.event:  `INSERT INTO ledger_event (server_id, path, before, after, claims_before, claims_after, edit, cause, deployment_id, actor, at) VALUES (?,?,?,?,?,?,?,'deployment',?,?,?)`,
		&w.forget: `DELETE FROM ledger_path WHERE server_id = ? AND path = ?`,
		&w.path:   `INSERT INTO ledger_path (server_id, path, state, reported, listed, seq) VALUES (?,?,?,?,?,?)`,
		&w.claim:  `INSERT INTO ledger_claim (server_id, path, addon, label, crate, role, brings) VALUES (?,?,?,?,?,?,?)`,
	} {
		if *to, err = tx.PrepareContext(ctx, query); err != nil {
			return nil, err // the transaction ends with its statements
		}
	}
	return w, nil
}

func (w *ledgerWriter) close() {
	for _, st := range []*sql.Stmt{w.event, w.forget, w.path, w.claim} {
		_ = st.Close() // what they wrote is told by the commit
	}
}

// apply derives the ledger's state from one event. A path stays in it while it is
// a folder that we made or a content with a claim.
func (w *ledgerWriter) apply(ctx context.Context, server, seq int64, c draft.Change, rep draft.Reported) error {
	if _, err := w.forget.ExecContext(ctx, server, string(c.Path)); err != nil {
		return err
	}
	if c.After.Being != tree.Folder && (c.After.Being != tree.Content || len(c.ClaimsAfter)+len(c.ListedAfter) == 0) {
		return nil
	}
	if _, err := w.path.ExecContext(ctx, server, string(c.Path), text(c.After), text(rep), text(c.ListedAfter), seq); err != nil {
		return err
	}
	for _, cl := range c.ClaimsAfter {
		if _, err := w.claim.ExecContext(ctx, server, string(c.Path), cl.Addon, cl.Label, cl.Crate.String(), cl.Role, text(cl.Brings)); err != nil {
			return err
		}
	}
	return nil
}

// Ledger gives the current state of every path of a server.
func (db *DB) Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error) {
	out := map[tree.Path]draft.Row{}
	type claim struct {
		path tree.Path
		c    draft.Claim
	}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var p tree.Path
		var row draft.Row
		if err := r.Scan((*string)(&p), asJSON(&row.State), asJSON(&row.Reported), asJSON(&row.Listed)); err != nil {
			return err
		}
		out[p] = row
		return nil
	}, `SELECT path, state, reported, listed FROM ledger_path WHERE server_id = ?`, server)
	if err != nil {
		return nil, fmt.Errorf("read the ledger: %w", err)
	}
	claims, err := all(ctx, db.sql, func(r *sql.Rows, v *claim) error {
		var d string
		if err := r.Scan((*string)(&v.path), &v.c.Addon, &v.c.Label, &d, &v.c.Role, asJSON(&v.c.Brings)); err != nil {
			return err
		}
		return v.c.Crate.UnmarshalText([]byte(d))
	}, `SELECT path, addon, label, crate, role, brings FROM ledger_claim WHERE server_id = ? ORDER BY path, addon`, server)
	if err != nil {
		return nil, fmt.Errorf("read the claims: %w", err)
	}
	for _, v := range claims {
		row := out[v.path]
		row.Claims = append(row.Claims, v.c)
		out[v.path] = row
	}
	return out, nil
}

// Holdings gives, for every server, which versions of which add-ons claim
// paths on it.
func (db *DB) Holdings(ctx context.Context) ([]model.Holding, error) {
	return all(ctx, db.sql, func(r *sql.Rows, h *model.Holding) error {
		return r.Scan(&h.Rulebook, &h.Addon, &h.Server, &h.Label)
	}, `SELECT DISTINCT s.rulebook, c.addon, s.name, c.label FROM ledger_claim c JOIN server s ON s.id = c.server_id
		WHERE s.dropped_at IS NULL ORDER BY s.name, c.label`)
}

// Refresh notes what the host now reports of paths whose bytes were just
// proved to be what the ledger knows. It changes no event and no state.
func (db *DB) Refresh(ctx context.Context, server int64, reported map[tree.Path]draft.Reported) error {
	if len(reported) == 0 {
		return nil
	}
	return db.within(ctx, func(tx *sql.Tx) error {
		for p, r := range reported {
			if _, err := tx.ExecContext(ctx, `UPDATE ledger_path SET reported = ? WHERE server_id = ? AND path = ?`, text(r), server, string(p)); err != nil {
				return err
			}
		}
		return nil
	})
}

const eventColumns = `e.seq, e.path, e.before, e.after, e.claims_before, e.claims_after, e.edit, e.cause, COALESCE(s.name || '#' || d.number, ''), COALESCE(d.number, 0), e.actor, e.at`
const eventFrom = ` FROM ledger_event e JOIN server s ON s.id = e.server_id LEFT JOIN deployment d ON d.id = e.deployment_id`

// textEdit is what an event says of a text that was edited.
type textEdit struct {
	Before []draft.Listing `json:"before,omitempty"`
	After  []draft.Listing `json:"after,omitempty"`
	Edits  []draft.Edit    `json:"edits,omitempty"`
}

func scanEvent(r *sql.Rows, e *model.Event) error {
	var edit textEdit
	err := r.Scan(&e.Seq, (*string)(&e.Change.Path), asJSON(&e.Change.Before), asJSON(&e.Change.After), asJSON(&e.Change.ClaimsBefore),
		asJSON(&e.Change.ClaimsAfter), asJSON(&edit), &e.Cause, &e.Deployment, &e.Number, &e.Actor, moment{&e.At})
	e.Change.ListedBefore, e.Change.ListedAfter, e.Change.Edits = edit.Before, edit.After, edit.Edits
	return err
}

// Events gives all events of a server in order.
func (db *DB) Events(ctx context.Context, server int64) ([]model.Event, error) {
	return all(ctx, db.sql, scanEvent, `SELECT `+eventColumns+eventFrom+` WHERE e.server_id = ? ORDER BY e.seq`, server)
}

// EventsAt gives the events of one path, the newest first.
func (db *DB) EventsAt(ctx context.Context, server int64, p tree.Path) ([]model.Event, error) {
	return all(ctx, db.sql, scanEvent, `SELECT `+eventColumns+eventFrom+` WHERE e.server_id = ? AND e.path = ? ORDER BY e.seq DESC`, server, string(p))
}

// Origins gives, for every path of a server's ledger, the event that made it so.
func (db *DB) Origins(ctx context.Context, server int64) (map[tree.Path]model.Event, error) {
	events, err := all(ctx, db.sql, scanEvent, `SELECT `+eventColumns+eventFrom+` JOIN ledger_path p ON p.seq = e.seq AND p.server_id = e.server_id WHERE e.server_id = ?`, server)
	out := make(map[tree.Path]model.Event, len(events))
	for _, e := range events {
		out[e.Change.Path] = e
	}
	return out, err
}

// LastSeq gives the last event of a deployment; [ErrNotFound] where it made none.
func (db *DB) LastSeq(ctx context.Context, server int64, number int) (int64, error) {
	var seq sql.NullInt64
	err := db.sql.QueryRowContext(ctx, `SELECT MAX(e.seq) FROM ledger_event e JOIN deployment d ON d.id = e.deployment_id WHERE e.server_id = ? AND d.number = ?`, server, number).Scan(&seq)
	if err == nil && !seq.Valid {
		return 0, model.ErrNotFound
	}
	return seq.Int64, err
}

// Rebuild derives a server's state again from its events. What the host
// reported of the paths is kept where the state is the same as before.
func (db *DB) Rebuild(ctx context.Context, server int64) error {
	old, err := db.Ledger(ctx, server)
	if err != nil {
		return err
	}
	events, err := db.Events(ctx, server)
	if err != nil {
		return err
	}
	return db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM ledger_path WHERE server_id = ?`, server); err != nil {
			return err
		}
		w, err := prepareLedger(ctx, tx)
		if err != nil {
			return err
		}
		defer w.close()
		for _, e := range events {
			var rep draft.Reported
			if o, ok := old[e.Change.Path]; ok && o.State.Same(e.Change.After) {
				rep = o.Reported
			}
			if err := w.apply(ctx, server, e.Seq, e.Change, rep); err != nil {
				return err
			}
		}
		return nil
	})
}
