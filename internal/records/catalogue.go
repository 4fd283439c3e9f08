package records

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

const archiveColumns = `a.id, a.digest, a.size, a.filename, a.format, a.source, a.note, a.findings, c.name, a.actor, a.created_at`
const archiveFrom = ` FROM archive a JOIN container c ON c.id = a.container_id`

func scanArchive(r *sql.Rows, a *model.Archive) error {
	var d string
	if err := r.Scan(&a.ID, &d, &a.Size, &a.Filename, &a.Format, &a.Source, &a.Note, asJSON(&a.Findings), &a.Container, &a.Actor, moment{&a.CreatedAt}); err != nil {
		return err
	}
	return a.Digest.UnmarshalText([]byte(d))
}

// Archive finds an archive by its digest.
func (db *DB) Archive(ctx context.Context, d tree.Digest) (model.Archive, error) {
	return first(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE a.digest = ?`, d.String())
}

// AddArchive records an archive, its entries and where their bytes lie: held
// by container, of which the archive itself is one and its pack may be another.
func (db *DB) AddArchive(ctx context.Context, a model.Archive, entries []tree.Entry, held map[string][]stockroom.Held) (model.Archive, error) {
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

// Heal indexes an archive's contents anew: its bytes were stored once more, because
// some of them were damaged. What was in its earlier pack is in the new one.
func (db *DB) Heal(ctx context.Context, a model.Archive, held map[string][]stockroom.Held) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE content SET damaged = 1 WHERE container_id IN (SELECT id FROM container WHERE name = ? OR name GLOB ?)`,
			a.Container, "packs/"+a.Digest.String()+"*"); err != nil {
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
func (db *DB) Damaged(ctx context.Context, d tree.Digest) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE content SET damaged = 1 WHERE digest = ? AND damaged = 0`, d[:])
	if err != nil {
		return fmt.Errorf("record that %s is damaged: %w", d.Short(), err)
	}
	return nil
}

// ArchivesHolding names, for each of some contents, the archives that are it or
// hold it, as they were downloaded.
func (db *DB) ArchivesHolding(ctx context.Context, digests []tree.Digest) (map[tree.Digest][]string, error) {
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
func (db *DB) Contents(ctx context.Context, each func(tree.Digest) error) error {
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
func (db *DB) Outdated(ctx context.Context, rulebook string, newest int64) ([]model.Archive, error) {
	return all(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE a.id IN (
		SELECT l.archive_id FROM layout_crate l JOIN rulebook_revision r ON r.id = l.revision_id WHERE r.name = ?
		UNION SELECT id FROM archive WHERE recovered = 1 AND id NOT IN (SELECT archive_id FROM layout_crate))
		AND a.id NOT IN (SELECT archive_id FROM layout WHERE revision_id = ?) ORDER BY a.id`, rulebook, newest)
}

// AddHeld records contents that were made out of others and lie in a container
// of their own.
func (db *DB) AddHeld(ctx context.Context, container string, held []stockroom.Held) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		id, err := addContainer(ctx, tx, container, "derived")
		if err != nil {
			return err
		}
		return addContents(ctx, tx, id, held)
	})
}

// Entries lists what an archive holds, by path.
func (db *DB) Entries(ctx context.Context, archive int64) ([]tree.Entry, error) {
	raw, err := first(ctx, db.sql, func(r *sql.Rows, b *[]byte) error { return r.Scan(b) }, `SELECT entries FROM archive WHERE id = ?`, archive)
	if err != nil {
		return nil, err
	}
	return unpackEntries(raw)
}

