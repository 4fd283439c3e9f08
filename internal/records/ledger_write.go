package records

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// ledgerWriter writes many rows of one server's ledger in one transaction.
type ledgerWriter struct {
	tx        *sql.Tx
	server    int64
	cause     int64
	claimants map[claimant]int64
	seal      func(draft.Change) (draft.Change, error)
	touched   map[string]bool // keys of add-ons whose sums have to be made again
	st        map[string]*sql.Stmt
}

func newLedgerWriter(ctx context.Context, tx *sql.Tx, server int64, seal func(draft.Change) (draft.Change, error)) (*ledgerWriter, error) {
	w := &ledgerWriter{tx: tx, seal: seal, server: server, claimants: map[claimant]int64{}, touched: map[string]bool{}, st: map[string]*sql.Stmt{}}
	who, err := claimants(ctx, tx, server)
	if err != nil {
		return nil, err
	}
	for id, c := range who {
		w.claimants[c] = id
	}
	for name, query := range map[string]string{
		"name":   `SELECT id FROM ledger_name WHERE server_id = ? AND path = ?`,
		"new":    `INSERT INTO ledger_name (server_id, path) VALUES (?,?)`,
		"event":  `INSERT INTO ledger_event (server_id, path_id, change, cause_id) VALUES (?,?,?,?)`,
		"claims": `SELECT DISTINCT t.addon FROM ledger_claim c JOIN ledger_claimant t ON t.id = c.claimant_id WHERE c.server_id = ? AND c.path_id = ?`,
		"first":  `SELECT change FROM ledger_event WHERE server_id = ? AND path_id = ? ORDER BY seq LIMIT 1`,
		"forget": `DELETE FROM ledger_path WHERE server_id = ? AND path_id = ?`,
		"unsay":  `DELETE FROM ledger_claim WHERE server_id = ? AND path_id = ?`,
		"path":   `INSERT INTO ledger_path (server_id, path_id, being, digest, size, mode, reported_size, reported_at, seen_at, listed, seq) VALUES (?,?,?,?,?,?,?,?,?,?,?)`,
		"claim":  `INSERT INTO ledger_claim (server_id, path_id, claimant_id, role, brings) VALUES (?,?,?,?,?)`,
	} {
		if w.st[name], err = tx.PrepareContext(ctx, query); err != nil {
			w.close()
			return nil, err
		}
	}
	return w, nil
}

func (w *ledgerWriter) close() {
	for _, st := range w.st {
		_ = st.Close() // what they wrote is told by the commit
	}
}

// setCause begins what one cause changed.
func (w *ledgerWriter) setCause(ctx context.Context, cause string, deployment any, actor string, at int64) error {
	res, err := w.tx.ExecContext(ctx, `INSERT INTO ledger_cause (cause, deployment_id, actor, at) VALUES (?,?,?,?)`, cause, deployment, actor, at)
	if err == nil {
		w.cause, err = res.LastInsertId()
	}
	return err
}

// ended notes the last event of the cause that was begun.
func (w *ledgerWriter) ended(ctx context.Context) error {
	_, err := w.tx.ExecContext(ctx, `UPDATE ledger_cause SET last_seq = (SELECT MAX(seq) FROM ledger_event) WHERE id = ? AND EXISTS
		(SELECT 1 FROM ledger_event WHERE seq = (SELECT MAX(seq) FROM ledger_event) AND cause_id = ?)`, w.cause, w.cause)
	return err
}

// number gives the number of a claimant; one that is new gets its own by claimantID.
func (w *ledgerWriter) claimantID(ctx context.Context, c claimant) (int64, error) {
	if id, ok := w.claimants[c]; ok {
		return id, nil
	}
	res, err := w.tx.ExecContext(ctx, `INSERT INTO ledger_claimant (server_id, addon, label, crate) VALUES (?,?,?,?)`, w.server, c.Addon, c.Label, c.Crate[:])
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	w.claimants[c] = id
	return id, err
}

// record writes one event and the state that follows from it.
func (w *ledgerWriter) record(ctx context.Context, c draft.Change, rep draft.Reported) error {
	for _, claims := range [][]draft.Claim{c.ClaimsBefore, c.ClaimsAfter} {
		for _, cl := range claims {
			if _, err := w.claimantID(ctx, claimantOf(cl)); err != nil {
				return err
			}
		}
	}
	path, fresh, err := w.name(ctx, c.Path)
	if err != nil {
		return err
	}
	if c, err = w.seal(c); err != nil {
		return err
	}
	res, err := w.st["event"].ExecContext(ctx, w.server, path, packChange(c, func(x claimant) int64 { return w.claimants[x] }), w.cause)
	if err != nil {
		return err
	}
	seq, err := res.LastInsertId()
	if err != nil {
		return err
	}
	return w.apply(ctx, path, fresh, seq, c, rep)
}

