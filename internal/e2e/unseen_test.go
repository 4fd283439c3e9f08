package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// A folder that has become a link, or is missing because its disk is not there, is
// not taken for empty: nothing is forgotten, and nothing behind it is touched.
func TestAFolderBehindALinkOrMissingIsNotForgotten(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	someHistory(t, s, root)
	elsewhere := filepath.Join(t.TempDir(), "stalls")
	require.NoError(t, os.Rename(filepath.Join(root, "stalls"), elsewhere))
	there := testbed.Snapshot(t, elsewhere)
	for _, way := range [][]string{{"remove", "lantern", "drum-tent", "--yes"}, {"rollback", "lantern", "--to", "0", "--yes"}} {
		o := s.fails(3, "is blocked by 1 finding", way...)
		require.Contains(t, o.out, "stalls is not on the server, and 2 files of drum-tent@2.0 should be there")
		require.NoError(t, os.Symlink(elsewhere, filepath.Join(root, "stalls")))
		o = s.fails(3, "is blocked by 1 finding", way...)
		require.Contains(t, o.out, "behind-link")
		require.NoError(t, os.Remove(filepath.Join(root, "stalls")))
	}
	require.Contains(t, s.must("status", "lantern"), "drum-tent")
	require.Equal(t, there, testbed.Snapshot(t, elsewhere))
	require.NoError(t, os.Rename(elsewhere, filepath.Join(root, "stalls")))
	s.must("rollback", "lantern", "--to", "0", "--yes")
	require.Empty(t, testbed.Files(settled(t, root)))
}
