package records

import (
	"context"
	"database/sql"
	"encoding/json"
	"strings"

	"restlesscrate/internal/model"
)

func scanJob(r *sql.Rows, j *model.Job) error {
	return r.Scan(&j.ID, &j.Kind, &j.Subject, &j.State, asJSON(&j.Result), asJSON(&j.Problem), &j.Actor, moment{&j.CreatedAt}, moment{&j.EndedAt})
}

const jobColumns = `id, kind, subject, state, result, problem, actor, created_at, ended_at`

// AddJob records a job that starts now.
func (db *JobStore) AddJob(ctx context.Context, j model.Job) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO job (id, kind, subject, state, actor, created_at) VALUES (?,?,?,'running',?,?)`, j.ID, j.Kind, j.Subject, j.Actor, db.millis())
	return err
}

// Job finds a job.
func (db *JobStore) Job(ctx context.Context, id string) (model.Job, error) {
	return first(ctx, db.sql, scanJob, `SELECT `+jobColumns+` FROM job WHERE id = ?`, id)
}

// LastJob finds the newest job of a kind about a subject. One that runs comes before one that
// ended: what was asked for a second time, and refused, is not what goes on.
func (db *JobStore) LastJob(ctx context.Context, kind, subject string) (model.Job, error) {
	return first(ctx, db.sql, scanJob, `SELECT `+jobColumns+` FROM job WHERE kind = ? AND subject = ? ORDER BY state = 'running' DESC, created_at DESC, rowid DESC LIMIT 1`, kind, subject)
}

// RunningJobs lists the jobs that have not ended, the newest first.
func (db *JobStore) RunningJobs(ctx context.Context) ([]model.Job, error) {
	return all(ctx, db.sql, scanJob, `SELECT `+jobColumns+` FROM job WHERE state = 'running' ORDER BY created_at DESC, rowid DESC`)
}

// EndedJobs lists jobs that have ended, the newest first, before a row (0: from the top), at most
// limit, without their results.
func (db *JobStore) EndedJobs(ctx context.Context, f model.JobFilter, before int64, limit int) ([]model.Job, error) {
	which, args := `state <> 'running' AND (? = 0 OR rowid < ?)`, []any{before, before}
	if f.Failed {
		which += ` AND state = 'failed'`
	}
	for _, w := range strings.Fields(f.Words) {
		which, args = which+` AND kind || ' ' || subject || ' ' || actor || ' ' || state LIKE ? ESCAPE '\'`, append(args, likely(w))
	}
	return all(ctx, db.sql, func(r *sql.Rows, j *model.Job) error {
		return r.Scan(&j.Row, &j.ID, &j.Kind, &j.Subject, &j.State, asJSON(&j.Problem), &j.Actor, moment{&j.CreatedAt}, moment{&j.EndedAt})
	}, `SELECT rowid, id, kind, subject, state, problem, actor, created_at, ended_at FROM job WHERE `+which+` ORDER BY rowid DESC LIMIT ?`, append(args, limit)...)
}

// EndJob records how a job ended. One of result and problem is nil.
func (db *JobStore) EndJob(ctx context.Context, id, state string, result, problem json.RawMessage) error {
	return exactly(db.sql.ExecContext(ctx, `UPDATE job SET state = ?, result = ?, problem = ?, ended_at = ? WHERE id = ?`,
		state, orNull(result), orNull(problem), db.millis(), id))
}

func orNull(raw json.RawMessage) string {
	if raw == nil {
		return "null"
	}
	return string(raw)
}

// AddJobEvents appends numbered events.
func (db *JobStore) AddJobEvents(ctx context.Context, id string, events []model.JobEvent) error {
	return db.within(ctx, func(tx *sql.Tx) error {
		for _, e := range events {
			if _, err := tx.ExecContext(ctx, `INSERT INTO job_event (job_id, number, kind, data, at) VALUES (?,?,?,?,?)`, id, e.Number, string(e.Data.Kind), text(e.Data), e.At.UnixMilli()); err != nil {
				return err
			}
		}
		return nil
	})
}

// JobEvents gives the events after a number.
func (db *JobStore) JobEvents(ctx context.Context, id string, after int64) ([]model.JobEvent, error) {
	return all(ctx, db.sql, func(r *sql.Rows, e *model.JobEvent) error {
		return r.Scan(&e.Number, &e.Data.Kind, asJSON(&e.Data), moment{&e.At})
	}, `SELECT number, kind, data, at FROM job_event WHERE job_id = ? AND number > ? ORDER BY number`, id, after)
}

// AbandonJobs ends the jobs that an earlier service left running.
func (db *JobStore) AbandonJobs(ctx context.Context, problem json.RawMessage) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE job SET state = 'failed', problem = ?, ended_at = ? WHERE state = 'running'`, string(problem), db.millis())
	return err
}
