package records

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Finish ends a run: in one transaction the deployment becomes done, its
// changes become events, and the ledger's state follows from them. reported
// gives what the host says of each path that holds content.
func (db *LedgerStore) Finish(ctx context.Context, d model.Deployment, reported map[tree.Path]draft.Reported, untidy bool) error {
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
		w, err := newLedgerWriter(ctx, tx, d.ServerID, db.sealChange)
		if err != nil {
			return err
		}
		defer w.close()
		if err := w.setCause(ctx, "deployment", d.ID, d.Runner, db.millis()); err != nil {
			return err
		}
		if err := db.move(ctx, w, d.Draft.Moves); err != nil {
			return err
		}
		for _, c := range d.Draft.Changes {
			if err := w.record(ctx, c, reported[c.Path]); err != nil {
				return err
			}
		}
		return errors.Join(w.sumUp(ctx), w.ended(ctx))
	})
	if err != nil {
		return fmt.Errorf("record %s: %w", d.Name(), err)
	}
	return nil
}

func claimants(ctx context.Context, q querier, server int64) (map[int64]claimant, error) {
	out := map[int64]claimant{}
	_, err := all(ctx, q, func(r *sql.Rows, _ *struct{}) error {
		var id int64
		var c claimant
		var crate []byte
		if err := r.Scan(&id, &c.Addon, &c.Label, &crate); err != nil {
			return err
		}
		copy(c.Crate[:], crate)
		out[id] = c
		return nil
	}, `SELECT id, addon, label, crate FROM ledger_claimant WHERE server_id = ?`, server)
	if err != nil {
		return nil, fmt.Errorf("read who claims paths: %w", err)
	}
	return out, nil
}

// Ledger gives the current state of every path of a server.
func (db *LedgerStore) Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error) {
	return db.ledger(ctx, server, "")
}

// LedgerOf gives the part of a server's ledger that some add-ons and paths are about:
// what the add-ons claim, the paths themselves, the folders above all of these, every
// text with entries of add-ons, and what is laid over others.
func (db *LedgerStore) LedgerOf(ctx context.Context, server int64, addons []string, paths []tree.Path) (map[tree.Path]draft.Row, error) {
	out, err := db.ledger(ctx, server, `SELECT path_id FROM ledger_path INDEXED BY ledger_path_listed WHERE server_id = ? AND listed IS NOT NULL
		UNION SELECT path_id FROM ledger_claim WHERE server_id = ? AND role = 2
		UNION SELECT c.path_id FROM ledger_claimant t JOIN ledger_claim c ON c.claimant_id = t.id AND c.server_id = t.server_id WHERE t.server_id = ? AND t.addon IN (SELECT value FROM json_each(?))`,
		server, server, server, text(append([]string{}, addons...)))
	if err != nil {
		return nil, err
	}
	wanted := map[tree.Path]bool{}
	for p := range out {
		for _, up := range p.Ancestors() {
			wanted[up] = true
		}
	}
	for _, p := range paths {
		wanted[p] = true
		for _, up := range p.Ancestors() {
			wanted[up] = true
		}
	}
	for p := range out {
		delete(wanted, p)
	}
	more, err := db.ledger(ctx, server, `SELECT n.id FROM ledger_name n WHERE n.server_id = ? AND n.path IN (SELECT value FROM json_each(?))`, server, text(slices.Sorted(maps.Keys(wanted))))
	maps.Copy(out, more)
	return out, err
}

// ledger gives the rows of some paths, by a query for their ids.
func (db *LedgerStore) ledger(ctx context.Context, server int64, ids string, args ...any) (map[tree.Path]draft.Row, error) {
	return ledgerIn(ctx, db.sql, db.handle, server, ids, args...)
}

