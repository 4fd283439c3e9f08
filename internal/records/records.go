// Package records is everything that is written down: one SQLite database
// with the catalogue, the servers, the deployments with their journal, the
// ledger, jobs and access. All SQL of the program is here.
package records

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"time"

	"golang.org/x/sync/semaphore"

	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the database/sql driver named "sqlite"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Clock tells the time. Records never order by it.
type Clock func() time.Time

// DB is the open database: a store for each subject over one handle. It is safe for many
// goroutines. A service asks for the few methods it needs by an interface of its own.
type DB struct {
	*handle
	*AccessStore     // tokens, sessions, links to sign in, answers to repeated requests
	*ContentStore    // archives, containers, contents and where they lie
	*RulebookStore   // revisions of rulebooks, and what people noted to be odd of add-ons
	*CrateStore      // crates, pallets, corrections
	*ServerStore     // servers, their secrets and what people chose for them
	*SeenStore       // what was last found out about hosts and games
	*DeploymentStore // drafts and runs
	*JournalStore    // how far the motions of a run have come
	*LedgerStore     // what is on servers, and every event that made it so
	*RollCallStore   // what was found out and said of add-ons that run
	*LessonStore     // what servers have taught whose rulebooks grow
	*SurveyStore     // what surveys of servers found, and what people ignore
	*FeedStore       // feeds that announce versions of add-ons
	*GroupStore      // groups of servers, and what differs between servers on purpose
	*PacklistStore   // what players are told
	*ScheduleStore   // what is done by itself, and where its results are told
	*JobStore        // what the service works on
}

// handle is what the stores have in common.
type handle struct {
	sql    *sql.DB
	now    Clock
	locate *sql.Stmt // asked once for every file that is sent
	file   string
	sealer Sealer              // nil where nothing is sealed
	lists  *semaphore.Weighted // whole lists that are read at a time: each takes several connections
}

// The stores, each with its SQL in files of its own.
type (
	// AccessStore holds who may sign in.
	AccessStore struct{ *handle }
	// ContentStore holds what the stockroom has.
	ContentStore struct{ *handle }
	// RulebookStore holds every revision of every rulebook.
	RulebookStore struct{ *handle }
	// CrateStore holds what archives were laid out to.
	CrateStore struct{ *handle }
	// ServerStore holds what is known of servers.
	ServerStore struct{ *handle }
	// SeenStore holds what was last found out about servers beside their files.
	SeenStore struct{ *handle }
	// DeploymentStore holds drafts and what became of them.
	DeploymentStore struct{ *handle }
	// JournalStore holds the marks of motions.
	JournalStore struct{ *handle }
	// LedgerStore holds events, and the state of every path that follows from them.
	LedgerStore struct{ *handle }
	// RollCallStore holds roll calls, confirmations and what was done by hand.
	RollCallStore struct{ *handle }
	// JobStore holds jobs and their events.
	JobStore struct{ *handle }
)

func newDB(h *handle) *DB {
	return &DB{h, &AccessStore{h}, &ContentStore{h}, &RulebookStore{h}, &CrateStore{h}, &ServerStore{h}, &SeenStore{h}, &DeploymentStore{h}, &JournalStore{h}, &LedgerStore{h}, &RollCallStore{h}, &LessonStore{h}, &SurveyStore{h}, &FeedStore{h}, &GroupStore{h}, &PacklistStore{h}, &ScheduleStore{h}, &JobStore{h}}
}

// Open opens the database file, making and migrating it as needed.
// Commits are synced in full: what the journal says happened is on disk.
func Open(ctx context.Context, file string, now Clock) (*DB, error) {
	if err := private(file); err != nil {
		return nil, err
	}
	dsn := "file:" + (&url.URL{Path: file}).EscapedPath() + "?_pragma=busy_timeout(5000)&_pragma=auto_vacuum(incremental)&_pragma=foreign_keys(1)" +
		"&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_txlock=immediate"
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", file, err)
	}
	// Many motions ask at a time where their bytes lie; each connection is memory.
	db.SetMaxOpenConns(32)
	if err := quickCheck(ctx, db, file); err != nil {
		return nil, errors.Join(err, db.Close())
	}
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, dir, goose.WithGoMigrations(packListings(), packLedger()))
	if err == nil {
		_, err = p.Up(ctx)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("bring the database %s up to date: %w", file, err), db.Close())
	}
	locate, err := db.PrepareContext(ctx, locateContent)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("open %s: %w", file, err), db.Close())
	}
	return newDB(&handle{sql: db, now: now, locate: locate, file: file, lists: semaphore.NewWeighted(filesLists)}), nil
}

