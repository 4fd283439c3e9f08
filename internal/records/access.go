package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"restlesscrate/internal/model"
)

// AddToken records a token by its keyed hash.
func (db *AccessStore) AddToken(ctx context.Context, name, hash string) (model.Token, error) {
	res, err := db.sql.ExecContext(ctx, `INSERT INTO token (name, hash, keyed, created_at) VALUES (?,?,1,?)`, name, hash, db.millis())
	if err != nil {
		return model.Token{}, fmt.Errorf("record a token: %w", err)
	}
	id, err := res.LastInsertId()
	return model.Token{ID: id, Name: name, CreatedAt: db.now()}, err
}

// usedAgain is how old the note of a token's last use may grow before it is written
// anew: not every call is worth a write.
const usedAgain = time.Hour

// TokenName gives the name of the token with that hash, and notes that it is used.
func (db *AccessStore) TokenName(ctx context.Context, hash string) (name string, err error) {
	var id int64
	var used sql.NullInt64
	err = db.sql.QueryRowContext(ctx, `SELECT id, name, used_at FROM token WHERE hash = ?`, hash).Scan(&id, &name, &used)
	if errors.Is(err, sql.ErrNoRows) {
		return "", model.ErrNotFound
	}
	if now := db.millis(); err == nil && now-used.Int64 > usedAgain.Milliseconds() {
		_, err = db.sql.ExecContext(ctx, `UPDATE token SET used_at = ? WHERE id = ?`, now, id)
	}
	return name, err
}

// Tokens lists the tokens, the oldest first.
func (db *AccessStore) Tokens(ctx context.Context) ([]model.Token, error) {
	return all(ctx, db.sql, func(r *sql.Rows, t *model.Token) error {
		return r.Scan(&t.ID, &t.Name, moment{&t.CreatedAt}, moment{&t.UsedAt})
	}, `SELECT id, name, created_at, used_at FROM token ORDER BY id`)
}

// EndToken revokes a token; [ErrNotFound] where there is none
// of that id.
func (db *AccessStore) EndToken(ctx context.Context, id int64) error {
	return found(db.sql.ExecContext(ctx, `DELETE FROM token WHERE id = ?`, id))
}

// EndTokens ends every token of a name.
func (db *AccessStore) EndTokens(ctx context.Context, name string) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM token WHERE name = ?`, name)
	return err
}

// found is for changes of one row that may not be there.
func found(res sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(model.ErrNotFound, err)
	}
	return nil
}

// Rekey keys the hashes that an earlier version kept without a key.
func (db *AccessStore) Rekey(ctx context.Context, key func(hash string) string) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		for _, table := range []string{"token", "signin_link"} {
			old, err := all(ctx, tx, func(r *sql.Rows, h *string) error { return r.Scan(h) }, `SELECT hash FROM `+table+` WHERE keyed = 0`)
			if err != nil {
				return err
			}
			for _, h := range old {
				if _, err := tx.ExecContext(ctx, `UPDATE `+table+` SET hash = ?, keyed = 1 WHERE hash = ?`, key(h), h); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// AddLink records a sign-in link by its keyed hash.
func (db *AccessStore) AddLink(ctx context.Context, hash, actor string, expires time.Time) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO signin_link (hash, actor, keyed, expires_at) VALUES (?,?,1,?)`, hash, actor, expires.UnixMilli())
	return err
}

// UseLink uses a sign-in link up and gives its actor. [ErrNotFound] where it
// does not exist, was used or has expired.
func (db *AccessStore) UseLink(ctx context.Context, hash string) (actor string, err error) {
	now := db.millis()
	err = db.sql.QueryRowContext(ctx, `UPDATE signin_link SET used_at = ? WHERE hash = ? AND used_at IS NULL AND expires_at > ? RETURNING actor`, now, hash, now).Scan(&actor)
	if errors.Is(err, sql.ErrNoRows) {
		return "", model.ErrNotFound
	}
	return actor, err
}

// Sessions keeps console sessions; it is the store of the session manager. Name
// gives the keyed hash under which one is kept, and Actor reads whose it is.
type Sessions struct {
	DB    *DB
	Name  func(token string) string
	Actor func(data []byte) string
}

// Find implements the session manager's store.
func (s Sessions) Find(token string) (data []byte, found bool, err error) {
	err = s.DB.sql.QueryRow(`SELECT data FROM session WHERE name = ? AND expires_at > ?`, s.Name(token), s.DB.millis()).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// lastLonger is by how much a session has to last longer for that to be written.
const lastLonger = 10 * time.Minute

// Commit implements the session manager's store. It is called with every call of a
// browser, since each makes the session last longer; most are not worth a write.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	name := s.Name(token)
	var known int64
	err := s.DB.sql.QueryRow(`SELECT expires_at FROM session WHERE name = ? AND data = ?`, name, data).Scan(&known)
	if err == nil && expiry.UnixMilli()-known < lastLonger.Milliseconds() {
		return nil
	}
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	_, err = s.DB.sql.Exec(`INSERT INTO session (name, data, actor, created_at, expires_at) VALUES (?,?,?,?,?)
		ON CONFLICT (name) DO UPDATE SET data = excluded.data, actor = excluded.actor, expires_at = excluded.expires_at`,
		name, data, s.Actor(data), s.DB.millis(), expiry.UnixMilli())
	return err
}

