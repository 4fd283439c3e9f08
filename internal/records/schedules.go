package records

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"restlesscrate/internal/model"
)

// ScheduleStore holds schedules, what came of them, and where that is told.
type ScheduleStore struct{ *handle }

const scheduleColumns = `c.id, c.name, c.server_id, s.name, c.does, c.ask, c.cron, c.zone, c.window_ms, c.empty, c.warnings, c.actor, c.at, c.next_at`

const scheduleFrom = ` FROM schedule c JOIN server s ON s.id = c.server_id WHERE s.dropped_at IS NULL`

func scanSchedule(r *sql.Rows, c *model.Schedule) error {
	var window int64
	err := r.Scan(&c.ID, &c.Name, &c.ServerID, &c.Server, &c.Does, (*[]byte)(&c.Ask), &c.Cron, &c.Zone, &window, &c.Empty, asJSON(&c.Warnings), &c.Actor, moment{&c.At}, moment{&c.Next})
	c.Window = time.Duration(window) * time.Millisecond
	return err
}

// Schedules gives all schedules of servers that are there, by name.
func (db *ScheduleStore) Schedules(ctx context.Context) ([]model.Schedule, error) {
	return all(ctx, db.sql, scanSchedule, `SELECT `+scheduleColumns+scheduleFrom+` ORDER BY c.name`)
}

// Schedule finds a schedule by its name; else [model.ErrNotFound].
func (db *ScheduleStore) Schedule(ctx context.Context, name string) (model.Schedule, error) {
	return first(ctx, db.sql, scanSchedule, `SELECT `+scheduleColumns+scheduleFrom+` AND c.name = ?`, name)
}

// AddSchedule records a schedule; [model.ErrConflict] where its name is taken.
func (db *ScheduleStore) AddSchedule(ctx context.Context, c model.Schedule) error {
	if _, err := db.Schedule(ctx, c.Name); !errors.Is(err, model.ErrNotFound) {
		return errors.Join(err, model.Conflict("a schedule named %s is there already", c.Name))
	}
	_, err := db.sql.ExecContext(ctx, `INSERT INTO schedule (name, server_id, does, ask, cron, zone, window_ms, empty, warnings, actor, at, next_at) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)`,
		c.Name, c.ServerID, c.Does, string(c.Ask), c.Cron, c.Zone, c.Window.Milliseconds(), c.Empty, text(append([]model.Warning{}, c.Warnings...)), c.Actor, db.millis(), millisOrNull(c.Next))
	return err
}

func millisOrNull(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	return t.UnixMilli()
}

// DropSchedule forgets a schedule with what came of it.
func (db *ScheduleStore) DropSchedule(ctx context.Context, id int64) error {
	_, err := db.sql.ExecContext(ctx, `DELETE FROM schedule WHERE id = ?`, id)
	return err
}

// BeginRun records in one act that a schedule is under way, or was missed, and when it is due
// next: whatever happens afterwards, it is not begun a second time.
func (db *ScheduleStore) BeginRun(ctx context.Context, r model.ScheduleRun, next time.Time) (model.ScheduleRun, error) {
	err := db.within(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO schedule_run (schedule_id, due_at, began_at, ended_at, state, words) VALUES (?,?,?,?,?,?)`,
			r.Schedule, r.Due.UnixMilli(), millisOrNull(r.Began), millisOrNull(r.Ended), r.State, r.Words)
		if err != nil {
			return err
		}
		if r.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		if _, err = tx.ExecContext(ctx, `UPDATE schedule SET next_at = ? WHERE id = ?`, millisOrNull(next), r.Schedule); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM schedule_run WHERE schedule_id = ?1 AND id NOT IN (SELECT id FROM schedule_run WHERE schedule_id = ?1 ORDER BY id DESC LIMIT 200)`, r.Schedule)
		return err
	})
	return r, err
}

// EndRun records what came of a schedule.
func (db *ScheduleStore) EndRun(ctx context.Context, r model.ScheduleRun) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE schedule_run SET began_at = ?, ended_at = ?, state = ?, words = ?, deployment = ? WHERE id = ?`,
		millisOrNull(r.Began), millisOrNull(r.Ended), r.State, r.Words, r.Deployment, r.ID)
	return err
}

// ScheduleRuns gives what came of a schedule, the newest first; of all schedules where id is 0.
func (db *ScheduleStore) ScheduleRuns(ctx context.Context, id int64, limit int) ([]model.ScheduleRun, error) {
	return all(ctx, db.sql, scanRun, `SELECT `+runColumns+` FROM schedule_run WHERE ?1 IN (0, schedule_id) ORDER BY id DESC LIMIT ?2`, id, limit)
}

const runColumns = `id, schedule_id, due_at, began_at, ended_at, state, words, deployment`

func scanRun(r *sql.Rows, x *model.ScheduleRun) error {
	return r.Scan(&x.ID, &x.Schedule, moment{&x.Due}, moment{&x.Began}, moment{&x.Ended}, &x.State, &x.Words, &x.Deployment)
}

// UnendedRuns gives the runs that are under way, or were when the service stopped.
func (db *ScheduleStore) UnendedRuns(ctx context.Context) ([]model.ScheduleRun, error) {
	return all(ctx, db.sql, scanRun, `SELECT `+runColumns+` FROM schedule_run WHERE state = 'running' ORDER BY id`)
}

const noticeColumns = `id, name, way, secret, successes, actor, at, told_at, trouble`

func scanNotice(r *sql.Rows, n *model.Notice) error {
	return r.Scan(&n.ID, &n.Name, asJSON(&n.Way), &n.Secret, &n.Successes, &n.Actor, moment{&n.At}, moment{&n.ToldAt}, &n.Trouble)
}

// Notices gives where results are told, by name.
func (db *ScheduleStore) Notices(ctx context.Context) ([]model.Notice, error) {
	return all(ctx, db.sql, scanNotice, `SELECT `+noticeColumns+` FROM notice ORDER BY name`)
}

// AddNotice records where results are told; [model.ErrConflict] where the name is taken.
func (db *ScheduleStore) AddNotice(ctx context.Context, n model.Notice) error {
	there, err := all(ctx, db.sql, scanNotice, `SELECT `+noticeColumns+` FROM notice WHERE name = ?`, n.Name)
	if err != nil || len(there) > 0 {
		return errors.Join(err, model.Conflict("a notice named %s is there already", n.Name))
	}
	_, err = db.sql.ExecContext(ctx, `INSERT INTO notice (name, way, secret, successes, actor, at) VALUES (?,?,?,?,?,?)`, n.Name, text(n.Way), n.Secret, n.Successes, n.Actor, db.millis())
	return err
}

// DropNotice tells results there no more; [model.ErrNotFound] where there is none of that name.
func (db *ScheduleStore) DropNotice(ctx context.Context, name string) error {
	res, err := db.sql.ExecContext(ctx, `DELETE FROM notice WHERE name = ?`, name)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, model.ErrNotFound)
	}
	return nil
}

// NoticeTold records that something was told there, or why it could not be.
func (db *ScheduleStore) NoticeTold(ctx context.Context, id int64, trouble string) error {
	_, err := db.sql.ExecContext(ctx, `UPDATE notice SET trouble = ?2, told_at = CASE WHEN ?2 = '' THEN ?3 ELSE told_at END WHERE id = ?1`, id, trouble, db.millis())
	return err
}
