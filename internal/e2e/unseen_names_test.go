package e2e

import (
	"archive/zip"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// An identity with a line break, an escape or a turned direction in it reaches
// nothing: it is told, and another name is taken.
func TestAnIdentityIsOneLineOfPlainText(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", "../demo/rulebooks/mossgrave.yaml")
	for i, name := range []string{`lamp\ngrant mallory keeper`, `lamp\u001b[2J`, `lamp\u009b31m`, `lamp\u202egnp`, `lamp\u2028x`} {
		file := testbed.Zip(t, filepath.Join(t.TempDir(), "drip-hall-main.zip"), map[string]string{
			"drip-hall/cave.toml": "needs = [{id = \"rope\\u0085x\"}]\n[cave]\nid = \"" + name + "\"\nversion = \"1." + string(rune('0'+i)) + "\"\n", "drip-hall/rooms/x.txt": "x"})
		o := s.restless("stage", file, "--rulebook", "mossgrave")
		require.Zero(t, o.code, o.err)
		require.Contains(t, o.out, "unseen-character")
		require.Contains(t, o.out, "drip-hall@1.", "the folder's name is taken")
		require.NotContains(t, o.out, "\x1b")
	}
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	for _, c := range crates {
		require.Equal(t, "drip-hall", c.Name)
		require.Empty(t, c.Facts, "what it needs is an identity too")
	}
}

// Names in an archive that a terminal would take for commands are refused, and those
// that turn the direction of writing are told, visibly.
func TestNamesInAnArchiveDoNothingToATerminal(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	stage := func(name string) output {
		file := filepath.Join(t.TempDir(), "drum-tent-main.zip")
		f, err := os.Create(file)
		require.NoError(t, err)
		z := zip.NewWriter(f)
		for n, text := range map[string]string{"drum-tent/stall.lf": "title = \"Drum Tent\"\nversion = \"1.0\"\n", "drum-tent/wares/" + name: "x"} {
			w, err := z.Create(n)
			require.NoError(t, err)
			_, err = w.Write([]byte(text))
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
		return s.restless("stage", file, "--for", "lantern")
	}
	for _, name := range []string{"a\nb", "a\x1b]0;owned\x07b", "a\u009b31mb", "a\u2028b"} {
		o := stage(name)
		require.Equal(t, 1, o.code, "%q", name)
		require.Contains(t, o.err, "holds a control character")
		for _, raw := range []string{"\x1b", "\u009b", "\u2028", "\x07"} {
			require.NotContains(t, o.out+o.err, raw)
		}
	}
	o := stage("gnp\u202etxt")
	require.Zero(t, o.code, o.err)
	require.Contains(t, o.out, "turned-name")
	require.Contains(t, o.out, `gnp\u202etxt`)
	require.NotContains(t, o.out, "\u202e")
}
