// Package recordstest opens databases for tests. A new one goes through every migration, which
// takes longer than most tests; these are copies of one that did so once.
package recordstest

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"time"

	"restlesscrate/internal/records"
)

// empty gives the bytes of an empty database that is up to date.
var empty = sync.OnceValues(func() (raw []byte, err error) {
	dir, err := os.MkdirTemp("", "restless-empty-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(dir) }() // it is in the folder for such files
	file := filepath.Join(dir, "records.db")
	db, err := records.Open(context.Background(), file, time.Now)
	if err != nil {
		return nil, err
	}
	if err := db.Close(); err != nil { // what its log holds is in it then
		return nil, err
	}
	return os.ReadFile(file)
})

// Open opens an empty database in a file that is not there yet, as [records.Open] does. All of
// them have the same identity, so no test may ask whether one is another.
func Open(ctx context.Context, file string, now records.Clock) (*records.DB, error) {
	raw, err := empty()
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(file, raw, 0o600); err != nil {
		return nil, err
	}
	return records.Open(ctx, file, now)
}