// ledgerIn is ledger as a transaction sees it.
func ledgerIn(ctx context.Context, q querier, db *handle, server int64, ids string, args ...any) (map[tree.Path]draft.Row, error) {
	out := map[tree.Path]draft.Row{}
	who, err := claimants(ctx, q, server)
	if err != nil {
		return nil, err
	}
	which := ""
	if ids != "" {
		which = ` AND l.path_id IN (` + ids + `)`
	}
	last := int64(-1)
	var path tree.Path
	var row draft.Row
	put := func() {
		if last < 0 {
			return
		}
		if len(row.Claims) > 1 {
			slices.SortFunc(row.Claims, func(a, b draft.Claim) int { return compare(a.Addon, b.Addon) })
		}
		db.openTweaks(row.Tweaks)
		out[path] = row
	}
	var brings sql.RawBytes
	_, err = all(ctx, q, func(r *sql.Rows, _ *struct{}) error {
		var id int64
		var p tree.Path
		var now draft.Row
		var by, role sql.NullInt64
		if err := scanPath(r, &id, &p, &now, &by, &role, &brings); err != nil {
			return err
		}
		if id != last { // a row for each of its claims, one behind the other
			put()
			last, path, row = id, p, now
		}
		if !by.Valid {
			return nil
		}
		c, err := claimOf(who, by.Int64, int(role.Int64), brings, row.State)
		row.Claims = append(row.Claims, c)
		return err
	}, `SELECT `+pathColumns+`, c.claimant_id, c.role, c.brings FROM ledger_path l JOIN ledger_name n ON n.id = l.path_id
		LEFT JOIN ledger_claim c ON c.server_id = l.server_id AND c.path_id = l.path_id WHERE l.server_id = ?`+which+` ORDER BY l.path_id`, append([]any{server}, args...)...)
	if err != nil {
		return nil, fmt.Errorf("read the ledger: %w", err)
	}
	put()
	return out, nil
}

