package records

import (
	"context"
	"database/sql"
	"errors"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/model"
)

// Seen tells what was last found out about a server beside its files; nothing where nobody has
// tried.
func (db *SeenStore) Seen(ctx context.Context, server int64) (model.Seen, error) {
	s, err := first(ctx, db.sql, func(r *sql.Rows, s *model.Seen) error {
		return r.Scan(moment{&s.TriedAt}, moment{&s.ReachedAt}, asJSON(&s.Trouble), &s.Condition, &s.Words, moment{&s.ConditionAt}, &s.Meant)
	}, `SELECT tried_at, reached_at, trouble, condition, words, condition_at, meant FROM seen WHERE server_id = ?`, server)
	if errors.Is(err, model.ErrNotFound) {
		return model.Seen{}, nil
	}
	return s, err
}

// SaveReach notes that a server's host was tried now: reached, or why not.
func (db *SeenStore) SaveReach(ctx context.Context, server int64, trouble *finding.Finding) error {
	var reached any
	if trouble == nil {
		reached = db.millis()
	}
	return db.see(ctx, server, `UPDATE seen SET tried_at = ?, reached_at = COALESCE(?, reached_at), trouble = ? WHERE server_id = ?`, db.millis(), reached, text(trouble), server)
}

// SaveCondition notes how a server's game was found now.
func (db *SeenStore) SaveCondition(ctx context.Context, server int64, condition, words string) error {
	return db.see(ctx, server, `UPDATE seen SET condition = ?, words = ?, condition_at = ? WHERE server_id = ?`, condition, words, db.millis(), server)
}

// SaveMeant notes what a server was told to be: running or stopped.
func (db *SeenStore) SaveMeant(ctx context.Context, server int64, meant string) error {
	return db.see(ctx, server, `UPDATE seen SET meant = ? WHERE server_id = ?`, meant, server)
}

func (db *SeenStore) see(ctx context.Context, server int64, update string, args ...any) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO seen (server_id) VALUES (?) ON CONFLICT DO NOTHING`, server); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, update, args...)
		return err
	})
}
