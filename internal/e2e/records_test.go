package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

const crypts = `format: 1
name: crypts
title: Crypts
places: {crypts: {path: crypts}}
kinds:
  crypt:
    recognise: {marker: crypt.toml}
    version: {read: {file: crypt.toml, at: /version}}
    put: [{take: "**", place: crypts, as: "{name}/{path}"}]
load-lists: {open: {file: open.txt, form: line, entry: "{name}"}}
`

// crypt stages three versions of one add-on with three files.
func crypt(t *testing.T) (s *service, root string) {
	s, root = start(t), t.TempDir()
	dl := t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "crypts.yaml", crypts))
	s.must("server", "add", "tomb", "--rulebook", "crypts", "--folder", root)
	s.must("server", "test", "tomb")
	for _, v := range []string{"1", "2", "3"} {
		s.must("stage", testbed.Zip(t, filepath.Join(dl, "bone-"+v+".zip"), map[string]string{"bone/crypt.toml": "version = \"" + v + "\"\n", "bone/a.txt": "a" + v, "bone/b.txt": "b" + v, "bone/only-" + v + ".txt": v}), "--for", "tomb")
	}
	return s, root
}

func TestRecordsSayWhatIsSo(t *testing.T) {
	t.Parallel()
	s, root := crypt(t)
	s.must("deploy", "tomb", "bone@1", "--yes")
	s.must("deploy", "tomb", "bone@2", "--yes")
	require.Regexp(t, `last looked at .*, by tomb#2`, s.must("status", "tomb"))

	// One path goes back: the add-on is of the version that most of its files are.
	s.must("rollback", "tomb", "--path", "crypts/bone/a.txt", "--yes")
	require.Regexp(t, `bone +2 .*some files are from bone@1 \(1 file\)`, s.must("status", "tomb"))
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	for _, c := range crates {
		on := s.must("crate", "list", "--addon", "bone")
		require.NotRegexp(t, `bone@3 .*tomb`, on, "it is on no server")
		require.Equal(t, "bone", c.Name)
	}

	// The history of a text says what was edited in it, and of a path only what changed it.
	require.Regexp(t, `open\.txt .*names bone`, s.must("history", "tomb", "--path", "open.txt"))
	var events []api.Event
	s.get(&events, "history", "tomb", "--path", "open.txt")
	require.Len(t, events, 1, "an update that leaves the entry as it is changes nothing of it")

	// What is gone can be found.
	require.Regexp(t, `crypts/bone/only-1\.txt .*bone@1 .*tomb#2`, s.must("files", "tomb", "--gone"))
	require.NotContains(t, s.must("files", "tomb", "--gone"), "only-2.txt")
	require.Contains(t, s.must("files", "tomb", "crypts/other", "--gone"), "No deployment has taken a file away")
	require.FileExists(t, filepath.Join(root, "crypts/bone/only-2.txt"))
}

func TestASecondRollbackGoesFurtherBack(t *testing.T) {
	t.Parallel()
	s, root := crypt(t)
	for _, v := range []string{"1", "2", "3"} {
		s.must("deploy", "tomb", "bone@"+v, "--yes")
	}
	a := func() string { return read(t, filepath.Join(root, "crypts/bone/a.txt")) }
	require.Contains(t, s.must("rollback", "tomb", "--addon", "bone", "--yes"), "bone back to before tomb#3")
	require.Equal(t, "a2", a())
	require.Contains(t, s.must("rollback", "tomb", "--addon", "bone", "--yes"), "bone back to before tomb#2")
	require.Equal(t, "a1", a())
	require.Equal(t, []string{"crypts/bone/a.txt", "crypts/bone/b.txt", "crypts/bone/crypt.toml", "crypts/bone/only-1.txt", "open.txt"}, filesOf(t, root))
	s.must("rollback", "tomb", "--addon", "bone", "--yes")
	require.NoFileExists(t, filepath.Join(root, "crypts/bone/a.txt"))
	s.fails(1, "every deployment that changed it is taken back already", "rollback", "tomb", "--addon", "bone", "--yes")
	s.must("deploy", "tomb", "bone@3", "--yes")
	s.must("rollback", "tomb", "--path", "crypts/bone/a.txt", "--yes")
	require.NoFileExists(t, filepath.Join(root, "crypts/bone/a.txt"), "forth again is a deployment of its own, which goes back by itself")
}

func TestAFolderThatWasThereStaysAndThatIsSaid(t *testing.T) {
	t.Parallel()
	s, root := crypt(t)
	require.NoError(t, os.MkdirAll(filepath.Join(root, "crypts/bone"), 0o755))
	s.must("deploy", "tomb", "bone@1", "--yes")
	require.Contains(t, s.must("remove", "tomb", "bone", "--yes"), "The folder crypts/bone is empty then. It was there before Restless Crate, so it stays.")
	require.DirExists(t, filepath.Join(root, "crypts/bone"))
}
