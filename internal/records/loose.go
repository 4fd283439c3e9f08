package records

import (
	"context"
	"database/sql"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/model"
)

// Crateless lists the archives of which no crate is in the list, the newest first.
func (db *ContentStore) Crateless(ctx context.Context) ([]model.Archive, error) {
	return all(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE NOT EXISTS (
		SELECT 1 FROM crate_archive ca JOIN crate c ON c.id = ca.crate_id WHERE ca.archive_id = a.id AND c.dropped_at IS NULL) ORDER BY a.id DESC`)
}

// ArchivesNamed finds archives by file name or by the first digits of their digests, at
// least four, the newest first.
func (db *ContentStore) ArchivesNamed(ctx context.Context, ref string) ([]model.Archive, error) {
	return all(ctx, db.sql, scanArchive, `SELECT `+archiveColumns+archiveFrom+` WHERE a.filename = ?1
		OR length(?1) >= 4 AND substr(a.digest, 1, length(?1)) = lower(?1) ORDER BY a.id DESC`, ref)
}

// LastSaid gives what a revision made of an archive the last time that it laid it out, under
// whatever corrections: what there is to choose from, and how many crates, which may have
// left the list since.
func (db *CrateStore) LastSaid(ctx context.Context, archive, revision int64) (choices []layout.Choice, crates int, err error) {
	var corrections string
	choices, err = first(ctx, db.sql, func(r *sql.Rows, c *[]layout.Choice) error { return r.Scan(&corrections, asJSON(c)) },
		`SELECT corrections, choices FROM layout WHERE archive_id = ? AND revision_id = ? ORDER BY rowid DESC LIMIT 1`, archive, revision)
	if err == nil {
		err = db.sql.QueryRowContext(ctx, `SELECT COUNT(*) FROM layout_crate WHERE archive_id = ? AND revision_id = ? AND corrections = ?`, archive, revision, corrections).Scan(&crates)
	}
	return choices, crates, err
}
