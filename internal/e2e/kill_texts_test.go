package e2e

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/testbed"
)

// A deployment of tweaks, of forty texts and one inside a packed file, is killed with -9 at each
// point of each of its motions, and resumed or undone in turns to exactly new or exactly old.
func TestTweaksAreKilledAtEachPointAndResumed(t *testing.T) {
	t.Parallel()
	t.Run("SFTP", func(t *testing.T) {
		s, _, root := overSSH(t)
		s.trust()
		killedTweaking(t, s, root)
	})
	t.Run("FTP", func(t *testing.T) {
		s, _, root := overFTP(t, testbed.FTPOptions{})
		killedTweaking(t, s, root)
	})
}

func killedTweaking(t *testing.T, s *service, root string) {
	for i := range 40 {
		testbed.Write(t, filepath.Join(root, fmt.Sprintf("notes/n%02d.conf", i)), fmt.Sprintf("# note %d\nrow = lamp-row\nlamps = %d\n", i, i))
	}
	testbed.Zip(t, filepath.Join(root, "notes/more.zip"), map[string]string{"in/row.yaml": "row: lamp-row # inside\n", "art/lamp.txt": "a lamp\n"})
	old := testbed.Snapshot(t, root)
	texts := testbed.Files(old)
	j := openJournal(t, s)
	asNew := func() {
		now := testbed.Files(testbed.Snapshot(t, root))
		inner, err := settings.Member([]byte(now["notes/more.zip"]), "in/row.yaml")
		require.NoError(t, err)
		require.Equal(t, "row: moon-row # inside\n", string(inner))
		art, err := settings.Member([]byte(now["notes/more.zip"]), "art/lamp.txt")
		require.NoError(t, err)
		require.Equal(t, "a lamp\n", string(art))
		delete(now, "notes/more.zip")
		want := maps.Clone(texts)
		delete(want, "notes/more.zip")
		for p := range want {
			want[p] = strings.ReplaceAll(want[p], "lamp-row", "moon-row")
		}
		require.Equal(t, want, now, "exactly new, and nothing left beside")
	}
	hit := map[string]int{}
	turn := 0
	for _, kind := range []string{"edit", "aside", "in"} {
		for _, state := range []string{"intended", "done"} {
			for try := 0; ; try++ {
				require.Less(t, try, 20, "the run got through twenty times before it was at %s, %s", kind, state)
				var d api.Deployment
				s.get(&d, "rewrite", "lantern", "lamp-row", "moon-row", "--draft")
				which := j.motions("lantern", d.Number)[kind]
				require.Len(t, which, 41)
				status, answer := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", d.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
				require.Equal(t, 202, status, answer)
				testbed.Eventually(t, "the run has come that far", func() bool {
					return j.reached("lantern", d.Number, state, which) > 0 || j.reached("lantern", d.Number, "done", which) > 0
				})
				s.kill()
				s.up()
				s.get(&d, "deployment", "show", d.Name)
				halted := d.State == "halted"
				if halted {
					way := []string{"resume", "undo"}[turn%2]
					turn++
					s.must("deployment", way, d.Name)
					hit[kind+", "+state+", then "+way]++
					if way == "undo" {
						require.Equal(t, old, testbed.Snapshot(t, root), "exactly old")
						break
					}
				}
				asNew()
				require.Contains(t, s.must("tweak", "list", "lantern"), "notes/n07.conf")
				s.must("rollback", "lantern", "--deployment", fmt.Sprint(d.Number), "--yes")
				require.Equal(t, texts, testbed.Files(testbed.Snapshot(t, root)))
				if halted {
					break
				}
			}
		}
	}
	t.Log(slices.Sorted(maps.Keys(hit)))
}
