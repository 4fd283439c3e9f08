package records

import (
	"context"
	"database/sql"
	"errors"

	"restlesscrate/internal/model"
)

// PacklistStore holds what players are told.
type PacklistStore struct{ *handle }

const packlistColumns = `server_id, title, words, said, link, secret`

func scanPacklist(r *sql.Rows, p *model.Packlist) error {
	return r.Scan(&p.ServerID, &p.Title, &p.Words, asJSON(&p.Said), &p.Link, &p.Secret)
}

// Packlist gives what a person says of a server's packing list; nothing where nobody does.
func (db *PacklistStore) Packlist(ctx context.Context, server int64) (model.Packlist, error) {
	p, err := first(ctx, db.sql, scanPacklist, `SELECT `+packlistColumns+` FROM packlist WHERE server_id = ?`, server)
	if errors.Is(err, model.ErrNotFound) {
		return model.Packlist{ServerID: server}, nil
	}
	return p, err
}

// PacklistByLink finds the list with an address; [model.ErrNotFound] where there is none.
func (db *PacklistStore) PacklistByLink(ctx context.Context, link string) (model.Packlist, error) {
	if link == "" {
		return model.Packlist{}, model.ErrNotFound
	}
	return first(ctx, db.sql, scanPacklist, `SELECT `+packlistColumns+` FROM packlist p WHERE link = ? AND EXISTS (SELECT 1 FROM server s WHERE s.id = p.server_id AND s.dropped_at IS NULL)`, link)
}

// SavePacklist writes what a person says of a list, and its address.
func (db *PacklistStore) SavePacklist(ctx context.Context, p model.Packlist) error {
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO packlist (server_id, title, words, said, link, secret) VALUES (?,?,?,?,?,?)`,
		p.ServerID, p.Title, p.Words, text(p.Said), p.Link, p.Secret)
	return err
}

// PacklistStates gives the last two things that a list said, the newest first.
func (db *PacklistStore) PacklistStates(ctx context.Context, server int64) ([]model.PacklistState, error) {
	return all(ctx, db.sql, func(r *sql.Rows, s *model.PacklistState) error {
		return r.Scan(&s.Digest, asJSON(&s.Entries), moment{&s.At})
	}, `SELECT digest, entries, at FROM packlist_state WHERE server_id = ? ORDER BY id DESC LIMIT 2`, server)
}

// AddPacklistState records that a list says something else from now on. Two callers who find that
// out at a time record it once.
func (db *PacklistStore) AddPacklistState(ctx context.Context, server int64, s model.PacklistState) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		last, err := all(ctx, tx, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT digest FROM packlist_state WHERE server_id = ? ORDER BY id DESC LIMIT 1`, server)
		if err != nil || len(last) > 0 && last[0] == s.Digest {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO packlist_state (server_id, digest, entries, at) VALUES (?,?,?,?)`, server, s.Digest, zipped(s.Entries), db.millis()); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM packlist_state WHERE server_id = ?1 AND id NOT IN (SELECT id FROM packlist_state WHERE server_id = ?1 ORDER BY id DESC LIMIT 2)`, server)
		return err
	})
}
