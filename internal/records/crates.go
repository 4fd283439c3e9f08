package records

import (
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
)

const crateColumns = `c.id, c.digest, ad.key, ad.name, ad.rulebook, c.version, c.body, c.files, (SELECT a.entries FROM archive a WHERE a.id = c.listing_id), c.findings, r.number, c.actor, c.created_at, c.dropped_at IS NOT NULL`
const crateFrom = ` FROM crate c JOIN addon ad ON ad.id = c.addon_id JOIN rulebook_revision r ON r.id = c.revision_id`

func scanCrate(r *sql.Rows, c *model.Crate) error {
	var d, name, book, version string
	var body, files, from, findings []byte
	if err := r.Scan(&c.ID, &d, &c.Key, &name, &book, &version, &body, &files, &from, &findings, &c.Revision, &c.Actor, moment{&c.CreatedAt}, &c.Dropped); err != nil {
		return err
	}
	err := errors.Join(json.Unmarshal(body, &c.Body), json.Unmarshal(findings, &c.Findings))
	if err == nil && files != nil {
		err = unpackFiles(files, from, &c.Body)
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
func (db *CrateStore) LaidOut(ctx context.Context, archive, revision int64, corrections string) (model.Laid, error) {
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
func (db *CrateStore) AddLayout(ctx context.Context, archive, revision int64, corrections string, res layout.Result, actor string) (model.Laid, error) {
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
		from, err := listingOf(ctx, tx, archive)
		if err != nil {
			return err
		}
		for i, c := range res.Crates {
			m := model.Crate{Digest: c.Digest(), Key: c.Key(), Body: *c, Findings: c.Findings, Revision: number, Actor: actor, CreatedAt: db.now()}
			id, fresh, err := addCrate(ctx, tx, revision, m, archive, from, db.millis())
			if err != nil {
				return err
			}
			if m.ID = id; !fresh {
				// The same files, but of this archive the newest reasons count.
				if _, err := tx.ExecContext(ctx, `UPDATE crate SET body = ?, files = ?, listing_id = ?, findings = ?, revision_id = ? WHERE id = ? AND EXISTS
					(SELECT 1 FROM crate_archive WHERE crate_id = ? AND archive_id = ?)`, bodyOf(c), packFiles(c, from), archive, text(c.Findings), revision, id, id, archive); err != nil {
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

// listingOf reads what an archive holds, for crates that come out of it. One that cannot be
// read is empty: a crate is then recorded without it.
func listingOf(ctx context.Context, tx *sql.Tx, archive int64) (l listing, err error) {
	if err = tx.QueryRowContext(ctx, `SELECT entries FROM archive WHERE id = ?`, archive).Scan(&l.packed); err != nil {
		return l, err
	}
	if l.entries, err = unpackEntries(l.packed); err != nil {
		return listing{}, nil //nolint:nilerr // told by whoever asks for the listing itself
	}
	return l, nil
}

// Relist keeps other names of what an archive holds, and what was noted of it. Crates that
// refer to its listing keep the names they have; it is to be laid out anew.
func (db *CrateStore) Relist(ctx context.Context, a model.Archive, entries []tree.Entry) error {
	err := db.within(ctx, func(tx *sql.Tx) error {
		crates, err := all(ctx, tx, scanCrate, `SELECT `+crateColumns+crateFrom+` WHERE c.listing_id = ?`, a.ID)
		if err != nil {
			return err
		}
		for _, c := range crates {
			if c.Damaged {
				continue
			}
			if err := exactly(tx.ExecContext(ctx, `UPDATE crate SET files = ?, listing_id = NULL WHERE id = ?`, packFiles(&c.Body, listing{}), c.ID)); err != nil {
				return err
			}
		}
		if err := exactly(tx.ExecContext(ctx, `UPDATE archive SET entries = ?, findings = ? WHERE id = ?`, packEntries(entries), text(a.Findings), a.ID)); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM layout WHERE archive_id = ?`, a.ID)
		return err
	})
	if err != nil {
		return fmt.Errorf("list archive %s anew: %w", a.Filename, err)
	}
	return nil
}

// addCrate records a crate whose files refer to an archive's listing, which may be empty. fresh is false where one of its digest is there
// already; that one stays as it is.
func addCrate(ctx context.Context, tx *sql.Tx, revision int64, m model.Crate, archive any, from listing, now int64) (id int64, fresh bool, err error) {
	c, digest := m.Body, m.Digest.String()
	if _, err := tx.ExecContext(ctx, `INSERT INTO addon (rulebook, key, name) VALUES (?,?,?) ON CONFLICT DO NOTHING`, c.Rulebook, m.Key, c.Name); err != nil {
		return 0, false, err
	}
	err = tx.QueryRowContext(ctx, `UPDATE crate SET dropped_at = NULL WHERE digest = ? RETURNING id`, digest).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, false, err
	}
	res, err := tx.ExecContext(ctx, `INSERT INTO crate (digest, addon_id, version, revision_id, body, files, listing_id, findings, actor, created_at)
		VALUES (?, (SELECT id FROM addon WHERE rulebook = ? AND key = ?), ?, ?, ?, ?, ?, ?, ?, ?)`,
		digest, c.Rulebook, m.Key, c.Version, revision, bodyOf(&c), packFiles(&c, from), archive, text(m.Findings), m.Actor, now)
	if err != nil {
		return 0, false, err
	}
	id, err = res.LastInsertId()
	return id, true, err
}

// AddJoined records a crate that was joined from several archives.
func (db *CrateStore) AddJoined(ctx context.Context, c *layout.Crate, revision int, archives []model.Archive, actor string) (model.Crate, error) {
	digest := c.Digest()
	err := db.within(ctx, func(tx *sql.Tx) error {
		var rev int64
		if err := tx.QueryRowContext(ctx, `SELECT id FROM rulebook_revision WHERE name = ? AND number = ?`, c.Rulebook, revision).Scan(&rev); err != nil {
			return err
		}
		id, _, err := addCrate(ctx, tx, rev, model.Crate{Digest: digest, Key: c.Key(), Body: *c, Findings: c.Findings, Actor: actor}, nil, listing{}, db.millis())
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
func (db *CrateStore) Crates(ctx context.Context, rulebook, key string, before int64, limit int) ([]model.Crate, error) {
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
// archives: what is asked of many is their versions. An empty rulebook or version means
// all.
func (db *CrateStore) Heads(ctx context.Context, rulebook, key, version string) ([]model.Crate, error) {
	which, args := `ad.rulebook = ? AND ad.key = ?`, []any{rulebook, key}
	if rulebook == "" {
		which, args = `ad.key = ?`, []any{key}
	}
	if version != "" {
		which, args = which+` AND c.version = ?`, append(args, version)
	}
	columns := strings.Replace(crateColumns, "c.files, (SELECT a.entries FROM archive a WHERE a.id = c.listing_id)", "NULL, NULL", 1)
	// The joins are crossed so that SQLite begins with the add-on, and not with every
	// crate because they are to be ordered.
	return all(ctx, db.sql, scanCrate, `SELECT `+columns+` FROM addon ad CROSS JOIN crate c ON c.addon_id = ad.id CROSS JOIN rulebook_revision r ON r.id = c.revision_id
		WHERE c.dropped_at IS NULL AND `+which+` ORDER BY c.id DESC`, args...)
}

// AddonKey gives the key of the add-on that people call so: by its key, or by the name that
// its manifest gives it, where no other one is called so. Where none is, it is what the key
// would be. An error that is [model.ErrConflict] names those that share the name.
func (db *CrateStore) AddonKey(ctx context.Context, rulebook, name string) (string, error) {
	key := layout.Key(name)
	var there int
	if err := db.sql.QueryRowContext(ctx, `SELECT COUNT(*) FROM addon WHERE key = ? AND (? = '' OR rulebook = ?)`, key, rulebook, rulebook).Scan(&there); err != nil || there > 0 {
		return key, err
	}
	var keys []string
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var k, called string
		err := r.Scan(&k, &called)
		if layout.Key(called) == key && !slices.Contains(keys, k) {
			keys = append(keys, k)
		}
		return err
	}, `SELECT key, name FROM addon WHERE ? = '' OR rulebook = ?`, rulebook, rulebook)
	switch {
	case err != nil:
		return key, err
	case len(keys) > 1:
		return key, model.Conflict("%s is the name of several add-ons: %s", name, strings.Join(keys, ", "))
	case len(keys) == 1:
		return keys[0], nil
	}
	return key, nil
}

// Twins gives the crates of the same add-on and version that were laid out together with a
// crate, the last time that this one was: out of one archive.
func (db *CrateStore) Twins(ctx context.Context, crate int64) ([]tree.Digest, error) {
	return db.together(ctx, crate, ` AND o.addon_id = c.addon_id AND o.version = c.version`)
}

// Siblings gives all crates that were laid out together with a crate, the last time that this
// one was.
func (db *CrateStore) Siblings(ctx context.Context, crate int64) ([]tree.Digest, error) {
	return db.together(ctx, crate, ``)
}

func (db *CrateStore) together(ctx context.Context, crate int64, which string) ([]tree.Digest, error) {
	return all(ctx, db.sql, func(r *sql.Rows, d *tree.Digest) error {
		var text string
		err := r.Scan(&text)
		if err == nil {
			*d, err = tree.ParseDigest(text)
		}
		return err
	}, `SELECT DISTINCT o.digest FROM crate c JOIN layout_crate l ON l.rowid = (SELECT MAX(rowid) FROM layout_crate WHERE crate_id = c.id)
		JOIN layout_crate m ON m.archive_id = l.archive_id AND m.revision_id = l.revision_id AND m.corrections = l.corrections
		JOIN crate o ON o.id = m.crate_id AND o.id <> c.id AND o.dropped_at IS NULL`+which+` WHERE c.id = ?`, crate)
}

// CrateFacts gives what every crate of a rulebook tells, the newest first, dropped ones among
// them. What cannot be read tells nothing.
func (db *CrateStore) CrateFacts(ctx context.Context, rulebook string) ([]model.CrateFacts, error) {
	out, err := all(ctx, db.sql, func(r *sql.Rows, c *model.CrateFacts) error {
		var digest string
		if err := r.Scan(&digest, &c.Key, &c.Name, &c.Version, &c.Kind, asJSON(&c.Facts), &c.Dropped, &c.Made, moment{&c.CreatedAt}); err != nil {
			return err
		}
		return c.Digest.UnmarshalText([]byte(digest))
	}, `SELECT c.digest, ad.key, COALESCE(CASE WHEN json_valid(c.body) THEN json_extract(c.body, '$.name') END, ad.name), c.version,
			COALESCE(CASE WHEN json_valid(c.body) THEN json_extract(c.body, '$.kind') END, ''),
			CASE WHEN json_valid(c.body) THEN json_extract(c.body, '$.facts') END, c.dropped_at IS NOT NULL,
			COALESCE(CASE WHEN json_valid(c.body) THEN json_extract(c.body, '$.made') END, 0), c.created_at
		FROM addon ad CROSS JOIN crate c ON c.addon_id = ad.id WHERE ad.rulebook = ? ORDER BY c.id DESC`, rulebook)
	if err != nil {
		return nil, fmt.Errorf("read what crates tell: %w", err)
	}
	return out, nil
}

// CrateByDigest finds a crate, dropped or not.
func (db *CrateStore) CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error) {
	c, err := first(ctx, db.sql, scanCrate, `SELECT `+crateColumns+crateFrom+` WHERE c.digest = ?`, d.String())
	if err != nil {
		return c, err
	}
	return c, db.addArchives(ctx, &c)
}

func (db *CrateStore) addArchives(ctx context.Context, c *model.Crate) (err error) {
	c.Archives, err = all(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` JOIN crate_archive ca ON ca.archive_id = a.id WHERE ca.crate_id = ? ORDER BY a.id`, c.ID)
	return err
}

// ArchivesOf names, for each crate that has files on a server, the archives that it came
// from, as they were downloaded.
func (db *CrateStore) ArchivesOf(ctx context.Context, server int64) (map[tree.Digest][]string, error) {
	out := map[tree.Digest][]string{}
	_, err := all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var digest, name string
		if err := r.Scan(&digest, &name); err != nil {
			return err
		}
		d, err := tree.ParseDigest(digest)
		out[d] = append(out[d], name)
		return err
	}, `SELECT c.digest, a.filename FROM crate c JOIN crate_archive ca ON ca.crate_id = c.id JOIN archive a ON a.id = ca.archive_id
		WHERE c.digest IN (SELECT lower(hex(t.crate)) FROM ledger_claimant t JOIN ledger_addon l ON l.claimant_id = t.id WHERE l.server_id = ?) ORDER BY c.id, a.id`, server)
	if err != nil {
		return nil, fmt.Errorf("read where files came from: %w", err)
	}
	return out, nil
}

// DropCrate takes a crate out of the list; its bytes stay. [ErrConflict],
// naming them, where servers hold it.
func (db *CrateStore) DropCrate(ctx context.Context, c model.Crate) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		users, err := all(ctx, tx, func(r *sql.Rows, s *string) error { return r.Scan(s) },
			`SELECT DISTINCT s.name FROM ledger_claimant t JOIN ledger_addon a ON a.claimant_id = t.id JOIN server s ON s.id = a.server_id WHERE t.crate = ? AND s.dropped_at IS NULL ORDER BY 1`, c.Digest[:])
		if err != nil {
			return err
		}
		if len(users) > 0 {
			return model.Conflict("%s is on %v", c.Body.Label(), users)
		}
		return exactly(tx.ExecContext(ctx, `UPDATE crate SET dropped_at = ? WHERE id = ? AND dropped_at IS NULL`, db.millis(), c.ID))
	})
}
