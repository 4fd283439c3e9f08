package records

import (
	"context"
	"database/sql"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// Made gives what a recipe made before, with its text; [ErrNotFound] where it
// made nothing yet.
func (db *ContentStore) Made(ctx context.Context, recipe tree.Digest) (text string, made draft.Bytes, err error) {
	made, err = first(ctx, db.sql, func(r *sql.Rows, b *draft.Bytes) error {
		var d string
		if err := r.Scan(&text, &d, &b.Size); err != nil {
			return err
		}
		return b.Digest.UnmarshalText([]byte(d))
	}, `SELECT recipe, made, size FROM recipe WHERE digest = ?`, recipe.String())
	return text, made, err
}

// AddMade notes what a recipe made. Its bytes are recorded already.
func (db *ContentStore) AddMade(ctx context.Context, recipe tree.Digest, text string, made draft.Bytes) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO recipe (digest, recipe, made, size) VALUES (?,?,?,?) ON CONFLICT DO NOTHING`,
		recipe.String(), text, made.Digest.String(), made.Size)
	return err
}
