package records

import (
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// Moves gives the names that files and folders of a server got, as far as they hold still.
func (db *ServerStore) Moves(ctx context.Context, server int64) (draft.Moves, error) {
	return movesOf(ctx, db.sql, server)
}

func movesOf(ctx context.Context, q querier, server int64) (draft.Moves, error) {
	list, err := all(ctx, q, func(r *sql.Rows, m *draft.Renaming) error {
		return r.Scan((*string)(&m.From), (*string)(&m.To))
	}, `SELECT from_path, to_path FROM moved WHERE server_id = ? ORDER BY place`, server)
	if err != nil {
		return nil, fmt.Errorf("read what is called otherwise: %w", err)
	}
	return list, nil
}

// move records that things got other names: what the ledger knows of them, under the new ones.
func (db *LedgerStore) move(ctx context.Context, w *ledgerWriter, moves draft.Moves) error {
	if len(moves) == 0 {
		return nil
	}
	ledger, err := ledgerIn(ctx, w.tx, db.handle, w.server, "")
	if err != nil {
		return err
	}
	for _, p := range slices.Sorted(maps.Keys(ledger)) {
		to, row := moves.New(p), ledger[p]
		if to == p {
			continue
		}
		gone := draft.Change{Path: p, Before: row.State, ClaimsBefore: row.Claims, ListedBefore: row.Listed, TweaksBefore: row.Tweaks, Moved: to, After: tree.Nothing}
		came := draft.Change{Path: to, After: row.State, ClaimsAfter: row.Claims, ListedAfter: row.Listed, TweaksAfter: row.Tweaks, Moved: p, Before: tree.Nothing}
		if err := w.record(ctx, gone, draft.Reported{}); err != nil {
			return err
		}
		if err := w.record(ctx, came, row.Reported); err != nil {
			return err
		}
	}
	before, err := movesOf(ctx, w.tx, w.server)
	if err != nil {
		return err
	}
	if _, err := w.tx.ExecContext(ctx, `DELETE FROM moved WHERE server_id = ?`, w.server); err != nil {
		return err
	}
	for i, m := range before.With(moves) {
		if _, err := w.tx.ExecContext(ctx, `INSERT INTO moved (server_id, place, from_path, to_path) VALUES (?,?,?,?)`, w.server, i, string(m.From), string(m.To)); err != nil {
			return err
		}
	}
	return nil
}
