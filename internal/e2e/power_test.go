package e2e

import (
	"fmt"
	"net"
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
	r.must("server", "add", "here", "--rulebook", game, "--folder", r.root, "--fact", "game=7.2")
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
	out := r.must("deploy", "here", "pier-signs@1.4.0", "--yes", "--accept", "author-says")
	require.Contains(t, out, "Roll call: 1 failed")
	require.Contains(t, out, "pier-signs did not load: it needs tide-base.")
	require.Contains(t, out, "restless deploy here tide-base@3.2.1\n          restless rollback here --deployment 1\n")
	require.Contains(t, out, "fixture pier-signs needs tide-base")
	require.Contains(t, r.must("status", "here"), "did not load: it needs tide-base")
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 2 loaded", "what it needs goes in front of it")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base,pier-signs\n")
	r.must("rollback", "here", "--to", "0", "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n")
	out = r.must("deploy", "here", "tide-base@3.2.1", "pier-signs@1.4.0", "--yes", "--accept", "author-says")
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
	o := r.fails(1, "is not ready after 4s", "deploy", "here", "storm-bell@0.1", "tide-lamps@2.1.0", "--yes", "--or-undo")
	require.Contains(t, o.err, "here#2 was taken back")
	require.Equal(t, old, files())
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 1 loaded")
	var d api.Deployment
	r.get(&d, "deployment", "show", "here#2")
	require.Equal(t, "undone", d.State)

	r.must("remove", "here", "tide-base", "--yes")
	old = files()
	o = r.fails(1, "pier-signs did not load", "deploy", "here", "pier-signs@1.4.0", "--yes", "--or-undo", "--accept", "author-says")
	require.Contains(t, o.err, "Everything is as before")
	require.Equal(t, old, files())
	require.NotEmpty(t, r.pid(), "it runs again")
	r.get(&d, "deployment", "show", "here#4")
	require.Contains(t, codesOf(d.Aftermath), "not-loaded", "what was found is kept")

	// Without the word it is halted or done, and a person decides.
	r.fails(4, "is not ready after 4s", "deploy", "here", "storm-bell@0.1", "--yes")
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
			require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("stop-takes 1500ms\n"), 0o644))
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
	require.Contains(t, r.must("deployment", "tick", "here#1"), "Roll call: 1 loaded")
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

// The text that names what is loaded is there only once the server has run: it is
// started, stopped, the text changed, and started again, over a restart of the
// service in the middle.
func TestADeploymentInTwoLegs(t *testing.T) {
	t.Parallel()
	r := bare(t)
	out := r.must("deploy", "here", "tide-base@3.2.1", "--draft")
	require.Contains(t, out, "tidewright.conf is there only once the server has run: it is started, stopped again, and the text is changed in a later leg.")
	require.Contains(t, out, "The server is stopped; it is started for this and runs afterwards.")
	require.Regexp(t, `next leg\s+tidewright.conf\s+lists tide-base@3.2.1; drafted once the server has made it`, out)
	r.must("deployment", "discard", "here#1")

	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("start-takes 1500ms\n"), 0o644))
	var d api.Deployment
	r.get(&d, "deploy", "here", "tide-base@3.2.1", "--draft")
	status, answer := r.call("POST", fmt.Sprintf("/api/v1/servers/here/deployments/%d/run", d.Number), r.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
	require.Equal(t, 202, status, answer)
	testbed.Eventually(t, "the first start is under way", func() bool { return r.pid() != "" })
	r.kill()
	r.up()
	out = r.must("deployment", "resume", d.Name)
	require.Contains(t, out, "Roll call: 1 loaded")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base\n")
	require.Contains(t, r.read("tidewright.conf"), "days-open = 1\n", "what the game wrote at its first stop")
	out = r.must("deployment", "show", d.Name)
	require.Contains(t, out, "Leg 1")
	require.Contains(t, out, "Leg 2")
	require.Contains(t, out, "+load-fixtures = tide-base")
	r.must("rollback", "here", "--deployment", fmt.Sprint(d.Number), "--yes")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n")
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/tide-base-3.2.1.tdx"))
}

