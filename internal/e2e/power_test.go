package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/demo"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// running is a service with a made-up game that really runs, as a process that
// commands of this machine stop and start.
type running struct {
	*service
	root, console string
	download      func(string) string
}

// play starts a service with one game, furnished and running.
func play(t *testing.T, game string) *running {
	t.Helper()
	r := &running{service: start(t), root: t.TempDir(), console: fmt.Sprintf("127.0.0.1:%d", testbed.FreePort(t))}
	dir := t.TempDir()
	require.NoError(t, demo.WriteSamples(dir))
	require.NoError(t, standin.Furnish(r.root, game))
	r.download = func(name string) string { return filepath.Join(dir, name) }
	r.env = append(r.env, "RESTLESS_SECRET_RCON=tide-and-reed")
	r.must("rulebook", "add", fullBooks+game+".yaml")
	r.must("server", "add", "here", "--rulebook", game, "--folder", r.root)
	r.must("server", "test", "here")
	r.control(r.byCommands(game))
	t.Cleanup(func() {
		if pid := r.pid(); pid != "" {
			_ = os.WriteFile(filepath.Join(r.root, "standin.rules"), nil, 0o644)
			_ = kill(pid)
		}
		testbed.Eventually(t, "nothing writes its folder any more", func() bool { return os.RemoveAll(r.root) == nil })
	})
	require.Contains(t, r.must("start", "here", "--yes"), "its log says that it is ready")
	return r
}

// playedOverBoth plays a game whose files are reached over a real sshd, which runs the commands too,
// and then over a real vsftpd.
func playedOverBoth(t *testing.T, game string, does func(t *testing.T, r *running)) {
	t.Run("SFTP", func(t *testing.T) {
		t.Parallel()
		r, d := play(t, game), testbed.StartSSHD(t)
		r.must("server", "edit", "here", "--sftp", fmt.Sprintf("%s@%s", d.User, d.Addr()), "--key", d.KeyFile, "--root", r.root)
		r.trustServer("here")
		r.control(strings.ReplaceAll(r.byCommands(game), "{by: command,", "{by: ssh,"))
		does(t, r)
	})
	t.Run("FTP", func(t *testing.T) {
		t.Parallel()
		r, d := play(t, game), testbed.StartVSFTPD(t, testbed.FTPOptions{})
		r.env = append(r.env, "RESTLESS_PASSWORD="+d.Password)
		r.must("server", "edit", "here", "--ftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--root", r.root)
		r.must("server", "test", "here")
		does(t, r)
	})
}

// byCommands is control by commands of a shell, which are here or at a host.
func (r *running) byCommands(game string) string {
	return fmt.Sprintf(`acts:
  start: {by: command, command: "STANDIN_PASSWORD={secret:rcon} %[1]s standin --game %[2]s --folder %[3]s --console %[4]s </dev/null >/dev/null 2>&1 &"}
  stop: {by: command, command: "kill -TERM $(cat %[3]s/standin.pid)"}
probes:
  - {by: command, command: "test -f %[3]s/standin.pid && kill -0 $(cat %[3]s/standin.pid)"}
rcon: %[4]s
stop-within: 5
ready-within: 4
`, binary, game, r.root, r.console)
}

func (r *running) control(text string) {
	r.t.Helper()
	r.must("server", "control", "here", "--file", written(r.t, "control.yaml", text), "--secret", "rcon")
}

func (r *running) pid() string {
	raw, err := os.ReadFile(filepath.Join(r.root, "standin.pid"))
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(raw))
}

func (r *running) read(path string) string {
	r.t.Helper()
	return read(r.t, filepath.Join(r.root, filepath.FromSlash(path)))
}

func codesOf(all []api.Finding) (out []string) {
	for _, f := range all {
		out = append(out, f.Code)
	}
	return out
}

func rungs(s *service) map[string]string {
	var all []api.Status
	s.get(&all, "status", "here")
	out := map[string]string{}
	for _, a := range all[0].Addons {
		out[a.Name] = a.Rung
	}
	return out
}

