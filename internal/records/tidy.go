package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Staying lists the archives whose bytes the stockroom holds, with what speaks for keeping
// each.
func (db *DB) Staying(ctx context.Context) ([]model.Staying, error) {
	list, err := all(ctx, db.sql, func(r *sql.Rows, s *model.Staying) error { return scanArchive(r, &s.Archive) }, `SELECT `+archiveColumns+archiveFrom+` WHERE a.dropped_at IS NULL ORDER BY a.id`)
	if err != nil {
		return nil, err
	}
	at := map[int64]*model.Staying{}
	byDigest := map[string]*model.Staying{}
	for i := range list {
		at[list[i].ID], byDigest[list[i].Digest.String()] = &list[i], &list[i]
		list[i].Newer = -1
	}
	type made struct {
		archive, crate int64
		newer          int
		servers        string
	}
	crates, err := all(ctx, db.sql, func(r *sql.Rows, m *made) error { return r.Scan(&m.archive, &m.crate, &m.newer, &m.servers) }, `SELECT ca.archive_id, c.id,
		(SELECT COUNT(DISTINCT n.version) FROM crate n WHERE n.addon_id = c.addon_id AND n.dropped_at IS NULL AND n.created_at > c.created_at AND n.version <> c.version),
		COALESCE((SELECT GROUP_CONCAT(DISTINCT s.name) FROM ledger_claimant t JOIN ledger_addon l ON l.claimant_id = t.id JOIN server s ON s.id = l.server_id
			WHERE t.crate = unhex(c.digest) AND s.dropped_at IS NULL), '')
		FROM crate_archive ca JOIN crate c ON c.id = ca.crate_id ORDER BY c.id`)
	if err != nil {
		return nil, err
	}
	for _, m := range crates {
		s := at[m.archive]
		if s == nil {
			continue
		}
		s.Crates = append(s.Crates, m.crate)
		if s.Newer < 0 || m.newer < s.Newer {
			s.Newer = m.newer
		}
		for name := range strings.SplitSeq(m.servers, ",") {
			if name != "" && !slices.Contains(s.Servers, name) {
				s.Servers = append(s.Servers, name)
			}
		}
	}
	type lesson struct {
		server   string
		archives []string
	}
	lessons, err := all(ctx, db.sql, func(r *sql.Rows, l *lesson) error { return r.Scan(&l.server, asJSON(&l.archives)) },
		`SELECT s.name, l.archives FROM lesson l JOIN server s ON s.id = l.server_id WHERE s.dropped_at IS NULL`)
	for _, l := range lessons {
		for _, d := range l.archives {
			if s := byDigest[d]; s != nil {
				s.Lesson = l.server
			}
		}
	}
	return list, err
}

// DroppedArchives lists the archives whose bytes were let go.
func (db *DB) DroppedArchives(ctx context.Context) ([]model.DroppedArchive, error) {
	return all(ctx, db.sql, func(r *sql.Rows, a *model.DroppedArchive) error { return scanArchiveAnd(r, &a.Archive, moment{&a.At}) },
		`SELECT `+archiveColumns+`, a.dropped_at`+archiveFrom+` WHERE a.dropped_at IS NOT NULL ORDER BY a.id`)
}

// Past lists finished deployments that ended before a moment and whose way back was not given
// up. Those since the last one of their server that is called good are not among them.
func (db *DB) Past(ctx context.Context, before time.Time) ([]model.PastDeployment, error) {
	return all(ctx, db.sql, func(r *sql.Rows, p *model.PastDeployment) error { return r.Scan(&p.ID, &p.Name, moment{&p.At}) },
		`SELECT d.id, s.name || '#' || d.number, COALESCE(d.ended_at, d.created_at) FROM deployment d JOIN server s ON s.id = d.server_id
		WHERE d.state IN ('done', 'undone', 'discarded') AND d.untidy = 0 AND d.given_up_at IS NULL AND COALESCE(d.ended_at, d.created_at) < ?
		AND d.number < COALESCE((SELECT MAX(g.number) FROM deployment g WHERE g.server_id = d.server_id AND g.good = 1 AND g.state = 'done'), 1 << 60)
		ORDER BY d.id`, before.UnixMilli())
}

// GivenUp lists the deployments of a server whose way back was given up, by number.
func (db *DB) GivenUp(ctx context.Context, server int64) (map[int]time.Time, error) {
	type row struct {
		number int
		at     time.Time
	}
	list, err := all(ctx, db.sql, func(r *sql.Rows, x *row) error { return r.Scan(&x.number, moment{&x.at}) },
		`SELECT number, given_up_at FROM deployment WHERE server_id = ? AND given_up_at IS NOT NULL`, server)
	out := map[int]time.Time{}
	for _, x := range list {
		out[x.number] = x.at
	}
	return out, err
}

