package remote

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

func walked(t *testing.T, h Host, folders []tree.Path, bounds Bounds, visit func(tree.Path, Info) (bool, error)) (seen []tree.Path, err error) {
	t.Helper()
	err = Walk(t.Context(), h, folders, bounds, func(p tree.Path, i Info) (bool, error) {
		seen = append(seen, p)
		if visit == nil {
			return true, nil
		}
		return visit(p, i)
	})
	return seen, err
}

func TestAWalkGoesLevelByLevelAndFollowsNoLink(t *testing.T) {
	root := t.TempDir()
	for _, p := range []string{"a/b/c/deep.txt", "a/z.txt", "d/y.txt"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(root, p)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(root, p), []byte(p), 0o644))
	}
	require.NoError(t, os.Symlink(root, filepath.Join(root, "a", "loop")))
	h, err := OpenLocal(root)
	require.NoError(t, err)
	defer h.Close()

	seen, err := walked(t, h, []tree.Path{"d", "a", "gone"}, Bounds{}, nil)
	require.NoError(t, err, "a folder that is not there holds nothing")
	require.Equal(t, []tree.Path{"d/y.txt", "a/b", "a/loop", "a/z.txt", "a/b/c", "a/b/c/deep.txt"}, seen)

	seen, err = walked(t, h, []tree.Path{"a"}, Bounds{}, func(p tree.Path, _ Info) (bool, error) { return p != "a/b", nil })
	require.NoError(t, err)
	require.Equal(t, []tree.Path{"a/b", "a/loop", "a/z.txt"}, seen, "it goes where it is told to")

	seen, err = walked(t, h, []tree.Path{"a"}, Bounds{}, func(p tree.Path, _ Info) (bool, error) { return true, fs.SkipAll })
	require.NoError(t, err)
	require.Len(t, seen, 1)
	no := errors.New("no")
	_, err = walked(t, h, []tree.Path{"a"}, Bounds{}, func(tree.Path, Info) (bool, error) { return true, no })
	require.ErrorIs(t, err, no)

	_, err = walked(t, h, []tree.Path{"a"}, Bounds{Deep: 1}, nil)
	require.EqualError(t, err, "a goes more than 1 folders deep, such as a loop of links does")
	_, err = walked(t, h, []tree.Path{"a"}, Bounds{Things: 2}, nil)
	require.EqualError(t, err, "[a] hold more than 2 things")
}