// A server that runs is stopped, swapped, started and asked what has loaded; the
// settings that it rewrites while it stops keep what it wrote and what is listed.
func TestADeploymentStopsAndStartsAServerAndCallsTheRoll(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"), r.download("pier-signs-1.4.0.zip"), r.download("tide-lamps-2.1.0.tdx"), r.download("tide-lamps-2.2.0 (1).tdx"))
	before := r.pid()
	out := r.must("deploy", "here", "tide-base@3.2.1", "pier-signs@1.4.0", "tide-lamps@2.1.0", "--yes", "--accept", "author-says")
	require.Contains(t, out, "tide-base@3.2.1 takes effect at a start; one stop for 3 add-ons")
	require.Contains(t, out, "+load-fixtures = tide-base,pier-signs,tide-lamps")
	require.Regexp(t, `Roll call: 3 loaded, from \d+ lines of the log and the console`, out)
	require.Regexp(t, `The server was away for .* of which .* ours`, out)
	require.NotEqual(t, before, r.pid())
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,pier-signs,tide-lamps\n")
	require.Contains(t, r.read("tidewright.conf"), "days-open = 1\n", "what the server wrote while it stopped is there")
	require.Equal(t, map[string]string{"tide-base": "loaded", "pier-signs": "loaded", "tide-lamps": "loaded"}, rungs(r.service))

	r.must("deploy", "here", "tide-lamps@2.2.0", "--yes")
	require.Contains(t, r.must("say", "here", "fixtures"), "* tide-lamps 2.2.0")
	r.must("confirm", "here", "tide-lamps", "--note", "they glow")
	require.Contains(t, r.must("status", "here"), "they glow")
	require.Equal(t, "confirmed", rungs(r.service)["tide-lamps"])

	// Disabled it stays on disk and is not loaded; its own deployment takes that back.
	r.must("disable", "here", "tide-lamps", "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,pier-signs\n")
	require.FileExists(t, filepath.Join(r.root, "fixtures/tide-lamps-2.2.0.tdx"))
	require.Contains(t, r.must("status", "here"), "disabled")
	r.must("enable", "here", "tide-lamps", "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,pier-signs,tide-lamps\n")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 3 loaded")

	// A removal takes the entry with it, and a rollback brings both back.
	r.must("remove", "here", "pier-signs", "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,tide-lamps\n")
	r.must("rollback", "here", "--addon", "pier-signs", "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,pier-signs,tide-lamps\n")
	require.Contains(t, r.read("tidewright.conf"), "days-open = 6\n", "nothing that the server wrote was lost over six stops")
}

// What does not load is said with its lines and its first cause, and is put right
// by the way that is offered.
func TestARollCallSaysWhatDidNotLoadAndWhy(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"), r.download("pier-signs-1.4.0.zip"))
	out := r.must("deploy", "here", "pier-signs@1.4.0", "--yes", "--accept", "author-says", "--accept", "need-missing")
	require.Contains(t, out, "Roll call: 1 failed")
	require.Contains(t, out, "pier-signs did not load: it needs tide-base.")
	require.Contains(t, out, "restless deploy here tide-base@3.2.1\n          restless rollback here --deployment 1\n")
	require.Contains(t, out, "fixture pier-signs needs tide-base")
	require.Contains(t, r.must("status", "here"), "did not load: it needs tide-base")
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 2 loaded", "what it needs goes in front of it")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,pier-signs\n")
	r.must("rollback", "here", "--to", "0", "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n")
	out = r.must("deploy", "here", "tide-base@3.2.1", "pier-signs@1.4.0", "--yes", "--accept", "author-says", "--accept", "need-missing")
	require.Contains(t, out, "Roll call: 2 loaded")

	// Somebody uploads a second copy: twice is refused by the game, and told.
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "fixtures/tide-base-old.tdx"), []byte("tdx 1\nname tide-base\nversion 3\n"), 0o644))
	r.must("restart", "here", "--yes")
	out = r.must("rollcall", "here")
	require.Contains(t, out, "it is there twice, as tide-base-3.2.1.tdx and tide-base-old.tdx")
	require.NoError(t, os.Remove(filepath.Join(r.root, "fixtures/tide-base-old.tdx")))
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("bad-key\n"), 0o644))
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("rollcall", "here"), "the licence key was refused", "trouble with no add-on is told too")
}

