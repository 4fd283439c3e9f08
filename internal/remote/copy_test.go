package remote_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// A host with a shell copies folders itself, whatever the names in them.
func TestAHostCopiesAFolderItself(t *testing.T) {
	root := filepath.Join(t.TempDir(), "it's a root")
	texts := map[string]string{"world/plain": "1", "world/it's; touch pwned": "2", "world/deep er/-rf": "3", "world/$(touch pwned)/`x`": "4"}
	for path, text := range texts {
		testbed.Write(t, filepath.Join(root, path), text)
	}
	require.NoError(t, os.Chmod(filepath.Join(root, "world/plain"), 0o640))
	require.NoError(t, os.Symlink("plain", filepath.Join(root, "world/link")))
	h, err := remote.OpenSFTP(t.Context(), target(testbed.StartSSHD(t), root))
	require.NoError(t, err)
	defer h.Close()
	ctx := t.Context()
	require.NoError(t, h.MakeFolder(ctx, "-copies", 0o755))
	to := tree.Path("-copies/it's 1")
	require.NoError(t, h.CopyFolder(ctx, "world", to))
	want := testbed.Snapshot(t, filepath.Join(root, "world"))
	require.Equal(t, want, testbed.Snapshot(t, filepath.Join(root, string(to))), "permission bits and links too")

	// Nothing is copied into what is there already.
	require.ErrorContains(t, h.CopyFolder(ctx, "world", to), "exit code 1")
	require.Equal(t, want, testbed.Snapshot(t, filepath.Join(root, string(to))))
	require.ErrorContains(t, h.CopyFolder(ctx, "nowhere", "-copies/2"), "nowhere")
	require.NoDirExists(t, filepath.Join(root, "-copies/2"))

	require.NoError(t, os.Mkdir(filepath.Join(root, string(to)+".part-1"), 0o755))
	require.NoError(t, os.Mkdir(filepath.Join(root, "-copies/it's 11"), 0o755))
	require.NoError(t, h.RemoveTree(ctx, to))
	list, err := h.List(ctx, "-copies")
	require.NoError(t, err)
	require.Len(t, list, 1, "the other one stays")
	require.ErrorContains(t, h.RemoveTree(ctx, "world"), "no folder of ours")
	require.NoFileExists(t, filepath.Join(root, "pwned"))

	f, err := remote.Probe(ctx, h, ".work", time.Now)
	require.NoError(t, err)
	require.True(t, f.Copies)
	require.NoDirExists(t, filepath.Join(root, ".work"))
}

// One that answers every command by its file transfer alone does not, though it says
// that all went well.
func TestAHostWithoutAShellCopiesNothing(t *testing.T) {
	root := t.TempDir()
	h, err := remote.OpenSFTP(t.Context(), target(testbed.StartSSHD(t, "ForceCommand internal-sftp"), root))
	require.NoError(t, err)
	defer h.Close()
	f, err := remote.Probe(t.Context(), h, ".work", time.Now)
	require.NoError(t, err)
	require.False(t, f.Copies)
	require.True(t, f.RenameFolders)
	require.Empty(t, testbed.Snapshot(t, root))
}
