package e2e

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A deployment is called good; after others, one command brings the whole server back to it, and
// one more brings it forth again, byte for byte. A draft of the way back keeps its moment when another
// deployment is called good.
func TestBackToTheLastKnownGood(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fix("cranes", "1.0"), r.fix("cranes", "1.1"), r.fix("ropes", "1.0"))
	require.Contains(t, r.fails(1, "nobody has called a deployment to here good", "rollback", "here", "--known-good", "--yes").err, "--good")
	r.must("deploy", "here", "cranes@1.0", "--yes")
	addons := func() map[string]testbed.Thing { return testbed.Snapshot(t, filepath.Join(r.root, "fixtures")) } // beside them the game writes as it runs
	good := addons()
	require.Contains(t, r.must("deployment", "remark", "here#1", "ran a whole evening", "--good"), "here#1: known good: ran a whole evening")
	r.must("deploy", "here", "cranes@1.1", "ropes@1.0", "--yes")
	later := addons()
	require.NotEqual(t, good, later)
	r.must("deployment", "remark", "here#2", "cranes stutter")
	list := r.must("deployment", "list", "here")
	require.Contains(t, list, "known good: ran a whole evening")
	require.Contains(t, list, "cranes stutter")
	require.Contains(t, r.must("deployment", "show", "here#1"), "known good: ran a whole evening (")

	require.Contains(t, r.must("rollback", "here", "--known-good", "--draft"), "back to how it stood after here#1")
	r.must("deployment", "remark", "here#2", "--good") // the draft stays what it was read as
	out := r.must("deployment", "run", "here#3", "--yes")
	require.Contains(t, out, "DONE")
	require.Contains(t, out, "one stop for 2 add-ons", "cranes and ropes; the text that names them is none")
	require.Equal(t, good, addons())
	require.Contains(t, r.must("rollback", "here", "--to", "1", "--draft"), "nothing-to-do", "what the way back took back of itself makes up for it")
	require.Contains(t, r.must("rollback", "here", "--known-good", "--yes"), "back to how it stood after here#2")
	require.Equal(t, later, addons())

	// Two moments, and one beside now.
	out = r.must("compare", "here", "1", "2")
	require.Contains(t, out, "here after here#1, beside after here#2: 2 files in, 1 changed, 1 out")
	require.Regexp(t, `(?m)^cranes +cranes@1\.0 +cranes@1\.1$`, out)
	require.Regexp(t, `(?m)^ropes +not there +ropes@1\.0$`, out)
	require.Regexp(t, `(?m)^out +fixtures/cranes-1\.0\.tdx `, out)
	require.Contains(t, r.must("compare", "here", "3"), "ropes@1.0", "now it stands as after here#2")
	require.Regexp(t, `(?m)0 files in, 1 changed, 0 out\n\nWHAT +PATH.*\nchanged +tidewright\.conf .* edited$`, r.must("compare", "here", "1", "3"), "the game counts its days there")
	require.Contains(t, r.must("compare", "here", "3", "3"), "nothing that was deployed differs")
	r.fails(1, "nothing stood as it would have it", "compare", "here", "4")
	r.fails(1, "there is no deployment here#40", "compare", "here", "40")
	r.fails(2, "no number of a deployment", "compare", "here", "yesterday")

	// What is said of one thing leaves the other.
	r.must("deployment", "remark", "here#2", "--not-good")
	var d api.Deployment
	r.get(&d, "deployment", "show", "here#2")
	require.Equal(t, []any{"cranes stutter", false}, []any{d.Remark.Text, d.Remark.Good})
	require.Contains(t, r.must("rollback", "here", "--known-good", "--addon", "cranes", "--draft"), "after here#1")
	r.fails(1, "only what is done can be called good", "deployment", "remark", "here#6", "--good")
	r.fails(2, "one of --good and --not-good", "deployment", "remark", "here#2", "--good", "--not-good")
	r.fails(2, "nothing is said", "deployment", "remark", "here#2")
	r.fails(2, "does not go with another one", "rollback", "here", "--known-good", "--to", "1")
	require.Contains(t, r.must("deployment", "remark", "here#2", ""), "nothing is said of it now")
}

func TestTheConsoleCallsADeploymentGoodAndGoesBackToIt(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	for _, v := range []string{"1.0", "2.0"} {
		s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-main.zip"), stall(v, map[string]string{"price.txt": "coin " + v + "\n"})), "--for", "lantern")
		s.must("deploy", "lantern", "drum-tent@"+v, "--yes")
	}
	c := openConsole(t, s)
	c.goTo("/servers/lantern/deployments/1")
	c.see("Nobody has said how the server was after it.")
	c.click("Add a remark")
	c.fill("What is said of lantern#1", "a good fair")
	c.clickIn("[data-remark]", "Known good")
	c.click("Write it down")
	c.seeIn("[data-remark]", "a good fair")
	c.goTo("/servers/lantern/timeline")
	c.seeIn("main", "The server was good after")
	c.click("Back to the last known good")
	c.see("back to how it stood after lantern#1")
	c.runDraft("lantern#3")
	require.Equal(t, "coin 1.0\n", testbed.Files(settled(t, root))["stalls/drum-tent/wares/price.txt"])
}
