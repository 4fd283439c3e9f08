package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// What differs by path, in a word, of a survey.
func surveyed(s *service, server string, args ...string) (api.Survey, map[string]string) {
	var found api.Survey
	s.get(&found, append([]string{"survey", server}, args...)...)
	out := map[string]string{}
	for _, i := range found.Items {
		out[i.Path] = i.Kind
	}
	return found, out
}

// A server that drifted by hand in six ways is surveyed, and each is put right in another way.
func TestASurveyFindsWhatWasChangedByHandAndEachIsPutRightInAnotherWay(t *testing.T) {
	t.Parallel()
	overBoth(t, drifted)
}

func drifted(t *testing.T, s *service, root string) {
	at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
	tent := func(version, beat string) string {
		return testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-"+version+".zip"), map[string]string{
			"drum-tent/stall.lf": "title = \"Drum Tent\"\nversion = \"" + version + "\"\n", "drum-tent/beats.lf": "beats = " + beat + "\nloud = 3\n",
			"drum-tent/wares/drum.lf": "drum\n", "drum-tent/wares/horn.lf": "horn\n", "drum-tent/deep/a.bin": "\x00\x01a", "drum-tent/deep/b.bin": "\x00\x01b"})
	}
	s.must("rulebook", "add", fullBooks+"lanternfall.yaml")
	require.NoError(t, os.MkdirAll(at("stalls/gate"), 0o755))
	testbed.Write(t, at("stalls/gate/stall.lf"), "version = \"1\"\n")
	testbed.Write(t, at("fair.order"), "call gate\n")
	testbed.Write(t, at("stalls/old.txt"), "of somebody\n")
	s.must("stage", tent("1.0", "4"), tent("1.1", "8"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	found, differs := surveyed(s, "lantern")
	require.Equal(t, map[string]string{"stalls/gate": "unknown", "stalls/old.txt": "unknown"}, differs)
	require.Equal(t, 7, found.Counts.Same)
	require.Contains(t, s.must("status", "lantern"), "all 7 files as recorded; 2 files that nobody deployed")
	deployed := testbed.Files(testbed.Snapshot(t, root))

	// Six ways: a text changed, another changed, bytes changed at the same length, a file gone, a folder
	// gone, a file more.
	testbed.Write(t, at("stalls/drum-tent/beats.lf"), "beats = 4\nloud = 9\n")
	testbed.Write(t, at("stalls/drum-tent/stall.lf"), "title = \"My Tent\"\nversion = \"1.0\"\n")
	testbed.Write(t, at("stalls/drum-tent/wares/drum.lf"), "dRum\n")
	require.NoError(t, os.Remove(at("stalls/drum-tent/wares/horn.lf")))
	require.NoError(t, os.RemoveAll(at("stalls/drum-tent/deep")))
	testbed.Write(t, at("stalls/drum-tent/mine.txt"), "mine\n")
	testbed.Write(t, at("fair.order"), "call gate\n")
	found, differs = surveyed(s, "lantern")
	require.Equal(t, map[string]string{"stalls/gate": "unknown", "stalls/old.txt": "unknown", "stalls/drum-tent/mine.txt": "unknown", "stalls/drum-tent/beats.lf": "changed",
		"stalls/drum-tent/stall.lf": "changed", "stalls/drum-tent/wares/drum.lf": "changed", "stalls/drum-tent/wares/horn.lf": "missing", "stalls/drum-tent/deep": "missing", "fair.order": "changed"}, differs)
	for _, i := range found.Items {
		switch i.Path {
		case "stalls/drum-tent/beats.lf":
			require.Contains(t, i.Diff, "-loud = 3\n+loud = 9\n")
		case "stalls/drum-tent/deep":
			require.Equal(t, []any{2, "drum-tent@1.0"}, []any{i.Files, i.Owner})
		case "stalls/drum-tent/mine.txt":
			require.Equal(t, "drum-tent@1.0", i.In)
		case "fair.order":
			require.Contains(t, i.Why, "the entry of drum-tent@1.0 is not in it as it was")
		case "stalls/old.txt":
			require.False(t, i.New)
			continue
		case "stalls/gate":
			continue
		}
		require.True(t, i.New, i.Path)
	}
	out := s.must("status", "lantern")
	require.Contains(t, out, "4 changed and 3 missing outside, 0 as recorded; 3 files that nobody deployed")

	// A draft touches nothing, and what is taken as a tweak is kept over an update.
	s.must("settle", "lantern", "restore=stalls/drum-tent/wares/drum.lf", "--draft")
	out = s.must("settle", "lantern", "tweak=stalls/drum-tent/beats.lf", "accept=stalls/drum-tent/stall.lf", "restore=stalls/drum-tent/wares/drum.lf", "restore=fair.order",
		"accept=stalls/drum-tent/wares/horn.lf", "restore=stalls/drum-tent/deep", "remove=stalls/drum-tent/mine.txt", "ignore=stalls/gate", "--yes")
	require.Contains(t, out, "accept 2, restore 5, remove 1, tweak 1 of what differs")
	require.Contains(t, out, "+loud = 9")
	now := testbed.Files(testbed.Snapshot(t, root))
	want := map[string]string{}
	for p, text := range deployed {
		want[p] = text
	}
	want["stalls/drum-tent/beats.lf"], want["stalls/drum-tent/stall.lf"] = "beats = 4\nloud = 9\n", "title = \"My Tent\"\nversion = \"1.0\"\n"
	delete(want, "stalls/drum-tent/wares/horn.lf")
	require.Equal(t, want, now)
	found, differs = surveyed(s, "lantern", "--thorough")
	require.Equal(t, map[string]string{"stalls/old.txt": "unknown"}, differs)
	require.Equal(t, 1, found.Counts.Ignored)
	require.Contains(t, s.must("survey", "lantern", "--ignored"), "stalls/gate")
	s.must("survey", "lantern", "--unignore", "stalls/gate")
	_, differs = surveyed(s, "lantern")
	require.Contains(t, differs, "stalls/gate")

	s.must("deploy", "lantern", "drum-tent@1.1", "--yes")
	require.Equal(t, "beats = 8\nloud = 9\n", read(t, at("stalls/drum-tent/beats.lf")), "the update and what was changed by hand")
	require.FileExists(t, at("stalls/drum-tent/wares/horn.lf"))
	s.must("rollback", "lantern", "--deployment", "4", "--yes")
	require.Equal(t, "beats = 4\nloud = 9\n", read(t, at("stalls/drum-tent/beats.lf")))

	// Settling is a deployment like any other: it goes back.
	s.must("rollback", "lantern", "--deployment", "3", "--yes")
	require.Equal(t, "beats = 4\nloud = 3\n", read(t, at("stalls/drum-tent/beats.lf")))
	require.Equal(t, "mine\n", read(t, at("stalls/drum-tent/mine.txt")))
	require.Equal(t, deployed["stalls/drum-tent/stall.lf"], read(t, at("stalls/drum-tent/stall.lf")))
	require.FileExists(t, at("stalls/drum-tent/wares/horn.lf"))

	// A folder that nobody deployed goes as a whole, and comes back.
	testbed.Write(t, at("junk/a/b.txt"), "b\n")
	testbed.Write(t, at("junk/c.txt"), "c\n")
	before := testbed.Snapshot(t, root)
	s.must("settle", "lantern", "remove=junk", "--yes")
	require.NoDirExists(t, at("junk"))
	s.must("rollback", "lantern", "--path", "junk/a/b.txt", "--yes")
	require.Equal(t, "b\n", read(t, at("junk/a/b.txt")))
	s.must("rollback", "lantern", "--path", "junk/c.txt", "--yes")
	require.Equal(t, testbed.Files(before), testbed.Files(testbed.Snapshot(t, root)))

	// What cannot be done is said.
	s.fails(2, "was deployed; it goes with its add-on", "settle", "lantern", "remove=stalls/drum-tent", "--yes")
	s.fails(1, "the ledger knows nothing of stalls/old.txt", "settle", "lantern", "restore=stalls/old.txt", "--yes")
	s.fails(2, `"mend" is nothing that can be done about a difference`, "settle", "lantern", "mend=stalls/old.txt")
	s.fails(2, "found nothing like", "settle", "lantern", "restore=nothing*")
	s.fails(2, "is no glob", "settle", "lantern", "ignore=/etc")
}

// The same by clicking.
func TestTheConsoleSurveysAndSettles(t *testing.T) {
	t.Parallel()
	s, root, _ := gameServer(t, "lanternfall")
	at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "wheel-1.0.zip"), map[string]string{"wheel/stall.lf": "version = \"1.0\"\n", "wheel/turn.lf": "turns = 3\n", "wheel/bolt.lf": "bolt\n"}))
	s.must("deploy", "here", "wheel", "--yes")
	testbed.Write(t, at("stalls/wheel/turn.lf"), "turns = 7\n")
	require.NoError(t, os.Remove(at("stalls/wheel/bolt.lf")))
	testbed.Write(t, at("stalls/junk.txt"), "junk\n")
	testbed.Write(t, at("readme.txt"), "ours\n")

	c := openConsole(t, s)
	c.goTo("/servers/here/survey")
	c.see("Nobody has looked at the whole server yet")
	c.click("Look at the whole server")
	c.seeIn("[data-surveyed]", "1 changed and 1 missing outside")
	c.clickIn("[data-differs='stalls/wheel/turn.lf']", "What changed")
	c.seeIn("[data-differs='stalls/wheel/turn.lf']", "+turns = 7")
	c.clickIn("[data-differs='readme.txt']", "Ignore")
	c.seeIn("[data-surveyed]", "1 file that nobody deployed")
	c.clickIn("[data-differs='stalls/wheel/turn.lf']", "Keep as a tweak")
	c.see("here#2")
	c.click("Run it")
	c.see("Done")
	c.goTo("/servers/here/survey")
	c.see("Something was deployed since.")
	c.click("Look again")
	c.seeIn("[data-surveyed]", "1 missing outside")
	c.clickIn("[data-differs='stalls/wheel/bolt.lf']", "Put back")
	c.see("here#3")
	c.click("Run it")
	c.see("Done")
	require.FileExists(t, at("stalls/wheel/bolt.lf"))
	c.goTo("/servers/here/survey")
	c.click("Look again")
	c.seeIn("[data-surveyed]", "as recorded")
	c.clickIn("[data-differs='stalls/junk.txt']", "Take off the server")
	c.see("here#4")
	c.click("Run it")
	c.see("Done")
	require.NoFileExists(t, at("stalls/junk.txt"))
	require.Equal(t, "turns = 7\n", read(t, at("stalls/wheel/turn.lf")))
}

