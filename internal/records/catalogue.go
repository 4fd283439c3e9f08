package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

const archiveColumns = `a.id, a.digest, a.size, a.filename, a.format, a.source, a.note, a.findings, c.name, a.actor, a.created_at, a.dropped_at IS NOT NULL`
const archiveFrom = ` FROM archive a JOIN container c ON c.id = a.container_id`

func scanArchive(r *sql.Rows, a *model.Archive) error { return scanArchiveAnd(r, a) }

// scanArchiveAnd reads an archive and the columns that follow those of one.
func scanArchiveAnd(r *sql.Rows, a *model.Archive, more ...any) error {
	var d string
	columns := []any{&a.ID, &d, &a.Size, &a.Filename, &a.Format, &a.Source, &a.Note, asJSON(&a.Findings), &a.Container, &a.Actor, moment{&a.CreatedAt}, &a.Dropped}
	if err := r.Scan(append(columns, more...)...); err != nil {
		return err
	}
	return a.Digest.UnmarshalText([]byte(d))
}

// Archive finds an archive by its digest.
func (db *ContentStore) Archive(ctx context.Context, d tree.Digest) (model.Archive, error) {
	return first(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE a.digest = ?`, d.String())
}

// AddArchive records an archive, its entries and where their bytes lie: held
// by container, of which the archive itself is one and its pack may be another.
func (db *ContentStore) AddArchive(ctx context.Context, a model.Archive, entries []tree.Entry, held map[string][]stockroom.Held) (model.Archive, error) {
	err := db.within(ctx, func(tx *sql.Tx) error {
		cid, err := addContainer(ctx, tx, a.Container, "archive")
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO archive (digest, size, filename, format, source, note, findings, container_id, entries, recovered, actor, created_at) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)`,
			a.Digest.String(), a.Size, a.Filename, a.Format, a.Source, a.Note, text(a.Findings), cid, packEntries(entries), a.Recovered, a.Actor, db.millis())
		if err != nil {
			return err
		}
		if a.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		return addHeld(ctx, tx, a.Container, held)
	})
	if err != nil {
		return a, fmt.Errorf("record archive %s: %w", a.Filename, err)
	}
	return db.Archive(ctx, a.Digest)
}

// NeverLaidOut reports whether no rulebook has laid an archive out yet.
func (db *ContentStore) NeverLaidOut(ctx context.Context, archive int64) (never bool, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT NOT EXISTS (SELECT 1 FROM layout WHERE archive_id = ?)`, archive).Scan(&never)
	return never, err
}

// RenameArchive keeps another file name of an archive. It is to be laid out anew, since
// names and versions may come from it.
func (db *ContentStore) RenameArchive(ctx context.Context, a model.Archive, filename string) (model.Archive, error) {
	err := db.within(ctx, func(tx *sql.Tx) error {
		if err := exactly(tx.ExecContext(ctx, `UPDATE archive SET filename = ? WHERE id = ?`, filename, a.ID)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM layout WHERE archive_id = ?`, a.ID)
		return err
	})
	if err != nil {
		return a, fmt.Errorf("call archive %s %s: %w", a.Filename, filename, err)
	}
	return db.Archive(ctx, a.Digest)
}

// addHeld indexes what an archive and its pack hold, by container.
func addHeld(ctx context.Context, tx *sql.Tx, archive string, held map[string][]stockroom.Held) error {
	for container, contents := range held {
		kind := "pack"
		if container == archive {
			kind = "archive"
		}
		cid, err := addContainer(ctx, tx, container, kind)
		if err != nil {
			return err
		}
		if err := addContents(ctx, tx, cid, contents); err != nil {
			return err
		}
	}
	return nil
}

// Heal indexes an archive's contents again: its bytes were stored once more, because
// some of them were damaged. What was in its earlier pack is in the new one.
func (db *ContentStore) Heal(ctx context.Context, a model.Archive, held map[string][]stockroom.Held) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE content SET damaged = 1 WHERE container_id IN (SELECT id FROM container WHERE name = ? OR name GLOB ?)`,
			a.Container, "packs/"+a.Digest.String()+"*"); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE archive SET dropped_at = NULL WHERE id = ?`, a.ID); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM leaving WHERE name = ?`, a.Container); err != nil {
			return err
		}
		return addHeld(ctx, tx, a.Container, held)
	})
	if err != nil {
		return fmt.Errorf("record what was mended of %s: %w", a.Filename, err)
	}
	return nil
}

// Damaged implements stockroom.Index.
func (db *ContentStore) Damaged(ctx context.Context, d tree.Digest) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE content SET damaged = 1 WHERE digest = ? AND damaged = 0`, d[:])
	if err != nil {
		return fmt.Errorf("record that %s is damaged: %w", d.Short(), err)
	}
	return nil
}

// ArchivesHolding names, for each of some contents, the archives that are it or
// hold it, as they were downloaded.
func (db *ContentStore) ArchivesHolding(ctx context.Context, digests []tree.Digest) (map[tree.Digest][]string, error) {
	out := map[tree.Digest][]string{}
	for _, d := range digests {
		out[d] = nil
	}
	ids, err := all(ctx, db.sql, func(r *sql.Rows, id *int64) error { return r.Scan(id) }, `SELECT id FROM archive ORDER BY id`)
	if err != nil {
		return nil, err
	}
	for _, id := range ids { // one listing at a time: they can be long
		a, err := first(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE a.id = ?`, id)
		if err != nil {
			return nil, err
		}
		entries, err := db.Entries(ctx, id)
		if err != nil {
			return nil, err
		}
		holds := map[tree.Digest]bool{a.Digest: true}
		for _, e := range entries {
			holds[e.Digest] = true
		}
		for d := range out {
			if holds[d] {
				out[d] = append(out[d], a.Filename)
			}
		}
	}
	return out, nil
}

// Contents calls each for every content that the stockroom holds.
func (db *ContentStore) Contents(ctx context.Context, each func(tree.Digest) error) error {
	for after := []byte{}; ; {
		page, err := all(ctx, db.sql, func(r *sql.Rows, b *[]byte) error { return r.Scan(b) }, `SELECT digest FROM content WHERE digest > ? ORDER BY digest LIMIT 1000`, after)
		if err != nil || len(page) == 0 {
			return err
		}
		for _, raw := range page {
			if err := each(tree.Digest(raw)); err != nil {
				return err
			}
		}
		after = page[len(page)-1]
	}
}

// Outdated lists the archives of which earlier revisions of a rulebook made
// something, but not the one that is named by its id; and those of lost records,
// of which nothing was made since.
func (db *ContentStore) Outdated(ctx context.Context, rulebook string, newest int64) ([]model.Archive, error) {
	return all(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE a.id IN (
		SELECT l.archive_id FROM layout_crate l JOIN rulebook_revision r ON r.id = l.revision_id WHERE r.name = ?
		UNION SELECT id FROM archive WHERE recovered = 1 AND id NOT IN (SELECT archive_id FROM layout_crate))
		AND a.id NOT IN (SELECT archive_id FROM layout WHERE revision_id = ?) ORDER BY a.id`, rulebook, newest)
}

// Entries lists what an archive holds, by path.
func (db *ContentStore) Entries(ctx context.Context, archive int64) ([]tree.Entry, error) {
	raw, err := first(ctx, db.sql, func(r *sql.Rows, b *[]byte) error { return r.Scan(b) }, `SELECT entries FROM archive WHERE id = ?`, archive)
	if err != nil {
		return nil, err
	}
	return unpackEntries(raw)
}