// What breaks the second start is taken back over both legs; what the game made
// at its first start stays, and it is stopped as before.
func TestTwoLegsAreTakenBack(t *testing.T) {
	t.Parallel()
	r := bare(t)
	o := r.fails(1, "is not ready after 4s", "deploy", "here", "storm-bell@0.1", "--yes", "--or-undo")
	require.Contains(t, o.err, "here#1 was taken back")
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/storm-bell-0.1.tdx"))
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n", "the game's own, without the entry")
	require.Contains(t, r.must("server", "control", "here"), "here is STOPPED")
	require.NoDirExists(t, filepath.Join(r.root, ".restless-crate"))
}

// What a new add-on does to the world at its first start goes back with it, where
// that is wanted: the folder was copied while the server was stopped.
func TestDataGoesBackWithItsDeployment(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("gull-flocks-9.3-keel-0.8-beta.2.tdx"), r.download("storm-bell-0.1.tdx"))
	shape := filepath.Join(r.root, "ports/reedbank/ledger/shape.txt")
	out := r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--yes")
	require.Contains(t, out, "way back: files and data")
	require.Regexp(t, `copy data +ports/reedbank/ledger \d+ files? +gull-flocks@0.8-beta.2 may change it at its first start`, out)
	require.Equal(t, "gull-flocks\n", read(t, shape))
	out = r.must("rollback", "here", "--deployment", "1", "--yes")
	require.Contains(t, out, "way back: files\n")
	require.Equal(t, "gull-flocks\n", read(t, shape), "files alone")
	r.must("rollback", "here", "--deployment", "2", "--yes")
	out = r.must("rollback", "here", "--deployment", "1", "--with-data", "--yes")
	require.Contains(t, out, "put data back")
	require.NoFileExists(t, shape)
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/gull-flocks-9.3-keel-0.8-beta.2.tdx"))
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")

	// It takes the data back by itself with the rest.
	r.fails(1, "is not ready after 4s", "deploy", "here", "gull-flocks@0.8-beta.2", "storm-bell@0.1", "--yes", "--or-undo")
	require.NoFileExists(t, shape)
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING")

	// Halted, a person chooses.
	o := r.fails(4, "is not ready after 4s", "deploy", "here", "gull-flocks@0.8-beta.2", "storm-bell@0.1", "--yes")
	require.Contains(t, o.err, "deployment undo")
	require.FileExists(t, shape)
	var list []api.Deployment
	r.get(&list, "deployment", "list", "here")
	r.must("deployment", "undo", list[0].Name, "--with-data")
	require.NoFileExists(t, shape)
	require.NoDirExists(t, filepath.Join(r.root, ".restless-crate"))
	out = r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--draft", "--no-copy-data")
	require.Contains(t, out, "way back: files\n")
	r.fails(1, "copied no data folder", "rollback", "here", "--deployment", "2", "--with-data", "--draft")
}

// New terrain wants a new world: the old one is set aside and never deleted, and an
// undo or a rollback leaves both.
func TestAWorldIsRenewed(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("gull-flocks-9.3-keel-0.8-beta.2.tdx"))
	ledger := filepath.Join(r.root, "ports/reedbank/ledger")
	testbed.Write(t, filepath.Join(ledger, "houses.txt"), "12 houses\n")
	r.fails(2, `"fixtures" is no place that the server writes`, "deploy", "here", "gull-flocks", "--renew", "fixtures", "--yes")
	out := r.must("deploy", "here", "gull-flocks@0.8-beta.2", "--renew", "ledger", "--yes")
	require.Contains(t, out, "players begin in a new one")
	require.Contains(t, out, "ports/reedbank/ledger was set aside as ports/reedbank/ledger.before-1, where it stays")
	require.Equal(t, "12 houses\n", read(t, ledger+".before-1/houses.txt"))
	require.NoFileExists(t, filepath.Join(ledger, "houses.txt"))
	require.Equal(t, "gull-flocks\n", read(t, filepath.Join(ledger, "shape.txt")))
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

