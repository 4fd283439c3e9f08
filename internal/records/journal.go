package records

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// The journal is keyed (deployment, leg, motion). Each call that writes is one transaction.
var _ deploy.Journal = (*DB)(nil)

// Intend implements deploy.Journal.
func (db *JournalStore) Intend(ctx context.Context, deployment int64, motions []draft.Motion) error {
	outcomes := make([]deploy.Outcome, len(motions))
	for i, m := range motions {
		outcomes[i].Motion = m
	}
	return db.mark(ctx, deployment, deploy.Intended, outcomes)
}

// Intended implements deploy.Journal. What is known of a motion stays known.
func (db *JournalStore) Intended(ctx context.Context, deployment int64, outcomes []deploy.Outcome) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		for _, o := range outcomes {
			if err := keepAll(ctx, tx, o.Result.AllKept()); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	return nil
}

// keepAll makes kept bytes known.
func keepAll(ctx context.Context, tx *sql.Tx, all []stockroom.Kept) error {
	held := map[string][]stockroom.Held{}
	for _, k := range all {
		held[k.Container] = append(held[k.Container], stockroom.Held{Digest: k.Digest, Span: k.Span})
	}
	for container, contents := range held {
		cid, err := addContainer(ctx, tx, container, "segment")
		if err != nil {
			return err
		}
		if err := addContents(ctx, tx, cid, contents); err != nil {
			return err
		}
	}
	return nil
}

// Conclude implements deploy.Journal.
func (db *JournalStore) Conclude(ctx context.Context, deployment int64, outcomes []deploy.Outcome) error {
	return db.mark(ctx, deployment, deploy.Finished, outcomes)
}

// Reverse implements deploy.Journal.
func (db *JournalStore) Reverse(ctx context.Context, deployment int64, outcomes []deploy.Outcome) error {
	return db.mark(ctx, deployment, deploy.Undone, outcomes)
}

func (db *JournalStore) mark(ctx context.Context, deployment int64, state deploy.MarkState, outcomes []deploy.Outcome) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		put, err := tx.PrepareContext(ctx, `INSERT INTO motion (deployment_id, leg, motion, state, result) VALUES (?,?,?,?,?)
			ON CONFLICT DO UPDATE SET state = excluded.state, result = excluded.result`)
		if err != nil {
			return err
		}
		defer put.Close()
		for _, o := range outcomes {
			if err := keepAll(ctx, tx, o.Result.AllKept()); err != nil {
				return err
			}
			if o.Result.Edited != nil {
				kept := *o.Result.Edited
				if kept.Edits, err = db.sealEdits(kept.Edits); err != nil {
					return err
				}
				o.Result.Edited = &kept
			}
			if _, err := put.ExecContext(ctx, deployment, o.Motion.Leg, o.Motion.ID, state, text(o.Result)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	return nil
}

// Marks implements deploy.Journal.
func (db *JournalStore) Marks(ctx context.Context, deployment int64) (deploy.Marks, error) {
	var out deploy.Marks
	some := false
	err := eachMark(ctx, db.sql, deployment, func(m packedMark) error {
		some = true
		db.openMark(m)
		out.Add(m.Key, deploy.Mark{State: m.State, Result: m.Result})
		return nil
	})
	if err == nil && !some {
		err = db.packedMarks(ctx, deployment, func(m packedMark) { db.openMark(m); out.Add(m.Key, deploy.Mark{State: m.State, Result: m.Result}) })
	}
	if err != nil {
		return out, fmt.Errorf("read the journal: %w", err)
	}
	return out, nil
}

// Finished tells which motions of a deployment the journal shows as done.
func (db *JournalStore) Finished(ctx context.Context, deployment int64) (map[deploy.Key]bool, error) {
	list, err := all(ctx, db.sql, func(r *sql.Rows, k *deploy.Key) error { return r.Scan(&k.Leg, &k.Motion) },
		`SELECT leg, motion FROM motion WHERE deployment_id = ? AND state = ?`, deployment, deploy.Finished)
	out := make(map[deploy.Key]bool, len(list))
	for _, k := range list {
		out[k] = true
	}
	if err == nil && len(list) == 0 {
		err = db.packedMarks(ctx, deployment, func(m packedMark) { out[m.Key] = m.State == deploy.Finished })
	}
	if err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	return out, nil
}

func (db *JournalStore) openMark(m packedMark) {
	if m.Result.Edited != nil {
		db.openEdits(m.Result.Edited.Edits)
	}
}

// packedMark is a mark in a packed journal.
type packedMark struct {
	Key    deploy.Key       `json:"k"`
	State  deploy.MarkState `json:"s"`
	Result deploy.Result    `json:"r"`
}

// eachMark reads the rows of a journal, in order.
func eachMark(ctx context.Context, q querier, deployment int64, do func(packedMark) error) error {
	rows, err := q.QueryContext(ctx, `SELECT leg, motion, state, result FROM motion WHERE deployment_id = ? ORDER BY leg, motion`, deployment)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var m packedMark
		var result string
		if err := rows.Scan(&m.Key.Leg, &m.Key.Motion, &m.State, &result); err != nil {
			return err
		}
		if result != "{}" { // as most are
			if err := json.Unmarshal([]byte(result), &m.Result); err != nil {
				return err
			}
		}
		if err := do(m); err != nil {
			return err
		}
	}
	return rows.Err()
}

// packedMarks reads the journal of a deployment that is over.
func (db *JournalStore) packedMarks(ctx context.Context, deployment int64, do func(packedMark)) error {
	raw, err := first(ctx, db.sql, func(r *sql.Rows, v *[]byte) error { return r.Scan(v) }, `SELECT journal FROM deployment WHERE id = ?`, deployment)
	if errors.Is(err, model.ErrNotFound) || err == nil && len(raw) == 0 {
		return nil
	}
	if err != nil {
		return err
	}
	return unpackEach(raw, func(m *packedMark) error { do(*m); return nil })
}

// packJournal puts the journal of a deployment that is over into one value.
func packJournal(ctx context.Context, tx *sql.Tx, deployment int64) error {
	some := false
	raw, err := zstdOf(func(w io.Writer) error {
		lines := json.NewEncoder(w)
		return eachMark(ctx, tx, deployment, func(m packedMark) error {
			some = true
			return lines.Encode(&m)
		})
	})
	if err != nil || !some {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE deployment SET journal = ? WHERE id = ?`, raw, deployment); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `DELETE FROM motion WHERE deployment_id = ?`, deployment)
	return err
}