// ContentsIn lists what lies in containers, by their names.
func (db *DB) ContentsIn(ctx context.Context, containers []string) (map[string]map[tree.Digest]int64, error) {
	type row struct {
		container string
		digest    []byte
		size      int64
	}
	out := map[string]map[tree.Digest]int64{}
	for some := range slices.Chunk(containers, 400) {
		args := make([]any, len(some))
		for i, c := range some {
			args[i] = c
		}
		rows, err := all(ctx, db.sql, func(r *sql.Rows, x *row) error { return r.Scan(&x.container, &x.digest, &x.size) },
			`SELECT c.name, x.digest, x.size FROM content x JOIN container c ON c.id = x.container_id WHERE c.name IN (`+marks(len(some))+`)`, args...)
		if err != nil {
			return nil, err
		}
		for _, x := range rows {
			if out[x.container] == nil {
				out[x.container] = map[tree.Digest]int64{}
			}
			out[x.container][tree.Digest(x.digest)] = x.size
		}
	}
	return out, nil
}

// LetGo forgets what lies in containers, apart from what was moved, and notes that their files
// are to be deleted. Archives are dropped with their crates, and deployments give up their
// ways back.
func (db *DB) LetGo(ctx context.Context, l model.Letting) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		for d, m := range l.Moved {
			id, err := addContainer(ctx, tx, m.Container, "segment")
			if err != nil {
				return err
			}
			if err := exactly(tx.ExecContext(ctx, `UPDATE content SET container_id = ?, start = ?, length = ?, size = ?, stored = 1, damaged = 0 WHERE digest = ?`, id, m.Start, m.Bytes, m.Bytes, d[:])); err != nil {
				return fmt.Errorf("move %s: %w", d.Short(), err)
			}
		}
		for _, name := range l.Containers {
			_, e1 := tx.ExecContext(ctx, `DELETE FROM content WHERE container_id = (SELECT id FROM container WHERE name = ?)`, name)
			_, e2 := tx.ExecContext(ctx, `DELETE FROM container WHERE name = ?1 AND id NOT IN (SELECT container_id FROM archive)`, name)
			_, e3 := tx.ExecContext(ctx, `INSERT OR IGNORE INTO leaving (name) VALUES (?)`, name)
			if err := errors.Join(e1, e2, e3); err != nil {
				return err
			}
		}
		now := db.millis()
		for _, id := range l.Archives {
			if _, err := tx.ExecContext(ctx, `UPDATE archive SET dropped_at = ? WHERE id = ?`, now, id); err != nil {
				return err
			}
			// What is staged again is laid out again, and its crates come back with that.
			if _, err := tx.ExecContext(ctx, `DELETE FROM layout WHERE archive_id = ?`, id); err != nil {
				return err
			}
		}
		for _, id := range l.Crates {
			if _, err := tx.ExecContext(ctx, `UPDATE crate SET dropped_at = ? WHERE id = ? AND dropped_at IS NULL`, now, id); err != nil {
				return err
			}
		}
		for _, id := range l.Deployments {
			if _, err := tx.ExecContext(ctx, `UPDATE deployment SET given_up_at = ?, notes = json_insert(notes, '$[#]', ?) WHERE id = ?`, now, l.Note, id); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("record what is let go: %w", err)
	}
	return nil
}

// Leaving lists the containers whose files are still to be deleted.
func (db *DB) Leaving(ctx context.Context) ([]string, error) {
	return all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT name FROM leaving ORDER BY name`)
}

// Left notes that a container's file is deleted.
func (db *DB) Left(ctx context.Context, name string) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM leaving WHERE name = ?`, name)
	return err
}

// LetGoOf names the downloads of an add-on's version whose bytes were let go.
func (db *DB) LetGoOf(ctx context.Context, rulebook, key, version string) ([]string, error) {
	return all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT DISTINCT a.filename FROM archive a JOIN crate_archive ca ON ca.archive_id = a.id JOIN crate c ON c.id = ca.crate_id
		JOIN addon ad ON ad.id = c.addon_id WHERE a.dropped_at IS NOT NULL AND ad.rulebook = ? AND ad.key = ? AND (? = '' OR c.version = ?) ORDER BY 1`, rulebook, key, version, version)
}
