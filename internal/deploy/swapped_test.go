package deploy_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// Somebody puts a link in the place of a folder between two motions, and what is behind
// the link has the same names. The run halts, what is behind the link is as it was, and
// once the folder is back, both ways lead to where they should.
func TestAFolderThatBecomesALinkBetweenTwoMotions(t *testing.T) {
	hosts := map[string]func(t *testing.T) func(root string) remote.Host{
		"folder": func(*testing.T) func(string) remote.Host { return nil },
		"SFTP": func(t *testing.T) func(string) remote.Host {
			return func(root string) remote.Host {
				s, err := standin.StartHost(root, "keeper", "reed") // jailed in its folder, as hosts that rent are
				require.NoError(t, err)
				t.Cleanup(func() { require.NoError(t, s.Close()) })
				c, err := remote.OpenSFTP(t.Context(), remote.SFTPTarget{Host: "127.0.0.1", Port: s.Port, User: "keeper", Password: "reed", Root: ".", HostKey: string(ssh.MarshalAuthorizedKey(s.HostKey))})
				require.NoError(t, err)
				return c
			}
		},
	}
	for name, host := range hosts {
		probe := newBenchAt(t, false, host(t))
		var in []int // motions in the folder d, of the swap
		for m := range probe.dep.Draft.Motions.All() {
			if m.Phase == draft.Swap && m.Path.Dir() == "d" && (m.Kind == draft.AsideMotion || m.Kind == draft.InMotion) {
				in = append(in, m.ID)
			}
		}
		require.NotEmpty(t, in)
		for i, id := range in {
			back := i%2 == 0
			t.Run(fmt.Sprintf("%s, motion %d, back %v", name, id, back), func(t *testing.T) {
				b := newBenchAt(t, false, host(t))
				elsewhere := filepath.Join(filepath.Dir(b.root), "elsewhere") // on the same disk, so that a rename could lead there
				for path, text := range map[string]string{"changed": "mine", "unknown": "mine", "same": "mine", "added": "mine", "order": "call mine\n"} {
					testbed.Write(t, filepath.Join(elsewhere, path), text)
				}
				before := testbed.Snapshot(t, elsewhere)
				folder, away := filepath.Join(b.root, "d"), filepath.Join(b.root, "d-moved")
				r := b.run(0, "")
				r.Host = b.host
				swapped := false
				r.Fault = oneByOne(func(p deploy.Point, m draft.Motion) error {
					if m.ID == id && p == deploy.AfterIntent && !swapped {
						swapped = true
						require.NoError(t, os.Rename(folder, away))
						require.NoError(t, os.Symlink(elsewhere, folder))
					}
					return nil
				})
				err := b.whole(r)
				require.True(t, swapped)
				require.Error(t, err, "it halts")
				require.Equal(t, before, testbed.Snapshot(t, elsewhere), "what is behind the link is as it was")
				require.NoError(t, os.Remove(folder))
				require.NoError(t, os.Rename(away, folder))
				again := b.run(0, "")
				again.Host = b.host
				if back {
					require.NoError(t, again.Backward(t.Context()))
					b.isOld()
					return
				}
				require.NoError(t, b.whole(again))
				b.isNew()
			})
		}
		require.True(t, slices.IsSorted(in))
	}
}
