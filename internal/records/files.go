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

// FilesOf lists the files that a server's ledger holds at or below a path, by path,
// behind the path after, at most limit of them, without their archives.
func (db *LedgerStore) FilesOf(ctx context.Context, server int64, below, after tree.Path, limit int) ([]model.File, error) {
	r, err := newFilesReader(ctx, db.sql, server, below, after)
	if err != nil {
		return nil, err
	}
	from, to := r.ends()
	if to, err = r.pageEnd(ctx, from, to, limit); err != nil {
		return nil, fmt.Errorf("read the files: %w", err)
	}
	return r.read(ctx, from, to, limit)
}

// A long list is read in pieces, by so many readers side by side; so many lists at a time,
// or those who read would keep everybody else from the database.
const (
	filesInPiece = 4000
	filesReaders = 2
	filesLists   = 4
)

// EachFiles gives every file that a server's ledger holds at or below a path, behind the
// path after, some at a time and by path, without their archives: they are never all in
// memory. All of them are as they were at one moment.
func (db *LedgerStore) EachFiles(ctx context.Context, server int64, below, after tree.Path, each func([]model.File) error) error {
	if err := db.lists.Acquire(ctx, 1); err != nil {
		return err
	}
	defer db.lists.Release(1)
	readers, done, err := db.sameMoment(ctx, server, below, after)
	if err != nil {
		return err
	}
	defer done()
	type piece struct {
		from, to string
		files    chan []model.File
	}
	g, ctx := errgroup.WithContext(ctx)
	work, order := make(chan piece), make(chan piece, 2*filesReaders) // what is read and not asked for yet is bounded
	g.Go(func() error {
		defer close(order)
		defer close(work)
		from, end := readers[0].ends()
		for from != end {
			to, err := readers[0].cut(ctx, from, end)
			if err != nil {
				return err
			}
			p := piece{from, to, make(chan []model.File, 1)}
			for _, into := range []chan piece{order, work} {
				select {
				case into <- p:
				case <-ctx.Done():
					return ctx.Err()
				}
			}
			from = to
		}
		return nil
	})
	for _, r := range readers[1:] {
		g.Go(func() error {
			for p := range work {
				files, err := r.read(ctx, p.from, p.to, filesInPiece)
				if err != nil {
					return err
				}
				p.files <- files
			}
			return nil
		})
	}
	g.Go(func() error {
		for p := range order {
			select {
			case files := <-p.files:
				if err := each(files); err != nil {
					return err
				}
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	return g.Wait()
}

// sameMoment gives readers that all see the ledger as it was at one moment: one that finds
// the places where the list is cut, and those that read. Every change of the ledger has a
// cause, so where the last cause is the same, all is.
func (db *LedgerStore) sameMoment(ctx context.Context, server int64, below, after tree.Path) (readers []*filesReader, done func(), err error) {
	for {
		var txs []*sql.Tx
		done = func() {
			for _, tx := range txs {
				_ = tx.Rollback() // nothing was written
			}
		}
		var moments [1 + filesReaders]int64
		readers = readers[:0]
		for i := range moments {
			tx, err := db.sql.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
			if err != nil {
				done()
				return nil, nil, fmt.Errorf("read the files: %w", err)
			}
			txs = append(txs, tx)
			if err := tx.QueryRowContext(ctx, `SELECT COALESCE(MAX(id), 0) FROM ledger_cause`).Scan(&moments[i]); err != nil {
				done()
				return nil, nil, fmt.Errorf("read the files: %w", err)
			}
			r, err := newFilesReader(ctx, tx, server, below, after)
			if err != nil {
				done()
				return nil, nil, err
			}
			readers = append(readers, r)
		}
		if moments[0] == moments[filesReaders] { // each was begun behind the one before
			return readers, done, nil
		}
		done()
	}
}

// filesReader reads files of one server at or below a path, behind another, out of one
// connection.
type filesReader struct {
	q            querier
	server       int64
	below, after tree.Path
	direct       int // where it is not 0, only paths without a slash from that character on
	who          map[int64]claimant
	causes       map[int64]*model.Cause
}

func newFilesReader(ctx context.Context, q querier, server int64, below, after tree.Path) (*filesReader, error) {
	who, err := claimants(ctx, q, server)
	return &filesReader{q: q, server: server, below: below, after: after, who: who, causes: map[int64]*model.Cause{}}, err
}

// ends gives the first text that may be a path of these, and one behind the last.
func (r *filesReader) ends() (from, to string) {
	if r.below == tree.Root {
		return "", "\U0010ffff"
	}
	return string(r.below), string(r.below) + "0" // what comes behind "below/"
}

// cut gives a text some thousand paths behind another, or the end.
func (r *filesReader) cut(ctx context.Context, from, end string) (to string, err error) {
	err = r.q.QueryRowContext(ctx, `SELECT path FROM ledger_name WHERE server_id = ? AND path >= ? AND path < ? ORDER BY path LIMIT 1 OFFSET ?`, r.server, from, end, filesInPiece).Scan(&to)
	if errors.Is(err, sql.ErrNoRows) {
		return end, nil
	}
	return to, err
}

// read reads the files between two texts, about as many as expected.
func (r *filesReader) read(ctx context.Context, from, to string, expected int) ([]model.File, error) {
	files, causes := make([]model.File, 0, expected), make([]int64, 0, expected)
	var digest, change, brings sql.RawBytes
	last := int64(-1)
	which, args := r.where(from, to)
	_, err := all(ctx, r.q, func(rows *sql.Rows, _ *struct{}) error {
		var id, cause int64
		var claimant, role sql.NullInt64
		f := model.File{State: tree.State{Being: tree.Content}}
		if err := rows.Scan(&id, (*string)(&f.Path), &digest, &f.State.Size, &f.State.Mode, &change, &cause, &claimant, &role, &brings); err != nil {
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
		c, err := claimOf(r.who, claimant.Int64, int(role.Int64), brings, of.State)
		of.Claims = append(of.Claims, c)
		return err
	}, `SELECT l.path_id, n.path, l.digest, l.size, l.mode, e.change, e.cause_id, c.claimant_id, c.role, c.brings
		FROM ledger_name n JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id JOIN ledger_event e ON e.seq = l.seq
		LEFT JOIN ledger_claim c ON c.server_id = l.server_id AND c.path_id = l.path_id`+which, args...)
	if err != nil {
		return nil, fmt.Errorf("read the files: %w", err)
	}
	if err := r.addCauses(ctx, files, causes); err != nil {
		return nil, fmt.Errorf("read what changed the files: %w", err)
	}
	return files, nil
}

// where chooses a server's files at or below a path, behind another, from the first up to
// one that is not among them. A neighbour such as "below-too" comes between "below" and
// "below/".
func (r *filesReader) where(from, to string) (string, []any) {
	which, args := ` WHERE n.server_id = ? AND n.path >= ? AND n.path < ? AND l.being = 3`, []any{r.server, from, to}
	if r.below != tree.Root {
		which, args = which+` AND (n.path = ? OR n.path >= ?)`, append(args, string(r.below), string(r.below)+"/")
	}
	if r.direct != 0 {
		which, args = which+` AND instr(substr(n.path, ?), '/') = 0`, append(args, r.direct)
	}
	if r.after != tree.Root {
		which, args = which+` AND n.path > ?`, append(args, string(r.after))
	}
	return which + ` ORDER BY n.path`, args
}

// pageEnd gives what comes just behind the last of so many files of a server, or to where
// there are fewer.
func (r *filesReader) pageEnd(ctx context.Context, from, to string, limit int) (string, error) {
	if limit == 0 {
		return "", nil
	}
	last := ""
	which, args := r.where(from, to)
	err := r.q.QueryRowContext(ctx, `SELECT n.path FROM ledger_name n JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id`+which+` LIMIT 1 OFFSET ?`,
		append(args, limit-1)...).Scan(&last)
	if errors.Is(err, sql.ErrNoRows) {
		return to, nil
	}
	return last + "\x00", err
}

// addCauses fills in what caused the last events of files; causes are its numbers.
func (r *filesReader) addCauses(ctx context.Context, files []model.File, causes []int64) error {
	for i, id := range causes {
		c := r.causes[id]
		if c == nil {
			one, err := first(ctx, r.q, func(rows *sql.Rows, c *model.Cause) error {
				return rows.Scan(&c.Cause, &c.Deployment, &c.Actor, moment{&c.At})
			}, `SELECT c.cause, COALESCE(s.name || '#' || d.number, ''), c.actor, c.at
				FROM ledger_cause c LEFT JOIN deployment d ON d.id = c.deployment_id LEFT JOIN server s ON s.id = d.server_id WHERE c.id = ?`, id)
			if err != nil {
				return err
			}
			c = &one
			r.causes[id] = c
		}
		files[i].Last = c
	}
	return nil
}
