package e2e

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A person downloads into a folder as browsers do. What is whole is staged, once, and what it
// updates is said; then it is deployed on a real sshd.
func TestAWatchedFolderLeadsToADeployment(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	downloads := t.TempDir()
	zip := func(version string) []byte {
		raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), "x.zip"), stall(version, map[string]string{"drum.txt": "boom " + version})))
		require.NoError(t, err)
		return raw
	}
	at := func(name string) string { return filepath.Join(downloads, name) }
	put := func(name string, raw []byte) { require.NoError(t, os.WriteFile(at(name), raw, 0o600)) }
	staged := func() (names []string) {
		var all []api.KeptArchive
		s.get(&all, "archive", "list", "--all")
		for _, k := range all {
			names = append(names, k.Archive.Filename)
		}
		return names
	}
	put("drum-tent-0.4.0.zip", zip("0.4.0"))
	s.must("stage", at("drum-tent-0.4.0.zip"))
	s.must("deploy", "lantern", "drum-tent", "--yes", "--accept", "no-load-list")
	put("holiday.jpg", []byte("a picture"))

	w := s.begin("watch", downloads)
	testbed.Eventually(t, "it watches", func() bool { return strings.Contains(w.said(), "Ctrl-C ends it") })
	require.Contains(t, w.said(), "1 such file lies there already; that is left alone.")
	whole := zip("0.5.0")
	put("drum-tent-0.5.0.zip.crdownload", whole[:len(whole)/2])
	put("notes.pdf", []byte("no add-on"))
	put("broken-1.0.zip", []byte("PK\x03\x04 and no more"))
	testbed.Eventually(t, "what is broken is told", func() bool { return strings.Contains(w.said(), "broken-1.0.zip") })
	require.Equal(t, []string{"drum-tent-0.4.0.zip"}, staged(), "half a download is none")
	put("drum-tent-0.5.0.zip.crdownload", whole)
	require.NoError(t, os.Rename(at("drum-tent-0.5.0.zip.crdownload"), at("drum-tent-0.5.0.zip")))
	testbed.Eventually(t, "it is staged", func() bool {
		return strings.Contains(w.said(), "lantern has 0.4.0: restless update lantern drum-tent")
	})
	require.ElementsMatch(t, []string{"drum-tent-0.4.0.zip", "drum-tent-0.5.0.zip"}, staged())
	w.interrupt()
	require.Zero(t, w.ended().code)

	// Off for a while: what came meanwhile is staged, the rest is not touched again. The service
	// is away at first.
	put("drum-tent-0.6.0.zip", zip("0.6.0"))
	out := s.must("watch", downloads, "--once")
	require.Contains(t, out, "drum-tent-0.6.0.zip  drum-tent@0.6.0")
	require.NotContains(t, out, "0.5.0.zip")
	require.NotContains(t, out, "broken")
	require.Empty(t, strings.TrimSpace(s.must("watch", downloads, "--once")))

	s.must("update", "lantern", "drum-tent", "--yes", "--accept", "no-load-list")
	require.Equal(t, "boom 0.6.0", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.txt"])
	s.fails(1, "no such file", "watch", filepath.Join(downloads, "nowhere"))
	s.fails(2, "is no folder", "watch", at("notes.pdf"))
}

// A service that is away does not lose a download: it is staged once the service is back.
func TestAWatchOutlivesTheService(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	downloads := t.TempDir()
	w := s.begin("watch", downloads)
	testbed.Eventually(t, "it watches", func() bool { return strings.Contains(w.said(), "Ctrl-C ends it") })
	s.kill()
	raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), "x.zip"), stall("0.5.0", map[string]string{"drum.txt": "boom"})))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(downloads, "drum-tent-0.5.0.zip"), raw, 0o600))
	testbed.Eventually(t, "it tells that the service is away", func() bool { return strings.Contains(w.said(), "trying again") })
	s.up()
	testbed.Eventually(t, "it is staged", func() bool { return strings.Contains(w.said(), "drum-tent@0.5.0") })
	require.Equal(t, 1, strings.Count(w.said(), "trying again"), "that is told once")
}

// The service watches a folder of its own machine, and is killed in between.
func TestTheServiceWatchesAFolderItself(t *testing.T) {
	t.Parallel()
	s, folder := start(t), t.TempDir()
	zip := func(name, version string) {
		raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), "x.zip"), stall(version, map[string]string{"drum.txt": version})))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), raw, 0o600))
	}
	staged := func() string {
		var names []string
		var all []api.KeptArchive
		s.get(&all, "archive", "list", "--all")
		for _, k := range all {
			names = append(names, k.Archive.Filename)
		}
		slices.Sort(names)
		return strings.Join(names, " ")
	}
	zip("drum-tent-0.1.0.zip", "0.1.0")
	s.kill()
	s.more = []string{"--watch", folder}
	s.up()
	zip("drum-tent-0.2.0.zip", "0.2.0")
	s.must("rulebook", "add", books+"lanternfall.yaml") // nothing was made of it before
	s.kill()
	zip("drum-tent-0.3.0.zip", "0.3.0")
	s.up()
	testbed.Eventually(t, "what came is staged, and what lay there before is not", func() bool { return staged() == "drum-tent-0.2.0.zip drum-tent-0.3.0.zip" })
	// One that is killed between staging a file and noting it stages it again, which changes nothing.
	testbed.Eventually(t, "it is noted", func() bool { return strings.Contains(s.log.String(), "drum-tent-0.3.0.zip") })
	s.kill()
	s.up()
	zip("drum-tent-0.4.0.zip", "0.4.0")
	testbed.Eventually(t, "each once", func() bool {
		return staged() == "drum-tent-0.2.0.zip drum-tent-0.3.0.zip drum-tent-0.4.0.zip"
	})
	testbed.Eventually(t, "the newest is told", func() bool { return strings.Contains(s.log.String(), "drum-tent-0.4.0.zip") })
	require.NotContains(t, s.log.String(), "drum-tent-0.3.0.zip")
	s.kill()
	s.more = []string{"--watch", filepath.Join(folder, "nowhere")}
	require.Contains(t, s.refusesToStart("--watch", filepath.Join(folder, "nowhere")), "nowhere")
	s.more = nil
	s.up()
}

// What came is on the staging page, with what it updates: a click drafts it.
func TestTheConsoleTellsWhatCameAndDeploysIt(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "old"}))
	s.must("deploy", "lantern", "drum-tent", "--yes")
	folder := t.TempDir()
	s.kill()
	s.more = []string{"--watch", folder}
	s.up()
	c := openConsole(t, s)
	c.goTo("/staging")
	c.see("Crates")
	raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), "x.zip"), stall("0.5.0", map[string]string{"drum.txt": "new"})))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "drum-tent-0.5.0.zip"), raw, 0o600))
	c.see("Newer than what is deployed") // without being asked for again
	c.see("by a watched folder")
	c.click("Draft it for lantern…")
	c.runDraft("lantern#2")
	require.Equal(t, "new", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.txt"])
}
