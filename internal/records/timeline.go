package records

import (
	"context"
	"database/sql"
	"strings"

	"restlesscrate/internal/core/timeline"
	"restlesscrate/internal/model"
)

// DeploymentsOf lists a server's deployments that touched paths in which some words stand, or that
// are among some numbers; else as [DeploymentStore.Deployments]. Numbers follow one another as ids do.
func (db *DeploymentStore) DeploymentsOf(ctx context.Context, server int64, f model.TimelineFilter, before int64, limit int) ([]model.Deployment, error) {
	which, args := ` WHERE s.dropped_at IS NULL AND d.server_id = ? AND (? = 0 OR d.id < ?)`, []any{server, before, before}
	if f.Path != "" {
		which += ` AND d.id IN (SELECT c.deployment_id FROM ledger_name n JOIN ledger_event e ON e.server_id = n.server_id AND e.path_id = n.id
			JOIN ledger_cause c ON c.id = e.cause_id WHERE n.server_id = ?`
		args = append(args, server)
		for _, w := range strings.Fields(f.Path) {
			which, args = which+` AND n.path LIKE ? ESCAPE '\'`, append(args, likely(w))
		}
		which += `)`
	}
	if f.Numbers != nil {
		which, args = which+` AND d.number IN (SELECT value FROM json_each(?))`, append(args, text(f.Numbers))
	}
	return all(ctx, db.sql, db.scan, `SELECT `+outlined.columns()+deploymentFrom+which+` ORDER BY d.number DESC LIMIT ?`, append(args, limit)...)
}

// DoneOf gives what every done deployment of a server took back, in no order. One that left paths as
// they were took nothing back whole. What others were asked with may be long, and is not looked into.
func (db *DeploymentStore) DoneOf(ctx context.Context, server int64) ([]timeline.Done, error) {
	return all(ctx, db.sql, func(r *sql.Rows, d *timeline.Done) error {
		return r.Scan(&d.Number, &d.Back, &d.Whole, &d.To)
	}, doneOf, server)
}

const doneOf = `SELECT number, COALESCE(back ->> '$.deployment', 0), back ->> '$.to' IS NOT NULL AND back ->> '$.path' IS NULL AND back ->> '$.addon' IS NULL, COALESCE(back ->> '$.to', 0)
		FROM (SELECT number, CASE WHEN kind = 'rollback' AND ask -> '$.back.leave' IS NULL THEN ask -> '$.back' END AS back
			FROM deployment WHERE server_id = ? AND state = 'done')`

// likely is words as LIKE finds them within a text, to the letter.
func likely(words string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(words) + "%"
}