func compare(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

const pathColumns = `l.path_id, n.path, l.being, l.digest, l.size, l.mode, l.reported_size, l.reported_at, l.seen_at, l.listed`

func scanPath(r *sql.Rows, id *int64, p *tree.Path, row *draft.Row, more ...any) error {
	var being int
	var digest, listed sql.RawBytes
	if err := r.Scan(append([]any{id, (*string)(p), &being, &digest, &row.State.Size, &row.State.Mode, &row.Reported.Size, &row.Reported.Modified, &row.Reported.SeenAt, &listed}, more...)...); err != nil {
		return err
	}
	if being < 0 || being >= len(beings) {
		return errEvent
	}
	row.State.Being = beings[being]
	copy(row.State.Digest[:], digest)
	if listed != nil {
		return scanHeld(listed, row)
	}
	return nil
}

// held is what is kept of a text that holds more than entries of add-ons; one that holds
// only these is kept as their list.
type held struct {
	Listed []draft.Listing `json:"listed,omitempty"`
	Tweaks []draft.Tweaked `json:"tweaks,omitempty"`
}

func scanHeld(raw []byte, row *draft.Row) error {
	if bytes.HasPrefix(raw, []byte("[")) {
		return column{&row.Listed}.Scan(raw)
	}
	var h held
	err := column{&h}.Scan(raw)
	row.Listed, row.Tweaks = h.Listed, h.Tweaks
	return err
}

// asThere is kept where a claim brings the bytes that stand at its path.
var asThere = []byte{0}

// claimOf makes a claim of what is kept of it, at a path with a state.
func claimOf(who map[int64]claimant, id int64, role int, brings []byte, there tree.State) (c draft.Claim, err error) {
	w, known := who[id]
	if !known || role < 0 || role >= len(roles) {
		return c, errEvent
	}
	c = draft.Claim{Addon: w.Addon, Label: w.Label, Crate: w.Crate, Role: roles[role]}
	switch {
	case bytes.Equal(brings, asThere):
		c.Brings = bytesOf(there)
	case brings != nil:
		u := &unpacker{buf: brings}
		c.Brings = draft.Bytes{Digest: u.digest(), Size: u.number()}
		err = u.err
	}
	return c, err
}

// Holdings gives, for every server, which versions of which add-ons claim
// paths on it.
func (db *LedgerStore) Holdings(ctx context.Context) ([]model.Holding, error) {
	return all(ctx, db.sql, func(r *sql.Rows, h *model.Holding) error {
		var crate []byte
		err := r.Scan(&h.Rulebook, &h.Addon, &h.Server, &h.Label, &crate)
		copy(h.Crate[:], crate)
		return err
	}, `SELECT DISTINCT s.rulebook, a.addon, s.name, t.label, t.crate FROM ledger_addon a JOIN ledger_claimant t ON t.id = a.claimant_id JOIN server s ON s.id = a.server_id
		WHERE s.dropped_at IS NULL ORDER BY s.name, t.label`)
}

// Sums gives what each version of each add-on claims on a server: how many files, how
// large, and the event that made the newest of them. It reads no single path.
func (db *LedgerStore) Sums(ctx context.Context, server int64) ([]model.Sum, error) {
	return all(ctx, db.sql, func(r *sql.Rows, s *model.Sum) error {
		var crate []byte
		err := r.Scan(&s.Addon, &s.Label, &crate, &s.Files, &s.Bytes, &s.Seq, &s.Deployment, moment{&s.At})
		copy(s.Crate[:], crate)
		return err
	}, `SELECT a.addon, t.label, t.crate, a.files, a.bytes, a.seq, COALESCE(s.name || '#' || d.number, ''), c.at
		FROM ledger_addon a JOIN ledger_claimant t ON t.id = a.claimant_id JOIN server s ON s.id = a.server_id
		JOIN ledger_event e ON e.seq = a.seq JOIN ledger_cause c ON c.id = e.cause_id LEFT JOIN deployment d ON d.id = c.deployment_id
		WHERE a.server_id = ? ORDER BY a.addon, a.seq`, server)
}

// FileCount tells how many files a server's ledger holds.
func (db *LedgerStore) FileCount(ctx context.Context, server int64) (n int, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT COUNT(*) FROM ledger_path INDEXED BY ledger_path_files WHERE server_id = ? AND being = 3`, server).Scan(&n)
	return n, err
}

// Texts gives the texts of a server that name add-ons, with their last events.
func (db *LedgerStore) Texts(ctx context.Context, server int64) (map[tree.Path]model.Event, map[tree.Path]draft.Row, error) {
	rows, err := db.ledger(ctx, server, `SELECT path_id FROM ledger_path INDEXED BY ledger_path_listed WHERE server_id = ? AND listed IS NOT NULL`, server)
	if err != nil {
		return nil, nil, err
	}
	events, err := db.events(ctx, server, `e.seq IN (SELECT seq FROM ledger_path INDEXED BY ledger_path_listed WHERE server_id = ? AND listed IS NOT NULL)`, server)
	last := make(map[tree.Path]model.Event, len(events))
	for _, e := range events {
		last[e.Change.Path] = e
	}
	return last, rows, err
}

// Refresh notes what the host now reports of paths whose bytes were just
// proved to be what the ledger knows. It changes no event and no state.
func (db *LedgerStore) Refresh(ctx context.Context, server int64, reported map[tree.Path]draft.Reported) error {
	if len(reported) == 0 {
		return nil
	}
	return db.within(ctx, func(tx *sql.Tx) error {
		st, err := tx.PrepareContext(ctx, `UPDATE ledger_path SET reported_size = ?, reported_at = ?, seen_at = ? WHERE server_id = ? AND path_id = (SELECT id FROM ledger_name WHERE server_id = ? AND path = ?)`)
		if err != nil {
			return err
		}
		defer st.Close()
		for p, r := range reported {
			if _, err := st.ExecContext(ctx, r.Size, r.Modified, r.SeenAt, server, server, string(p)); err != nil {
				return err
			}
		}
		return nil
	})
}

// Rebuild derives a server's state again from its events. What the host
// reported of the paths is kept where the state is the same as before.
func (db *LedgerStore) Rebuild(ctx context.Context, server int64) error {
	old, err := db.Ledger(ctx, server)
	if err != nil {
		return err
	}
	events, err := db.Events(ctx, server)
	if err != nil {
		return err
	}
	return db.within(ctx, func(tx *sql.Tx) error {
		for _, table := range []string{"ledger_claim", "ledger_path", "ledger_addon"} {
			if _, err := tx.ExecContext(ctx, `DELETE FROM `+table+` WHERE server_id = ?`, server); err != nil {
				return err
			}
		}
		w, err := newLedgerWriter(ctx, tx, server, db.sealChange)
		if err != nil {
			return err
		}
		defer w.close()
		for _, e := range events {
			var rep draft.Reported
			if o, ok := old[e.Change.Path]; ok && o.State.Same(e.Change.After) {
				rep = o.Reported
			}
			path, _, err := w.name(ctx, e.Change.Path)
			if err != nil {
				return err
			}
			if err := w.apply(ctx, path, false, e.Seq, e.Change, rep); err != nil {
				return err
			}
		}
		return w.sumUp(ctx)
	})
}

// LastSeq gives the last event of a deployment; [ErrNotFound] where it made none.
func (db *LedgerStore) LastSeq(ctx context.Context, server int64, number int) (int64, error) {
	var seq sql.NullInt64
	err := db.sql.QueryRowContext(ctx, `SELECT MAX(c.last_seq) FROM deployment d JOIN ledger_cause c ON c.deployment_id = d.id WHERE d.server_id = ? AND d.number = ?`, server, number).Scan(&seq)
	if err == nil && !seq.Valid {
		return 0, model.ErrNotFound
	}
	return seq.Int64, errors.Join(err)
}
