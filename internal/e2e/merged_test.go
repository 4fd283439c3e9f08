package e2e

import (
	"archive/zip"
	"io"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// Two patches that change different entries of one packed file go together, whichever comes
// first and whichever goes; a clash names the entry.
func TestTwoPatchesOfOnePackedFileGoTogether(t *testing.T) {
	t.Parallel()
	s, root, _ := gameServer(t, "tidewright")
	dl := t.TempDir()
	shore := testbed.Zip(t, filepath.Join(dl, "reed-shore-1.zip"), map[string]string{"table.toml": "a", "rows/one.toml": "one", "rows/two.toml": "two"})
	patch := func(name, version string, rows map[string]string) {
		files := map[string]string{name + "/change.toml": "for = \"reed-shore\"\nversion = \"" + version + "\"\n"}
		for row, text := range rows {
			files[name+"/rows/"+row] = text
		}
		s.must("stage", testbed.Zip(t, filepath.Join(dl, name+"-"+version+".zip"), files), "--for", "here")
	}
	s.must("stage", shore, "--for", "here")
	patch("deeper", "1", map[string]string{"one.toml": "one, deeper"})
	patch("wider", "1", map[string]string{"two.toml": "two, wider", "three.toml": "three"})
	patch("rival", "1", map[string]string{"one.toml": "one, otherwise"})

	packed := func() (out []string) {
		t.Helper()
		z, err := zip.OpenReader(filepath.Join(root, "ports/reedbank/tables/reed-shore.zip"))
		require.NoError(t, err)
		defer z.Close()
		for _, f := range z.File {
			r, err := f.Open()
			require.NoError(t, err)
			text, err := io.ReadAll(r)
			require.NoError(t, err)
			out = append(out, f.Name+": "+string(text))
		}
		slices.Sort(out)
		return out
	}
	plain := []string{"rows/one.toml: one", "rows/two.toml: two", "table.toml: a"}
	s.must("deploy", "here", "reed-shore", "--yes")
	s.must("deploy", "here", "deeper", "--yes")
	s.must("deploy", "here", "wider", "--yes")
	require.Equal(t, []string{"rows/one.toml: one, deeper", "rows/three.toml: three", "rows/two.toml: two, wider", "table.toml: a"}, packed())
	s.fails(3, "both bring rows/one.toml for ports/reedbank/tables/reed-shore.zip, with different bytes", "deploy", "here", "rival", "--yes")
	s.must("remove", "here", "deeper", "--yes")
	require.Equal(t, []string{"rows/one.toml: one", "rows/three.toml: three", "rows/two.toml: two, wider", "table.toml: a"}, packed())
	s.must("deploy", "here", "rival", "--yes")
	require.Equal(t, []string{"rows/one.toml: one, otherwise", "rows/three.toml: three", "rows/two.toml: two, wider", "table.toml: a"}, packed())
	s.must("remove", "here", "wider", "rival", "--yes")
	require.Equal(t, plain, packed())
	s.must("rollback", "here", "--to", "3", "--yes")
	require.Equal(t, []string{"rows/one.toml: one, deeper", "rows/three.toml: three", "rows/two.toml: two, wider", "table.toml: a"}, packed())
}
