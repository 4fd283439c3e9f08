package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"restlesscrate/internal/model"
)

const revisionColumns = `id, name, number, title, text, digest, actor, created_at`

func scanRevision(r *sql.Rows, v *model.Revision) error {
	return r.Scan(&v.ID, &v.Name, &v.Number, &v.Title, &v.Text, &v.Digest, &v.Actor, moment{&v.CreatedAt})
}

// AddRevision records a rulebook's next revision. The same text as the newest
// gives that one and fresh is false.
func (db *RulebookStore) AddRevision(ctx context.Context, v model.Revision) (rev model.Revision, fresh bool, err error) {
	err = db.within(ctx, func(tx *sql.Tx) error {
		last, err := first(ctx, tx, scanRevision, `SELECT `+revisionColumns+` FROM rulebook_revision WHERE name = ? AND dropped_at IS NULL ORDER BY number DESC LIMIT 1`, v.Name)
		if err == nil && last.Digest == v.Digest {
			rev = last
			return nil
		}
		if err != nil && !errors.Is(err, model.ErrNotFound) {
			return err
		}
		if err := tx.QueryRowContext(ctx, `SELECT COALESCE(MAX(number), 0) + 1 FROM rulebook_revision WHERE name = ?`, v.Name).Scan(&v.Number); err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO rulebook_revision (name, number, title, text, digest, actor, created_at) VALUES (?,?,?,?,?,?,?)`,
			v.Name, v.Number, v.Title, v.Text, v.Digest, v.Actor, db.millis())
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		fresh = true
		rev, err = first(ctx, tx, scanRevision, `SELECT `+revisionColumns+` FROM rulebook_revision WHERE id = ?`, id)
		return err
	})
	if err != nil {
		return rev, false, fmt.Errorf("record rulebook %s: %w", v.Name, err)
	}
	return rev, fresh, nil
}

// Rulebooks lists the newest revision of every rulebook by name.
func (db *RulebookStore) Rulebooks(ctx context.Context) ([]model.Revision, error) {
	return all(ctx, db.sql, scanRevision, `SELECT `+revisionColumns+` FROM rulebook_revision r WHERE dropped_at IS NULL
		AND number = (SELECT MAX(number) FROM rulebook_revision WHERE name = r.name AND dropped_at IS NULL) ORDER BY name`)
}

// Rulebook finds a rulebook's revision; number 0 is the newest.
func (db *RulebookStore) Rulebook(ctx context.Context, name string, number int) (model.Revision, error) {
	return first(ctx, db.sql, scanRevision, `SELECT `+revisionColumns+` FROM rulebook_revision
		WHERE name = ? AND dropped_at IS NULL AND (? = 0 OR number = ?) ORDER BY number DESC LIMIT 1`, name, number, number)
}

// RevisionByID finds a revision, dropped or not.
func (db *RulebookStore) RevisionByID(ctx context.Context, id int64) (model.Revision, error) {
	return first(ctx, db.sql, scanRevision, `SELECT `+revisionColumns+` FROM rulebook_revision WHERE id = ?`, id)
}

// DropRulebook takes a rulebook out of the list. [ErrConflict], naming them,
// where servers or feeds use it.
func (db *RulebookStore) DropRulebook(ctx context.Context, name string) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		users, err := all(ctx, tx, func(r *sql.Rows, s *string) error { return r.Scan(s) },
			`SELECT name FROM server WHERE rulebook = ?1 AND dropped_at IS NULL
			UNION SELECT 'feed ' || name FROM feed WHERE rulebook = ?1 ORDER BY 1`, name)
		if err != nil {
			return err
		}
		if len(users) > 0 {
			return model.Conflict("rulebook %s is in use by %v", name, users)
		}
		res, err := tx.ExecContext(ctx, `UPDATE rulebook_revision SET dropped_at = ? WHERE name = ? AND dropped_at IS NULL`, db.millis(), name)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(model.ErrNotFound, err)
		}
		return nil
	})
}
