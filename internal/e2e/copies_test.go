package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// A host with a shell copies what a server writes itself, keeps the copies of two
// deployments, and puts them back by renaming.
func TestAHostCopiesDataItself(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	d := testbed.StartSSHD(t)
	r.must("server", "edit", "here", "--sftp", fmt.Sprintf("%s@%s", d.User, d.Addr()), "--key", d.KeyFile, "--root", r.root)
	r.trustServer("here")
	require.Contains(t, r.must("server", "test", "here"), "The host copies folders itself")
	r.must("stage", r.download("gull-flocks-9.3-keel-0.8-beta.2.tdx"), r.download("storm-bell-0.1.tdx"), r.download("tide-base-3.2.1.tdx"))
	ledger := filepath.Join(r.root, "ports/reedbank/ledger")
	houses := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(ledger, "houses.txt"), []byte(text), 0o644))
	}
	houses("12 houses\n")
	copies := func() (out []string) {
		list, err := os.ReadDir(filepath.Join(r.root, ".restless-crate/copies"))
		require.NoError(t, err)
		for _, e := range list {
			out = append(out, e.Name()[:1])
		}
		return out
	}

	out := r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--accept", "other-loader", "--yes")
	require.Regexp(t, `copy data +ports/reedbank/ledger \d files, 1 MB, on the host itself`, out)
	require.Contains(t, out, "way back: files and data")
	require.Equal(t, "gull-flocks\n", r.read("ports/reedbank/ledger/shape.txt"))
	require.Equal(t, []string{"1"}, copies())
	require.NotContains(t, r.must("server", "test", "here"), "left", "copies are nobody's remains")

	// The whole folder goes back, and that can be taken back too.
	houses("13 houses\n")
	require.Contains(t, r.must("rollback", "here", "--deployment", "1", "--with-data", "--yes"), "put data back")
	require.Equal(t, "12 houses\n", r.read("ports/reedbank/ledger/houses.txt"))
	require.NoFileExists(t, filepath.Join(ledger, "shape.txt"))
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")
	r.must("rollback", "here", "--deployment", "2", "--with-data", "--yes")
	require.Equal(t, "13 houses\n", r.read("ports/reedbank/ledger/houses.txt"))
	require.Equal(t, "gull-flocks\n", r.read("ports/reedbank/ledger/shape.txt"))

	// A deployment takes it back by itself.
	r.fails(1, fellOver, "deploy", "here", "storm-bell@0.1", "--yes", "--or-undo")
	require.Equal(t, "13 houses\n", r.read("ports/reedbank/ledger/houses.txt"))
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")

	// Older copies make room for newer ones, and that is said.
	r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	require.NotContains(t, copies(), "1")
	require.NotContains(t, copies(), "2")
	o := r.fails(1, "the copy of ports/reedbank/ledger that the host had made is no longer there", "rollback", "here", "--deployment", "1", "--with-data", "--draft")
	require.Contains(t, o.err, "The files alone can still go back")
}
