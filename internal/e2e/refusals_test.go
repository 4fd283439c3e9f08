package e2e

import (
	"archive/zip"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// fixture writes a fixture of the harbour game with some lines of its head.
func (r *running) fixture(file string, head ...string) string {
	r.t.Helper()
	return written(r.t, file, "tdx 1\n"+strings.Join(head, "\n")+"\n")
}

// fix is a fixture with a name and a version, and what else its head says.
func (r *running) fix(name, version string, more ...string) string {
	r.t.Helper()
	return r.fixture(name+"-"+version+".tdx", append([]string{"name " + name, "version " + version}, more...)...)
}

// horns is a fixture that comes with a fitting: a text that people change.
func (r *running) horns(version, text string) string {
	r.t.Helper()
	return testbed.Zip(r.t, filepath.Join(r.t.TempDir(), "horns-"+version+".zip"), map[string]string{"horns/fixtures/horns-" + version + ".tdx": "tdx 1\nname horns\nversion " + version + "\n", "horns/fittings/horns.yaml": text})
}

// zipOf packs texts by path.
func zipOf(t *testing.T, file string, texts map[string]string) string {
	t.Helper()
	at := filepath.Join(t.TempDir(), file)
	f, err := os.Create(at)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	for path, text := range texts {
		w, err := z.Create(path)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	return at
}

// Each refusal of the harbour game is told by the roll call in its own words, and is
// put right by what is offered.
func TestWhatTheHarbourRefusesIsToldAndPutRight(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fixture("big-screens-1.0.tdx", "name big-screens", "version 1.0", "side player"),
		r.fixture("old-cranes-1.0.tdx", "name old-cranes", "version 1.0", "for 9.2"), r.fixture("old-cranes-1.1.tdx", "name old-cranes", "version 1.1", "for 9.3"),
		written(t, "half-a-pier-1.0.tdx", "tdx"))

	out := r.must("deploy", "here", "big-screens@1.0", "--yes", "--accept", "players-only")
	require.Contains(t, out, "big-screens did not load: it is for players' own machines, and there is no screen here.")
	require.Contains(t, out, "restless rollback here --deployment 1")
	require.Contains(t, r.must("rollback", "here", "--deployment", "1", "--yes"), "Roll call: nothing was said of any add-on")
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/big-screens-1.0.tdx"))

	out = r.must("deploy", "here", "old-cranes@1.0", "--yes")
	require.Contains(t, out, "old-cranes did not load: it is built for 9.2, and this is 9.3.")
	require.Contains(t, r.must("status", "here"), "1.1 is staged")
	require.Contains(t, r.must("deploy", "here", "old-cranes@1.1", "--yes"), "LOADED   old-cranes           1.1")

	out = r.must("deploy", "here", "half-a-pier@1.0", "--yes")
	require.Contains(t, out, "error: half-a-pier-1.0.tdx is no fixture")
	require.Contains(t, out, "half-a-pier did not load: there is no such fixture.")
	require.Contains(t, r.must("remove", "here", "half-a-pier", "--yes"), "Roll call: 1 loaded, from")
}

func TestWhatTheFairRefusesIsToldAndPutRight(t *testing.T) {
	t.Parallel()
	r := play(t, "lanternfall")
	stall := func(name, version, manifest string) string {
		return zipOf(t, name+"-"+version+".zip", map[string]string{name + "/stall.lf": manifest})
	}
	r.must("stage", stall("drum-tent", "1.0", "version = \"1.0\"\nneeds = { \"ticket-gate\" }\n"), stall("wheel", "1.0", "version = \"1.0\"\ntitle = \"Wheel\n"), stall("wheel", "1.1", "version = \"1.1\"\ntitle = \"Wheel\"\n"))
	require.Contains(t, r.must("deploy", "here", "drum-tent@1.0", "--restart", "--yes"), "LOADED   drum-tent")

	// Somebody turns the running order round.
	order := filepath.Join(r.root, "fair.order")
	require.NoError(t, os.WriteFile(order, []byte("call drum-tent\ncall ticket-gate\n"), 0o644))
	r.must("restart", "here", "--yes")
	out := r.must("rollcall", "here")
	require.Contains(t, out, "FAILED   drum-tent")
	require.Contains(t, out, "stall drum-tent asks for ticket-gate")
	r.must("remove", "here", "drum-tent", "--restart", "--yes")
	require.Contains(t, r.must("deploy", "here", "drum-tent@1.0", "--restart", "--yes"), "LOADED   drum-tent")
	require.Equal(t, "call ticket-gate\ncall drum-tent\n", r.read("fair.order"))

	out = r.must("deploy", "here", "wheel@1.0", "--restart", "--yes")
	require.Contains(t, out, "wheel did not load: its manifest is not understood.")
	require.Contains(t, r.must("deploy", "here", "wheel@1.1", "--restart", "--yes"), "LOADED   wheel")
	require.NoError(t, os.WriteFile(order, []byte("call ticket-gate\ncall drum-tent\ncall wheel\ncall wheel\n"), 0o644))
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("rollcall", "here"), "stall wheel stays shut: it is called twice")
	r.must("remove", "here", "wheel", "--restart", "--yes")
	require.Contains(t, r.must("deploy", "here", "wheel@1.1", "--restart", "--yes"), "LOADED   wheel")
	require.Equal(t, "call ticket-gate\ncall drum-tent\ncall wheel\n", r.read("fair.order"))
}

