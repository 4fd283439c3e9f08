package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A server that was filled by hand, with a double, a stray, a folder too deep and a file missing, is
// taken over without touching anything; from then on its add-ons are updated, gone back to and
// removed like those that were deployed.
func TestAServerThatWasFilledByHandIsTakenOver(t *testing.T) {
	t.Parallel()
	overBoth(t, takenOver)
}

func takenOver(t *testing.T, s *service, root string) {
	at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
	stall := func(title, version string) string {
		return "title = \"" + title + "\"\nversion = \"" + version + "\"\n"
	}
	zip := func(file string, texts map[string]string) string {
		return testbed.Zip(t, filepath.Join(t.TempDir(), file), texts)
	}
	s.must("rulebook", "add", fullBooks+"lanternfall.yaml")
	for p, text := range map[string]string{
		"stalls/wheel/stall.lf": stall("Wheel", "1.2"), "stalls/wheel/turn.lf": "turns = 3\n", "stalls/wheel/README.md": "read me\n",
		"stalls/drum-tent/stall.lf": stall("Drum Tent", "0.4"), "stalls/drum-tent/beats.lf": "beats = 9\n", // one file missing, one of another length
		"stalls/honey/stall.lf": stall("Honey", "1.0"), "stalls/honey-main/stall.lf": stall("Honey", "0.9"), // a double
		"stalls/carousel-2.0/carousel/stall.lf": stall("Carousel", "2.0"), // a folder too deep
		"stalls/lost.txt":                       "lost\n",                 // a stray
		"fair.order":                            "call wheel\ncall drum-tent\n# call honey\ncall magpie\n",
		"fair.seal":                             "a seal\n",
	} {
		testbed.Write(t, at(p), text)
	}
	s.must("stage", zip("drum-tent-0.4.zip", map[string]string{"drum-tent/stall.lf": stall("Drum Tent", "0.4"), "drum-tent/beats.lf": "beats = 4 \n# loud\n", "drum-tent/horn.lf": "horn\n"}),
		zip("wheel-1.3.zip", map[string]string{"wheel/stall.lf": stall("Wheel", "1.3"), "wheel/turn.lf": "turns = 5\n"}))
	before := testbed.Snapshot(t, root)

	var l api.Adoptable
	s.get(&l, "adopt", "lantern")
	found := map[string]api.AddonFound{}
	for _, f := range l.Found {
		found[f.Path] = f
	}
	require.Len(t, found, 5)
	require.Equal(t, []string{"stalls/lost.txt"}, l.Strays)
	require.Equal(t, []any{"wheel", "1.2", "", "fair.order"}, []any{found["stalls/wheel"].Name, found["stalls/wheel"].Version, found["stalls/wheel"].Crate, found["stalls/wheel"].Listed})
	tent := found["stalls/drum-tent"]
	require.Regexp(t, `^drum-tent@0\.4~`, tent.Crate)
	require.Equal(t, [][]string{{"stalls/drum-tent/horn.lf"}, {"stalls/drum-tent/beats.lf"}}, [][]string{tent.Missing, tent.Differs})
	require.Equal(t, []string{"stalls/honey-main"}, found["stalls/honey"].Beside)
	require.Equal(t, "stalls/carousel-2.0/carousel/stall.lf", found["stalls/carousel-2.0"].Deep)
	out := s.must("adopt", "lantern")
	require.Contains(t, out, `WARN  listed-nothing: fair.order names "magpie" in line 4, and there is no such thing on the server.`)
	require.NotContains(t, out, `names "honey"`, "it does not count there")
	require.Contains(t, out, "a folder too deep: the server does not find it there")
	require.Contains(t, out, "The same add-on lies at stalls/honey-main too.")
	require.Contains(t, out, "has the ledger take in 2 add-ons")

	s.fails(1, "lies a folder too deep", "adopt", "lantern", "stalls/carousel-2.0", "--yes")
	s.fails(1, "is nothing on lantern that looks like an add-on", "adopt", "lantern", "stalls/lost.txt", "--yes")
	s.must("adopt", "lantern", "--all", "--draft")
	out = s.must("adopt", "lantern", "--all", "--yes")
	require.Contains(t, out, "take in  wheel@1.2      3 files as they lie there")
	require.Contains(t, out, "WARN  adopt-missing: drum-tent@0.4 brings what is not on the server: stalls/drum-tent/horn.lf.")
	require.Contains(t, out, "NOTE  adopt-differs: drum-tent@0.4 brings other bytes than lie there for stalls/drum-tent/beats.lf.")
	out = s.must("adopt", "lantern", "stalls/honey", "--yes")
	require.Contains(t, out, "NOTE  not-named: fair.order does not name honey@1.0")
	require.Equal(t, before, testbed.Snapshot(t, root), "nothing was touched")
	var st []api.Status
	s.get(&st, "status", "lantern")
	got := map[string][2]any{}
	for _, a := range st[0].Addons {
		got[a.Name+"@"+a.Version] = [2]any{a.Files, a.Rung}
	}
	require.Equal(t, map[string][2]any{"wheel@1.2": {3, "listed"}, "drum-tent@0.4": {2, "listed"}, "honey@1.0": {1, "placed"}}, got)
	_, differs := surveyed(s, "lantern", "--thorough")
	require.Equal(t, map[string]string{"stalls/honey-main": "unknown", "stalls/carousel-2.0": "unknown", "stalls/lost.txt": "unknown"}, differs)
	require.Contains(t, s.must("status", "lantern"), "1.3 is staged")

	// The double goes, and from now on all is as if it had been deployed.
	s.must("settle", "lantern", "remove=stalls/honey-main", "--yes")
	require.NoDirExists(t, at("stalls/honey-main"))
	s.must("deploy", "lantern", "wheel@1.3", "--yes")
	require.Equal(t, "turns = 5\n", read(t, at("stalls/wheel/turn.lf")))
	require.NoFileExists(t, at("stalls/wheel/README.md"), "what lay in its folder went with it")
	s.must("rollback", "lantern", "--addon", "wheel", "--yes")
	require.Equal(t, "turns = 3\n", read(t, at("stalls/wheel/turn.lf")))
	require.FileExists(t, at("stalls/wheel/README.md"))
	s.must("remove", "lantern", "honey", "--yes")
	require.NoDirExists(t, at("stalls/honey"), "with its folder")

	// Taking in goes back too: then nobody knows of it, and it lies there still.
	lies := testbed.Snapshot(t, root)
	s.must("rollback", "lantern", "--addon", "drum-tent", "--yes")
	require.Equal(t, lies, testbed.Snapshot(t, root))
	_, differs = surveyed(s, "lantern")
	require.Equal(t, "unknown", differs["stalls/drum-tent"], "the folder is nobody's either")
	require.NoError(t, os.RemoveAll(at("stalls")))
	require.Contains(t, s.must("adopt", "lantern"), "Nothing lies on lantern that looks like an add-on")
}

