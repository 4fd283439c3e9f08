package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

const eventColumns = `e.seq, n.path, e.change, c.cause, COALESCE(s.name || '#' || d.number, ''), COALESCE(d.number, 0), c.actor, c.at`
const eventFrom = ` FROM ledger_event e JOIN ledger_name n ON n.id = e.path_id JOIN ledger_cause c ON c.id = e.cause_id
	JOIN server s ON s.id = e.server_id LEFT JOIN deployment d ON d.id = c.deployment_id`

// events gives events of a server that a condition chooses, in order.
func (db *DB) events(ctx context.Context, server int64, which string, args ...any) ([]model.Event, error) {
	who, err := claimants(ctx, db.sql, server)
	if err != nil {
		return nil, err
	}
	return all(ctx, db.sql, func(r *sql.Rows, e *model.Event) error {
		return scanEvent(r, e, who)
	}, `SELECT `+eventColumns+eventFrom+` WHERE `+which+` ORDER BY e.seq`, args...)
}

func scanEvent(r *sql.Rows, e *model.Event, who map[int64]claimant) error {
	var path string
	var change sql.RawBytes
	if err := r.Scan(&e.Seq, &path, &change, &e.Cause, &e.Deployment, &e.Number, &e.Actor, moment{&e.At}); err != nil {
		return err
	}
	c, err := unpackChange(change, func(id int64) (claimant, bool) { w, ok := who[id]; return w, ok })
	if err != nil {
		return fmt.Errorf("event %d of %s: %w", e.Seq, path, err)
	}
	e.Change = c
	e.Change.Path = tree.Path(path)
	return nil
}

// Events gives all events of a server in order.
func (db *DB) Events(ctx context.Context, server int64) ([]model.Event, error) {
	return db.events(ctx, server, `e.server_id = ?`, server)
}

// EventsAt gives the events of one path, the newest first.
func (db *DB) EventsAt(ctx context.Context, server int64, p tree.Path) ([]model.Event, error) {
	list, err := db.events(ctx, server, `e.server_id = ? AND e.path_id = (SELECT id FROM ledger_name WHERE server_id = ? AND path = ?)`, server, server, string(p))
	for i, j := 0, len(list)-1; i < j; i, j = i+1, j-1 {
		list[i], list[j] = list[j], list[i]
	}
	return list, err
}

// FilesOf lists the files that a server's ledger holds at or below a path, by path,
// behind the path after, at most limit of them (all where it is negative), without their archives.
func (db *DB) FilesOf(ctx context.Context, server int64, below, after tree.Path, limit int) ([]model.File, error) {
	who, err := claimants(ctx, db.sql, server)
	if err != nil {
		return nil, err
	}
	expected := limit
	if limit < 0 {
		if expected, err = db.FileCount(ctx, server); err != nil {
			return nil, err
		}
	}
	files, causes := make([]model.File, 0, expected), make([]int64, 0, expected)
	at := make(map[int64]int, expected)
	from, to := "", "\U0010ffff"
	if below != tree.Root {
		from, to = string(below), string(below)+"0" // what comes behind "below/"
	}
	var digest, change sql.RawBytes
	_, err = all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var id, cause int64
		f := model.File{State: tree.State{Being: tree.Content}}
		if err := r.Scan(&id, (*string)(&f.Path), &digest, &f.State.Size, &f.State.Mode, &change, &cause); err != nil {
			return err
		}
		if !f.Path.Within(below) { // a neighbour such as "below-too"
			return nil
		}
		copy(f.State.Digest[:], digest)
		var err error
		if f.Before, err = unpackBefore(change); err != nil {
			return fmt.Errorf("the last event of %s: %w", f.Path, err)
		}
		at[id] = len(files)
		files, causes = append(files, f), append(causes, cause)
		return nil
	}, `SELECT l.path_id, n.path, l.digest, l.size, l.mode, e.change, e.cause_id
		FROM ledger_name n JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id JOIN ledger_event e ON e.seq = l.seq
		WHERE n.server_id = ? AND n.path >= ? AND n.path < ? AND n.path > ? AND l.being = 3 ORDER BY n.path LIMIT ?`, server, from, to, string(after), limit)
	if err != nil {
		return nil, fmt.Errorf("read the files: %w", err)
	}
	if err := db.because(ctx, files, causes); err != nil {
		return nil, fmt.Errorf("read what changed the files: %w", err)
	}
	claims := func(ids string, args ...any) error {
		_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
			id, c, err := scanClaim(r, who, func(id int64) tree.State {
				if i, ok := at[id]; ok {
					return files[i].State
				}
				return tree.State{}
			})
			if err != nil {
				return err
			}
			if i, ok := at[id]; ok {
				files[i].Claims = append(files[i].Claims, c)
			}
			return nil
		}, `SELECT c.path_id, c.claimant_id, c.role, c.brings FROM ledger_claim c WHERE c.server_id = ?`+ids+` ORDER BY c.path_id, c.claimant_id`, append([]any{server}, args...)...)
		return err
	}
	if limit < 0 {
		return files, claims("")
	}
	ids := make([]int64, 0, len(at))
	for id := range at {
		ids = append(ids, id)
	}
	return files, claims(` AND c.path_id IN (SELECT value FROM json_each(?))`, text(ids))
}

// because fills in what caused the last events of files; causes are its numbers.
func (db *DB) because(ctx context.Context, files []model.File, causes []int64) error {
	known := map[int64]*model.Cause{}
	for i, id := range causes {
		c := known[id]
		if c == nil {
			one, err := first(ctx, db.sql, func(r *sql.Rows, c *model.Cause) error {
				return r.Scan(&c.Cause, &c.Deployment, &c.Actor, moment{&c.At})
			}, `SELECT c.cause, COALESCE(s.name || '#' || d.number, ''), c.actor, c.at
				FROM ledger_cause c LEFT JOIN deployment d ON d.id = c.deployment_id LEFT JOIN server s ON s.id = d.server_id WHERE c.id = ?`, id)
			if err != nil {
				return err
			}
			c = &one
			known[id] = c
		}
		files[i].Last = c
	}
	return nil
}
