package remote_test

import (
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// What is listed far away is what a local listing tells, however many things a folder has and
// however many folders are listed at a time; also where the host gives no second session.
func TestAListingIsTheSameFarAway(t *testing.T) {
	root := t.TempDir()
	for i := range 2500 {
		testbed.Write(t, filepath.Join(root, "large", fmt.Sprintf("file-%04d.bin", i)), fmt.Sprintf("%d", i))
	}
	folders := []tree.Path{"large", "empty", "odd"}
	require.NoError(t, os.MkdirAll(filepath.Join(root, "empty"), 0o755))
	testbed.Write(t, filepath.Join(root, "odd", "läden with spaces"), "x")
	testbed.Write(t, filepath.Join(root, "odd", "run.sh"), "x")
	require.NoError(t, os.Chmod(filepath.Join(root, "odd", "run.sh"), 0o750))
	require.NoError(t, os.Symlink("run.sh", filepath.Join(root, "odd", "link")))
	require.NoError(t, os.Mkdir(filepath.Join(root, "odd", "folder"), 0o711))
	for i := range 300 {
		p := tree.Path(fmt.Sprintf("many/%03d", i))
		testbed.Write(t, filepath.Join(root, string(p), "one.txt"), "1")
		folders = append(folders, p)
	}
	near, err := remote.OpenLocal(root)
	require.NoError(t, err)
	defer near.Close()
	for what, s := range map[string]*testbed.SSHD{"": testbed.StartSSHD(t), "one session": testbed.StartSSHD(t, "MaxSessions 1")} {
		t.Run(what, func(t *testing.T) {
			far, err := remote.OpenSFTP(t.Context(), target(s, root))
			require.NoError(t, err)
			defer far.Close()
			var all sync.WaitGroup
			for _, p := range folders {
				all.Go(func() {
					want, err1 := near.List(t.Context(), p)
					got, err2 := far.List(t.Context(), p)
					if err1 != nil || err2 != nil {
						t.Errorf("%s: %v, %v", p, err1, err2)
						return
					}
					for i := range want { // the protocol has whole seconds
						want[i].Modified -= want[i].Modified % 1000
						if want[i].Being != tree.Content {
							want[i].Size = 0
						}
					}
					for i := range got {
						if got[i].Being == tree.Foreign { // a link's own bits differ by host
							got[i].Mode = 0o777
						}
					}
					if !same(want, got) {
						t.Errorf("%s: %v, far away %v", p, want[:min(3, len(want))], got[:min(3, len(got))])
					}
				})
			}
			all.Wait()
			read := func(p tree.Path, size int64) string {
				raw, err := remote.ReadWhole(t.Context(), far, p, size, 1<<20)
				require.NoError(t, err)
				return string(raw)
			}
			require.Equal(t, "1234", read("large/file-1234.bin", 4))
			require.Equal(t, "1234", read("large/file-1234.bin", 3), "it has grown since it was listed")
			require.Equal(t, "1234", read("large/file-1234.bin", 9), "it has shrunk")
			require.Equal(t, "1234", read("large/file-1234.bin", 0))
			testbed.Write(t, filepath.Join(root, "odd", "nothing"), "")
			require.Empty(t, read("odd/nothing", 0))
			_, err = remote.ReadWhole(t.Context(), far, "odd/nowhere", 4, 1<<20)
			require.ErrorIs(t, err, os.ErrNotExist)
			_, err = far.List(t.Context(), "nowhere")
			require.ErrorIs(t, err, os.ErrNotExist)
		})
	}
}

// same tells whether two listings hold the same, in whatever order.
func same(a, b []remote.Info) bool {
	by := map[string]remote.Info{}
	for _, i := range a {
		by[i.Name] = i
	}
	for _, i := range b {
		if by[i.Name] != i {
			return false
		}
	}
	return len(a) == len(b) && len(by) == len(a)
}