// The same by clicking.
func TestTheConsoleTakesInWhatLiesThere(t *testing.T) {
	t.Parallel()
	s, root, _ := gameServer(t, "lanternfall")
	for p, text := range map[string]string{"stalls/wheel/stall.lf": "version = \"1.2\"\n", "stalls/wheel-old/stall.lf": "title = \"Wheel\"\nversion = \"1.0\"\n", "stalls/gate/stall.lf": "version = \"1\"\n"} {
		testbed.Write(t, filepath.Join(root, filepath.FromSlash(p)), text)
	}
	c := openConsole(t, s)
	c.goTo("/servers/here/survey")
	c.see("Nobody has looked at the whole server yet") // what stands above has come
	c.click("Look for add-ons")
	c.seeIn("[data-found='stalls/gate']", "gate 1")
	c.clickIn("[data-found='stalls/gate']", "Take it in")
	c.see("take in gate@1")
	c.click("Run it")
	c.see("Done")
	c.goTo("/servers/here")
	c.seeIn("main", "gate")
	require.Equal(t, map[string]string{"gate": "placed"}, rungs(s))
}

// What the server says it loaded under a name that nothing there has by its own is told: somebody
// put it there under a file name of their own.
func TestWhatWasLoadedAndLiesNowhereIsTold(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	testbed.Write(t, filepath.Join(r.root, "fixtures", "from-a-friend.tdx"), "tdx 1\nname cranes\nversion 0.9\n")
	conf := filepath.Join(r.root, "tidewright.conf")
	raw, err := os.ReadFile(conf)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(conf, []byte(regexp.MustCompile(`(?m)^load-fixtures =.*$`).ReplaceAllString(string(raw), "load-fixtures = cranes")), 0o644))
	r.must("restart", "here", "--yes")
	r.must("rollcall", "here")
	out := r.must("adopt", "here")
	require.Contains(t, out, "NOTE  loaded-nowhere: The server said at the last roll call that it loaded cranes; nothing that was found there is called so.")
}

