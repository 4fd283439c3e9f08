package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// A start script that a crate brought is a load list too, once a rulebook says so: whose
// it is, and the way back before it, stay known when entries are written into it.
func TestATextThatACrateBroughtStaysItsOwnWhenEntriesAreWrittenIntoIt(t *testing.T) {
	t.Parallel()
	s := start(t)
	root, dir := t.TempDir(), t.TempDir()
	const book = "format: 1\nname: fen\ntitle: Fen\nplaces:\n  parts: {path: parts}\n  root: {path: \".\"}\nkinds:\n" +
		"  part: {recognise: {single: \"*.part\"}, put: [{take: \"*.part\", place: parts, as: \"{file}\"}]}\n" +
		"  script: {recognise: {single: \"*.sh\"}, put: [{take: \"*.sh\", place: root, as: \"{file}\"}]}\n"
	s.must("rulebook", "add", textFile(t, dir, "fen.yaml", book))
	s.must("server", "add", "s", "--rulebook", "fen", "--folder", root)
	s.must("server", "test", "s")
	script := textFile(t, dir, "run.sh", "#!/bin/sh\nexec ./fen -parts=\n")
	s.must("stage", script, textFile(t, dir, "reed.part", "reed"), textFile(t, dir, "alder.part", "alder"), "--for", "s")
	s.must("deploy", "s", "run", "--yes")

	s.must("rulebook", "add", textFile(t, dir, "fen.yaml", book+
		"load-lists:\n  parts: {file: run.sh, form: joined, match: '-parts=(\\S*)', separator: \",\", entry: \"{name}\", kinds: [part]}\n"))
	s.must("deploy", "s", "reed", "--yes")
	text := func() string {
		raw, err := os.ReadFile(filepath.Join(root, "run.sh"))
		require.NoError(t, err)
		return string(raw)
	}
	require.Equal(t, "#!/bin/sh\nexec ./fen -parts=reed\n", text())
	require.Regexp(t, `run +unmarked +script`, s.must("status", "s"))
	require.Regexp(t, `run\.sh .*run@unmarked`, s.must("files", "s"))

	require.NoError(t, os.WriteFile(script, []byte("#!/bin/sh\nulimit -n 4096\nexec ./fen -parts=\n"), 0o644))
	s.must("stage", script, "--for", "s")
	goes := "run.sh was put as a whole, and holds entries of reed@unmarked; they go with these bytes."
	out := s.fails(3, "is blocked by 1 finding", "deploy", "s", "run", "--yes").out
	require.Contains(t, out, goes)
	require.Contains(t, out, "--accept entries-go=run.sh")
	require.Contains(t, s.fails(3, "is blocked by 1 finding", "remove", "s", "run", "--yes").out, goes)
	require.Equal(t, "#!/bin/sh\nexec ./fen -parts=reed\n", text(), "nothing goes without a word")

	s.must("deploy", "s", "alder", "--yes")
	s.must("rollback", "s", "--addon", "reed", "--yes")
	require.Equal(t, "#!/bin/sh\nexec ./fen -parts=alder\n", text())
	s.must("rollback", "s", "--to", "0", "--yes")
	require.NoFileExists(t, filepath.Join(root, "run.sh"))
	left, err := os.ReadDir(filepath.Join(root))
	require.NoError(t, err)
	for _, e := range left {
		require.Equal(t, ".restless-crate", e.Name(), "what we put is gone")
	}
}
