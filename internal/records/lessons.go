package records

import (
	"context"
	"database/sql"
	"fmt"

	"restlesscrate/internal/model"
)

// LessonStore keeps what servers have taught whose rulebooks grow from answers.
type LessonStore struct{ *handle }

// Lesson gives what a server has taught; [model.ErrNotFound] where its rulebook was written.
func (db *LessonStore) Lesson(ctx context.Context, server int64) (model.Lesson, error) {
	return first(ctx, db.sql, func(r *sql.Rows, l *model.Lesson) error {
		return r.Scan(&l.ServerID, &l.Rulebook, asJSON(&l.Answers), asJSON(&l.Archives), asJSON(&l.Apart), &l.Made, &l.Version)
	}, `SELECT server_id, rulebook, answers, archives, apart, made, version FROM lesson WHERE server_id = ?`, server)
}

// SaveLesson writes a lesson in place of the version that it was made from, 0 for none, and
// counts it up. It is [model.ErrConflict] where another one was written meanwhile.
func (db *LessonStore) SaveLesson(ctx context.Context, l model.Lesson) error {
	res, err := db.sql.ExecContext(ctx, `INSERT INTO lesson (server_id, rulebook, answers, archives, apart, made, version) SELECT ?1, ?7, ?2, ?3, ?4, ?5, ?6 + 1
		WHERE ?6 = 0 OR EXISTS (SELECT 1 FROM lesson WHERE server_id = ?1)
		ON CONFLICT (server_id) DO UPDATE SET answers = excluded.answers, archives = excluded.archives, apart = excluded.apart, made = excluded.made, version = excluded.version
		WHERE version = ?6`, l.ServerID, text(l.Answers), text(l.Archives), text(l.Apart), l.Made, l.Version, l.Rulebook)
	if err = exactly(res, err); err != nil {
		return fmt.Errorf("record what was learnt: %w", err)
	}
	return nil
}
