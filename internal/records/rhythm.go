package records

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"restlesscrate/internal/model"
)

// Rhythm tells how often a server is to be looked at; nothing where nobody said so.
func (db *SurveyStore) Rhythm(ctx context.Context, server int64) (model.Rhythm, error) {
	r, err := first(ctx, db.sql, func(rows *sql.Rows, r *model.Rhythm) error {
		var survey, updates int64
		err := rows.Scan(&survey, &updates, moment{&r.UpdatesAt}, &r.UpdatesBy)
		r.Survey, r.Updates = time.Duration(survey)*time.Millisecond, time.Duration(updates)*time.Millisecond
		return err
	}, `SELECT survey_ms, updates_ms, updates_at, updates_by FROM rhythm WHERE server_id = ?`, server)
	if errors.Is(err, model.ErrNotFound) {
		return model.Rhythm{}, nil
	}
	return r, err
}

// SaveRhythm writes how often a server is to be looked at.
func (db *SurveyStore) SaveRhythm(ctx context.Context, server int64, r model.Rhythm) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO rhythm (server_id) VALUES (?) ON CONFLICT DO NOTHING`, server)
	if err == nil {
		_, err = db.sql.ExecContext(ctx, `UPDATE rhythm SET survey_ms = ?, updates_ms = ? WHERE server_id = ?`, r.Survey.Milliseconds(), r.Updates.Milliseconds(), server)
	}
	return err
}

// LookedForUpdates notes that somebody has looked for updates now.
func (db *SurveyStore) LookedForUpdates(ctx context.Context, server int64, actor string) error {
	_, err := db.sql.ExecContext(ctx, `INSERT INTO rhythm (server_id, updates_at, updates_by) VALUES (?1, ?2, ?3)
		ON CONFLICT (server_id) DO UPDATE SET updates_at = ?2, updates_by = ?3`, server, db.millis(), actor)
	return err
}