// Delete implements the session manager's store.
func (s Sessions) Delete(token string) error {
	_, err := s.DB.sql.Exec(`DELETE FROM session WHERE name = ?`, s.Name(token))
	return err
}

// SessionList lists the sessions that have not expired, the oldest first.
func (db *AccessStore) SessionList(ctx context.Context) ([]model.Session, error) {
	return all(ctx, db.sql, func(r *sql.Rows, s *model.Session) error {
		return r.Scan(&s.ID, &s.Actor, moment{&s.CreatedAt}, moment{&s.ExpiresAt})
	}, `SELECT id, actor, created_at, expires_at FROM session WHERE expires_at > ? ORDER BY id`, db.millis())
}

// EndSession signs a browser out; [ErrNotFound] where there is no such session.
func (db *AccessStore) EndSession(ctx context.Context, id int64) error {
	return found(db.sql.ExecContext(ctx, `DELETE FROM session WHERE id = ?`, id))
}

// Answer is a remembered answer to a request with an idempotency key.
type Answer struct {
	Request string
	Status  int // 0 while the first request is under way
	Body    []byte
}

// Remember claims an idempotency key. fresh is false where it was used
// before; the earlier answer comes with it.
func (db *AccessStore) Remember(ctx context.Context, actor, key, request string) (earlier Answer, fresh bool, err error) {
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
func (db *AccessStore) Answered(ctx context.Context, actor, key string, status int, body []byte) error {
	if status >= 500 {
		_, err := db.sql.ExecContext(ctx, `DELETE FROM idempotency WHERE actor = ? AND key = ?`, actor, key)
		return err
	}
	_, err := db.sql.ExecContext(ctx, `UPDATE idempotency SET status = ?, answer = ? WHERE actor = ? AND key = ?`, status, body, actor, key)
	return err
}

// For how long things are kept that are of no use later.
const (
	keepAnswers = 24 * time.Hour
	keepEvents  = 24 * time.Hour
	keepJobs    = 30 * 24 * time.Hour
	// cleanAtOnce is how many rows one statement removes, so that nobody waits long
	// for the database.
	cleanAtOnce = 5000
)

// Forget removes what is too old to be of use: answers to repeated requests, the
// progress of jobs that ended, jobs that nothing refers to any more, expired sessions
// and links. A job that ran a deployment last stays with its result. It gives how
// many rows went.
func (db *AccessStore) Forget(ctx context.Context) (gone int64, err error) {
	now := db.millis()
	for _, c := range []struct {
		what  string
		query string
		than  int64
	}{
		{"answers", `DELETE FROM idempotency WHERE rowid IN (SELECT rowid FROM idempotency WHERE created_at < ? LIMIT ?)`, now - keepAnswers.Milliseconds()},
		{"events", `DELETE FROM job_event WHERE (job_id, number) IN (SELECT e.job_id, e.number FROM job j JOIN job_event e ON e.job_id = j.id WHERE j.ended_at < ? LIMIT ?)`, now - keepEvents.Milliseconds()},
		{"jobs", `DELETE FROM job WHERE id IN (SELECT j.id FROM job j WHERE j.ended_at < ? AND (j.kind <> 'run' OR EXISTS
			(SELECT 1 FROM job n WHERE n.kind = j.kind AND n.subject = j.subject AND n.rowid > j.rowid)) LIMIT ?)`, now - keepJobs.Milliseconds()},
		{"sessions", `DELETE FROM session WHERE id IN (SELECT id FROM session WHERE expires_at < ? LIMIT ?)`, now},
		{"links", `DELETE FROM signin_link WHERE hash IN (SELECT hash FROM signin_link WHERE expires_at < ? LIMIT ?)`, now},
	} {
		for {
			res, err := db.sql.ExecContext(ctx, c.query, c.than, cleanAtOnce)
			if err != nil {
				return gone, fmt.Errorf("forget old %s: %w", c.what, err)
			}
			n, err := res.RowsAffected()
			if err != nil {
				return gone, err
			}
			if gone += n; n < cleanAtOnce {
				break
			}
		}
	}
	return gone, nil
}

// ForgetBroken frees the idempotency keys of requests that an earlier service was
// answering when it ended.
func (db *AccessStore) ForgetBroken(ctx context.Context) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM idempotency WHERE status = 0`)
	return err
}
