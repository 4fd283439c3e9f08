package demo

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestSamplesAreTheSameBytesEachTime(t *testing.T) {
	a, b := t.TempDir(), t.TempDir()
	require.NoError(t, WriteSamples(a))
	require.NoError(t, WriteSamples(b))
	for _, s := range samples() {
		one, err := os.ReadFile(filepath.Join(a, s.Name))
		require.NoError(t, err)
		two, err := os.ReadFile(filepath.Join(b, s.Name))
		require.NoError(t, err)
		require.Equal(t, one, two, s.Name)
	}
}