func TestWhatTheCavesRefuseIsToldAndPutRight(t *testing.T) {
	t.Parallel()
	r := play(t, "mossgrave")
	cave := func(id, version string, more string) string {
		return zipOf(t, id+"-"+version+".zip", map[string]string{id + "/cave.toml": "[cave]\nid = \"" + id + "\"\nversion = \"" + version + "\"\n" + more, id + "/rooms/a.room": "a\n"})
	}
	r.must("stage", r.download("echo-shaft.zip"), r.download("rope-lore-1.3.zip"), cave("torches", "1.0", "side = \"player\"\n"),
		cave("flooded", "1.0", "side = \"both\"\n\nconflicts = [\"rope-lore\"]\n"))
	deploy := func(args ...string) string {
		t.Helper()
		o := r.restless(append([]string{"deploy", "here", "--yes", "--accept", "need-missing", "--accept", "players-only", "--accept", "does-not-go-with"}, args...)...)
		if o.code == 4 {
			var st []api.Status
			r.get(&st, "status", "here")
			return r.must("deployment", "tick", st[0].Open.Name)
		}
		require.Zero(t, o.code, o.err)
		return o.out
	}
	out := deploy("echo-shaft@1.5")
	require.Contains(t, out, "echo-shaft did not load: it needs rope-lore.")
	require.Contains(t, out, "cave echo-shaft wants rope-lore")
	require.Contains(t, deploy("rope-lore@1.3"), "Roll call: 2 loaded", "what it needs goes in front of it")
	require.Contains(t, r.read("start-survey.sh"), `--caves="old-gallery | rope-lore | echo-shaft"`)

	out = deploy("echo-shaft@1.4")
	require.Contains(t, out, "echo-shaft did not load: it is for 7.1, and this is 7.2.")
	require.Contains(t, deploy("echo-shaft@1.5"), "Roll call: 2 loaded")

	require.Contains(t, deploy("torches@1.0"), "torches did not load: it is for players only.")
	require.Contains(t, r.must("remove", "here", "torches", "--yes"), "Roll call: 2 loaded")
	require.Contains(t, deploy("flooded@1.0"), "flooded did not load: it cannot be open together with rope-lore.")
	require.Contains(t, r.must("rollback", "here", "--addon", "flooded", "--yes"), "Roll call: 2 loaded")
}

// What a failed add-on needs is offered: staged already, in several versions, or yet
// to be staged.
func TestWhatIsNeededIsOffered(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0", "needs winches"))
	require.Contains(t, r.must("deploy", "here", "cranes@1.0", "--yes", "--accept", "need-missing"), "Stage winches and deploy that too. The deployment can be taken back.\n          restless rollback here --deployment 1\n")
	r.must("stage", r.fixture("winches-1.0.tdx", "name winches", "version 1.0"))
	require.Contains(t, r.must("rollcall", "here"), "restless deploy here winches@1.0\n")
	r.must("stage", r.fixture("winches-2.0.tdx", "name winches", "version 2.0"))
	require.Contains(t, r.must("rollcall", "here"), "restless deploy here winches@2.0\n")
	require.Contains(t, r.must("deploy", "here", "winches@2.0", "--yes"), "Roll call: 2 loaded")
}
