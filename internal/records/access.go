package records

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"restlesscrate/internal/model"
)

// AddToken records a token by its hash.
func (db *DB) AddToken(ctx context.Context, name, hash string) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO token (name, hash, created_at) VALUES (?,?,?)`, name, hash, db.millis())
	return err
}

// TokenName gives the name of the token with that hash.
func (db *DB) TokenName(ctx context.Context, hash string) (name string, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT name FROM token WHERE hash = ?`, hash).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", model.ErrNotFound
	}
	return name, err
}

// AddLink records a sign-in link by its hash.
func (db *DB) AddLink(ctx context.Context, hash, actor string, expires time.Time) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO signin_link (hash, actor, expires_at) VALUES (?,?,?)`, hash, actor, expires.UnixMilli())
	return err
}

// UseLink uses a sign-in link up and gives its actor. [ErrNotFound] where it
// does not exist, was used or has expired.
func (db *DB) UseLink(ctx context.Context, hash string) (actor string, err error) {
	now := db.millis()
	err = db.sql.QueryRowContext(ctx, `UPDATE signin_link SET used_at = ? WHERE hash = ? AND used_at IS NULL AND expires_at > ? RETURNING actor`, now, hash, now).Scan(&actor)
	if errors.Is(err, sql.ErrNoRows) {
		return "", model.ErrNotFound
	}
	return actor, err
}

// Sessions keeps console sessions; it is the store of the session manager.
type Sessions struct{ DB *DB }

// Find implements the session manager's store.
func (s Sessions) Find(token string) (data []byte, found bool, err error) {
	err = s.DB.sql.QueryRow(`SELECT data FROM session WHERE token = ? AND expires_at > ?`, token, s.DB.millis()).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// Commit implements the session manager's store.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	_, err := s.DB.sql.Exec(`INSERT OR REPLACE INTO session (token, data, expires_at) VALUES (?,?,?)`, token, data, expiry.UnixMilli())
	return err
}

// Delete implements the session manager's store.
func (s Sessions) Delete(token string) error {
	_, err := s.DB.sql.Exec(`DELETE FROM session WHERE token = ?`, token)
	return err
}

// Answer is a remembered answer to a request with an idempotency key.
type Answer struct {
	Request string
	Status  int // 0 while the first request is under way
	Body    []byte
}

// Remember claims an idempotency key. fresh is false where it was used
// before; the earlier answer comes with it.
func (db *DB) Remember(ctx context.Context, actor, key, request string) (earlier Answer, fresh bool, err error) {
	err = db.within(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO idempotency (actor, key, request, created_at) VALUES (?,?,?,?) ON CONFLICT DO NOTHING`, actor, key, request, db.millis())
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 1 {
			fresh = true
			return err
		}
		return tx.QueryRowContext(ctx, `SELECT request, status, COALESCE(answer, x'') FROM idempotency WHERE actor = ? AND key = ?`, actor, key).Scan(&earlier.Request, &earlier.Status, &earlier.Body)
	})
	return earlier, fresh, err
}

// Answered stores the answer under its key; a failed one (5xx) frees the key.
func (db *DB) Answered(ctx context.Context, actor, key string, status int, body []byte) error {
	if status >= 500 {
		_, err := db.sql.ExecContext(ctx, `DELETE FROM idempotency WHERE actor = ? AND key = ?`, actor, key)
		return err
	}
	_, err := db.sql.ExecContext(ctx, `UPDATE idempotency SET status = ?, answer = ? WHERE actor = ? AND key = ?`, status, body, actor, key)
	return err
}
