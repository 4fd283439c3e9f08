package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"restlesscrate/internal/model"
)

// SurveyStore keeps what surveys found, and what is to be ignored.
type SurveyStore struct{ *handle }

// AddSurvey records a survey. What differed in those before the last one is forgotten; their
// figures stay.
func (db *SurveyStore) AddSurvey(ctx context.Context, s model.Survey) (model.Survey, error) {
	s.At = db.now()
	for i := range s.Items {
		if s.Items[i].Since.IsZero() {
			s.Items[i].Since = s.At
		}
	}
	err := db.within(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO survey (server_id, at, took_ms, seq, thorough, actor, counts, items) VALUES (?,?,?,?,?,?,?,?)`,
			s.ServerID, s.At.UnixMilli(), s.Took.Milliseconds(), s.Seq, s.Thorough, s.Actor, text(s.Counts), zipped(append([]model.SurveyItem{}, s.Items...)))
		if err != nil {
			return err
		}
		if s.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE survey SET items = NULL WHERE server_id = ? AND items IS NOT NULL AND id NOT IN
			(SELECT id FROM survey WHERE server_id = ? ORDER BY id DESC LIMIT 2)`, s.ServerID, s.ServerID)
		return err
	})
	if err != nil {
		return s, fmt.Errorf("record the survey: %w", err)
	}
	return s, nil
}

// LastSurvey gives the newest survey of a server; [model.ErrNotFound] where there was none.
func (db *SurveyStore) LastSurvey(ctx context.Context, server int64) (model.Survey, error) {
	return first(ctx, db.sql, scanSurvey, `SELECT `+surveyColumns+`, items FROM survey WHERE server_id = ? ORDER BY id DESC LIMIT 1`, server)
}

// LastLook gives the figures of the newest survey of a server, without what differed;
// [model.ErrNotFound] where there was none.
func (db *SurveyStore) LastLook(ctx context.Context, server int64) (model.Survey, error) {
	return first(ctx, db.sql, scanSurvey, `SELECT `+surveyColumns+`, NULL FROM survey WHERE server_id = ? ORDER BY id DESC LIMIT 1`, server)
}

// Surveys lists the surveys of a server, the newest first, without what differed.
func (db *SurveyStore) Surveys(ctx context.Context, server int64, limit int) ([]model.Survey, error) {
	return all(ctx, db.sql, scanSurvey, `SELECT `+surveyColumns+`, NULL FROM survey WHERE server_id = ? ORDER BY id DESC LIMIT ?`, server, limit)
}

const surveyColumns = `id, server_id, at, took_ms, seq, thorough, actor, counts`

func scanSurvey(r *sql.Rows, s *model.Survey) error {
	var took int64
	err := r.Scan(&s.ID, &s.ServerID, moment{&s.At}, &took, &s.Seq, &s.Thorough, &s.Actor, asJSON(&s.Counts), asJSON(&s.Items))
	s.Took = time.Duration(took) * time.Millisecond
	return err
}

// Ignore notes what is to be ignored on a server.
func (db *SurveyStore) Ignore(ctx context.Context, server int64, i model.Ignored) error {
	_, err := db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO survey_ignore (server_id, pattern, note, actor, at) VALUES (?,?,?,?,?)`, server, i.Pattern, i.Note, i.Actor, db.millis())
	if err != nil {
		return fmt.Errorf("record what is ignored: %w", err)
	}
	return nil
}

// Unignore takes that back; [model.ErrNotFound] where it was not said.
func (db *SurveyStore) Unignore(ctx context.Context, server int64, pattern string) error {
	err := exactly(db.sql.ExecContext(ctx, `DELETE FROM survey_ignore WHERE server_id = ? AND pattern = ?`, server, pattern))
	if errors.Is(err, model.ErrConflict) {
		return model.ErrNotFound
	}
	return err
}

// IgnoredOn lists what is ignored on a server.
func (db *SurveyStore) IgnoredOn(ctx context.Context, server int64) ([]model.Ignored, error) {
	return all(ctx, db.sql, func(r *sql.Rows, i *model.Ignored) error {
		return r.Scan(&i.Pattern, &i.Note, &i.Actor, moment{&i.At})
	}, `SELECT pattern, note, actor, at FROM survey_ignore WHERE server_id = ? ORDER BY pattern`, server)
}

// LedgerSeq gives the last event of a server's ledger; 0 where there is none.
func (db *SurveyStore) LedgerSeq(ctx context.Context, server int64) (seq int64, err error) {
	err = db.sql.QueryRowContext(ctx, `SELECT seq FROM ledger_event WHERE server_id = ? ORDER BY seq DESC LIMIT 1`, server).Scan(&seq)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return seq, err
}
