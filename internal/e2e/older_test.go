package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// An older copy that somebody put there by hand is found when the new one is drafted, in its place
// or beside it, and is replaced, taken in, taken off or left.
func TestAnOlderCopyIsDecidedAbout(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
	old := map[string]string{"stalls/drum-tent/stall.lf": "title = \"Drum Tent\"\nversion = \"0.3.0\"\n", "stalls/drum-tent/wares/old.txt": "old\n", "stalls/drum-tent/wares/drum.txt": "bim\n"}
	fill := func() map[string]testbed.Thing {
		require.NoError(t, os.RemoveAll(root))
		require.NoError(t, os.MkdirAll(root, 0o755))
		for p, text := range old {
			testbed.Write(t, at(p), text)
		}
		return testbed.Snapshot(t, root)
	}
	before := fill()
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom", "new.txt": "comes"}))

	o := s.fails(3, "blocked by 1 finding", "deploy", "lantern", "drum-tent", "--yes", "--accept", "no-load-list")
	require.Contains(t, o.out, "older-copy: A copy of drum-tent that nobody deployed is in its place: stalls/drum-tent, 3 files.")
	require.Contains(t, o.out, "restless adopt lantern stalls/drum-tent")
	require.NotContains(t, o.out, "unknown-file")
	require.NotContains(t, o.out, "left-over")
	require.Equal(t, before, testbed.Snapshot(t, root))

	// Replaced: all of it goes, and a rollback brings all of it back.
	out := s.must("deployment", "decide", "lantern#1", "replace=stalls/drum-tent")
	require.Contains(t, out, "older-goes")
	s.must("deployment", "run", "lantern#2", "--yes", "--accept", "no-load-list")
	require.NoFileExists(t, at("stalls/drum-tent/wares/old.txt"))
	require.FileExists(t, at("stalls/drum-tent/wares/new.txt"))
	s.must("rollback", "lantern", "--deployment", "2", "--yes")
	require.Equal(t, testbed.Files(before), testbed.Files(settled(t, root)))

	// Left: what the new one brings takes over, the rest stays.
	s.must("deploy", "lantern", "drum-tent", "--yes", "--accept", "no-load-list", "--accept", "older-copy")
	require.FileExists(t, at("stalls/drum-tent/wares/old.txt"))
	s.must("rollback", "lantern", "--deployment", "4", "--yes")
	require.Equal(t, testbed.Files(before), testbed.Files(settled(t, root)))

	// Taken in first: the new one is an update of it.
	s.must("adopt", "lantern", "stalls/drum-tent", "--yes")
	out = s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes", "--accept", "no-load-list")
	require.NotContains(t, out, "older-copy")
	require.NoFileExists(t, at("stalls/drum-tent/wares/old.txt"), "it is no part of the new version")
}

// Two versions side by side, because the older one was put there by hand: the draft says so before
// anything is sent, and takes the older one off in the same deployment.
func TestADoubleBesideItIsReplaced(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	hand := filepath.Join(r.root, "fixtures", "cranes-0.9.tdx")
	require.NoError(t, os.WriteFile(hand, []byte("tdx 1\nname cranes\nversion 0.9\n"), 0o644))
	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0"))
	o := r.fails(3, "blocked by 1 finding", "deploy", "here", "cranes", "--yes")
	require.Contains(t, o.out, "older-copy: A copy of cranes that nobody deployed lies beside it, so there would be two: fixtures/cranes-0.9.tdx, 1 file.")

	c := openConsole(t, r.service)
	c.goTo("/servers/here/deployments/1")
	c.see("lies beside it, so there would be two")
	c.click("Replace it")
	c.runDraft("here#2")
	require.NoFileExists(t, hand)
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 1 loaded")
	r.must("rollback", "here", "--deployment", "2", "--yes")
	raw, err := os.ReadFile(hand)
	require.NoError(t, err)
	require.Equal(t, "tdx 1\nname cranes\nversion 0.9\n", string(raw))
}

// The same add-on lies there in a folder of quite another name, among others that are none of it:
// what it says of itself tells, and the draft has it go.
func TestADoubleOfAnotherNameIsFoundByWhatItSaysOfItself(t *testing.T) {
	t.Parallel()
	s, root := start(t), t.TempDir()
	s.must("rulebook", "add", books+"mossgrave.yaml")
	s.must("server", "add", "moss", "--rulebook", "mossgrave", "--folder", root)
	s.must("server", "test", "moss")
	at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
	cave := func(id, version string) string {
		return fmt.Sprintf("[cave]\nid = %q\nversion = %q\n", id, version)
	}
	testbed.Write(t, at("caves/from brother/cave.toml"), cave("gallery", "0.3"))
	testbed.Write(t, at("caves/from brother/rooms/deep/drip.room"), "drip\n")
	testbed.Write(t, at("caves/gallery-lights/cave.toml"), cave("gallery-lights", "0.3"))
	testbed.Write(t, at("caves/notes/readme.txt"), cave("gallery", "0.3"))
	before := testbed.Snapshot(t, root)
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "gallery-0.5.zip"), map[string]string{"gallery/cave.toml": cave("gallery", "0.5")}))

	o := s.fails(3, "blocked by 1 finding", "deploy", "moss", "gallery", "--yes")
	require.Contains(t, o.out, "older-copy: A copy of gallery that nobody deployed lies beside it, so there would be two: caves/from brother, 2 files.")
	require.Equal(t, before, testbed.Snapshot(t, root))
	require.Contains(t, s.must("deployment", "decide", "moss#1", "replace=caves/from brother"), "older-goes")
	s.must("deployment", "run", "moss#2", "--yes")
	require.NoDirExists(t, at("caves/from brother"))
	require.FileExists(t, at("caves/gallery-lights/cave.toml"))
	require.FileExists(t, at("caves/notes/readme.txt"))
	require.NotContains(t, s.must("deploy", "moss", "gallery", "--draft"), "older-copy")
	s.must("rollback", "moss", "--deployment", "2", "--yes")
	require.Equal(t, testbed.Files(before), testbed.Files(settled(t, root)))
}

// What a server has made in an add-on's folder is told when the add-on goes, and can be set aside in
// the same deployment; a rollback brings both back.
func TestWhatAServerMadeIsSetAside(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/takings/june.log"), "12 pennies\n")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/takings/july.log"), "3 pennies\n")
	before := testbed.Snapshot(t, root)

	out := s.must("remove", "lantern", "drum-tent", "--draft")
	require.Contains(t, out, "restless deployment decide lantern#2 set-aside=stalls/drum-tent")
	s.must("deployment", "decide", "lantern#2", "set-aside=stalls/drum-tent")
	s.must("deployment", "run", "lantern#3", "--yes")
	require.NoDirExists(t, filepath.Join(root, "stalls/drum-tent"))
	s.must("rollback", "lantern", "--deployment", "3", "--yes")
	require.Equal(t, testbed.Files(before), testbed.Files(settled(t, root)))

	s.must("remove", "lantern", "drum-tent", "--yes")
	require.FileExists(t, filepath.Join(root, "stalls/drum-tent/takings/june.log"), "nobody said that it goes")
}
