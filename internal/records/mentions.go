package records

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"github.com/klauspost/compress/zstd"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// unasked are tables in which a content may be named without being needed: where it lies, and
// what has been told to somebody.
var unasked = []string{"content", "container", "leaving", "job", "job_event", "idempotency", "session", "token", "signin_link", "news", "survey", "roll_call", "goose_db_version", "sqlite_sequence"}

// exempt says, by table, which rows are not asked: those that are about to lose the content, or
// have lost it before.
func exempt(e model.Except) map[string]string {
	ids := func(list []int64) string {
		out := make([]string, len(list))
		for i, id := range list {
			out[i] = fmt.Sprint(id)
		}
		return "(" + strings.Join(out, ",") + ")"
	}
	return map[string]string{
		"archive": "dropped_at IS NOT NULL OR id IN " + ids(e.Archives), "layout": "archive_id IN " + ids(e.Archives), "layout_crate": "archive_id IN " + ids(e.Archives), "pallet": "archive_id IN " + ids(e.Archives),
		"crate": "dropped_at IS NOT NULL AND id IN (SELECT ca.crate_id FROM crate_archive ca JOIN archive a ON a.id = ca.archive_id WHERE a.dropped_at IS NOT NULL) OR id IN " + ids(e.Crates), "crate_archive": "crate_id IN " + ids(e.Crates),
		"deployment": "id IN " + ids(e.Deployments), "motion": "deployment_id IN " + ids(e.Deployments),
		"ledger_event": "cause_id IN (SELECT id FROM ledger_cause WHERE deployment_id IN " + ids(e.Deployments) + ")",
	}
}

// Mentioned gives those of some contents that anything in the database names, in whatever form:
// as 32 bytes or as 64 hexadecimal digits, packed or not. It looks at every value of every
// table instead of knowing where contents are named, so that a new table need not be thought
// of here: what it finds by chance stays.
func (db *DB) Mentioned(ctx context.Context, wanted map[tree.Digest]bool, e model.Except) (map[tree.Digest]bool, error) {
	m := newMentions(wanted)
	tables, err := all(ctx, db.sql, func(r *sql.Rows, s *string) error { return r.Scan(s) }, `SELECT name FROM sqlite_schema WHERE type = 'table' ORDER BY name`)
	if err != nil {
		return nil, err
	}
	not := exempt(e)
	for _, table := range tables {
		if slices.Contains(unasked, table) {
			continue
		}
		query := `SELECT * FROM "` + table + `"`
		if where := not[table]; where != "" {
			query += " WHERE NOT (" + where + ")"
		}
		if err := db.eachValue(ctx, query, m.look); err != nil {
			return nil, fmt.Errorf("look for what is needed in %s: %w", table, err)
		}
	}
	return m.found, nil
}

// eachValue calls look for every text and every blob of a query's rows; they are only good
// until it returns.
func (db *DB) eachValue(ctx context.Context, query string, look func([]byte) error) error {
	rows, err := db.sql.QueryContext(ctx, query)
	if err != nil {
		return err
	}
	defer rows.Close()
	columns, err := rows.Columns()
	if err != nil {
		return err
	}
	values, into := make([]sql.RawBytes, len(columns)), make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		for _, v := range values {
			if len(v) >= len(tree.Digest{}) {
				if err := look(v); err != nil {
					return err
				}
			}
		}
	}
	return rows.Err()
}

// mentions looks for contents in bytes.
type mentions struct {
	wanted, found map[tree.Digest]bool
	heads         [1 << 16]bool // the first two bytes of what is wanted
	unzip         *zstd.Decoder
}

func newMentions(wanted map[tree.Digest]bool) *mentions {
	m := &mentions{wanted: wanted, found: map[tree.Digest]bool{}}
	for d := range wanted {
		m.heads[int(d[0])<<8|int(d[1])] = true
	}
	return m
}

// look notes what a value names.
func (m *mentions) look(v []byte) (err error) {
	if bytes.HasPrefix(v, zstdMagic) {
		if m.unzip == nil {
			if m.unzip, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1)); err != nil {
				return err
			}
		}
		plain, err := m.unzip.DecodeAll(v, nil)
		if err != nil {
			return fmt.Errorf("unpack a value: %w", err)
		}
		v = plain
	}
	const long = len(tree.Digest{})
	digits := 0
	var d tree.Digest
	for i, b := range v {
		if i+long <= len(v) && i+1 < len(v) && m.heads[int(b)<<8|int(v[i+1])] {
			if copy(d[:], v[i:]); m.wanted[d] {
				m.found[d] = true
			}
		}
		if b >= '0' && b <= '9' || b >= 'a' && b <= 'f' || b >= 'A' && b <= 'F' {
			digits++
		} else {
			digits = 0
		}
		if digits >= 2*long {
			if _, err := hex.Decode(d[:], v[i+1-2*long:i+1]); err == nil && m.wanted[d] {
				m.found[d] = true
			}
		}
	}
	return nil
}
