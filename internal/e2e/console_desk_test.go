package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// needs are the kinds of what waits, as the command line has them.
func needs(s *service) (out []string) {
	var d api.Desk
	s.get(&d, "desk")
	for _, n := range d.Needs {
		out = append(out, n.Kind)
	}
	return out
}

// The first page gathers what waits for a person, each with the deed that helps, and is quiet when
// all is well.
func TestTheDeskGathersWhatWaits(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	marker := filepath.Join(root, "running")
	s.must("server", "control", "lantern", "--yes", "--file", textFile(t, t.TempDir(), "control.yaml", fmt.Sprintf(`acts:
  start: {by: command, command: "touch %[1]s; echo the fair is open >> %[2]s/fair.log"}
  stop: {by: command, command: "rm %[1]s"}
probes: [{by: command, command: "test -f %[1]s"}]
`, marker, root)))
	c := openConsole(t, s)
	c.goTo("/")
	c.see("Nothing waits for you, as far as was looked.")
	c.seeIn("main", "stopped just now") // as its probes said when it was told how it is controlled

	// A game that was told to run and does not: whoever asks first, the page tells it, and starts it.
	s.must("start", "lantern", "--yes")
	require.NoError(t, os.Remove(marker))
	status, raw := s.call("GET", "/api/v1/servers/lantern/standing", s.token(), "") // whoever asks, all pages know
	require.Equal(t, 200, status, raw)
	c.seeIn("[data-need='down']", "lantern is stopped")
	c.seeIn("[data-need='down']", "it was told to run, and nobody stopped it from here")
	c.clickIn("[data-need='down']", "Start it")
	c.ok(c.page.Gone("lantern is stopped"))
	require.FileExists(t, marker)
	require.Empty(t, needs(s))
	s.must("stop", "lantern", "--yes")
	c.goTo("/")
	c.see("stopped just now")
	require.Empty(t, needs(s), "whoever stopped it knows")

	// What was changed outside, a draft that is blocked, and a newer version that is staged.
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/wares/drum.txt"), "by hand")
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom"}))
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--draft")
	require.Equal(t, []string{"blocked", "changed", "update"}, needs(s))
	c.seeIn("[data-need='changed']", "1 file on lantern was changed outside")
	c.seeIn("[data-need='update']", "drum-tent 0.5.0")
	c.clickIn("[data-need='blocked']", "Look and decide")
	c.see("I accept this")

	// A host that cannot be reached, here and beside its settings; a download of which nothing came.
	s.must("server", "add", "far", "--rulebook", "lanternfall", "--sftp", fmt.Sprintf("nobody@127.0.0.1:%d", testbed.FreePort(t)), "--key", os.DevNull)
	s.restless("server", "test", "far")
	s.restless("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "poem.zip"), map[string]string{"poem.md": "so much depends"}))
	require.Equal(t, []string{"no-reach", "blocked", "changed", "untaken", "update"}, needs(s))
	c.goTo("/")
	c.seeIn("[data-need='no-reach']", "signing in to far did not work at the last try")
	c.seeIn("[data-need='untaken']", "no crate came of poem.zip")
	c.goTo("/servers/far/about")
	c.seeIn("[data-reach='trouble']", "never reached yet")
}

// What waits is done from there: a step that a person does by hand is ticked.
func TestAStepByHandIsTickedOnTheDesk(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.must("server", "control", "lantern", "--yes", "--file", textFile(t, t.TempDir(), "control.yaml", fmt.Sprintf(`acts:
  start: {by: hand, command: "Press Start."}
  stop: {by: hand, command: "Press Stop."}
probes: [{by: command, command: "test -f %s/running"}]
`, root)))
	testbed.Write(t, filepath.Join(root, "running"), "")
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.restless("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	c := openConsole(t, s)
	c.goTo("/")
	c.seeIn("[data-need='by-hand']", "lantern#1 waits for you: Press Stop")
	require.NoError(t, os.Remove(filepath.Join(root, "running")))
	c.clickIn("[data-need='by-hand']", "It is done")
	c.seeIn("[data-need='by-hand']", "Press Start")
	testbed.Write(t, filepath.Join(root, "running"), "")
	testbed.Write(t, filepath.Join(root, "fair.log"), "the fair is open\n")
	c.clickIn("[data-need='by-hand']", "It is done")
	c.ok(c.page.Gone("lantern#1 waits"))
	require.Equal(t, "boom", testbed.Files(settled(t, root))["stalls/drum-tent/wares/drum.txt"])
}
