package records

import (
	"context"
	"database/sql"

	"github.com/pressly/goose/v3"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// ledgerTables are the ledger as it is kept now: a path's text stands once, and events
// are packed.
const ledgerTables = `
CREATE TABLE ledger_name (id INTEGER PRIMARY KEY, server_id INTEGER NOT NULL REFERENCES server (id), path TEXT NOT NULL);
CREATE UNIQUE INDEX ledger_name_path ON ledger_name (server_id, path);
CREATE TABLE ledger_claimant (id INTEGER PRIMARY KEY, server_id INTEGER NOT NULL, addon TEXT NOT NULL, label TEXT NOT NULL, crate BLOB NOT NULL, UNIQUE (server_id, addon, label, crate));
CREATE INDEX ledger_claimant_crate ON ledger_claimant (crate);
CREATE TABLE ledger_cause (id INTEGER PRIMARY KEY, cause TEXT NOT NULL, deployment_id INTEGER REFERENCES deployment (id), actor TEXT NOT NULL, at INTEGER NOT NULL);
CREATE INDEX ledger_cause_deployment ON ledger_cause (deployment_id);
CREATE TABLE ledger_event (seq INTEGER PRIMARY KEY AUTOINCREMENT, server_id INTEGER NOT NULL REFERENCES server (id), path_id INTEGER NOT NULL REFERENCES ledger_name (id),
	change BLOB NOT NULL, cause_id INTEGER NOT NULL REFERENCES ledger_cause (id));
CREATE INDEX ledger_event_path ON ledger_event (server_id, path_id);
CREATE INDEX ledger_event_cause ON ledger_event (cause_id);
CREATE TRIGGER ledger_event_kept BEFORE UPDATE ON ledger_event BEGIN SELECT RAISE(ABORT, 'ledger events are never changed'); END;
CREATE TRIGGER ledger_event_stays BEFORE DELETE ON ledger_event BEGIN SELECT RAISE(ABORT, 'ledger events are never removed'); END;
CREATE TABLE ledger_path (server_id INTEGER NOT NULL, path_id INTEGER NOT NULL, being INTEGER NOT NULL, digest BLOB, size INTEGER NOT NULL, mode INTEGER NOT NULL,
	reported_size INTEGER NOT NULL, reported_at INTEGER NOT NULL, seen_at INTEGER NOT NULL, listed TEXT, seq INTEGER NOT NULL, PRIMARY KEY (server_id, path_id)) WITHOUT ROWID;
CREATE INDEX ledger_path_listed ON ledger_path (server_id) WHERE listed IS NOT NULL;
CREATE TABLE ledger_claim (server_id INTEGER NOT NULL, path_id INTEGER NOT NULL, claimant_id INTEGER NOT NULL REFERENCES ledger_claimant (id), role INTEGER NOT NULL, brings BLOB,
	PRIMARY KEY (server_id, path_id, claimant_id)) WITHOUT ROWID;
CREATE INDEX ledger_claim_claimant ON ledger_claim (claimant_id);
CREATE INDEX ledger_claim_over ON ledger_claim (server_id) WHERE role = 2;
CREATE TABLE ledger_addon (server_id INTEGER NOT NULL, addon TEXT NOT NULL, claimant_id INTEGER NOT NULL REFERENCES ledger_claimant (id), files INTEGER NOT NULL, bytes INTEGER NOT NULL,
	seq INTEGER NOT NULL, PRIMARY KEY (server_id, addon, claimant_id)) WITHOUT ROWID;
`

// packLedger is the migration that carries the ledger of earlier versions over.
func packLedger() *goose.Migration {
	up := func(ctx context.Context, tx *sql.Tx) error {
		for _, step := range []string{
			`DROP TRIGGER ledger_event_kept`, `DROP TRIGGER ledger_event_stays`, `DROP INDEX ledger_event_path`, `DROP INDEX ledger_event_deployment`,
			`DROP INDEX ledger_claim_addon`, `DROP INDEX ledger_claim_crate`,
			`ALTER TABLE ledger_event RENAME TO old_event`, `ALTER TABLE ledger_path RENAME TO old_path`, `ALTER TABLE ledger_claim RENAME TO old_claim`, ledgerTables,
		} {
			if _, err := tx.ExecContext(ctx, step); err != nil {
				return err
			}
		}
		servers, err := all(ctx, tx, func(r *sql.Rows, id *int64) error { return r.Scan(id) }, `SELECT DISTINCT server_id FROM old_event ORDER BY 1`)
		if err != nil {
			return err
		}
		for _, server := range servers {
			if err := carryLedger(ctx, tx, server); err != nil {
				return err
			}
		}
		for _, table := range []string{"old_claim", "old_path", "old_event"} {
			if _, err := tx.ExecContext(ctx, `DROP TABLE `+table); err != nil {
				return err
			}
		}
		return nil
	}
	return goose.NewGoMigration(16, &goose.GoFunc{RunTx: up}, nil)
}

// carryLedger writes the events of one server anew, with their numbers, and derives
// its state from them. What its host reported stays.
func carryLedger(ctx context.Context, tx *sql.Tx, server int64) error {
	reported := map[tree.Path]draft.Reported{}
	states := map[tree.Path]tree.State{}
	_, err := all(ctx, tx, func(r *sql.Rows, _ *struct{}) error {
		var p string
		var rep draft.Reported
		var st tree.State
		err := r.Scan(&p, asJSON(&st), asJSON(&rep))
		reported[tree.Path(p)], states[tree.Path(p)] = rep, st
		return err
	}, `SELECT path, state, reported FROM old_path WHERE server_id = ?`, server)
	if err != nil {
		return err
	}
	w, err := newLedgerWriter(ctx, tx, server, func(c draft.Change) (draft.Change, error) { return c, nil })
	if err != nil {
		return err
	}
	defer w.close()
	put, err := tx.PrepareContext(ctx, `INSERT INTO ledger_event (seq, server_id, path_id, change, cause_id) VALUES (?,?,?,?,?)`)
	if err != nil {
		return err
	}
	defer put.Close()
	type cause struct {
		cause      string
		deployment int64
		actor      string
		at         int64
	}
	var last cause
	// A page at a time: a ledger can be long, and what is read is written meanwhile.
	for after := int64(0); ; {
		type old struct {
			seq    int64
			change draft.Change
			cause  cause
		}
		page, err := all(ctx, tx, func(r *sql.Rows, o *old) error {
			var edit textEdit
			err := r.Scan(&o.seq, (*string)(&o.change.Path), asJSON(&o.change.Before), asJSON(&o.change.After), asJSON(&o.change.ClaimsBefore), asJSON(&o.change.ClaimsAfter),
				asJSON(&edit), &o.cause.cause, &o.cause.deployment, &o.cause.actor, &o.cause.at)
			o.change.ListedBefore, o.change.ListedAfter, o.change.Edits = edit.Before, edit.After, edit.Edits
			return err
		}, `SELECT seq, path, before, after, claims_before, claims_after, edit, cause, COALESCE(deployment_id, 0), actor, at FROM old_event WHERE server_id = ? AND seq > ? ORDER BY seq LIMIT 2000`, server, after)
		if err != nil || len(page) == 0 {
			if err != nil {
				return err
			}
			break
		}
		for _, o := range page {
			after = o.seq
			// Of one run the times differ by what it took to write them: its first counts.
			if same := last; same.at != 0 && same.cause == o.cause.cause && same.deployment == o.cause.deployment && same.actor == o.cause.actor {
				o.cause = last
			} else {
				var deployment any
				if o.cause.deployment != 0 {
					deployment = o.cause.deployment
				}
				if err := w.setCause(ctx, o.cause.cause, deployment, o.cause.actor, o.cause.at); err != nil {
					return err
				}
				last = o.cause
			}
			for _, claims := range [][]draft.Claim{o.change.ClaimsBefore, o.change.ClaimsAfter} {
				for _, cl := range claims {
					if _, err := w.claimantID(ctx, claimantOf(cl)); err != nil {
						return err
					}
				}
			}
			path, _, err := w.name(ctx, o.change.Path)
			if err != nil {
				return err
			}
			if _, err := put.ExecContext(ctx, o.seq, server, path, packChange(o.change, func(x claimant) int64 { return w.claimants[x] }), w.cause); err != nil {
				return err
			}
			var rep draft.Reported
			if states[o.change.Path].Same(o.change.After) {
				rep = reported[o.change.Path]
			}
			if err := w.apply(ctx, path, false, o.seq, o.change, rep); err != nil {
				return err
			}
		}
	}
	return w.sumUp(ctx)
}
