package e2e

import (
	"bytes"
	"database/sql"
	"os"
	"path/filepath"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// What a copied database holds is all its cells, and those that are zstd unpacked.
func cells(t *testing.T, file string) (out [][]byte) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+file+"?mode=ro")
	require.NoError(t, err)
	defer db.Close()
	tables, err := db.Query(`SELECT name FROM sqlite_master WHERE type = 'table'`)
	require.NoError(t, err)
	var names []string
	for tables.Next() {
		var n string
		require.NoError(t, tables.Scan(&n))
		names = append(names, n)
	}
	require.NoError(t, tables.Close())
	unzip, err := zstd.NewReader(nil)
	require.NoError(t, err)
	defer unzip.Close()
	for _, n := range names {
		rows, err := db.Query(`SELECT * FROM "` + n + `"`)
		require.NoError(t, err)
		columns, err := rows.Columns()
		require.NoError(t, err)
		for rows.Next() {
			row := make([]any, len(columns))
			for i := range row {
				row[i] = new(sql.RawBytes)
			}
			require.NoError(t, rows.Scan(row...))
			for _, c := range row {
				raw := bytes.Clone(*c.(*sql.RawBytes))
				out = append(out, raw)
				if plain, err := unzip.DecodeAll(raw, nil); err == nil {
					out = append(out, plain)
				}
			}
		}
		require.NoError(t, rows.Close())
	}
	return out
}

// A secret that is written into a text is in no cell of the database, drafted, run, edited as a
// whole, or taken back; and all of that goes on over a restart.
func TestSecretsOfTextsAreSealedInTheRecords(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\ngates = 3\ncode = first-reed\n")
	kept := func() {
		t.Helper()
		all := cells(t, filepath.Join(s.data, "records.db"))
		require.Greater(t, len(all), 200)
		for _, word := range []string{"first-reed", "second-reed", "third-reed"} {
			for _, c := range all {
				require.NotContains(t, string(c), word)
			}
		}
		found := false
		for _, c := range all {
			found = found || bytes.Contains(c, []byte("/server/code"))
		}
		require.True(t, found, "what is looked for would be found: the value's path is in clear where it is told")
	}
	s.must("tweak", "set", "fen", "marsh.ini", "/server/code", "second-reed", "--draft")
	kept()
	s.must("deployment", "run", "fen#2", "--yes")
	require.Contains(t, text("marsh.ini"), "code = second-reed")
	s.must("tweak", "set", "fen", "marsh.ini", "/server/gates", "2", "--yes")
	kept()

	s.kill()
	s.up()
	s.must("rollback", "fen", "--deployment", "2", "--yes")
	require.Equal(t, "[server]\ngates = 2\ncode = first-reed\n", text("marsh.ini"), "what was sealed leads back")
	s.must("tweak", "set", "fen", "marsh.ini", "/server/code", "second-reed", "--yes")

	dir := t.TempDir()
	s.must("text", "fetch", "fen", "marsh.ini", filepath.Join(dir, "marsh.ini"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "marsh.ini"), []byte("[server]\ngates = 1\ncode = third-reed\n"), 0o600))
	s.must("text", "put", "fen", "marsh.ini", filepath.Join(dir, "marsh.ini"), "--yes")
	require.Contains(t, text("marsh.ini"), "third-reed")
	kept()
	require.Contains(t, s.must("tweak", "list", "fen"), "it sets /server/code to ······")
	s.must("rollback", "fen", "--path", "marsh.ini", "--yes")
	require.Contains(t, text("marsh.ini"), "second-reed")
	kept()
}

// With the key gone, the service says what is sealed with it. With another one, what was sealed
// stays shut, the rest goes on, and taking it back is refused with the reason.
func TestSealedTextsWithoutTheirKey(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\ngates = 3\ncode = first-reed\n")
	s.must("tweak", "set", "fen", "marsh.ini", "/server/code", "second-reed", "--yes")
	s.kill()
	require.NoError(t, os.Remove(filepath.Join(s.data, "seal.key")))
	require.Contains(t, s.refusesToStart(), "and the changes of 1 text are sealed with it")
	s.more = append(s.more, "--new-key")
	s.up()
	require.Contains(t, s.must("status", "fen"), "weir")
	require.Contains(t, s.must("tweak", "list", "fen"), "sealed in the records with another key")
	o := s.restless("rollback", "fen", "--deployment", "2", "--yes")
	require.NotZero(t, o.code)
	require.Contains(t, o.out+o.err, "marsh.ini cannot be changed as wanted")
	require.Contains(t, text("marsh.ini"), "second-reed", "nothing is lost")
	s.must("tweak", "set", "fen", "marsh.ini", "/server/gates", "2", "--yes")
	require.Contains(t, text("marsh.ini"), "gates = 2")
}
