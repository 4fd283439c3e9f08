package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

func TestTwoServicesOnOneServerDoNotGetInEachOthersWay(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	require.NoDirExists(t, filepath.Join(root, ".restless-crate"), "the lock is given back")
	other := start(t)
	other.must("rulebook", "add", books+"lanternfall.yaml")
	other.must("server", "add", "fair", "--rulebook", "lanternfall", "--folder", root)
	other.must("server", "test", "fair")
	other.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "tunes-1.zip"), map[string]string{"reel.tune": "la"}))

	name, old := breakRun(t, s, root, func(n int) bool { return sentTo(root, fmt.Sprint(n)) > 20 })
	require.FileExists(t, filepath.Join(root, ".restless-crate/lock/held-by.json"))
	o := other.fails(1, "fair#1 cannot run now: it is locked for "+name+" by owner, on the service at ", "deploy", "fair", "tunes@1", "--yes")
	require.Contains(t, o.err, "server test fair --unlock")
	var d api.Deployment
	other.get(&d, "deployment", "show", "fair#1")
	require.Equal(t, "draft", d.State, "nothing was done; it can be run later")
	require.Contains(t, s.must("server", "test", "lantern"), "It is locked for "+name+", which is not finished.")

	s.must("deployment", "undo", name)
	require.Equal(t, old, testbed.Snapshot(t, root))
	other.must("deployment", "run", "fair#1", "--yes")
	require.Equal(t, "la", testbed.Files(testbed.Snapshot(t, root))["songbooks/tunes/reel.tune"])
	other.must("rollback", "fair", "--to", "0", "--yes")

	// A service that is lost for good leaves its lock behind.
	name, _ = breakRun(t, s, root, func(n int) bool { return sentTo(root, fmt.Sprint(n)) > 20 })
	s.kill()
	out := other.must("server", "test", "fair")
	require.Contains(t, out, "The host says: it is locked for "+name+" by owner, on the service at ")
	require.Contains(t, out, "If the service that left this is lost for good, it can be cleared.\n    restless server test fair --unlock")
	require.Contains(t, out, "that were uploaded and never put in place")
	lock := func() string {
		var s api.Server
		other.get(&s, "server", "show", "fair")
		require.NotNil(t, s.Abilities)
		return s.Abilities.Lock
	}
	require.Contains(t, lock(), "it is locked for "+name+" by owner, on the service at ", "who is asked to clear it is told whose it is")
	require.Contains(t, other.must("server", "test", "fair", "--unlock", "--yes"), "That is cleared now.")
	require.Empty(t, lock())
	require.Equal(t, old, testbed.Snapshot(t, root), "it had only uploaded")
	other.must("deploy", "fair", "tunes@1", "--yes")
}
