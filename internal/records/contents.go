package records

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// AddHeld records contents that were made out of others and lie in a container
// of their own.
func (db *ContentStore) AddHeld(ctx context.Context, container string, held []stockroom.Held) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		id, err := addContainer(ctx, tx, container, "derived")
		if err != nil {
			return err
		}
		return addContents(ctx, tx, id, held)
	})
}

// AddFound indexes contents that were found in a container of lost records.
func (db *ContentStore) AddFound(ctx context.Context, container string, held []stockroom.Held) error {
	kind, _, _ := strings.Cut(container, "/")
	return db.within(ctx, func(tx *sql.Tx) error {
		id, err := addContainer(ctx, tx, container, strings.TrimSuffix(kind, "s"))
		if err != nil {
			return err
		}
		return addContents(ctx, tx, id, held)
	})
}

func addContainer(ctx context.Context, tx *sql.Tx, name, kind string) (id int64, err error) {
	if _, err := tx.ExecContext(ctx, `INSERT INTO container (name, kind) VALUES (?,?) ON CONFLICT DO NOTHING`, name, kind); err != nil {
		return 0, err
	}
	err = tx.QueryRowContext(ctx, `SELECT id FROM container WHERE name = ?`, name).Scan(&id)
	return id, err
}

// addContents indexes contents. One that is indexed already is not again,
// unless it lies packed there and as it is here: then this is the better place.
func addContents(ctx context.Context, tx *sql.Tx, container int64, held []stockroom.Held) error {
	// In the order of the key: a table is filled faster from one end.
	slices.SortFunc(held, func(a, b stockroom.Held) int { return bytes.Compare(a.Digest[:], b.Digest[:]) })
	return insertMany(ctx, tx, `content (digest, container_id, start, length, size, stored)`,
		`DO UPDATE SET container_id = excluded.container_id, start = excluded.start, length = excluded.length, stored = excluded.stored, damaged = 0
			WHERE excluded.stored > content.stored OR content.damaged = 1`,
		6, len(held), func(i int, row []any) {
			h := &held[i]
			row[0], row[1], row[2], row[3], row[4], row[5] = h.Digest[:], container, h.Span.Offset, h.Span.Length, h.Span.Size, h.Span.Method == stockroom.Stored
		})
}

const locateContent = `SELECT c.name, x.start, x.length, x.size, x.stored FROM content x JOIN container c ON c.id = x.container_id WHERE x.digest = ?`

// Locate implements stockroom.Index.
func (db *ContentStore) Locate(ctx context.Context, d tree.Digest) (l stockroom.Location, err error) {
	var stored bool
	err = db.locate.QueryRowContext(ctx, d[:]).Scan(&l.Container, &l.Offset, &l.Length, &l.Size, &stored)
	if errors.Is(err, sql.ErrNoRows) {
		return l, stockroom.ErrNotHeld
	}
	if l.Method = stockroom.Deflated; stored {
		l.Method = stockroom.Stored
	}
	return l, err
}

// LocateMany implements stockroom.ManyIndex.
func (db *ContentStore) LocateMany(ctx context.Context, digests []tree.Digest) (map[tree.Digest]stockroom.Location, error) {
	out := make(map[tree.Digest]stockroom.Location, len(digests))
	for some := range slices.Chunk(digests, 500) {
		args := make([]any, len(some))
		for i := range some {
			args[i] = some[i][:]
		}
		_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
			var raw sql.RawBytes
			var l stockroom.Location
			var stored bool
			if err := r.Scan(&raw, &l.Container, &l.Offset, &l.Length, &l.Size, &stored); err != nil {
				return err
			}
			if l.Method = stockroom.Deflated; stored {
				l.Method = stockroom.Stored
			}
			out[tree.Digest(raw)] = l
			return nil
		}, `SELECT x.digest, c.name, x.start, x.length, x.size, x.stored FROM content x JOIN container c ON c.id = x.container_id WHERE x.digest IN (`+marks(len(some))+`)`, args...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Lacking gives those of some contents that the stockroom does not hold; they are given
// sorted, each once.
func (db *ContentStore) Lacking(ctx context.Context, digests []tree.Digest) (map[tree.Digest]bool, error) {
	lacking := map[tree.Digest]bool{}
	const many = 500
	if len(digests) > 20*many { // reading all is faster than looking for so many
		return lacking, db.merge(ctx, digests, func(d tree.Digest) { lacking[d] = true })
	}
	for some := range slices.Chunk(digests, many) {
		args := make([]any, len(some))
		for i, d := range some {
			args[i], lacking[d] = d[:], true
		}
		_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
			var raw sql.RawBytes
			if err := r.Scan(&raw); err != nil || len(raw) != len(tree.Digest{}) {
				return err
			}
			delete(lacking, tree.Digest(raw))
			return nil
		}, `SELECT digest FROM content WHERE damaged = 0 AND digest IN (?`+strings.Repeat(",?", len(some)-1)+`)`, args...)
		if err != nil {
			return nil, err
		}
	}
	return lacking, nil
}

// merge walks along sorted contents and the whole stockroom, and tells of each that is
// not there.
func (db *ContentStore) merge(ctx context.Context, digests []tree.Digest, lacks func(tree.Digest)) error {
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var raw sql.RawBytes
		if err := r.Scan(&raw); err != nil {
			return err
		}
		for len(digests) > 0 {
			order := bytes.Compare(digests[0][:], raw)
			if order > 0 {
				break
			}
			if order < 0 {
				lacks(digests[0])
			}
			digests = digests[1:]
		}
		return nil
	}, `SELECT DISTINCT digest FROM content WHERE damaged = 0 ORDER BY digest`)
	for _, d := range digests {
		lacks(d)
	}
	return err
}

// Containers lists every container by name.
func (db *ContentStore) Containers(ctx context.Context) (map[string]bool, error) {
	names, err := all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT name FROM container`)
	out := make(map[string]bool, len(names))
	for _, n := range names {
		out[n] = true
	}
	return out, err
}
