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

// tent makes a download of the drum tent that may need something that is not there.
func (r *running) tent(version, needs string) string {
	r.t.Helper()
	manifest := fmt.Sprintf("title = \"Drum Tent\"\nversion = %q\n", version)
	if needs != "" {
		manifest += fmt.Sprintf("needs = {%q}\n", needs)
	}
	return testbed.Zip(r.t, filepath.Join(r.t.TempDir(), "drum-tent-"+version+".zip"), map[string]string{"drum-tent/stall.lf": manifest, "drum-tent/wares/" + version + ".txt": "ware"})
}

// entryOf is how an add-on stood in the roll call of a deployment.
func (r *running) entryOf(deployment, addon string) api.RollEntry {
	r.t.Helper()
	var d api.Deployment
	r.get(&d, "deployment", "show", deployment)
	require.NotNil(r.t, d.RollCall)
	for _, e := range d.RollCall.Entries {
		if e.Addon == addon {
			return e
		}
	}
	require.Failf(r.t, "it is not in the roll", "%s in %+v", addon, d.RollCall.Entries)
	return api.RollEntry{}
}

// What is reloaded is told from the reload on: not as it was before, and not before the
// server has said anything. Taken back, it is reloaded again, and the server never stops.
func TestAReloadIsToldFromTheReloadOn(t *testing.T) {
	t.Parallel()
	r := play(t, "lanternfall")
	r.must("stage", r.tent("1.0", ""), r.tent("1.1", ""), r.tent("1.2", "bell-tower"))
	r.must("deploy", "here", "drum-tent@1.0", "--yes")
	pid := r.pid()
	out := r.must("deploy", "here", "drum-tent@1.1", "--yes")
	require.Contains(t, out, "from the log since the reload")
	e := r.entryOf("here#2", "drum-tent")
	require.Equal(t, [2]string{"loaded", "1.1"}, [2]string{e.Standing, e.Version})

	o := r.fails(1, "drum-tent did not load", "deploy", "here", "drum-tent@1.2", "--yes", "--or-undo", "--accept", "need-missing")
	require.Contains(t, o.err, "here#3 was taken back")
	require.NoFileExists(t, filepath.Join(r.root, "stalls/drum-tent/wares/1.2.txt"))
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 1.1", "what was there before was reloaded too")
	require.Equal(t, pid, r.pid())

	// A rollback of an update needs no stop either, and what comes back is told.
	out = r.must("rollback", "here", "--deployment", "2", "--yes")
	require.Contains(t, out, "it is taken anew without a stop: reopen drum-tent")
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 1.0")
	require.Equal(t, pid, r.pid())
	e = r.entryOf("here#4", "drum-tent")
	require.Equal(t, [2]string{"loaded", "1.0"}, [2]string{e.Standing, e.Version})

	// What is taken away is kept by the server until a start.
	require.Contains(t, r.must("remove", "here", "drum-tent", "--yes"), "stop ")
	require.NotContains(t, r.must("say", "here", "stalls"), "drum-tent")
}

// moths adds and starts the server of a made-up game of one shell script: the script is in
// its root already. start is the command that starts it, with %[1]s for the root.
func (s *service) moths(root, log, start string, ready int) {
	s.t.Helper()
	dir := s.t.TempDir()
	s.t.Cleanup(func() { s.restless("stop", "s", "--yes") })
	s.must("rulebook", "add", textFile(s.t, dir, "g.yaml", "format: 1\nname: moths\ntitle: Moths\nplaces: {wings: {path: wings}}\nkinds: {wing: {recognise: {single: \"*.wing\"}, put: [{take: \"*.wing\", place: wings, as: \"{file}\"}]}}\nlog: {file: "+log+", ready: '^ready'}\n"))
	s.must("server", "add", "s", "--rulebook", "moths", "--folder", root)
	s.must("server", "test", "s")
	s.must("server", "control", "s", "--file", textFile(s.t, dir, "control.yaml", fmt.Sprintf(`acts:
  stop: {by: command, command: "kill $(cat %[1]s/pid)"}
  start: {by: command, command: "`+start+`"}
probes:
  - {by: command, command: "test -f %[1]s/pid && kill -0 $(cat %[1]s/pid) 2>/dev/null"}
stop-within: 10
ready-within: %[2]d
`, root, ready)))
	s.must("start", "s", "--yes")
}

// A game whose log is written anew at each start, with the same lines each time, is ready
// when its log says so.
func TestALogWithTheSameBytesAtEachStartIsReadAnew(t *testing.T) {
	t.Parallel()
	s := start(t)
	root := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(root, "logs"), 0o755))
	const game = "#!/bin/sh\ncd \"$(dirname \"$0\")\"\necho loading > logs/a.log\nsleep 0.5\necho ready >> logs/a.log\ntrap 'exit 0' TERM\nwhile :; do sleep 0.1; done\n"
	require.NoError(t, os.WriteFile(filepath.Join(root, "run.sh"), []byte(game), 0o755))
	dir := t.TempDir()
	s.moths(root, "logs/a.log", "cd %[1]s && (setsid ./run.sh >/dev/null 2>&1 & echo $! > pid)", 8)
	s.must("restart", "s", "--yes")
	s.must("stage", textFile(t, dir, "dusk-1.0.wing", "dusk"), "--for", "s")
	out := s.must("deploy", "s", "dusk", "--or-undo", "--yes")
	require.Contains(t, out, "s#1  DONE")
	require.FileExists(t, filepath.Join(root, "wings/dusk-1.0.wing"))
}

// With --or-undo whatever keeps the server from coming up has all taken back: a start command
// that fails, and a server that starts and falls over, which is not waited for any longer.
func TestAServerThatDoesNotComeUpIsTakenBackAtOnce(t *testing.T) {
	t.Parallel()
	s := start(t)
	root, dir := t.TempDir(), t.TempDir()
	// A wing called "lead" has the start refused, one called "wax" has the game fall over.
	const game = `#!/bin/sh
cd "$(dirname "$0")"
echo loading > a.log
[ -e wings/wax.wing ] && { sleep 1; exit 1; }
echo ready >> a.log
trap 'exit 0' TERM
while :; do sleep 0.1; done
`
	textFile(t, root, "run.sh", game)
	textFile(t, root, "start.sh", "#!/bin/sh\ncd \"$(dirname \"$0\")\"\n[ -e wings/lead.wing ] && { echo 'too heavy'; exit 3; }\nsetsid ./run.sh >/dev/null 2>&1 &\necho $! > pid\n")
	s.moths(root, "a.log", "%[1]s/start.sh", 120)
	for i, wing := range []string{"lead", "wax"} {
		s.must("stage", textFile(t, dir, wing+".wing", wing), "--for", "s")
		o := s.fails(1, "was taken back", "deploy", "s", wing, "--yes", "--or-undo")
		require.Contains(t, o.err, map[string]string{"lead": "too heavy", "wax": "ran and has stopped again before it was ready"}[wing])
		require.NoFileExists(t, filepath.Join(root, "wings", wing+".wing"))
		require.Contains(t, s.must("server", "control", "s"), "s is RUNNING", "deployment %d", i+1)
	}
	// Without the word a person decides.
	o := s.fails(4, "too heavy", "deploy", "s", "lead", "--yes")
	require.Contains(t, o.err, "restless deployment undo s#3")
	s.must("deployment", "undo", "s#3")
	require.Contains(t, s.must("server", "control", "s"), "s is RUNNING")
}
