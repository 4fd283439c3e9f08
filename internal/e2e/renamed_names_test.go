package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// A name is changed in texts, folders, files and load lists, in one deployment with one way back;
// what the server wrote into the folder goes along, and later versions go to the new name.
func TestANameIsRewrittenWithItsFoldersAndLists(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "moor.yaml", `format: 1
name: moor
title: Moor
places: {huts: {path: huts}}
kinds:
  hut:
    recognise: {marker: hut.toml}
    version: {read: {file: hut.toml, at: /version}}
    put: [{take: "**", place: huts, as: "{name}/{path}"}]
load-lists:
  order: {file: moor.order, form: line, entry: "call {folder}", kinds: [hut]}
log: {file: moor.log, ready: '^open$'}
`))
	s.must("server", "add", "heath", "--rulebook", "moor", "--folder", root)
	s.must("server", "test", "heath")
	hut := func(name, version, more string) {
		folder := filepath.Join(dl, version, name)
		testbed.Write(t, filepath.Join(folder, "hut.toml"), "version = \""+version+"\"\n")
		testbed.Write(t, filepath.Join(folder, "settings.yaml"), more)
		testbed.Write(t, filepath.Join(folder, name+".txt"), "the "+name+", v"+version+"\n")
		s.must("stage", folder, "--for", "heath")
		s.must("deploy", "heath", name+"@"+version, "--yes")
	}
	testbed.Write(t, filepath.Join(root, "moor.order"), "# in order\n")
	hut("peat", "1", "near: [reed]\n")
	hut("reed", "1", "opens: peat-gate\nowner: reed\n")
	text := func(name string) string {
		raw, err := os.ReadFile(filepath.Join(root, name))
		require.NoError(t, err)
		return string(raw)
	}
	require.Equal(t, "# in order\ncall peat\ncall reed\n", text("moor.order"))
	testbed.Write(t, filepath.Join(root, "huts/reed/made-here.txt"), "the server wrote this\n")
	testbed.Write(t, filepath.Join(root, "moor.log"), "reed is open\n")
	old := testbed.Files(testbed.Snapshot(t, root))

	out := s.must("rewrite", "heath", "reed", "rush", "--names", "--yes")
	require.Contains(t, out, "is renamed: huts/reed to huts/rush")
	require.Contains(t, out, "is renamed: huts/rush/reed.txt to huts/rush/rush.txt")
	require.Equal(t, "reed is open\n", text("moor.log"), "a log tells what was")
	require.NoDirExists(t, filepath.Join(root, "huts/reed"))
	require.Equal(t, "the server wrote this\n", text("huts/rush/made-here.txt"))
	require.Equal(t, "opens: peat-gate\nowner: rush\n", text("huts/rush/settings.yaml"))
	require.Equal(t, "near: [rush]\n", text("huts/peat/settings.yaml"))
	require.Equal(t, "the rush, v1\n", text("huts/rush/rush.txt"))
	require.Equal(t, "# in order\ncall peat\ncall rush\n", text("moor.order"))
	files := s.must("files", "heath", "huts")
	require.Contains(t, files, "huts/rush/rush.txt")
	require.NotContains(t, files, "huts/reed")
	require.Contains(t, s.must("history", "heath", "--path", "huts/rush/rush.txt"), "heath#3")

	// The next version of it goes where it is called now, and keeps what was rewritten.
	hut("reed", "2", "opens: peat-gate\nowner: reed\nroof: new\n")
	require.NoDirExists(t, filepath.Join(root, "huts/reed"))
	require.Equal(t, "opens: peat-gate\nowner: rush\nroof: new\n", text("huts/rush/settings.yaml"))
	require.Equal(t, "# in order\ncall peat\ncall rush\n", text("moor.order"))
	require.Contains(t, s.must("deploy", "heath", "reed@2", "--draft"), "The server holds all of this already")
	o := s.fails(1, "was renamed by heath#3", "rollback", "heath", "--path", "huts/rush/rush.txt", "--yes")
	require.Contains(t, o.err, "as a whole")

	// And the way back, over the version that came since.
	s.must("rollback", "heath", "--deployment", "4", "--yes")
	s.must("rollback", "heath", "--deployment", "3", "--yes")
	require.Equal(t, old, testbed.Files(testbed.Snapshot(t, root)))
	require.Contains(t, s.must("deploy", "heath", "reed@1", "--draft"), "The server holds all of this already")
	hut("reed", "3", "opens: peat-gate\nowner: reed\n")
	require.FileExists(t, filepath.Join(root, "huts/reed/reed.txt"))

	// What stands in the way, or is not there, is told before anything is done.
	testbed.Write(t, filepath.Join(root, "huts/rush/mine.txt"), "mine\n")
	o = s.fails(1, "huts/reed cannot be renamed to huts/rush: that is there already", "rewrite", "heath", "reed", "rush", "--names", "--yes")
	require.Equal(t, "mine\n", text("huts/rush/mine.txt"))
	require.True(t, strings.Contains(o.err, "Take it away"))

	// What names the things that are loaded and names nothing is told by lint.
	testbed.Write(t, filepath.Join(root, "huts/bog/hut.toml"), "version = \"1\"\n")
	testbed.Write(t, filepath.Join(root, "moor.order"), "call peat\ncall bogg\n# call gone\ncall nowhere\n")
	out = s.must("lint", "heath")
	require.Contains(t, out, `moor.order names "bogg" in line 2, and the server has no such thing; it has "bog".`)
	require.Contains(t, out, `moor.order names "nowhere" in line 4, and there is no such thing on the server.`)
	require.NotContains(t, out, `"peat"`)
	require.NotContains(t, out, `"gone"`)
}
