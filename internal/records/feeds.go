package records

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"time"

	"restlesscrate/internal/model"
)

// FeedStore holds the feeds that are followed.
type FeedStore struct{ *handle }

const feedColumns = `id, name, url, rulebook, key, every_ms, taken, actor, at, COALESCE(json_extract(stamp, '$.etag'), ''), COALESCE(json_extract(stamp, '$.modified'), ''), said, looked_at, changed_at, tried_at, trouble`

func scanFeed(r *sql.Rows, f *model.Feed) error {
	var every int64
	err := r.Scan(&f.ID, &f.Name, &f.URL, &f.Rulebook, &f.Key, &every, asJSON(&f.Taken), &f.Actor, moment{&f.At}, &f.ETag, &f.Modified, asJSON(&f.Said), moment{&f.LookedAt}, moment{&f.ChangedAt}, moment{&f.TriedAt}, &f.Trouble)
	f.Every = time.Duration(every) * time.Millisecond
	return err
}

// Feeds gives all feeds, by name.
func (db *FeedStore) Feeds(ctx context.Context) ([]model.Feed, error) {
	return all(ctx, db.sql, scanFeed, `SELECT `+feedColumns+` FROM feed ORDER BY name`)
}

// FeedTimes gives all feeds without what they say, which may be long.
func (db *FeedStore) FeedTimes(ctx context.Context) ([]model.Feed, error) {
	return all(ctx, db.sql, scanFeed, `SELECT `+strings.Replace(feedColumns, "said", "NULL", 1)+` FROM feed ORDER BY name`)
}

// FeedsFor gives the feeds that announce for a rulebook, by name.
func (db *FeedStore) FeedsFor(ctx context.Context, rulebook string) ([]model.Feed, error) {
	return all(ctx, db.sql, scanFeed, `SELECT `+feedColumns+` FROM feed WHERE rulebook = ? ORDER BY name`, rulebook)
}

// Feed gives a feed; [model.ErrNotFound] where there is none of that name.
func (db *FeedStore) Feed(ctx context.Context, name string) (model.Feed, error) {
	return first(ctx, db.sql, scanFeed, `SELECT `+feedColumns+` FROM feed WHERE name = ?`, name)
}

// AddFeed records a feed; [model.ErrConflict] where there is one of that name.
func (db *FeedStore) AddFeed(ctx context.Context, f model.Feed) error {
	if _, err := db.Feed(ctx, f.Name); err == nil {
		return model.Conflict("a feed named %s is followed already", f.Name)
	}
	_, err := db.sql.ExecContext(ctx, `INSERT INTO feed (name, url, rulebook, key, every_ms, taken, actor, at) VALUES (?,?,?,?,?,?,?,?)`,
		f.Name, f.URL, f.Rulebook, f.Key, f.Every.Milliseconds(), text(append([]string{}, f.Taken...)), f.Actor, db.millis())
	return err
}

// HeardFeed records what came of looking at a feed: what it says where that is new, or the trouble.
func (db *FeedStore) HeardFeed(ctx context.Context, f model.Feed, changed bool) error {
	now := db.millis()
	if f.Trouble != "" {
		_, err := db.sql.ExecContext(ctx, `UPDATE feed SET tried_at = ?, trouble = ? WHERE name = ?`, now, f.Trouble, f.Name)
		return err
	}
	return db.within(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE feed SET tried_at = ?1, looked_at = ?1, trouble = '', stamp = ?2 WHERE name = ?3`, now, text(map[string]string{"etag": f.ETag, "modified": f.Modified}), f.Name)
		if err == nil && changed {
			_, err = tx.ExecContext(ctx, `UPDATE feed SET changed_at = ?, said = ? WHERE name = ?`, now, zipped(f.Said), f.Name)
		}
		if err != nil {
			return fmt.Errorf("record what feed %s says: %w", f.Name, err)
		}
		return nil
	})
}

// SetTaken records which add-ons of a feed are staged by themselves.
func (db *FeedStore) SetTaken(ctx context.Context, name string, keys []string) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE feed SET taken = ? WHERE name = ?`, text(append([]string{}, keys...)), name)
	return err
}

// DropFeed forgets a feed.
func (db *FeedStore) DropFeed(ctx context.Context, name string) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM feed WHERE name = ?`, name)
	return err
}
