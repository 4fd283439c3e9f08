package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"golang.org/x/sync/errgroup"

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
// behind the path after, at most limit of them (all where it is negative), without their
// archives.
func (db *DB) FilesOf(ctx context.Context, server int64, below, after tree.Path, limit int) ([]model.File, error) {
	who, err := claimants(ctx, db.sql, server)
	if err != nil {
		return nil, err
	}
	from, to := string(below), "\U0010ffff"
	if below != tree.Root {
		to = string(below) + "0" // what comes behind "below/"
	}
	expected, middle := limit, to
	if limit < 0 {
		expected, err = db.FileCount(ctx, server)
		if err == nil && below == tree.Root && expected > muchAtOnce {
			middle, err = db.pageEnd(ctx, server, below, after, from, to, expected/2)
		}
	} else {
		to, err = db.pageEnd(ctx, server, below, after, from, to, limit)
		middle = to
	}
	if err != nil {
		return nil, fmt.Errorf("read the files: %w", err)
	}
	// A long list is read in halves, side by side.
	var rest []model.File
	var g errgroup.Group
	if middle != to {
		expected = expected/2 + 1
		g.Go(func() (err error) {
			rest, err = db.readFiles(ctx, server, who, below, after, middle, to, expected)
			return err
		})
	}
	files, err := db.readFiles(ctx, server, who, below, after, from, middle, expected)
	if err = errors.Join(err, g.Wait()); err != nil {
		return nil, err
	}
	return append(files, rest...), nil
}

// muchAtOnce is how many files are worth reading in halves.
const muchAtOnce = 5000

// readFiles reads the files between two texts, about as many as expected.
func (db *DB) readFiles(ctx context.Context, server int64, who map[int64]claimant, below, after tree.Path, from, to string, expected int) ([]model.File, error) {
	files, causes := make([]model.File, 0, expected), make([]int64, 0, expected)
	var digest, change, brings sql.RawBytes
	last := int64(-1)
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var id, cause int64
		var claimant, role sql.NullInt64
		f := model.File{State: tree.State{Being: tree.Content}}
		if err := r.Scan(&id, (*string)(&f.Path), &digest, &f.State.Size, &f.State.Mode, &change, &cause, &claimant, &role, &brings); err != nil {
			return err
		}
		if id != last { // a row for each of its claims, one behind the other
			last = id
			copy(f.State.Digest[:], digest)
			var err error
			if f.Before, err = unpackBefore(change); err != nil {
				return fmt.Errorf("the last event of %s: %w", f.Path, err)
			}
			files, causes = append(files, f), append(causes, cause)
		}
		if !claimant.Valid {
			return nil
		}
		of := &files[len(files)-1]
		c, err := claimOf(who, claimant.Int64, int(role.Int64), brings, of.State)
		of.Claims = append(of.Claims, c)
		return err
	}, `SELECT l.path_id, n.path, l.digest, l.size, l.mode, e.change, e.cause_id, c.claimant_id, c.role, c.brings
		FROM ledger_name n JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id JOIN ledger_event e ON e.seq = l.seq
		LEFT JOIN ledger_claim c ON c.server_id = l.server_id AND c.path_id = l.path_id`+filesWithin, within(server, below, after, from, to)...)
	if err != nil {
		return nil, fmt.Errorf("read the files: %w", err)
	}
	if err := db.because(ctx, files, causes); err != nil {
		return nil, fmt.Errorf("read what changed the files: %w", err)
	}
	return files, nil
}

// filesWithin are a server's files at or below a path, behind another, from the first up
// to one that is not among them. A neighbour such as "below-too" comes between "below" and
// "below/".
const filesWithin = ` WHERE n.server_id = ? AND n.path >= ? AND n.path < ? AND (n.path = ? OR n.path >= ?) AND n.path > ? AND l.being = 3 ORDER BY n.path`

func within(server int64, below, after tree.Path, from, to string) []any {
	if below == tree.Root {
		return []any{server, from, to, "", "", string(after)}
	}
	return []any{server, from, to, string(below), string(below) + "/", string(after)}
}

// pageEnd gives what comes just behind the last of so many files of a server, or to where
// there are fewer.
func (db *DB) pageEnd(ctx context.Context, server int64, below, after tree.Path, from, to string, limit int) (string, error) {
	if limit == 0 {
		return "", nil
	}
	last := ""
	err := db.sql.QueryRowContext(ctx, `SELECT n.path FROM ledger_name n JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id`+filesWithin+` LIMIT 1 OFFSET ?`,
		append(within(server, below, after, from, to), limit-1)...).Scan(&last)
	if errors.Is(err, sql.ErrNoRows) {
		return to, nil
	}
	return last + "\x00", err
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
