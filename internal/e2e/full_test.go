package e2e

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// noise is text that does not pack.
func noise(bytes int) string {
	raw := make([]byte, bytes)
	r := rand.New(rand.NewPCG(1, 2))
	for i := range raw {
		raw[i] = byte(r.Uint32())
	}
	return string(raw)
}

// big is a version of the drum tent of 15 MiB.
func big(version string) map[string]string {
	return stall(version, map[string]string{"small.txt": version, "a.bin": noise(5 << 20), "b.bin": noise(5<<20 + 1), "c.bin": noise(5<<20 + 2)})
}

func TestAHostWithoutRoomIsFoundOutInTheDraft(t *testing.T) {
	t.Parallel()
	root := testbed.SmallDisk(t)
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	s.must("server", "test", "lantern")
	s.stage(big("2"))
	testbed.Write(t, filepath.Join(root, "filler"), noise(8<<20))
	refused := s.fails(3, "is blocked by 1 finding", "deploy", "lantern", "drum-tent@2", "--yes")
	require.Contains(t, refused.out, "no-room")
	require.Len(t, testbed.Files(testbed.Snapshot(t, root)), 1)
}

// FTP does not tell how much is free, so it is found out on the way.
func TestADiskThatIsFullHaltsAndLosesNothing(t *testing.T) {
	t.Parallel()
	d, root := testbed.StartVSFTPD(t, testbed.FTPOptions{}), testbed.SmallDisk(t)
	s := start(t)
	s.env = []string{"RESTLESS_PASSWORD=" + d.Password}
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--ftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--root", root)
	s.must("server", "test", "lantern")
	s.stage(stall("1", map[string]string{"small.txt": "1"}))
	s.stage(big("2"))
	s.must("deploy", "lantern", "drum-tent@1", "--yes")
	filler := filepath.Join(root, "takings.log") // what the game has written
	for _, way := range []string{"undo", "resume"} {
		testbed.Write(t, filler, noise(8<<20))
		old := testbed.Snapshot(t, root)
		// Which of the files finds it full is not told: they are sent side by side.
		halted := s.fails(4, "its disk may be full", "deploy", "lantern", "drum-tent@2", "--yes")
		require.Contains(t, halted.err, "stopped half-way while sending stalls/drum-tent/")
		var list []api.Deployment
		s.get(&list, "deployment", "list", "lantern")
		name := list[0].Name
		require.Equal(t, "halted", list[0].State)
		require.Equal(t, "1", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/small.txt"], "the server still has the old one")
		s.fails(4, "stopped half-way while", "deployment", "resume", name) // it stays halted while the fault lasts
		if way == "undo" {
			s.must("deployment", "undo", name)
			require.Equal(t, old, testbed.Snapshot(t, root), "exactly the old tree")
			continue
		}
		require.NoError(t, os.Remove(filler))
		s.must("deployment", "resume", name)
		now := testbed.Files(testbed.Snapshot(t, root))
		require.Equal(t, "2", now["stalls/drum-tent/wares/small.txt"])
		require.Equal(t, noise(5<<20+2), now["stalls/drum-tent/wares/c.bin"])
		require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
	}
}
