package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// SecretMarks gives the values of a server's texts that are marked as secret.
func (db *ServerStore) SecretMarks(ctx context.Context, server int64) (model.SecretMarks, error) {
	out := model.SecretMarks{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var p, at string
		err := r.Scan(&p, &at)
		out[tree.Path(p)] = append(out[tree.Path(p)], at)
		return err
	}, `SELECT path, at FROM secret_value WHERE server_id = ? ORDER BY path, at`, server)
	if err != nil {
		return nil, fmt.Errorf("read which values are secret: %w", err)
	}
	return out, nil
}

// MarkSecret marks a value of a text as secret. One that is marked stays so.
func (db *ServerStore) MarkSecret(ctx context.Context, server int64, p tree.Path, at, actor string) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO secret_value (server_id, path, at, actor, marked_at) VALUES (?,?,?,?,?) ON CONFLICT DO NOTHING`, server, string(p), at, actor, db.millis())
	if err != nil {
		return fmt.Errorf("mark the value as secret: %w", err)
	}
	return nil
}

// UnmarkSecret takes such a mark back; [model.ErrConflict] where there is none.
func (db *ServerStore) UnmarkSecret(ctx context.Context, server int64, p tree.Path, at string) error {
	return exactly(db.sql.ExecContext(ctx, `DELETE FROM secret_value WHERE server_id = ? AND path = ? AND at = ?`, server, string(p), at))
}