// Players are told before a stop, by lines of the console.
func TestPlayersAreTold(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	r.control(r.byCommands("tidewright") + "warn: [{seconds: 1, line: 'say the gates close in {seconds} second'}]\n")
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "players are told 1 s before")
	require.Contains(t, r.read("tidewright.log.1"), "everybody hears: the gates close in 1 second")
}

// An add-on that can be reloaded is taken anew without a stop.
func TestAReloadNeedsNoStop(t *testing.T) {
	t.Parallel()
	r := play(t, "lanternfall")
	r.must("stage", r.download("drum-tent-0.4.0.zip"), r.download("drum-tent-0.5.0.zip"))
	pid := r.pid()
	out := r.must("deploy", "here", "drum-tent@0.4.0", "--yes", "--accept", "author-says")
	require.Contains(t, out, "it is taken anew without a stop: reopen drum-tent")
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 0.4.0")
	r.must("deploy", "here", "drum-tent@0.5.0", "--yes", "--accept", "author-says")
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 0.5.0")
	require.Contains(t, r.must("reload", "here", "drum-tent"), "reopened at")
	require.Equal(t, pid, r.pid())
	require.Contains(t, r.must("log", "here"), "[drum-tent]")
	r.must("deploy", "here", "drum-tent@0.4.0", "--yes", "--restart", "--accept", "author-says")
	require.NotEqual(t, pid, r.pid())
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 0.4.0")
	r.fails(1, `there is no add-on "nobody" on here`, "reload", "here", "nobody")
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
	require.Empty(t, r.pid(), "it is stopped meanwhile")
	out = r.must("deployment", "tick", "here#1")
	require.Contains(t, out, "Roll call: 2 loaded, 1 unknown")
	require.Contains(t, r.read("start-survey.sh"), `--caves="old-gallery | rope-lore | lantern-gallery" --quiet`)
	require.Contains(t, r.must("deploy", "here", "echo-shaft@1.5", "--yes"), "Roll call: 3 loaded", "what was done by hand once is not asked again")
	require.NoError(t, os.Remove(filepath.Join(r.root, "trusted-seals/gallery.seal")))
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("rollcall", "here"), "its seal gallery.seal is not among the trusted ones")
}

// A port and an HTTP panel tell and do the same.
func TestControlByAPanelAndAPort(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	panel, err := standin.StartPanel(standin.Panel{Folder: r.root, Key: "panel-key", Start: []string{binary, "standin", "--game", "tidewright", "--folder", r.root, "--console", r.console, "--password", "tide-and-reed"}})
	require.NoError(t, err)
	defer func() { require.NoError(t, panel.Close()) }()
	r.env = append(r.env, "RESTLESS_SECRET_PANEL=panel-key")
	spec := fmt.Sprintf(`acts:
  start: {by: http, http: {method: POST, url: "%[1]s/power", headers: {X-Key: "{secret:panel}"}, body: '{"do":"start"}', expect: '"taken"'}}
  stop: {by: http, http: {method: POST, url: "%[1]s/power", headers: {X-Key: "{secret:panel}"}, body: '{"do":"stop"}', expect: '"taken"'}}
  say: {by: http, http: {method: POST, url: "%[1]s/line", headers: {X-Key: "{secret:panel}"}, body: '{"line":"{line}"}'}}
probes:
  - {by: http, http: {url: "%[1]s/state", headers: {X-Key: "{secret:panel}"}, expect: '"running"'}, stopped: '"stopped"'}
  - {by: port, address: "%[2]s"}
rcon: %[2]s
stop-within: 5
ready-within: 5
`, panel.URL, r.console)
	r.must("server", "control", "here", "--file", written(t, "panel.yaml", spec), "--secret", "panel", "--secret", "rcon")
	out := r.must("restart", "here", "--yes")
	require.Contains(t, out, "its log says that it is ready")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 1 loaded")
	require.NotContains(t, r.must("server", "control", "here", "--json"), "panel-key")
	r.env[len(r.env)-1] = "RESTLESS_SECRET_PANEL=wrong"
	r.must("server", "control", "here", "--secret", "panel")
	r.fails(1, "stop by http was answered with 403", "stop", "here", "--yes")
	require.Contains(t, r.must("server", "control", "here"), "the answer is not understood: 403", "what one probe cannot tell another may")
	r.env = append(r.env, "RESTLESS_SECRET_RCON=wrong")
	require.NoError(t, kill(r.pid()))
	testbed.Eventually(t, "the port is closed", func() bool {
		c, err := net.Dial("tcp", r.console)
		if err == nil {
			c.Close()
		}
		return err != nil
	})
}

