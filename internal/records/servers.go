package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/model"
)

const serverColumns = `id, name, rulebook, transport, variables, facts, host_key, seen_key, abilities, control, created_at`

func scanServer(r *sql.Rows, s *model.Server) error {
	return r.Scan(&s.ID, &s.Name, &s.Rulebook, asJSON(&s.Transport), asJSON(&s.Variables), asJSON(&s.Facts),
		&s.HostKey, &s.SeenKey, asJSON(&s.Abilities), asJSON(&s.Control), moment{&s.CreatedAt})
}

// AddServer records a new server. [ErrConflict] where the name is taken.
func (db *DB) AddServer(ctx context.Context, s model.Server) (model.Server, error) {
	if _, err := db.Server(ctx, s.Name); err == nil {
		return s, fmt.Errorf("a server named %s is there already: %w", s.Name, model.ErrConflict)
	}
	res, err := db.sql.ExecContext(ctx, `INSERT INTO server (name, rulebook, transport, variables, facts, created_at) VALUES (?,?,?,?,?,?)`,
		s.Name, s.Rulebook, text(s.Transport), text(s.Variables), text(s.Facts), db.millis())
	if err != nil {
		return s, fmt.Errorf("record the server: %w", err)
	}
	if s.ID, err = res.LastInsertId(); err != nil {
		return s, err
	}
	return db.Server(ctx, s.Name)
}

// Server finds a server by name.
func (db *DB) Server(ctx context.Context, name string) (model.Server, error) {
	return first(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE name = ? AND dropped_at IS NULL`, name)
}

// ServerByID finds a server that may have been dropped or renamed since.
func (db *DB) ServerByID(ctx context.Context, id int64) (model.Server, error) {
	return first(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE id = ?`, id)
}

// Servers lists all servers by name.
func (db *DB) Servers(ctx context.Context) ([]model.Server, error) {
	return all(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE dropped_at IS NULL ORDER BY name`)
}

// SaveServer writes everything about a server but its id and numbers.
func (db *DB) SaveServer(ctx context.Context, s model.Server) error {
	var abilities any
	if s.Abilities != nil {
		abilities = text(s.Abilities)
	}
	var control any
	if len(s.Control) > 0 {
		control = string(s.Control)
	}
	err := exactly(db.sql.ExecContext(ctx, `UPDATE server SET name=?, rulebook=?, transport=?, variables=?, facts=?, host_key=?, seen_key=?, abilities=?, control=? WHERE id=?`,
		s.Name, s.Rulebook, text(s.Transport), text(s.Variables), text(s.Facts), s.HostKey, s.SeenKey, abilities, control, s.ID))
	if err != nil {
		return fmt.Errorf("save server %s: %w", s.Name, err)
	}
	return nil
}

// DropServer forgets a server's connection and secrets; its ledger stays.
func (db *DB) DropServer(ctx context.Context, id int64) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM secret WHERE server_id = ?`, id); err != nil {
			return err
		}
		return exactly(tx.ExecContext(ctx, `UPDATE server SET dropped_at = ? WHERE id = ? AND dropped_at IS NULL`, db.millis(), id))
	})
}

// PutSecret keeps a sealed secret of a server; nil takes it away.
func (db *DB) PutSecret(ctx context.Context, server int64, name string, sealed []byte) error {
	if sealed == nil {
		_, err := db.sql.ExecContext(ctx, `DELETE FROM secret WHERE server_id = ? AND name = ?`, server, name)
		return err
	}
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO secret (server_id, name, sealed) VALUES (?,?,?)`, server, name, sealed)
	return err
}

// SecretCount tells how many secrets of servers are sealed.
func (db *DB) SecretCount(ctx context.Context) (n int, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT COUNT(*) FROM secret`).Scan(&n)
	return n, err
}

// Secret gives a sealed secret; nil where there is none.
func (db *DB) Secret(ctx context.Context, server int64, name string) ([]byte, error) {
	var sealed []byte
	err := db.sql.QueryRowContext(ctx, `SELECT sealed FROM secret WHERE server_id = ? AND name = ?`, server, name).Scan(&sealed)
	if err == sql.ErrNoRows {
		return nil, nil
	}
	return sealed, err
}
