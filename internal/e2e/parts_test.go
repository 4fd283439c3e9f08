package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

func TestPartsByChoiceAreRememberedForLaterVersions(t *testing.T) {
	s, root := start(t), t.TempDir()
	s.must("rulebook", "add", books+"mossgrave.yaml")
	s.must("server", "add", "mossgrave", "--rulebook", "mossgrave", "--folder", root)
	s.must("server", "test", "mossgrave")
	for _, v := range []string{"1.0", "1.1", "1.2"} {
		zip := testbed.Zip(t, filepath.Join(t.TempDir(), "gallery.zip"), map[string]string{
			"gallery/cave.toml": fmt.Sprintf("[cave]\nid = \"gallery\"\nversion = %q\n", v), "gallery/by-choice/wet-season.toml": "water = " + v})
		s.must("stage", zip)
	}
	wet := "caves/gallery/by-choice/wet-season.toml"
	has := func() bool { return testbed.Files(testbed.Snapshot(t, root))[wet] != "" }

	out := s.must("deploy", "mossgrave", "gallery@1.0", "--yes")
	require.Contains(t, out, "gallery@1.0: the part wet-season by choice is left out (1 file).")
	require.False(t, has())
	s.fails(2, `nothing that is deployed has a part by choice "dry-season"`, "deploy", "mossgrave", "gallery@1.0", "--with", "dry-season")

	s.must("deploy", "mossgrave", "gallery@1.0", "--with", "wet-season", "--yes")
	require.True(t, has(), "the part alone is added")
	out = s.must("deploy", "mossgrave", "gallery@1.1", "--yes")
	require.Contains(t, out, "gallery@1.1: the part wet-season by choice is taken (1 file).")
	require.Equal(t, "water = 1.1", testbed.Files(testbed.Snapshot(t, root))[wet])

	// A draft that was only read decides nothing.
	s.must("deploy", "mossgrave", "gallery@1.2", "--without", "gallery:wet-season", "--draft")
	s.must("deploy", "mossgrave", "gallery@1.2", "--yes")
	require.True(t, has())
	s.must("deploy", "mossgrave", "gallery@1.2", "--without", "gallery:wet-season", "--yes")
	require.False(t, has(), "left from now on, and taken away")
	s.must("rollback", "mossgrave", "--addon", "gallery", "--yes")
	require.True(t, has())
}
