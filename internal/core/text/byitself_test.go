package text

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// Wherever a value read by itself is taken for right, the whole text reads so too: nothing but
// that value is another one.
func TestWhatIsRightByItselfIsRightAsAWhole(t *testing.T) {
	files, err := filepath.Glob("testdata/corpus/*")
	require.NoError(t, err)
	right, asked := 0, 0
	for _, file := range files {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		d, err := Parse(raw, Guess(filepath.Base(file), raw))
		require.NoError(t, err)
		d.Root.Walk(func(n *Node) bool {
			if n.Kind != Scalar || n.Up == nil || n.At.Empty() {
				return true
			}
			for _, value := range []string{"77", "x", "a: b", "# no", "- x", "|", "> y", "[1", "{", "\"", "'", "&a", "*b", "!c", "x # y", "</r>", "&amp;", "1, 2", "x\n  y: z", ""} {
				out := Splice(d.Source, n.At.From, n.At.To, value)
				asked++
				if !d.byItself(out, n, func(*Node) error { return nil }) {
					continue
				}
				right++
				now, err := Parse(out, d.Format)
				require.NoError(t, err, "%s %s = %q", file, d.Path(n), value)
				at, err := now.follow(n.trail())
				require.NoError(t, err)
				require.Equal(t, Scalar, at.Kind, "%s %s = %q", file, d.Path(n), value)
				require.Nil(t, differs(d.Root, now.Root, n, at), "%s %s = %q", file, d.Path(n), value)
			}
			return true
		})
	}
	require.Greater(t, right, asked/20, "it is of use")
}
