package main

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTheMapIsCurrent(t *testing.T) {
	page, err := draw()
	require.NoError(t, err)
	kept, err := os.ReadFile("../../docs/packages.md")
	require.NoError(t, err)
	require.Equal(t, page, string(kept), "make map draws it anew")
}

func TestWhatFollowsFromOtherImportsIsLeftOut(t *testing.T) {
	imports := map[string][]string{"a": {"b", "c", "d"}, "b": {"c"}, "c": {"d"}}
	require.Equal(t, []string{"b"}, direct("a", imports))
	require.Equal(t, []string{"d"}, direct("c", imports))
	require.Empty(t, direct("d", imports))
}