// A file that lies there under a name of somebody's own is known by its bytes, which a download that
// is staged has too; then it is an older version of what it is, and is updated as such.
func TestAFileOfAnotherNameIsKnownByItsBytes(t *testing.T) {
	t.Parallel()
	playedOverBoth(t, "tidewright", knownByBytes)
}

func knownByBytes(t *testing.T, r *running) {
	crane := r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0")
	r.must("stage", crane, r.fixture("cranes-1.1.tdx", "name cranes", "version 1.1"), r.fixture("winches-1.0.tdx", "name winches", "version 1.0"))
	raw, err := os.ReadFile(crane)
	require.NoError(t, err)
	mine := filepath.Join(r.root, "fixtures", "from-a-friend.tdx")
	require.NoError(t, os.WriteFile(mine, raw, 0o644))
	raw[len(raw)-2] = '7' // as long, and of other bytes
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "fixtures", "other.tdx"), raw, 0o644))
	before := testbed.Snapshot(t, filepath.Join(r.root, "fixtures"))

	var l api.Adoptable
	r.get(&l, "adopt", "here")
	found := map[string][]string{}
	for _, f := range l.Found {
		found[f.Path] = []string{f.Name, f.Version, f.From}
	}
	require.Equal(t, []string{"cranes", "1.0", "its bytes, which are those of cranes@1.0"}, found["fixtures/from-a-friend.tdx"])
	require.Equal(t, "other", found["fixtures/other.tdx"][0])
	r.must("adopt", "here", "fixtures/from-a-friend.tdx", "--yes")
	require.Equal(t, before, testbed.Snapshot(t, filepath.Join(r.root, "fixtures")), "nothing was touched")
	require.Contains(t, r.must("status", "here"), "1.1 is staged")
	require.NoError(t, os.Remove(filepath.Join(r.root, "fixtures", "other.tdx"))) // the game refuses two of a name
	r.must("deploy", "here", "cranes@1.1", "--yes")
	require.NoFileExists(t, mine, "the new one takes its place")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 1 loaded")
	r.must("rollback", "here", "--addon", "cranes", "--yes")
	require.FileExists(t, mine)
}

// Of many add-ons a host reads at once what they tell. What is found is the same as on a folder of
// this machine, where each is read by itself: also where a marker is too long for that, may not be
// read, or where only few of a kind have another file that tells something.
func TestManyAddonsAreFoundAtOnceAsOneByOne(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	s.must("rulebook", "add", fullBooks+"lanternfall.yaml")
	for i := range 240 {
		stall := filepath.Join(root, "stalls", fmt.Sprintf("stall-%c%c", 'a'+i/20, 'a'+i%20))
		marker := "stall.lf"
		if i%7 == 0 {
			marker = "booth.lf"
		}
		text := fmt.Sprintf("title = \"The %d. Stall\"\nversion = \"1.%d\"\n", i, i)
		if i%50 == 49 {
			text += strings.Repeat("# a long story\n", 6000)
		}
		testbed.Write(t, filepath.Join(stall, marker), text)
		testbed.Write(t, filepath.Join(stall, "wares", "honey.lf"), strings.Repeat("honey = 3\n", i%5))
		if i%60 == 30 {
			testbed.Write(t, filepath.Join(stall, "README.md"), "Needs ticket-gate 1.0 or newer.\n")
		}
		if i < 40 {
			testbed.Write(t, filepath.Join(root, "songbooks", fmt.Sprintf("songs-%d", i), "reel.tune"), "la\n")
		}
	}
	testbed.Write(t, filepath.Join(root, "stalls", "lost.txt"), "lost\n")
	var far, near api.Adoptable
	s.get(&far, "adopt", "lantern")
	s.must("server", "add", "near", "--rulebook", "lanternfall", "--folder", root)
	s.must("server", "test", "near")
	s.get(&near, "adopt", "near")
	require.GreaterOrEqual(t, len(near.Found), 240)
	require.Equal(t, near, far)
	versions := map[string]string{}
	for _, f := range far.Found {
		versions[f.Path] = f.Version
	}
	require.Equal(t, []string{"1.0", "1.49", "1.239"}, []string{versions["stalls/stall-aa"], versions["stalls/stall-cj"], versions["stalls/stall-lt"]})
}
