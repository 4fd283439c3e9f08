package records

import (
	"context"
	"database/sql"
	"fmt"
	"slices"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

const eventColumns = `e.seq, n.path, e.change, c.cause, COALESCE(s.name || '#' || d.number, ''), COALESCE(d.number, 0), c.actor, c.at`
const eventFrom = ` FROM ledger_event e JOIN ledger_name n ON n.id = e.path_id JOIN ledger_cause c ON c.id = e.cause_id
	JOIN server s ON s.id = e.server_id LEFT JOIN deployment d ON d.id = c.deployment_id`

// events gives events of a server that a condition chooses, in order.
func (db *LedgerStore) events(ctx context.Context, server int64, which string, args ...any) ([]model.Event, error) {
	who, err := claimants(ctx, db.sql, server)
	if err != nil {
		return nil, err
	}
	return db.eventsBy(ctx, who, which, args...)
}

// EventsOf gives the events that touch an add-on, in order. Most of a server's touch others: those
// are not unpacked.
func (db *LedgerStore) EventsOf(ctx context.Context, server int64, addon string) (out []model.Event, err error) {
	who, err := claimants(ctx, db.sql, server)
	if err != nil {
		return nil, err
	}
	name := []byte(text(addon)) // as it stands in what is said of texts
	some := func(id int64) bool { return who[id].Addon == addon }
	var seqs []int64
	_, err = all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var seq int64
		var change sql.RawBytes
		if err := r.Scan(&seq, &change); err != nil {
			return err
		}
		if mayTouch(change, some, name) {
			seqs = append(seqs, seq)
		}
		return nil
	}, `SELECT seq, change FROM ledger_event WHERE server_id = ? ORDER BY seq`, server)
	if err != nil || len(seqs) == 0 {
		return nil, err
	}
	out, err = db.eventsBy(ctx, who, `e.seq IN (SELECT value FROM json_each(?))`, text(seqs))
	return slices.DeleteFunc(out, func(e model.Event) bool { return !e.Touches(addon) }), err
}

func (db *LedgerStore) eventsBy(ctx context.Context, who map[int64]claimant, which string, args ...any) ([]model.Event, error) {
	return all(ctx, db.sql, func(r *sql.Rows, e *model.Event) error {
		err := scanEvent(r, e, who)
		db.openChange(&e.Change)
		return err
	}, `SELECT `+eventColumns+eventFrom+` WHERE `+which+` ORDER BY e.seq`, args...)
}

func scanEvent(r *sql.Rows, e *model.Event, who map[int64]claimant) error {
	var path string
	var change sql.RawBytes
	if err := r.Scan(&e.Seq, &path, &change, &e.Cause, &e.Deployment, &e.Number, &e.Actor, moment{&e.At}); err != nil {
		return err
	}
	c, err := unpackChange(change, func(id int64) (claimant, bool) { w, ok := who[id]; return w, ok })
	if err != nil {
		return fmt.Errorf("event %d of %s: %w", e.Seq, path, err)
	}
	e.Change = c
	e.Change.Path = tree.Path(path)
	return nil
}

// Events gives all events of a server in order.
func (db *LedgerStore) Events(ctx context.Context, server int64) ([]model.Event, error) {
	return db.events(ctx, server, `e.server_id = ?`, server)
}

// EventsAt gives the events of one path, the newest first.
func (db *LedgerStore) EventsAt(ctx context.Context, server int64, p tree.Path) ([]model.Event, error) {
	list, err := db.events(ctx, server, `e.server_id = ? AND e.path_id = (SELECT id FROM ledger_name WHERE server_id = ? AND path = ?)`, server, server, string(p))
	for i, j := 0, len(list)-1; i < j; i, j = i+1, j-1 {
		list[i], list[j] = list[j], list[i]
	}
	return list, err
}
