package records

import (
	"context"
	"database/sql"

	"restlesscrate/internal/model"
)

// Narrowing gives the search that goes on on a server; [model.ErrNotFound] where there is none.
func (db *RollCallStore) Narrowing(ctx context.Context, server int64) (model.Narrowing, error) {
	return first(ctx, db.sql, func(r *sql.Rows, n *model.Narrowing) error {
		return r.Scan(&n.ServerID, &n.Base, asJSON(&n.Own), asJSON(&n.Search), &n.Actor, moment{&n.At})
	}, `SELECT server_id, base, own, search, actor, at FROM narrowing WHERE server_id = ?`, server)
}

// SaveNarrowing writes a search down.
func (db *RollCallStore) SaveNarrowing(ctx context.Context, n model.Narrowing) error {
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO narrowing (server_id, base, own, search, actor, at) VALUES (?,?,?,?,?,?)`,
		n.ServerID, n.Base, text(append([]int{}, n.Own...)), text(n.Search), n.Actor, db.millis())
	return err
}

// EndNarrowing forgets the search on a server.
func (db *RollCallStore) EndNarrowing(ctx context.Context, server int64) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM narrowing WHERE server_id = ?`, server)
	return err
}
