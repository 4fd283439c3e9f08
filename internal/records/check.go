package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// DamagedError says that the database itself is damaged: nothing may be written
// into it any more.
type DamagedError struct {
	File string
	What string // the first things that SQLite says of it
}

func (e *DamagedError) Error() string {
	return fmt.Sprintf("the database %s is damaged: %s", e.File, e.What)
}

// damage gives a [*DamagedError] where an error of SQLite tells of damage.
func damage(file string, err error) error {
	var e *sqlite.Error
	if errors.As(err, &e) && (e.Code()&0xff == sqlite3.SQLITE_CORRUPT || e.Code()&0xff == sqlite3.SQLITE_NOTADB) {
		return &DamagedError{File: file, What: e.Error()}
	}
	return err
}

// quickCheck has SQLite look over the database at start: everything but whether
// the indexes hold what the tables do.
func quickCheck(ctx context.Context, db *sql.DB, file string) error {
	return check(ctx, db, file, `PRAGMA quick_check(5)`)
}

// Integrity has SQLite look over the whole database. It gives a [*DamagedError]
// where something is wrong.
func (db *DB) Integrity(ctx context.Context) error {
	return check(ctx, db.sql, db.file, `PRAGMA integrity_check(5)`)
}

func check(ctx context.Context, db *sql.DB, file, pragma string) error {
	said, err := all(ctx, db, func(r *sql.Rows, s *string) error { return r.Scan(s) }, pragma)
	if err != nil {
		return fmt.Errorf("check the database %s: %w", file, damage(file, err))
	}
	if len(said) != 1 || said[0] != "ok" {
		return &DamagedError{File: file, What: strings.Join(said, "; ")}
	}
	return nil
}

// What Shrink leaves free for what comes next, and gives back at a time, in pages; and
// how long a database that is being closed does so.
const (
	leftFree  = 256
	givenBack = 500
	shrinking = 5 * time.Second
)

// Shrink gives the room back that the database does not use any more: the journal of a
// long deployment is large while it runs, and small once it is over. A database that was
// made before this was so keeps its room for what comes.
func (db *DB) Shrink(ctx context.Context) error {
	for free := 0; ; {
		before := free
		if err := db.sql.QueryRowContext(ctx, `PRAGMA freelist_count`).Scan(&free); err != nil {
			return fmt.Errorf("shrink the database: %w", err)
		}
		if free <= leftFree || free == before {
			return nil
		}
		if _, err := db.sql.ExecContext(ctx, fmt.Sprintf(`PRAGMA incremental_vacuum(%d)`, givenBack)); err != nil {
			return fmt.Errorf("shrink the database: %w", err)
		}
	}
}
