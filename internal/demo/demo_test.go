package demo

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
)

func TestSamplesAreTheSameBytesEachTime(t *testing.T) {
	a, b := t.TempDir(), t.TempDir()
	require.NoError(t, WriteSamples(a))
	require.NoError(t, WriteSamples(b))
	for _, s := range slices.Concat(samples(), shapes(), tuned()) {
		one, err := os.ReadFile(filepath.Join(a, s.Name))
		require.NoError(t, err)
		two, err := os.ReadFile(filepath.Join(b, s.Name))
		require.NoError(t, err)
		require.Equal(t, one, two, s.Name)
	}
}

func TestTheDemosRulebooksAreRead(t *testing.T) {
	all, err := rulebooks.ReadDir("rulebooks")
	require.NoError(t, err)
	require.Len(t, all, 3)
	for _, f := range all {
		text, err := rulebooks.ReadFile("rulebooks/" + f.Name())
		require.NoError(t, err)
		_, err = rulebook.Parse(text)
		require.NoError(t, err, f.Name())
	}
}
