package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// fixtureFile writes a fixture of the harbour game.
func fixtureFile(t *testing.T, name, version string, more ...string) string {
	file := filepath.Join(t.TempDir(), name+"-"+version+".tdx")
	testbed.Write(t, file, "tdx 1\nname "+name+"\nversion "+version+"\n"+strings.Join(more, "\n")+"\n")
	return file
}

// What was tried on a test server goes to the live one as one draft; its port and its name stay.
func TestWhatWasTriedIsPromoted(t *testing.T) {
	t.Parallel()
	s, d := start(t), testbed.StartSSHD(t)
	s.must("rulebook", "add", fullBooks+"tidewright.yaml")
	roots := map[string]string{}
	for _, name := range []string{"saltpan", "saltpan-test"} {
		roots[name] = t.TempDir()
		require.NoError(t, standin.Furnish(roots[name], "tidewright"))
		s.must("server", "add", name, "--rulebook", "tidewright", "--sftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--key", d.KeyFile, "--root", roots[name])
		s.trustServer(name)
	}
	conf := filepath.Join(roots["saltpan"], "tidewright.conf")
	live := withoutList(read(t, conf))
	for _, f := range []string{fixtureFile(t, "tide-lamps", "1.0"), fixtureFile(t, "tide-lamps", "1.1"), fixtureFile(t, "pier-signs", "1.0"), fixtureFile(t, "gull-flocks", "2.0")} {
		s.must("stage", f)
	}
	s.must("deploy", "saltpan", "tide-lamps@1.0", "gull-flocks@2.0", "--yes")
	s.must("deploy", "saltpan-test", "tide-lamps@1.0", "--yes")
	before := time.Now()
	s.must("deploy", "saltpan-test", "tide-lamps@1.1", "pier-signs", "--yes")
	var shown api.TextShown
	s.get(&shown, "text", "saltpan-test", "tidewright.conf")
	var values []string
	for _, v := range shown.Values {
		if v.Kind == "value" && !strings.Contains(v.Path, "load-fixtures") {
			values = append(values, v.Path)
		}
	}
	require.GreaterOrEqual(t, len(values), 3, "%v", shown.Values)
	port, berths, third := values[0], values[1], values[2]
	for i, at := range []string{port, berths, third} {
		s.must("tweak", "set", "saltpan-test", "tidewright.conf", at, fmt.Sprint(40+i), "--yes")
	}

	out := s.must("compare", "saltpan", "saltpan-test")
	require.Contains(t, out, "tide-lamps")
	require.Contains(t, out, "pier-signs@1.0")
	require.Contains(t, out, "gull-flocks@2.0")
	require.Contains(t, out, "41")
	then := s.must("compare", "saltpan-test@1", "saltpan-test@"+before.UTC().Format(time.RFC3339Nano))
	require.Contains(t, then, "nothing that was deployed differs")
	s.fails(2, "neither the number of a deployment nor a time", "compare", "saltpan", "saltpan-test@yesterday")

	look := s.must("promote", "saltpan-test", "saltpan", "--look")
	require.Contains(t, look, "tidewright.conf:"+port)
	require.NotContains(t, look, "load-fixtures")
	require.Contains(t, look, "Only saltpan has gull-flocks")
	require.Equal(t, live, withoutList(read(t, conf)), "nothing was touched")
	s.fails(2, "there is no terminal to ask what becomes of 3 values", "promote", "saltpan-test", "saltpan", "--yes")
	s.fails(2, "names no value", "promote", "saltpan-test", "saltpan", "--take", "tidewright.conf:/nothing", "--take-rest", "--yes")

	s.must("promote", "saltpan-test", "saltpan", "--apart", "tidewright.conf:"+port, "--take", "tidewright.conf:"+berths, "--leave-rest", "--yes")
	var st []api.Status
	s.get(&st, "status", "saltpan")
	has := map[string]string{}
	for _, a := range st[0].Addons {
		has[a.Name] = a.Version
	}
	require.Equal(t, map[string]string{"tide-lamps": "1.1", "pier-signs": "1.0", "gull-flocks": "2.0"}, has)
	var now api.TextShown
	s.get(&now, "text", "saltpan", "tidewright.conf")
	value := func(at string) string {
		for _, v := range now.Values {
			if v.Path == at {
				return v.Value
			}
		}
		return ""
	}
	require.NotEqual(t, "40", value(port), "it differs on purpose")
	require.Equal(t, "41", value(berths))
	require.NotEqual(t, "42", value(third), "it was left this time")

	// What differs on purpose is not asked again; what was left this time is.
	o := s.fails(2, "what becomes of 1 value", "promote", "saltpan-test", "saltpan", "--yes")
	require.Contains(t, o.err, "tidewright.conf:"+third)
	s.must("promote", "saltpan-test", "saltpan", "--take-rest", "--remove-others", "--yes")
	s.get(&now, "text", "saltpan", "tidewright.conf")
	require.NotEqual(t, "40", value(port))
	require.Equal(t, "42", value(third))
	require.NotContains(t, s.must("status", "saltpan"), "gull-flocks")
	require.Contains(t, s.must("promote", "saltpan-test", "saltpan", "--yes"), "Nothing goes from saltpan-test to saltpan")

	// All of it was two deployments, and goes back so.
	s.must("rollback", "saltpan", "--to", "1", "--yes")
	require.Equal(t, live, withoutList(read(t, conf)))

	// A new server from an old one, in one command.
	fresh := t.TempDir()
	require.NoError(t, standin.Furnish(fresh, "tidewright"))
	s.must("server", "add", "saltpan-new", "--like", "saltpan-test", "--folder", fresh, "--take-rest", "--yes")
	require.Contains(t, s.must("compare", "saltpan-test", "saltpan-new"), "tidewright.conf")
	s.get(&now, "text", "saltpan-new", "tidewright.conf")
	require.Equal(t, "40", value(port))
	s.get(&st, "status", "saltpan-new")
	require.Len(t, st[0].Addons, 2)
}

