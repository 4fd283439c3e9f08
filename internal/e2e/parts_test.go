package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

func TestPartsByChoiceAreRememberedForLaterVersions(t *testing.T) {
	t.Parallel()
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

func TestAPacksNextVersionRetiresWhatItNoLongerHolds(t *testing.T) {
	t.Parallel()
	s, root := start(t), t.TempDir()
	s.must("rulebook", "add", books+"mossgrave.yaml")
	s.must("server", "add", "mossgrave", "--rulebook", "mossgrave", "--folder", root)
	s.must("server", "test", "mossgrave")
	pack := func(v string, caves ...string) string {
		texts := map[string]string{"tour/TOUR.txt": "a tour"}
		for _, c := range caves {
			texts["tour/"+c+"/cave.toml"] = fmt.Sprintf("[cave]\nid = %q\nversion = %q\n", c, v)
		}
		return s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "grand-tour-"+v+".zip"), texts))
	}
	require.Contains(t, pack("1", "hall", "shaft"), "pallet grand-tour@1: these 2 together; deploy takes its name")
	pack("2", "hall", "well")
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "own.zip"), map[string]string{"own/cave.toml": "[cave]\nid = \"own\"\nversion = \"1\"\n"}))
	s.must("deploy", "mossgrave", "own", "--yes")
	caves := func() []string {
		list, err := os.ReadDir(filepath.Join(root, "caves"))
		require.NoError(t, err)
		var out []string
		for _, d := range list {
			out = append(out, d.Name())
		}
		return out
	}
	s.must("deploy", "mossgrave", "grand-tour@1", "--yes")
	require.Equal(t, []string{"hall", "own", "shaft"}, caves())
	out := s.must("deploy", "mossgrave", "grand-tour", "shaft@1", "--draft")
	require.NotContains(t, out, "remove", "what is asked for by itself is not retired")
	s.must("deployment", "discard", "mossgrave#3")
	out = s.must("deploy", "mossgrave", "grand-tour", "--yes")
	require.Contains(t, out, "hall@2, well@2")
	require.Equal(t, []string{"hall", "own", "well"}, caves(), "the shaft went with its pack; what came by itself stays")
	s.must("rollback", "mossgrave", "--deployment", "4", "--yes")
	require.Equal(t, []string{"hall", "own", "shaft"}, caves())
	s.fails(1, "no crate grand-tour@9 is staged", "deploy", "mossgrave", "grand-tour@9", "--yes")
}

func TestAGroupFolderIsChosenForEachAddOn(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	ride := func(v string) {
		s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "swing-boats-"+v+".zip"), map[string]string{"swing-boats/ride.lf": fmt.Sprintf("version = %q\n", v)}))
	}
	ride("1.0")
	ride("1.1")
	where := func() (out []string) {
		for path := range testbed.Files(testbed.Snapshot(t, root)) {
			out = append(out, path)
		}
		return out
	}
	out := s.must("deploy", "lantern", "swing-boats@1.0", "--yes")
	require.Contains(t, out, "swing-boats@1.0: row is row-main.")
	require.Equal(t, []string{"row-main.group/swing-boats/ride.lf"}, where())
	s.must("deploy", "lantern", "swing-boats@1.0", "--set", "row=row-east", "--yes")
	require.Equal(t, []string{"row-east.group/swing-boats/ride.lf"}, where(), "it moves as a whole")
	out = s.must("deploy", "lantern", "swing-boats@1.1", "--yes")
	require.Contains(t, out, "swing-boats@1.1: row is row-east.", "the choice is kept for later versions")
	require.Equal(t, []string{"row-east.group/swing-boats/ride.lf"}, where())
	s.fails(2, `nothing that is deployed has a variable "roww" of its own`, "deploy", "lantern", "swing-boats@1.1", "--set", "roww=x")
	s.fails(1, "leads out of its root", "deploy", "lantern", "swing-boats@1.1", "--set", "row=../../x", "--yes")
}

func TestANameAloneMeansTheNewestThatFitsTheServersGame(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"mossgrave.yaml")
	for name, game := range map[string]string{"old": "7.1", "new": "7.2", "any": ""} {
		args := []string{"server", "add", name, "--rulebook", "mossgrave", "--folder", t.TempDir()}
		if game != "" {
			args = append(args, "--fact", "game="+game)
		}
		s.must(args...)
	}
	texts := map[string]string{}
	for v, fits := range map[string]string{"1.4": "7.1", "1.10": "7.2", "1.9": "7.2"} {
		texts["shaft/"+v+"/cave.toml"] = fmt.Sprintf("[cave]\nid = \"shaft\"\nversion = %q\nfor = %q\n", v, fits)
	}
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "shaft.zip"), texts))
	for server, want := range map[string]string{"old": "shaft@1.4", "new": "shaft@1.10"} {
		require.Contains(t, s.must("deploy", server, "shaft", "--draft"), server+"#1  DRAFT  "+want)
	}
	out := s.must("deploy", "old", "shaft@1.10", "--draft")
	require.Contains(t, out, "old#2  DRAFT  shaft@1.10", "who names a version gets it")
	require.Contains(t, out, "WARN  other-game-version: shaft@1.10: it says that it is for game version 7.2, and the server runs 7.1")
	require.NotContains(t, s.must("deploy", "new", "shaft@1.10", "--draft"), "other-game-version")
	require.NotContains(t, s.must("deploy", "any", "shaft@1.10", "--draft"), "other-game-version", "nothing is known of that server's game")

	// A build for each version of the game, told by nothing but its folder.
	s.must("rulebook", "add", books+"tidewright.yaml")
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "kelp.zip"), map[string]string{"kelp/9.2/kelp.tdx": "of 9.2", "kelp/9.3/kelp.tdx": "of 9.3"}), "--rulebook", "tidewright")
	for game, chosen := range map[string]string{"9.2": ">=9.2 <9.3", "9.3": ">=9.3"} {
		root := t.TempDir()
		s.must("server", "add", "tide"+game[2:], "--rulebook", "tidewright", "--folder", root, "--fact", "game="+game)
		out := s.must("deploy", "tide"+game[2:], "kelp", "--yes")
		require.Contains(t, out, "NOTE  build-chosen: kelp@unmarked: of 2 builds the one from the folder "+game+", for game version "+chosen+" is taken; tide"+game[2:]+" has game version "+game)
		raw, err := os.ReadFile(filepath.Join(root, "fixtures", "kelp.tdx"))
		require.NoError(t, err)
		require.Equal(t, "of "+game, string(raw))
	}
}
