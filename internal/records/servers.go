package records

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"restlesscrate/internal/model"
)

const serverColumns = `id, name, rulebook, transport, variables, facts, told, told_at, facts_at, host_key, seen_key, abilities, control, version, created_at,
	EXISTS (SELECT 1 FROM lesson l WHERE l.server_id = server.id AND l.rulebook = server.rulebook),
	(SELECT at FROM last_start a WHERE a.server_id = server.id)`

func scanServer(r *sql.Rows, s *model.Server) error {
	var at map[string]time.Time
	err := r.Scan(&s.ID, &s.Name, &s.Rulebook, asJSON(&s.Transport), asJSON(&s.Variables), asJSON(&s.Facts), asJSON(&s.Told), asJSON(&at), asJSON(&s.FactsAt),
		&s.HostKey, &s.SeenKey, asJSON(&s.Abilities), asJSON(&s.Control), &s.Version, moment{&s.CreatedAt}, &s.Learning, moment{&s.StartedAt})
	for i := range s.Told {
		s.Told[i].At = at[s.Told[i].Name]
	}
	return err
}

// AddServer records a new server. [ErrConflict] where the name is taken.
func (db *ServerStore) AddServer(ctx context.Context, s model.Server) (model.Server, error) {
	if _, err := db.Server(ctx, s.Name); err == nil {
		return s, model.Conflict("a server named %s is there already", s.Name)
	}
	res, err := db.sql.ExecContext(ctx, `INSERT INTO server (name, rulebook, transport, variables, facts, facts_at, created_at) VALUES (?,?,?,?,?,?,?)`,
		s.Name, s.Rulebook, text(s.Transport), text(s.Variables), text(s.Facts), text(s.FactsAt), db.millis())
	if err != nil {
		return s, fmt.Errorf("record the server: %w", err)
	}
	if s.ID, err = res.LastInsertId(); err != nil {
		return s, err
	}
	return db.Server(ctx, s.Name)
}

// Server finds a server by name.
func (db *ServerStore) Server(ctx context.Context, name string) (model.Server, error) {
	return first(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE name = ? AND dropped_at IS NULL`, name)
}

// ServerByID finds a server that may have been dropped or renamed since.
func (db *ServerStore) ServerByID(ctx context.Context, id int64) (model.Server, error) {
	return first(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE id = ?`, id)
}

// Servers lists all servers by name.
func (db *ServerStore) Servers(ctx context.Context) ([]model.Server, error) {
	return all(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE dropped_at IS NULL ORDER BY name`)
}

// EditServer writes what people say of a server, if nobody has edited it since it was
// read with its version; else it gives [ErrConflict]. What was found out of a host is
// forgotten where it is reached another way now, and its key where it is another host.
func (db *ServerStore) EditServer(ctx context.Context, s model.Server, otherWay, otherHost bool) error {
	err := exactly(db.sql.ExecContext(ctx, `UPDATE server SET name = ?, rulebook = ?, transport = ?, variables = ?, facts = ?, facts_at = ?, version = version + 1,
		abilities = CASE WHEN ? THEN NULL ELSE abilities END, host_key = CASE WHEN ? THEN '' ELSE host_key END, seen_key = CASE WHEN ? THEN '' ELSE seen_key END
		WHERE id = ? AND version = ?`,
		s.Name, s.Rulebook, text(s.Transport), text(s.Variables), text(s.Facts), text(s.FactsAt), otherWay, otherHost, otherHost, s.ID, s.Version))
	if err != nil {
		return fmt.Errorf("save server %s: %w", s.Name, err)
	}
	return nil
}

// SaveAbilities writes what a test has found out, unless the server is reached another
// way by now: then it says nothing of it.
func (db *ServerStore) SaveAbilities(ctx context.Context, s model.Server) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE server SET abilities = ? WHERE id = ? AND transport = ?`, text(s.Abilities), s.ID, text(s.Transport))
	if err != nil {
		return fmt.Errorf("save what was found out of %s: %w", s.Name, err)
	}
	return nil
}