// With --or-undo a server that does not come up, and an add-on that does not load,
// have everything taken back, and the server runs again.
func TestADeploymentTakesItselfBack(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"), r.download("pier-signs-1.4.0.zip"), r.download("storm-bell-0.1.tdx"), r.download("tide-lamps-2.1.0.tdx"))
	r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	files := func() map[string]string {
		out := testbed.Files(testbed.Snapshot(t, r.root))
		for path := range out { // what the game itself writes
			if strings.HasPrefix(path, "ports/") || strings.HasPrefix(path, "tidewright.log") || path == "standin.pid" {
				delete(out, path)
			}
		}
		out["tidewright.conf"] = strings.Split(out["tidewright.conf"], "days-open")[0]
		return out
	}
	old := files()
	o := r.fails(1, fellOver, "deploy", "here", "storm-bell@0.1", "tide-lamps@2.1.0", "--yes", "--or-undo")
	require.Contains(t, o.err, "here#2 was taken back")
	require.Equal(t, old, files())
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 1 loaded")
	var d api.Deployment
	r.get(&d, "deployment", "show", "here#2")
	require.Equal(t, "undone", d.State)

	r.must("remove", "here", "tide-base", "--yes")
	old = files()
	o = r.fails(1, "pier-signs did not load", "deploy", "here", "pier-signs@1.4.0", "--yes", "--or-undo", "--accept", "author-says", "--accept", "need-missing")
	require.Contains(t, o.err, "Everything is as before")
	require.Equal(t, old, files())
	require.NotEmpty(t, r.pid(), "it runs again")
	r.get(&d, "deployment", "show", "here#4")
	require.Contains(t, codesOf(d.Aftermath), "not-loaded", "what was found is kept")

	// Without the word it is halted or done, and a person decides.
	r.fails(4, fellOver, "deploy", "here", "storm-bell@0.1", "--yes")
	r.must("deployment", "undo", "here#5")
	require.Equal(t, old, files())
	require.NotEmpty(t, r.pid())
}

// The service is killed while the server is stopped for a deployment; resumed it
// reaches exactly new, undone exactly old, and the server runs either way.
func TestTheServiceIsKilledBetweenStopAndStart(t *testing.T) {
	t.Parallel()
	for _, way := range []string{"resume", "undo"} {
		t.Run(way, func(t *testing.T) {
			r := play(t, "tidewright")
			r.must("stage", r.download("tide-base-3.2.1.tdx"))
			require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("stop-takes 3s\n"), 0o644))
			r.must("restart", "here", "--yes")
			var d api.Deployment
			r.get(&d, "deploy", "here", "tide-base@3.2.1", "--draft")
			status, answer := r.call("POST", fmt.Sprintf("/api/v1/servers/here/deployments/%d/run", d.Number), r.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
			require.Equal(t, 202, status, answer)
			j := openJournal(t, r.service)
			waits := j.motions("here", d.Number)["wait"]
			testbed.Eventually(t, "the stop is waited for", func() bool { return j.reached("here", d.Number, "intended", waits) > 0 })
			r.kill()
			testbed.Eventually(t, "the game has stopped by itself meanwhile", func() bool { return r.pid() == "" })
			r.up()
			r.get(&d, "deployment", "show", d.Name)
			require.Equal(t, "halted", d.State)
			r.must("deployment", way, d.Name)
			require.NotEmpty(t, r.pid(), "it ran before, so it runs")
			listed := "load-fixtures = tide-base\n"
			if way == "undo" {
				listed = "load-fixtures = \n"
				require.NoFileExists(t, filepath.Join(r.root, "fixtures/tide-base-3.2.1.tdx"))
			}
			require.Contains(t, r.read("tidewright.conf"), listed)
		})
	}
}

// A server that hangs while it stops is not swapped under; somebody ends it, and
// the deployment goes on.
func TestAServerThatHangsOnStopHalts(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("hang-on-stop\n"), 0o644))
	r.must("restart", "here", "--yes")
	old := r.read("tidewright.conf")
	o := r.fails(4, "the server was told to stop and has not stopped within 5s", "deploy", "here", "tide-base@3.2.1", "--yes")
	require.Contains(t, o.err, "see to it that it stops, then resume")
	require.Equal(t, old, r.read("tidewright.conf"))
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/tide-base-3.2.1.tdx"))
	require.NoError(t, kill9(r.pid()))
	testbed.Eventually(t, "it is gone", func() bool {
		return r.restless("server", "control", "here").code == 0 && strings.Contains(r.must("server", "control", "here"), "STOPPED")
	})
	require.NoError(t, os.Remove(filepath.Join(r.root, "standin.pid")))
	require.NoError(t, os.Remove(filepath.Join(r.root, "standin.rules")))
	r.must("deployment", "resume", "here#1")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 1 loaded")
}