// withoutList is the settings text without what was deployed into it.
func withoutList(text string) string {
	var out []string
	for line := range strings.Lines(text) {
		if !strings.HasPrefix(line, "load-fixtures") {
			out = append(out, line)
		}
	}
	return strings.Join(out, "")
}

// Ten servers whose games really run, of which the fourth does not load what is deployed: those
// before have it, those behind are as they were, and one command takes it back everywhere.
func TestAGroupStopsAtTheFirstThatFailsAndGoesBackTogether(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.env = append(s.env, "RESTLESS_SECRET_RCON=tide-and-reed")
	s.must("rulebook", "add", fullBooks+"tidewright.yaml")
	var names []string
	roots := map[string]string{}
	t.Cleanup(func() {
		for _, root := range roots {
			r := &running{service: s, root: root}
			if pid := r.pid(); pid != "" {
				_ = kill(pid)
			}
			testbed.Eventually(t, "nothing writes its folder any more", func() bool { return os.RemoveAll(root) == nil })
		}
	})
	for i := range 10 {
		name := fmt.Sprintf("quay-%d", i)
		names = append(names, name)
		roots[name] = t.TempDir()
		require.NoError(t, standin.Furnish(roots[name], "tidewright"))
		s.must("server", "add", name, "--rulebook", "tidewright", "--folder", roots[name])
		r := &running{service: s, root: roots[name], console: fmt.Sprintf("127.0.0.1:%d", testbed.FreePort(t))}
		s.must("server", "control", name, "--file", written(t, "control.yaml", r.byCommands("tidewright")), "--secret", "rcon")
		s.must("start", name, "--yes")
	}
	s.must(append([]string{"group", "add", "all"}, names...)...)
	s.fails(1, "is there already", "group", "add", "all", "quay-1")
	s.fails(2, "is named twice", "group", "add", "twice", "quay-1", "quay-1")
	for _, version := range []string{"1.0", "2.0"} {
		s.must("stage", fixtureFile(t, "tide-lamps", version))
	}
	on := func() map[string]string {
		out := map[string]string{}
		var all []api.Status
		s.get(&all, "status")
		for _, st := range all {
			for _, a := range st.Addons {
				out[st.Server.Name] = a.Version
			}
		}
		return out
	}
	s.must("group", "deploy", "all", "tide-lamps@1.0", "--yes", "--side-by-side", "3")
	require.Len(t, on(), 10)
	before := map[string]map[string]string{}
	for _, n := range names {
		before[n] = deployedOn(t, roots[n])
	}

	// A draft that is blocked on one server stops all before anything is sent.
	obstacle := filepath.Join(roots["quay-7"], "fixtures", "tide-lamps-2.0.tdx")
	testbed.Write(t, filepath.Join(obstacle, "in-the-way"), "x")
	s.fails(3, "nothing was done on any server", "group", "deploy", "all", "tide-lamps@2.0", "--yes")
	require.NoError(t, os.RemoveAll(obstacle))
	for n, v := range on() {
		require.Equal(t, "1.0", v, n)
	}

	// The game of the fourth does not take the new one.
	testbed.Write(t, filepath.Join(roots["quay-3"], "standin.rules"), "refuse tide-lamps\n")
	o := s.fails(1, "stopped at the first that did not come through", "group", "deploy", "all", "tide-lamps@2.0", "--yes")
	require.Regexp(t, `quay-3 +quay-3#\d+ +failed`, o.out)
	require.Regexp(t, `quay-4 +quay-4#\d+ +left`, o.out)
	has := on()
	for i, n := range names {
		require.Equal(t, map[bool]string{true: "2.0", false: "1.0"}[i <= 3], has[n], n)
	}
	require.Contains(t, s.must("group", "show", "all"), "stopped")

	require.NoError(t, os.Remove(filepath.Join(roots["quay-3"], "standin.rules")))
	s.must("server", "edit", "quay-0", "--rename", "kai-0") // it is known all the same
	names[0], roots["kai-0"], before["kai-0"] = "kai-0", roots["quay-0"], before["quay-0"]
	out := s.must("group", "back", "all", "--yes")
	require.Regexp(t, `quay-3 +quay-3#\d+ +back`, out)
	for _, n := range names {
		require.Equal(t, "1.0", on()[n], n)
		require.Equal(t, before[n], deployedOn(t, roots[n]), n)
	}
	s.must("group", "drop", "all")
}