// The service is killed while it surveys and while it adopts. What it knew stays as it was, the survey
// before stays the last one, and both work again.
func TestASurveyAndAnAdoptionThatAreKilledLeaveTheLedgerWhole(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	at := func(p string) string { return filepath.Join(root, filepath.FromSlash(p)) }
	for p, text := range map[string]string{"stalls/gate/stall.lf": "title = \"Gate\"\nversion = \"1.0\"\n", "stalls/drum-tent/wares/w001.txt": "by hand"} {
		testbed.Write(t, at(p), text)
	}
	known := func() (all []any) {
		for _, ask := range [][]string{{"files", "lantern"}, {"crate", "list"}, {"deployment", "list", "lantern"}} {
			var v any
			s.get(&v, ask...)
			all = append(all, v)
		}
		return all
	}
	lastSurvey := func() (last api.Survey) { s.get(&last, "survey", "lantern", "--last"); return last }
	s.must("survey", "lantern")
	before, surveyed := known(), lastSurvey()
	lies := testbed.Snapshot(t, root)
	for kind, ask := range map[string][]string{"survey": {"survey", "lantern", "--thorough"}, "adopt": {"adopt", "lantern"}, "draft": {"adopt", "lantern", "stalls/gate", "--draft"}} {
		testbed.Hang(t, d)
		w := s.begin(ask...)
		s.doing(kind)
		s.kill()
		require.NotZero(t, w.ended().code, kind)
		testbed.Thaw(t, d)
		s.up()
		require.Equal(t, before, known(), kind)
		require.Equal(t, surveyed, lastSurvey(), kind)
	}
	require.Equal(t, lies, testbed.Snapshot(t, root))
	require.Contains(t, s.must("survey", "lantern", "--thorough"), "1 changed outside")
	require.Contains(t, s.must("adopt", "lantern", "stalls/gate", "--yes"), "DONE")
	require.Contains(t, s.must("doctor"), "all are what they were")
}
