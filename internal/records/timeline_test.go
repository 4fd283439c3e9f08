package records

import (
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A long timeline is read by pages: what a page needs is found by an index, in its order, and no
// draft is read for what else is done.
func TestATimelineIsReadByItsIndexes(t *testing.T) {
	db, err := Open(t.Context(), filepath.Join(t.TempDir(), "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	plan := func(query string, args ...any) string {
		rows, err := db.sql.QueryContext(t.Context(), "EXPLAIN QUERY PLAN "+query, args...)
		require.NoError(t, err)
		var out []string
		for rows.Next() {
			var id, parent, unused int
			var step string
			require.NoError(t, rows.Scan(&id, &parent, &unused, &step))
			out = append(out, step)
		}
		require.NoError(t, rows.Close())
		return strings.Join(out, "\n")
	}
	require.Contains(t, plan(doneOf, 1), "INDEX deployment_done")
	page := plan(newestOf, "lantern", 0, 0, 50)
	require.NotContains(t, page, "TEMP B-TREE")
	require.Contains(t, page, "(server_id=?)")
}
