package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// The journal is keyed (deployment, leg, motion). One call is one transaction.
var _ deploy.Journal = (*DB)(nil)

// Intend implements deploy.Journal.
func (db *DB) Intend(ctx context.Context, deployment int64, motions []draft.Motion) error {
	outcomes := make([]deploy.Outcome, len(motions))
	for i, m := range motions {
		outcomes[i].Motion = m
	}
	return db.mark(ctx, deployment, deploy.Intended, outcomes)
}

// Intended implements deploy.Journal. What is known of a motion stays known.
func (db *DB) Intended(ctx context.Context, deployment int64, outcomes []deploy.Outcome) error {
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
func (db *DB) Conclude(ctx context.Context, deployment int64, outcomes []deploy.Outcome) error {
	return db.mark(ctx, deployment, deploy.Finished, outcomes)
}

// Reverse implements deploy.Journal.
func (db *DB) Reverse(ctx context.Context, deployment int64, outcomes []deploy.Outcome) error {
	return db.mark(ctx, deployment, deploy.Undone, outcomes)
}

func (db *DB) mark(ctx context.Context, deployment int64, state deploy.MarkState, outcomes []deploy.Outcome) error {
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
func (db *DB) Marks(ctx context.Context, deployment int64) (map[deploy.Key]deploy.Mark, error) {
	rows, err := marksOf(ctx, db.sql, deployment)
	if err == nil && len(rows) == 0 {
		rows, err = first(ctx, db.sql, func(r *sql.Rows, v *[]packedMark) error { return r.Scan(asJSON(v)) }, `SELECT journal FROM deployment WHERE id = ?`, deployment)
		if errors.Is(err, model.ErrNotFound) {
			err = nil
		}
	}
	if err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	out := make(map[deploy.Key]deploy.Mark, len(rows))
	for _, v := range rows {
		out[v.Key] = deploy.Mark{State: v.State, Result: v.Result}
	}
	return out, nil
}

// packedMark is a mark in a packed journal.
type packedMark struct {
	Key    deploy.Key       `json:"k"`
	State  deploy.MarkState `json:"s"`
	Result deploy.Result    `json:"r"`
}

func marksOf(ctx context.Context, q querier, deployment int64) ([]packedMark, error) {
	return all(ctx, q, func(r *sql.Rows, v *packedMark) error {
		return r.Scan(&v.Key.Leg, &v.Key.Motion, &v.State, asJSON(&v.Result))
	}, `SELECT leg, motion, state, result FROM motion WHERE deployment_id = ? ORDER BY leg, motion`, deployment)
}

// packJournal puts the journal of a deployment that is over into one value.
func packJournal(ctx context.Context, tx *sql.Tx, deployment int64) error {
	rows, err := marksOf(ctx, tx, deployment)
	if err != nil || len(rows) == 0 {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE deployment SET journal = ? WHERE id = ?`, zipped(rows), deployment); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `DELETE FROM motion WHERE deployment_id = ?`, deployment)
	return err
}
