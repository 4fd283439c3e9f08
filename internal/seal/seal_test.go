package seal

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestOnlyTheSameKeyOpensASeal(t *testing.T) {
	file := filepath.Join(t.TempDir(), "key")
	a, err := Open(file)
	require.NoError(t, err)
	sealed, err := a.Seal([]byte("reed and tide"))
	require.NoError(t, err)
	require.NotContains(t, string(sealed), "reed and tide")
	again, err := Open(file)
	require.NoError(t, err)
	plain, err := again.Unseal(sealed)
	require.NoError(t, err)
	require.Equal(t, "reed and tide", string(plain))

	other, err := Open(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	_, err = other.Unseal(sealed)
	require.ErrorContains(t, err, "cannot be opened with this data folder's key")
	require.NoError(t, os.WriteFile(file, []byte("rubbish"), 0o600))
	_, err = Open(file)
	require.ErrorContains(t, err, "is damaged")
}