// deployedOn is what deployments put on a made-up harbour.
func deployedOn(t *testing.T, root string) map[string]string {
	out := map[string]string{}
	for p, text := range testbed.Files(testbed.Snapshot(t, root)) {
		if strings.HasPrefix(p, "fixtures/") {
			out[p] = text
		}
	}
	return out
}

// What came together in one pack is the same set for many servers, and for a new one at once.
func TestAPalletIsTheSameSetForManyServers(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"mossgrave.yaml")
	for _, name := range []string{"moss-a", "moss-b"} {
		s.must("server", "add", name, "--rulebook", "mossgrave", "--folder", t.TempDir())
		s.must("server", "test", name)
	}
	texts := map[string]string{"tour/TOUR.txt": "a tour"}
	for _, cave := range []string{"hall", "shaft"} {
		texts["tour/"+cave+"/cave.toml"] = fmt.Sprintf("[cave]\nid = %q\nversion = \"1\"\n", cave)
	}
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "grand-tour-1.zip"), texts))
	s.must("group", "add", "moss", "moss-a", "moss-b")
	s.must("group", "deploy", "moss", "grand-tour@1", "--yes", "--accept", "no-load-list")
	s.must("server", "add", "moss-c", "--rulebook", "mossgrave", "--folder", t.TempDir(), "--crate", "grand-tour@1", "--yes", "--accept", "no-load-list")
	for _, name := range []string{"moss-a", "moss-b", "moss-c"} {
		var st []api.Status
		s.get(&st, "status", name)
		require.Len(t, st[0].Addons, 2, name)
		require.Equal(t, "grand-tour@1", st[0].Addons[0].Pallet)
	}
	require.Contains(t, s.must("group", "deploy", "moss", "grand-tour@1", "--yes"), "All of it is so already")
}