// Commands over SSH stop and start a real process on a real sshd's machine.
func TestControlOverSSH(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stop", "here", "--yes")
	d := testbed.StartSSHD(t)
	r.must("server", "edit", "here", "--sftp", fmt.Sprintf("%s@%s", d.User, d.Addr()), "--key", d.KeyFile, "--root", r.root)
	r.trustServer("here")
	r.must("server", "test", "here")
	r.control(strings.ReplaceAll(r.byCommands("tidewright"), "{by: command,", "{by: ssh,"))
	require.Contains(t, r.must("server", "control", "here"), "here is STOPPED")
	r.must("start", "here", "--yes")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 1 loaded")
	require.Contains(t, r.read("tidewright.conf"), "days-open = 2\n")
	r.must("stop", "here", "--yes")
	require.Empty(t, r.pid())
	r.control(strings.Replace(strings.ReplaceAll(r.byCommands("tidewright"), "{by: command,", "{by: ssh,"), "kill -TERM", "echo no such luck; exit 3; kill -TERM", 1))
	r.must("start", "here", "--yes")
	r.fails(1, "stop by ssh ended with exit code 3: no such luck", "stop", "here", "--yes")
}

// What is wrong with a control file is said, and nothing is kept.
func TestWhatIsWrongWithControlIsSaid(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	for text, want := range map[string]string{
		"acts: {halt: {by: hand, command: x}}":                        `there is no act "halt"`,
		"acts: {stop: {by: telepathy}}":                               `one of "command, ssh, http, rcon, hand"`,
		"acts: {stop: {by: ssh}}":                                     "stop by ssh needs a command",
		"acts: {stop: {by: rcon, command: quit}}":                     "stop by rcon needs rcon: HOST:PORT",
		"acts: {stop: {by: http, http: {url: x}}}":                    "stop by http needs an address (url) that begins with http:// or https://",
		"probes: [{by: port}]":                                        "probe 1 by port needs an address",
		"probes: [{by: http, http: {url: 'http://x'}, stopped: '('}]": "stopped: missing closing )",
		"atcs: {}": "field atcs not found",
	} {
		r.fails(2, want, "server", "control", "here", "--file", written(t, "wrong.yaml", text))
	}
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING", "the old one holds")
}

// What runs is not started a second time: two of them would write the same files.
func TestWhatRunsIsNotStartedAgain(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	pid := r.pid()
	require.Contains(t, r.must("start", "here", "--yes"), "here runs already, and nothing was done; command: its command ended with 0.")
	require.Equal(t, pid, r.pid())
	require.Contains(t, r.must("stop", "here", "--yes"), "here: stop done in ")
	require.Contains(t, r.must("stop", "here", "--yes"), "here is stopped already, and nothing was done; command: its command ended with 1.")
	require.Contains(t, r.must("restart", "here", "--yes"), "its log says that it is ready", "it starts what stands still")
}
