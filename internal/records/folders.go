package records

import (
	"context"
	"database/sql"
	"fmt"
	"unicode/utf8"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// FolderOf gives what a server's ledger holds directly in a folder: its folders with what is in
// each at whatever depth, and its files, both by name.
func (db *LedgerStore) FolderOf(ctx context.Context, server int64, in tree.Path) (folders []model.FolderSum, files []model.File, err error) {
	r, err := newFilesReader(ctx, db.sql, server, in, tree.Root)
	if err != nil {
		return nil, nil, err
	}
	from, to := r.ends()
	behind := 1 // the first character of a path behind "in/", counted as SQL does
	if in != tree.Root {
		from, to, behind = string(in)+"/", string(in)+"0", utf8.RuneCountInString(string(in))+2
	}
	folders, err = all(ctx, db.sql, func(rows *sql.Rows, f *model.FolderSum) error {
		return rows.Scan(&f.Name, &f.Files, &f.Bytes)
	}, `SELECT substr(n.path, ?1, instr(substr(n.path, ?1), '/') - 1) AS name, COUNT(*), SUM(l.size)
		FROM ledger_name n JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id
		WHERE n.server_id = ?2 AND n.path >= ?3 AND n.path < ?4 AND l.being = 3 AND instr(substr(n.path, ?1), '/') > 0 GROUP BY name ORDER BY name`, behind, server, from, to)
	if err != nil {
		return nil, nil, fmt.Errorf("read the folders: %w", err)
	}
	r.direct = behind
	files, err = r.read(ctx, from, to, 0)
	return folders, files, err
}

// FindPaths gives the paths that a server's ledger knows and in which some words stand, at most
// limit of them: those that are there first, the shorter ones before the longer. With server 0,
// of all servers. What was there once and is not any more is told as gone.
func (db *LedgerStore) FindPaths(ctx context.Context, server int64, words []string, limit int) ([]model.FoundPath, error) {
	which, args := ` WHERE s.dropped_at IS NULL`, []any{}
	if server != 0 {
		which, args = which+` AND n.server_id = ?`, append(args, server)
	}
	for _, w := range words {
		which, args = which+` AND n.path LIKE ? ESCAPE '\'`, append(args, likely(w))
	}
	// What happened to a path is looked up for those that are told alone, not for all that match.
	list, err := all(ctx, db.sql, func(rows *sql.Rows, f *model.FoundPath) error {
		var change sql.RawBytes
		if err := rows.Scan(&f.Server, (*string)(&f.Path), &f.There, &f.Size, &change); err != nil {
			return err
		}
		if f.There {
			return nil
		}
		was, err := unpackBefore(change)
		f.Gone, f.Size = was.Being == tree.Content, was.Size
		return err
	}, `SELECT f.name, f.path, f.there, f.size, e.change
		FROM (SELECT s.name, n.server_id, n.id, n.path, COALESCE(l.being = 3, 0) AS there, COALESCE(l.size, 0) AS size
			FROM ledger_name n JOIN server s ON s.id = n.server_id LEFT JOIN ledger_path l ON l.server_id = n.server_id AND l.path_id = n.id`+which+`
			ORDER BY there DESC, length(n.path), n.path, s.name LIMIT ?) f
		JOIN ledger_event e ON e.seq = (SELECT MAX(seq) FROM ledger_event WHERE server_id = f.server_id AND path_id = f.id)
		ORDER BY f.there DESC, length(f.path), f.path, f.name`, append(args, limit)...)
	if err != nil {
		return nil, fmt.Errorf("find paths: %w", err)
	}
	return list, nil
}