// private makes the database file one that only its owner reads, before there is
// anything in it; what SQLite makes beside it has the same permissions.
func private(file string) error {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("open %s: %w", file, err)
	}
	if err := errors.Join(f.Close(), os.Chmod(file, 0o600)); err != nil {
		return fmt.Errorf("make %s private: %w", file, err)
	}
	return nil
}

// Close gives back what the database does not use any more, and closes it.
func (db *DB) Close() error {
	ctx, stop := context.WithTimeout(context.Background(), shrinking)
	defer stop()
	if err := db.Shrink(ctx); err != nil && ctx.Err() == nil {
		return errors.Join(err, db.sql.Close())
	}
	return db.sql.Close()
}

// Identity tells which database this is and how far it has come.
func (db *DB) Identity(ctx context.Context) (m stockroom.Mark, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT id, counter FROM identity`).Scan(&m.Database, &m.Counter)
	if err != nil {
		return m, fmt.Errorf("read the database's identity: %w", err)
	}
	return m, nil
}

// Basis is a number that is another one once anything is written that a draft is made
// from: what a server's files are known to be, crates, rulebooks, what people chose.
func (db *DB) Basis(ctx context.Context) (n int64, err error) {
	if err = db.sql.QueryRowContext(ctx, `SELECT basis FROM identity`).Scan(&n); err != nil {
		return n, fmt.Errorf("read how far the records have come: %w", err)
	}
	return n, nil
}

// Ping tells whether the database answers.
func (db *DB) Ping(ctx context.Context) error { return db.sql.PingContext(ctx) }

func (db *handle) millis() int64 { return db.now().UnixMilli() }

// within runs do in one transaction, committed if do returns nil.
func (db *handle) within(ctx context.Context, do func(tx *sql.Tx) error) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	if err := do(tx); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("commit: %w", err)
	}
	return nil
}

// querier is what *sql.DB and *sql.Tx share.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// all gathers rows through scan.
func all[T any](ctx context.Context, q querier, scan func(*sql.Rows, *T) error, query string, args ...any) ([]T, error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []T
	for rows.Next() {
		var v T
		if err := scan(rows, &v); err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, rows.Err()
}

// first gives the only row, or [ErrNotFound].
func first[T any](ctx context.Context, q querier, scan func(*sql.Rows, *T) error, query string, args ...any) (T, error) {
	rows, err := all(ctx, q, scan, query, args...)
	if err != nil || len(rows) == 0 {
		var zero T
		return zero, errors.Join(err, map[bool]error{true: model.ErrNotFound}[err == nil])
	}
	return rows[0], nil
}

// column wraps a field that is kept as JSON text.
type column struct{ v any }

func asJSON(v any) column { return column{v} }

// Scan implements sql.Scanner.
func (c column) Scan(src any) error {
	switch s := src.(type) {
	case nil:
		return nil
	case string:
		return json.Unmarshal([]byte(s), c.v)
	case []byte:
		return unzip(s, c.v)
	}
	return fmt.Errorf("a JSON column holds %T", src)
}

// text writes v as JSON; only types that always can be written are passed.
func text(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("records: %T cannot be written as JSON: %v", v, err))
	}
	return string(raw)
}

// moment reads a nullable time.
type moment struct{ t *time.Time }

// Scan implements sql.Scanner.
func (m moment) Scan(src any) error {
	if ms, ok := src.(int64); ok {
		*m.t = time.UnixMilli(ms).UTC()
	}
	return nil
}

// exactly checks that a change hit one row.
func exactly(res sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n != 1 {
		return errors.Join(model.ErrConflict, err)
	}
	return nil
}