// AddFound indexes contents that were found in a container of lost records.
func (db *DB) AddFound(ctx context.Context, container string, held []stockroom.Held) error {
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
func (db *DB) Locate(ctx context.Context, d tree.Digest) (l stockroom.Location, err error) {
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
func (db *DB) LocateMany(ctx context.Context, digests []tree.Digest) (map[tree.Digest]stockroom.Location, error) {
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

// Held tells which of some contents the stockroom holds.
func (db *DB) Held(ctx context.Context, digests []tree.Digest) (map[tree.Digest]bool, error) {
	out := make(map[tree.Digest]bool, len(digests))
	const many = 500
	if len(digests) > 20*many { // reading all is faster than looking for so many
		for _, d := range digests {
			out[d] = false
		}
		_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
			var raw sql.RawBytes
			if err := r.Scan(&raw); err != nil || len(raw) != len(tree.Digest{}) {
				return err
			}
			if _, asked := out[tree.Digest(raw)]; asked {
				out[tree.Digest(raw)] = true
			}
			return nil
		}, `SELECT digest FROM content WHERE damaged = 0`)
		return out, err
	}
	for len(digests) > 0 {
		n := min(many, len(digests))
		args := make([]any, n)
		for i := range args {
			args[i] = digests[i][:]
		}
		digests = digests[n:]
		found, err := all(ctx, db.sql, func(r *sql.Rows, d *tree.Digest) error {
			var raw []byte
			err := r.Scan(&raw)
			copy(d[:], raw)
			return err
		}, `SELECT digest FROM content WHERE damaged = 0 AND digest IN (?`+strings.Repeat(",?", n-1)+`)`, args...)
		if err != nil {
			return nil, err
		}
		for _, d := range found {
			out[d] = true
		}
	}
	return out, nil
}

// Containers lists every container by name.
func (db *DB) Containers(ctx context.Context) (map[string]bool, error) {
	names, err := all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT name FROM container`)
	out := make(map[string]bool, len(names))
	for _, n := range names {
		out[n] = true
	}
	return out, err
}

const crateColumns = `c.id, c.digest, ad.key, ad.name, ad.rulebook, c.version, c.body, c.files, c.findings, r.number, c.actor, c.created_at, c.dropped_at IS NOT NULL`
const crateFrom = ` FROM crate c JOIN addon ad ON ad.id = c.addon_id JOIN rulebook_revision r ON r.id = c.revision_id`

func scanCrate(r *sql.Rows, c *model.Crate) error {
	var d, name, book, version string
	var body, files, findings []byte
	if err := r.Scan(&c.ID, &d, &c.Key, &name, &book, &version, &body, &files, &findings, &c.Revision, &c.Actor, moment{&c.CreatedAt}, &c.Dropped); err != nil {
		return err
	}
	err := errors.Join(json.Unmarshal(body, &c.Body), json.Unmarshal(findings, &c.Findings))
	if err == nil && files != nil {
		err = unpackFiles(files, &c.Body)
	}
	if err != nil { // it is one of many: the others are not to suffer for it
		c.Damaged, c.Body = true, layout.Crate{Rulebook: book, Name: name, Version: version}
		c.Findings = []finding.Finding{{Level: finding.Block, Code: "crate-damaged", Final: true,
			What: fmt.Sprintf("what is recorded of %s@%s cannot be read (%v)", name, version, err),
			Mend: "Stage its archive again: it is laid out and recorded anew."}}
	}
	return c.Digest.UnmarshalText([]byte(d))
}

// bodyOf writes a crate without its files, which are packed beside it.
func bodyOf(c *layout.Crate) string {
	body := *c
	body.Files, body.Left = nil, nil
	return text(body)
}

// LaidOut tells what a revision made of an archive before; [ErrNotFound]
// where it has not been asked, or where a crate of it was dropped or damaged since.
func (db *DB) LaidOut(ctx context.Context, archive, revision int64, corrections string) (model.Laid, error) {
	laid, err := first(ctx, db.sql, func(r *sql.Rows, l *model.Laid) error { return r.Scan(asJSON(&l.Findings), asJSON(&l.Choices)) },
		`SELECT findings, choices FROM layout WHERE archive_id = ? AND revision_id = ? AND corrections = ?`, archive, revision, corrections)
	if err != nil {
		return laid, err
	}
	var dropped bool
	laid.Crates, err = all(ctx, db.sql, func(r *sql.Rows, c *model.Crate) error {
		if err := scanCrate(r, c); err != nil {
			return err
		}
		dropped = dropped || c.Dropped || c.Damaged
		return nil
	}, `SELECT `+crateColumns+crateFrom+` JOIN layout_crate lc ON lc.crate_id = c.id
		WHERE lc.archive_id = ? AND lc.revision_id = ? AND lc.corrections = ? ORDER BY lc.position`, archive, revision, corrections)
	if err != nil {
		return laid, err
	}
	if dropped {
		return model.Laid{}, model.ErrNotFound
	}
	laid.Pallet, err = db.palletOf(ctx, archive, revision)
	return laid, err
}

// AddLayout records what a revision made of an archive. A crate that is there
// already, by its digest, is not recorded twice.
func (db *DB) AddLayout(ctx context.Context, archive, revision int64, corrections string, res layout.Result, actor string) (model.Laid, error) {
	laid := model.Laid{Findings: res.Findings, Choices: res.Choices}
	err := db.within(ctx, func(tx *sql.Tx) error {
		var number int
		if err := tx.QueryRowContext(ctx, `SELECT number FROM rulebook_revision WHERE id = ?`, revision).Scan(&number); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO layout (archive_id, revision_id, corrections, findings, choices) VALUES (?,?,?,?,?)`, archive, revision, corrections, text(res.Findings), text(res.Choices)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM layout_crate WHERE archive_id = ? AND revision_id = ? AND corrections = ?`, archive, revision, corrections); err != nil {
			return err
		}
		for i, c := range res.Crates {
			m := model.Crate{Digest: c.Digest(), Key: c.Key(), Body: *c, Findings: c.Findings, Revision: number, Actor: actor, CreatedAt: db.now()}
			id, fresh, err := addCrate(ctx, tx, revision, m, db.millis())
			if err != nil {
				return err
			}
			if m.ID = id; !fresh {
				// The same files, but of this archive the newest reasons count.
				if _, err := tx.ExecContext(ctx, `UPDATE crate SET body = ?, files = ?, findings = ?, revision_id = ? WHERE id = ? AND EXISTS
					(SELECT 1 FROM crate_archive WHERE crate_id = ? AND archive_id = ?)`, bodyOf(c), packFiles(c), text(c.Findings), revision, id, id, archive); err != nil {
					return err
				}
				m.Body = layout.Crate{} // what is there now is read below
			}
			laid.Crates = append(laid.Crates, m)
			if _, err := tx.ExecContext(ctx, `INSERT INTO crate_archive (crate_id, archive_id) VALUES (?,?) ON CONFLICT DO NOTHING`, id, archive); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO layout_crate (archive_id, revision_id, corrections, position, crate_id) VALUES (?,?,?,?,?)`, archive, revision, corrections, i, id); err != nil {
				return err
			}
		}
		if res.Pallet != nil {
			laid.Pallet = res.Pallet.Label()
			return addPallet(ctx, tx, res.Crates[0].Rulebook, res.Pallet, archive, laid.Crates, db.millis())
		}
		return nil
	})
	if err != nil {
		return model.Laid{}, fmt.Errorf("record the crates: %w", err)
	}
	for i := range laid.Crates {
		c := &laid.Crates[i]
		if c.Body.Name == "" {
			if *c, err = db.CrateByDigest(ctx, c.Digest); err != nil {
				return laid, err
			}
		} else if err := db.addArchives(ctx, c); err != nil {
			return laid, err
		}
	}
	return laid, nil
}

