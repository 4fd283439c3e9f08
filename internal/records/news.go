package records

import (
	"context"
	"database/sql"
	"fmt"
	"strings"

	"restlesscrate/internal/model"
)

// News tells what has changed since the records had counted so many changes.
func (db *DB) News(ctx context.Context, since int64) (n model.News, err error) {
	n.Counter = since
	_, err = all(ctx, db.sql, func(r *sql.Rows, _ *struct{}) error {
		var subject string
		var name sql.NullString
		var counter int64
		if err := r.Scan(&subject, &counter, &name); err != nil {
			return err
		}
		n.Counter = max(n.Counter, counter)
		switch {
		case name.Valid:
			n.Servers = append(n.Servers, name.String)
		case !strings.HasPrefix(subject, "server "): // of one that was dropped for good nobody asks
			n.About = append(n.About, subject)
		}
		return nil
	}, `SELECT n.subject, n.counter, s.name FROM news n LEFT JOIN server s ON n.subject = 'server ' || s.id WHERE n.counter > ? ORDER BY n.subject`, since)
	if err != nil {
		return n, fmt.Errorf("read what has changed: %w", err)
	}
	return n, nil
}