// What a person has to do is waited for, over a restart of the service too.
func TestAStepByHandIsWaitedFor(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	text := r.byCommands("tidewright")
	for _, act := range []string{"start", "stop"} {
		line := text[strings.Index(text, "  "+act+":"):]
		line = line[:strings.Index(line, "\n")]
		text = strings.Replace(text, line, fmt.Sprintf(`  %s: {by: hand, command: "Press %s in your host's panel."}`, act, act), 1)
	}
	command := r.byCommands("tidewright")
	r.control(text)
	out := r.fails(4, "here#1 waits for a person", "deploy", "here", "tide-base@3.2.1", "--yes").out
	require.Contains(t, out, "Waits for a person: Press stop in your host's panel.")
	r.kill()
	r.up()
	var d api.Deployment
	r.get(&d, "deployment", "show", "here#1")
	require.Equal(t, "waiting", d.State)
	r.fails(1, "here#1 is waiting", "deploy", "here", "tide-base@3.2.1", "--yes")
	require.NoError(t, kill(r.pid()))
	testbed.Eventually(t, "it has stopped", func() bool { return r.pid() == "" })
	require.Contains(t, r.fails(4, "here#1 waits for a person", "deployment", "tick", "here#1").out, "Waits for a person: Press start in your host's panel.")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base\n")
	r.control(command)
	r.must("start", "here", "--yes")
	r.control(text)
	out = r.must("deployment", "tick", "here#1")
	require.Contains(t, out, "Roll call: 1 loaded")
	require.Regexp(t, `The server was away for .*, of which .* ours and .* waiting for a person\.`, out)
	r.fails(1, "only what waits for a person can be ticked", "deployment", "tick", "here#1")
}

// bare is a server whose game has never run, and is not running.
func bare(t *testing.T) *running {
	r := play(t, "tidewright")
	r.must("stop", "here", "--yes")
	for _, path := range []string{"tidewright.conf", "tidewright.log", "fittings", "ports"} {
		require.NoError(t, os.RemoveAll(filepath.Join(r.root, path)))
	}
	r.must("stage", r.download("tide-base-3.2.1.tdx"), r.download("storm-bell-0.1.tdx"))
	return r
}

// What a panel writes over at the start is told, though everything was put right.
func TestAnEditThatDoesNotHoldIsTold(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("panel-list nobody\n"), 0o644))
	out := r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	require.Contains(t, out, "tidewright.conf was edited (add tide-base), and no longer says so since the start: the server or its host's panel has written over it.")
	require.Contains(t, out, "Nothing says that tide-base loaded.")
	require.Contains(t, out, "restless rollback here --deployment 1")
}

// An add-on without a download is nothing but an entry; what version the server
// has fetched is known from the roll call.
func TestAnAddOnWithoutADownloadIsListedAndCalled(t *testing.T) {
	t.Parallel()
	r := play(t, "lanternfall")
	r.must("stage", "--id", "4711081", "--for", "here")
	out := r.must("deploy", "here", "4711081", "--yes")
	require.Contains(t, out, "+invite 4711081")
	require.Contains(t, out, "LOADED   4711081              7")
	require.Equal(t, "invite 4711081\n", r.read("fair.troupes"))
	require.Equal(t, "loaded", rungs(r.service)["4711081"])
	r.must("remove", "here", "4711081", "--yes")
	require.Empty(t, r.read("fair.troupes"))
	require.Empty(t, rungs(r.service))
}

// Seals, needs and a launch value inside a start script.
func TestCavesOpenOnceTheyAreNamedAndTheirSealsAreTrusted(t *testing.T) {
	t.Parallel()
	r := play(t, "mossgrave")
	r.must("stage", r.download("rope-lore-1.3.zip"), r.download("lantern-gallery-main.zip"), r.download("echo-shaft.zip"))
	out := r.fails(4, "here#1 waits for a person", "deploy", "here", "rope-lore@1.3", "lantern-gallery@0.7.2", "--yes", "--accept", "author-says").out
	require.Contains(t, out, "Waits for a person: Open the port that surveyors call, in your host's panel.\n  Copy: 7171/udp")
	require.NotEmpty(t, r.pid(), "it is asked for before the stop")
	out = r.must("deployment", "tick", "here#1")
	require.Contains(t, out, "Roll call: 2 loaded, 1 unknown")
	require.Contains(t, r.read("start-survey.sh"), `--caves="old-gallery | rope-lore | lantern-gallery" --quiet`)
	require.Contains(t, r.must("deploy", "here", "echo-shaft@1.5", "--yes"), "Roll call: 3 loaded", "what was done by hand once is not asked again")
	require.NoError(t, os.Remove(filepath.Join(r.root, "trusted-seals/gallery.seal")))
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("rollcall", "here"), "its seal gallery.seal is not among the trusted ones")
}

// fellOver is said of a server that begins and ends by itself. Whether it is found to have
// stopped again or not to be ready in time hangs on what a probe sees in between.
const fellOver = "waiting until the server is ready: the server "