// addCrate records a crate. fresh is false where one of its digest is there
// already; that one stays as it is.
func addCrate(ctx context.Context, tx *sql.Tx, revision int64, m model.Crate, now int64) (id int64, fresh bool, err error) {
	c, digest := m.Body, m.Digest.String()
	if _, err := tx.ExecContext(ctx, `INSERT INTO addon (rulebook, key, name) VALUES (?,?,?) ON CONFLICT DO NOTHING`, c.Rulebook, m.Key, c.Name); err != nil {
		return 0, false, err
	}
	err = tx.QueryRowContext(ctx, `UPDATE crate SET dropped_at = NULL WHERE digest = ? RETURNING id`, digest).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, false, err
	}
	res, err := tx.ExecContext(ctx, `INSERT INTO crate (digest, addon_id, version, revision_id, body, files, findings, actor, created_at)
		VALUES (?, (SELECT id FROM addon WHERE rulebook = ? AND key = ?), ?, ?, ?, ?, ?, ?, ?)`,
		digest, c.Rulebook, m.Key, c.Version, revision, bodyOf(&c), packFiles(&c), text(m.Findings), m.Actor, now)
	if err != nil {
		return 0, false, err
	}
	id, err = res.LastInsertId()
	return id, true, err
}

// AddJoined records a crate that was joined from several archives.
func (db *DB) AddJoined(ctx context.Context, c *layout.Crate, revision int, archives []model.Archive, actor string) (model.Crate, error) {
	digest := c.Digest()
	err := db.within(ctx, func(tx *sql.Tx) error {
		var rev int64
		if err := tx.QueryRowContext(ctx, `SELECT id FROM rulebook_revision WHERE name = ? AND number = ?`, c.Rulebook, revision).Scan(&rev); err != nil {
			return err
		}
		id, _, err := addCrate(ctx, tx, rev, model.Crate{Digest: digest, Key: c.Key(), Body: *c, Findings: c.Findings, Actor: actor}, db.millis())
		if err != nil {
			return err
		}
		for _, a := range archives {
			if _, err := tx.ExecContext(ctx, `INSERT INTO crate_archive (crate_id, archive_id) VALUES (?,?) ON CONFLICT DO NOTHING`, id, a.ID); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return model.Crate{}, fmt.Errorf("record the joined crate: %w", err)
	}
	return db.CrateByDigest(ctx, digest)
}

// Crates lists crates, the newest first, before the id that a cursor names
// (0: from the top). An empty rulebook or key means all.
func (db *DB) Crates(ctx context.Context, rulebook, key string, before int64, limit int) ([]model.Crate, error) {
	crates, err := all(ctx, db.sql, scanCrate, `SELECT `+crateColumns+crateFrom+` WHERE c.dropped_at IS NULL
		AND (? = '' OR ad.rulebook = ?) AND (? = '' OR ad.key = ?) AND (? = 0 OR c.id < ?) ORDER BY c.id DESC LIMIT ?`,
		rulebook, rulebook, key, key, before, before, limit)
	if err != nil {
		return nil, err
	}
	for i := range crates {
		if err := db.addArchives(ctx, &crates[i]); err != nil {
			return nil, err
		}
	}
	return crates, nil
}

// Heads lists the crates of one add-on, the newest first, without their files and
// archives: what is asked of many is their versions. An empty rulebook means all.
func (db *DB) Heads(ctx context.Context, rulebook, key string) ([]model.Crate, error) {
	which, args := `ad.rulebook = ? AND ad.key = ?`, []any{rulebook, key}
	if rulebook == "" {
		which, args = `ad.key = ?`, []any{key}
	}
	columns := strings.Replace(crateColumns, "c.files", "NULL", 1)
	// The joins are crossed so that SQLite begins with the add-on, and not with every
	// crate because they are to be ordered.
	return all(ctx, db.sql, scanCrate, `SELECT `+columns+` FROM addon ad CROSS JOIN crate c ON c.addon_id = ad.id CROSS JOIN rulebook_revision r ON r.id = c.revision_id
		WHERE c.dropped_at IS NULL AND `+which+` ORDER BY c.id DESC`, args...)
}

// CrateKinds gives the kinds of some crates.
func (db *DB) CrateKinds(ctx context.Context, crates []tree.Digest) (map[tree.Digest]string, error) {
	names := make([]string, len(crates))
	for i, d := range crates {
		names[i] = d.String()
	}
	out := make(map[tree.Digest]string, len(crates))
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var digest, kind string
		if err := r.Scan(&digest, &kind); err != nil {
			return err
		}
		d, err := tree.ParseDigest(digest)
		out[d] = kind
		return err
	}, `SELECT digest, COALESCE(CASE WHEN json_valid(body) THEN json_extract(body, '$.kind') END, '') FROM crate WHERE digest IN (SELECT value FROM json_each(?))`, text(names))
	return out, err
}

