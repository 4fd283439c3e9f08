package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"restlesscrate/internal/testbed"
)

// fill takes up a disk's room but for some bytes, and gives the file that does.
func fill(t *testing.T, disk string, left int64) string {
	t.Helper()
	var stat unix.Statfs_t
	require.NoError(t, unix.Statfs(disk, &stat))
	file := filepath.Join(disk, "filler")
	testbed.Write(t, file, strings.Repeat("x", max(0, int(int64(stat.Bavail)*int64(stat.Bsize)-left))))
	return file
}

// A draft says beforehand that the service's own disk has no room for what must be
// kept first; and what an undo needs is there, however full the disk is by then.
func TestTheServicesOwnDiskHasRoomForTheWayBack(t *testing.T) {
	t.Parallel()
	disk, root := testbed.Disk(t, 64), t.TempDir()
	s := startIn(t, disk)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	s.must("server", "test", "lantern")
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/wares/w007.txt"), noise(8<<20))
	old := testbed.Snapshot(t, root)

	filler := fill(t, disk, 6<<20)
	o := s.fails(3, "is blocked", "deploy", "lantern", "drum-tent@2.0", "--yes", "--accept", "changed-file")
	require.Contains(t, o.out, "own-disk")
	require.Contains(t, o.out, "are to be kept there first")
	require.NoError(t, os.Remove(filler))
	filler = fill(t, disk, 23<<19) // room for the copy, and none for a way back
	s.fails(1, "have to stay free for a way back", "deploy", "lantern", "drum-tent@2.0", "--yes", "--accept", "changed-file")
	require.Equal(t, old, testbed.Snapshot(t, root), "nothing was done")
	require.NoError(t, os.Remove(filler))

	// It is broken off half-way, and the disk is full to the last byte by then.
	for _, way := range []string{"undo", "resume"} {
		run, old := breakRun(t, s, root, func(n int) bool { return sentTo(root, fmt.Sprint(n)) > 5 }, "--accept", "changed-file")
		filler := fill(t, disk, 0)
		if way == "resume" { // going on writes too; the room is for the way back only
			require.NoError(t, os.Remove(filler))
		}
		s.must("deployment", way, run)
		exactly(t, way, old, testbed.Snapshot(t, root))
		if way == "undo" {
			require.NoError(t, os.Remove(filler))
		}
		left, err := filepath.Glob(filepath.Join(s.data, "stockroom/reserved/*"))
		require.NoError(t, err)
		require.Empty(t, left, "the room is given back")
	}
}
