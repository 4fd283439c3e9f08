package records

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"restlesscrate/internal/model"
)

// SawAgreements notes what was seen of the values that must go together on a server, now.
func (db *ServerStore) SawAgreements(ctx context.Context, server int64, l model.AgreeLook) error {
	raw, err := json.Marshal(l.Found)
	if err == nil {
		_, err = db.sql.ExecContext(ctx, `INSERT OR REPLACE INTO agree_look (server_id, at, by, found) VALUES (?,?,?,?)`, server, db.millis(), l.By, string(raw))
	}
	if err != nil {
		return fmt.Errorf("record which values do not go together: %w", err)
	}
	return nil
}

// AgreementsSeen gives what was last seen of them; nothing where nobody has looked yet.
func (db *ServerStore) AgreementsSeen(ctx context.Context, server int64) (l model.AgreeLook, err error) {
	var raw []byte
	err = db.sql.QueryRowContext(ctx, `SELECT at, by, found FROM agree_look WHERE server_id = ?`, server).Scan(moment{&l.At}, &l.By, &raw)
	if errors.Is(err, sql.ErrNoRows) {
		return l, nil
	}
	if err == nil {
		err = json.Unmarshal(raw, &l.Found)
	}
	if err != nil {
		return l, fmt.Errorf("read which values do not go together: %w", err)
	}
	return l, nil
}
