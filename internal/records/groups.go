package records

import (
	"context"
	"database/sql"
	"errors"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// GroupStore holds groups of servers, what was done on them, and what differs between servers on
// purpose.
type GroupStore struct{ *handle }

func scanGroup(r *sql.Rows, g *model.Group) error {
	return r.Scan(&g.ID, &g.Name, asJSON(&g.IDs), &g.Actor, moment{&g.At})
}

// Groups gives all groups, by name; their servers are filled in as far as they are there.
func (db *GroupStore) Groups(ctx context.Context) ([]model.Group, error) {
	list, err := all(ctx, db.sql, scanGroup, `SELECT id, name, servers, actor, at FROM server_group ORDER BY name`)
	if err != nil {
		return nil, err
	}
	servers, err := all(ctx, db.sql, scanServer, `SELECT `+serverColumns+` FROM server WHERE dropped_at IS NULL`)
	if err != nil {
		return nil, err
	}
	byID := map[int64]model.Server{}
	for _, s := range servers {
		byID[s.ID] = s
	}
	for i := range list {
		for _, id := range list[i].IDs {
			if s, there := byID[id]; there {
				list[i].Servers = append(list[i].Servers, s)
			}
		}
	}
	return list, nil
}

// AddGroup records a group; [model.ErrConflict] where its name is taken.
func (db *GroupStore) AddGroup(ctx context.Context, g model.Group) error {
	there, err := all(ctx, db.sql, scanGroup, `SELECT id, name, servers, actor, at FROM server_group WHERE name = ?`, g.Name)
	if err != nil || len(there) > 0 {
		return errors.Join(err, model.Conflict("a group named %s is there already", g.Name))
	}
	_, err = db.sql.ExecContext(ctx, `INSERT INTO server_group (name, servers, actor, at) VALUES (?,?,?,?)`, g.Name, text(g.IDs), g.Actor, db.millis())
	return err
}

// DropGroup forgets a group.
func (db *GroupStore) DropGroup(ctx context.Context, id int64) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM server_group WHERE id = ?`, id)
	return err
}

// AddGroupRun records what is to be done on a group.
func (db *GroupStore) AddGroupRun(ctx context.Context, r model.GroupRun) (model.GroupRun, error) {
	res, err := db.sql.ExecContext(ctx, `INSERT INTO group_run (group_id, parts, state, actor, at) VALUES (?,?,?,?,?)`, r.Group, text(r.Parts), r.State, r.Actor, db.millis())
	if err != nil {
		return r, err
	}
	r.ID, err = res.LastInsertId()
	return r, err
}

// SaveGroupRun records how far it has come.
func (db *GroupStore) SaveGroupRun(ctx context.Context, r model.GroupRun) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE group_run SET parts = ?, state = ? WHERE id = ?`, text(r.Parts), r.State, r.ID)
	return err
}

// LastGroupRun gives the newest run of a group; [model.ErrNotFound] where there is none.
func (db *GroupStore) LastGroupRun(ctx context.Context, group int64) (model.GroupRun, error) {
	return first(ctx, db.sql, func(rows *sql.Rows, r *model.GroupRun) error {
		return rows.Scan(&r.ID, &r.Group, asJSON(&r.Parts), &r.State, &r.Actor, moment{&r.At})
	}, `SELECT id, group_id, parts, state, actor, at FROM group_run WHERE group_id = ? ORDER BY id DESC LIMIT 1`, group)
}

// KeptApart gives the values that differ between two servers on purpose.
func (db *GroupStore) KeptApart(ctx context.Context, from, to int64) ([]model.Apart, error) {
	return all(ctx, db.sql, func(r *sql.Rows, a *model.Apart) error {
		var p string
		err := r.Scan(&p, &a.Value, &a.Actor, moment{&a.At})
		a.Path = tree.Path(p)
		return err
	}, `SELECT path, value, actor, at FROM kept_apart WHERE from_id = ? AND to_id = ? ORDER BY path, value`, from, to)
}

// KeepApart records that a value differs between two servers on purpose, or no more.
func (db *GroupStore) KeepApart(ctx context.Context, from, to int64, a model.Apart, keep bool) error {
	query := `INSERT OR REPLACE INTO kept_apart (from_id, to_id, path, value, actor, at) VALUES (?,?,?,?,?,?)`
	args := []any{from, to, string(a.Path), a.Value, a.Actor, db.millis()}
	if !keep {
		query, args = `DELETE FROM kept_apart WHERE from_id = ? AND to_id = ? AND path = ? AND value = ?`, args[:4]
	}
	_, err := db.sql.ExecContext(ctx, query, args...)
	return err
}