// SaveTold writes what a server tells of itself, and when it was seen to: now, where that is not
// said.
func (db *ServerStore) SaveTold(ctx context.Context, server int64, told []model.Fact) error {
	at := map[string]time.Time{}
	for _, f := range told {
		if at[f.Name] = f.At; f.At.IsZero() {
			at[f.Name] = db.now()
		}
	}
	values := text(append([]model.Fact{}, told...))
	err := db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE server SET told = ? WHERE id = ? AND told <> ?`, values, server, values); err != nil {
			return err
		}
		return exactly(tx.ExecContext(ctx, `UPDATE server SET told_at = ? WHERE id = ?`, text(at), server))
	})
	if err != nil {
		return fmt.Errorf("save what the server tells of itself: %w", err)
	}
	return nil
}

// SaveSeenKey writes the key that a host has offered, unless the server is another
// host by now.
func (db *ServerStore) SaveSeenKey(ctx context.Context, s model.Server) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE server SET seen_key = ? WHERE id = ? AND transport = ?`, s.SeenKey, s.ID, text(s.Transport))
	if err != nil {
		return fmt.Errorf("save the key of %s: %w", s.Name, err)
	}
	return nil
}

// SaveKeys writes a person's word on a host's key, if the offered one is still the one
// that they saw; else it gives [ErrConflict].
func (db *ServerStore) SaveKeys(ctx context.Context, s model.Server, seen string) error {
	err := exactly(db.sql.ExecContext(ctx, `UPDATE server SET host_key = ?, seen_key = ? WHERE id = ? AND seen_key = ?`, s.HostKey, s.SeenKey, s.ID, seen))
	if err != nil {
		return fmt.Errorf("save the key of %s: %w", s.Name, err)
	}
	return nil
}

// SaveControl writes how a server is controlled.
func (db *ServerStore) SaveControl(ctx context.Context, s model.Server) error {
	var control any
	if len(s.Control) > 0 {
		control = string(s.Control)
	}
	err := exactly(db.sql.ExecContext(ctx, `UPDATE server SET control = ? WHERE id = ?`, control, s.ID))
	if err != nil {
		return fmt.Errorf("save how %s is controlled: %w", s.Name, err)
	}
	return nil
}

// SaveStarted notes that a server was started now.
func (db *ServerStore) SaveStarted(ctx context.Context, server int64) error {
	// Two statements: an upsert would have its own way with conflicts in the trigger too.
	_, err := db.sql.ExecContext(ctx, `INSERT INTO last_start (server_id, at) VALUES (?, 0) ON CONFLICT DO NOTHING`, server)
	if err == nil {
		_, err = db.sql.ExecContext(ctx, `UPDATE last_start SET at = ? WHERE server_id = ?`, db.millis(), server)
	}
	return err
}

// DropServer forgets a server's connection and secrets; its ledger stays.
func (db *ServerStore) DropServer(ctx context.Context, id int64) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM secret WHERE server_id = ?`, id); err != nil {
			return err
		}
		return exactly(tx.ExecContext(ctx, `UPDATE server SET dropped_at = ? WHERE id = ? AND dropped_at IS NULL`, db.millis(), id))
	})
}

// PutSecret keeps a sealed secret of a server; nil takes it away.
func (db *ServerStore) PutSecret(ctx context.Context, server int64, name string, sealed []byte) error {
	if sealed == nil {
		_, err := db.sql.ExecContext(ctx, `DELETE FROM secret WHERE server_id = ? AND name = ?`, server, name)
		return err
	}
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO secret (server_id, name, sealed) VALUES (?,?,?)`, server, name, sealed)
	return err
}

// SecretCount tells how many secrets of servers are sealed.
func (db *ServerStore) SecretCount(ctx context.Context) (n int, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT COUNT(*) FROM secret`).Scan(&n)
	return n, err
}

// SealedTexts tells of how many texts on servers something is sealed.
func (db *ServerStore) SealedTexts(ctx context.Context) (n int, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT COUNT(*) FROM ledger_path WHERE listed IS NOT NULL AND instr(listed, '"sealed":') > 0`).Scan(&n)
	return n, err
}

// Secret gives a sealed secret; nil where there is none.
func (db *ServerStore) Secret(ctx context.Context, server int64, name string) ([]byte, error) {
	var sealed []byte
	err := db.sql.QueryRowContext(ctx, `SELECT sealed FROM secret WHERE server_id = ? AND name = ?`, server, name).Scan(&sealed)
	if err == sql.ErrNoRows {
		return nil, nil
	}
	return sealed, err
}
