package e2e

import (
	"fmt"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// Several people resume, or undo, one deployment at once: one does it, the others are
// told that it is done, and nothing of theirs is left.
func TestSeveralPeopleResumeOrUndoAtOnce(t *testing.T) {
	t.Parallel()
	for _, way := range []string{"resume", "undo"} {
		s, root := folderServer(t)
		s.stage(many("1.0"))
		s.stage(many("2.0"))
		s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
		name, old := breakRun(t, s, root, func(n int) bool { return sentTo(root, fmt.Sprint(n)) > 20 })
		var g sync.WaitGroup
		var mu sync.Mutex
		codes := map[int]int{}
		for range 5 {
			g.Go(func() {
				o := s.restless("deployment", way, name)
				mu.Lock()
				defer mu.Unlock()
				codes[o.code]++
				if o.code != 0 {
					assert.Contains(t, o.err, "it cannot be "+map[string]string{"resume": "resumed", "undo": "undone"}[way])
				}
			})
		}
		g.Wait()
		require.Equal(t, map[int]int{0: 1, 1: 4}, codes, way)
		exactly(t, way, old, settled(t, root))
		require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
		s.must("remove", "lantern", "drum-tent", "--yes")
	}
}

// Several people edit one server at once, while it is tested: nobody's word is lost.
func TestSeveralPeopleEditAServerAtOnce(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	var g sync.WaitGroup
	for i := range 12 {
		g.Go(func() {
			for range 3 {
				status, body := s.call("PATCH", "/api/v1/servers/lantern", s.token(), fmt.Sprintf(`{"facts":{"fact-%d":"x"}}`, i))
				assert.Equal(t, 200, status, body)
			}
		})
		g.Go(func() { assert.Zero(t, s.restless("server", "test", "lantern").code) })
	}
	g.Wait()
	var srv api.Server
	s.get(&srv, "server", "show", "lantern")
	require.Len(t, srv.Facts, 12)
	require.NotNil(t, srv.Abilities)
	// One who edits what is no longer so is told.
	status, body := s.call("PATCH", "/api/v1/servers/lantern", s.token(), fmt.Sprintf(`{"version":%d,"facts":{"game":"1"}}`, srv.Version-1))
	require.Equal(t, 409, status)
	require.Contains(t, body, "edited-meanwhile")
	status, _ = s.call("PATCH", "/api/v1/servers/lantern", s.token(), fmt.Sprintf(`{"version":%d,"facts":{"game":"1"}}`, srv.Version))
	require.Equal(t, 200, status)
}
