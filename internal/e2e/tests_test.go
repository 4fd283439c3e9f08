package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// Several people test one server at once: each gets what one would get alone.
func TestTestsOfOneServerAtOnceFindTheSame(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	var alone api.Server
	s.get(&alone, "server", "test", "lantern")
	other := start(t) // and from another service
	other.must("rulebook", "add", books+"lanternfall.yaml")
	other.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	var g sync.WaitGroup
	for i := range 12 {
		g.Go(func() {
			by := s
			if i%3 == 0 {
				by = other
			}
			o := by.restless("server", "test", "lantern")
			assert.Zero(t, o.code, o.err)
			assert.Contains(t, o.out, "Files can be renamed from the work folder into the tree")
			assert.Contains(t, o.out, "A new folder appears at once, with everything in it.")
			assert.Contains(t, o.out, "A rename can replace a file in one act.")
			assert.Contains(t, o.out, "Names are exact in case.")
			assert.NotContains(t, o.out, "had left")
		})
	}
	g.Wait()
	require.Empty(t, testbed.Snapshot(t, root), "nothing of a test is left")
	s.must("server", "test", "lantern")
}

// What a run leaves that is killed while it starts does not keep the next one away,
// and a test clears it and says so.
func TestWhatAKilledStartLeavesIsClearedByATest(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	id, err := os.ReadFile(filepath.Join(s.data, "service.id"))
	require.NoError(t, err)
	s.stage(many("1.0"))
	lock, seven := filepath.Join(root, ".restless-crate/lock"), filepath.Join(root, ".restless-crate/7")
	for signed, want := range map[bool]string{true: "A lock that a run had left", false: "A lock that a run had left"} {
		require.NoError(t, os.MkdirAll(lock, 0o755))
		require.NoError(t, os.MkdirAll(seven, 0o755))
		if signed {
			testbed.Write(t, filepath.Join(lock, "held-by.json"), fmt.Sprintf(`{"service":%q,"machine":"here","person":"owner","deployment":"lantern#7"}`, strings.TrimSpace(string(id))))
		}
		out := s.must("server", "test", "lantern")
		require.Contains(t, out, want)
		require.Contains(t, out, "Empty work folders that a run had left when it was cut off are taken away.")
		require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
		require.NotContains(t, s.must("server", "test", "lantern"), "had left")
	}
	// Another service's is not ours to clear.
	testbed.Write(t, filepath.Join(lock, "held-by.json"), `{"service":"somebody else","machine":"there","person":"ann","deployment":"fair#7"}`)
	require.Contains(t, s.must("server", "test", "lantern"), "it is locked for fair#7 by ann")
	require.DirExists(t, lock)
}