// Versions gives the versions of every add-on of a rulebook that are staged, by the
// add-on's key.
func (db *DB) Versions(ctx context.Context, rulebook string) (map[string][]string, error) {
	out := map[string][]string{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var key, version string
		err := r.Scan(&key, &version)
		out[key] = append(out[key], version)
		return err
	}, `SELECT ad.key, c.version FROM addon ad JOIN crate c ON c.addon_id = ad.id WHERE ad.rulebook = ? AND c.dropped_at IS NULL ORDER BY c.id DESC`, rulebook)
	return out, err
}

// CrateByDigest finds a crate, dropped or not.
func (db *DB) CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error) {
	c, err := first(ctx, db.sql, scanCrate, `SELECT `+crateColumns+crateFrom+` WHERE c.digest = ?`, d.String())
	if err != nil {
		return c, err
	}
	return c, db.addArchives(ctx, &c)
}

func (db *DB) addArchives(ctx context.Context, c *model.Crate) (err error) {
	c.Archives, err = all(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` JOIN crate_archive ca ON ca.archive_id = a.id WHERE ca.crate_id = ? ORDER BY a.id`, c.ID)
	return err
}

// DropCrate takes a crate out of the list; its bytes stay. [ErrConflict],
// naming them, where servers hold it.
func (db *DB) DropCrate(ctx context.Context, c model.Crate) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		users, err := all(ctx, tx, func(r *sql.Rows, s *string) error { return r.Scan(s) },
			`SELECT DISTINCT s.name FROM ledger_claimant t JOIN ledger_addon a ON a.claimant_id = t.id JOIN server s ON s.id = a.server_id WHERE t.crate = ? AND s.dropped_at IS NULL ORDER BY 1`, c.Digest[:])
		if err != nil {
			return err
		}
		if len(users) > 0 {
			return fmt.Errorf("%s is on %v: %w", c.Body.Label(), users, model.ErrConflict)
		}
		return exactly(tx.ExecContext(ctx, `UPDATE crate SET dropped_at = ? WHERE id = ? AND dropped_at IS NULL`, db.millis(), c.ID))
	})
}