// name gives the number of a path, and whether it was never heard of before.
func (w *ledgerWriter) name(ctx context.Context, p tree.Path) (id int64, fresh bool, err error) {
	err = w.st["name"].QueryRowContext(ctx, w.server, string(p)).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, false, err
	}
	res, err := w.st["new"].ExecContext(ctx, w.server, string(p))
	if err == nil {
		id, err = res.LastInsertId()
	}
	return id, true, err
}

// wasThere tells whether a folder stood there before any event of it: nobody here has made it.
func (w *ledgerWriter) wasThere(ctx context.Context, path int64) (bool, error) {
	var first []byte
	if err := w.st["first"].QueryRowContext(ctx, w.server, path).Scan(&first); errors.Is(err, sql.ErrNoRows) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	c, err := unpackChange(first, func(int64) (claimant, bool) { return claimant{}, true })
	return c.Before.Being == tree.Folder, err
}

// apply derives the ledger's state from one event. A path stays in it while it is
// a folder that we made or a content with a claim. fresh is set for a path of which the
// ledger holds nothing yet.
func (w *ledgerWriter) apply(ctx context.Context, path int64, fresh bool, seq int64, c draft.Change, rep draft.Reported) error {
	for _, claims := range [][]draft.Claim{c.ClaimsBefore, c.ClaimsAfter} {
		for _, cl := range claims {
			w.touched[cl.Addon] = true
		}
	}
	if !fresh {
		if err := w.clear(ctx, path); err != nil {
			return err
		}
	}
	if c.After.Being != tree.Folder && (c.After.Being != tree.Content || len(c.ClaimsAfter)+len(c.ListedAfter)+len(c.TweaksAfter) == 0) {
		return nil
	}
	if c.After.Being == tree.Folder && len(c.ClaimsAfter) == 0 && len(c.ClaimsBefore) > 0 {
		if was, err := w.wasThere(ctx, path); was || err != nil { // taken in, and given back
			return err
		}
	}
	c, err := w.seal(c) // it is sealed already where an event was just written of it
	if err != nil {
		return err
	}
	var listed any
	switch {
	case len(c.TweaksAfter) > 0:
		listed = text(held{Listed: c.ListedAfter, Tweaks: c.TweaksAfter})
	case len(c.ListedAfter) > 0:
		listed = text(c.ListedAfter)
	}
	var digest any
	if !c.After.Digest.IsZero() {
		digest = c.After.Digest[:]
	}
	if _, err := w.st["path"].ExecContext(ctx, w.server, path, slices.Index(beings, c.After.Being), digest, c.After.Size, c.After.Mode,
		rep.Size, rep.Modified, rep.SeenAt, listed, seq); err != nil {
		return err
	}
	for _, cl := range c.ClaimsAfter {
		id, err := w.claimantID(ctx, claimantOf(cl))
		if err != nil {
			return err
		}
		var brings any
		if cl.Brings == bytesOf(c.After) {
			brings = asThere
		} else if !cl.Brings.Digest.IsZero() {
			p := &packer{}
			p.digest(cl.Brings.Digest)
			p.number(cl.Brings.Size)
			brings = p.buf
		}
		if _, err := w.st["claim"].ExecContext(ctx, w.server, path, id, slices.Index(roles, cl.Role), brings); err != nil {
			return err
		}
	}
	return nil
}

// clear takes what the ledger's state has of a path out of it.
func (w *ledgerWriter) clear(ctx context.Context, path int64) error {
	if err := w.stood(ctx, path); err != nil {
		return err
	}
	if _, err := w.st["unsay"].ExecContext(ctx, w.server, path); err != nil {
		return err
	}
	_, err := w.st["forget"].ExecContext(ctx, w.server, path)
	return err
}

// stood notes whose claims a path has had so far, whatever the event says of them.
func (w *ledgerWriter) stood(ctx context.Context, path int64) error {
	rows, err := w.st["claims"].QueryContext(ctx, w.server, path)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var addon string
		if err := rows.Scan(&addon); err != nil {
			return err
		}
		w.touched[addon] = true
	}
	return rows.Err()
}

// sumUp makes the sums of the add-ons again that were touched: how many files each of
// their versions has, how large, and which event made the newest of them.
func (w *ledgerWriter) sumUp(ctx context.Context) error {
	for _, addon := range slices.Sorted(maps.Keys(w.touched)) {
		if _, err := w.tx.ExecContext(ctx, `DELETE FROM ledger_addon WHERE server_id = ? AND addon = ?`, w.server, addon); err != nil {
			return err
		}
		if _, err := w.tx.ExecContext(ctx, `INSERT INTO ledger_addon (server_id, addon, claimant_id, files, bytes, seq)
			SELECT c.server_id, t.addon, t.id, SUM(p.being = 3), SUM(p.size), MAX(p.seq) FROM ledger_claimant t JOIN ledger_claim c ON c.claimant_id = t.id AND c.server_id = t.server_id
			JOIN ledger_path p ON p.server_id = c.server_id AND p.path_id = c.path_id WHERE t.server_id = ? AND t.addon = ? GROUP BY t.id`, w.server, addon); err != nil {
			return err
		}
	}
	return nil
}
