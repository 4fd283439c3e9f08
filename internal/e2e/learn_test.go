package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// bakery fills a folder like the server of a game that no rulebook knows.
func bakery(t *testing.T, root string) {
	t.Helper()
	for p, text := range map[string]string{
		"oven": "a program", "oven.pem": "a key", "light.sh": "exec ./oven\n", "bake.order": "# today\nbake rye\nbake spelt\n",
		"loaves/rye/loaf.def": "loaf rye\nversion = 1.0\n", "loaves/spelt/loaf.def": "loaf spelt\nversion = 2.0\n",
		"ash/oven.log": "04:00:01 loaf rises: rye (3 eggs)\n04:00:02 loaf rises: spelt (0 eggs)\n",
	} {
		testbed.Write(t, filepath.Join(root, filepath.FromSlash(p)), text)
	}
}

func seedLoaf(t *testing.T) string {
	return testbed.Zip(t, filepath.Join(t.TempDir(), "seed-loaf-main.zip"), map[string]string{
		"seed-loaf-main/loaf.def": "loaf seed\nversion = 1.3\n", "seed-loaf-main/config.ini": "seeds = 9\n", "seed-loaf-main/README.md": "hello\n"})
}

// From nothing to the first deployment without writing a rulebook: three questions, each with
// what speaks for its answers.
func TestAServerTeachesItsRulebook(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	bakery(t, root)
	before := testbed.Snapshot(t, root)
	s := start(t)
	out := s.must("server", "add", "bakery", "--folder", root)
	for _, want := range []string{"oven.pem is never touched", "light.sh may start the server", "What is an add-on of this server?", "each folder with loaf.def is one add-on, and goes into loaves", "restless learn bakery --answer 'kind=folder loaf.def in loaves'"} {
		require.Contains(t, out, want)
	}
	require.Equal(t, before, testbed.Snapshot(t, root), "nothing is done to it")

	got := s.restless("stage", seedLoaf(t), "--for", "bakery")
	require.Equal(t, 3, got.code, "%v", got)
	require.Contains(t, got.out, "What is seed-loaf-main.zip?")
	require.Contains(t, got.out, "2 folders in loaves on the server hold one")
	out = s.must("learn", "bakery", "--answer", "kind=folder loaf.def in loaves")
	require.Contains(t, out, "crate seed-loaf@1.3  loaf of bakery: 2 files placed, 1 left out")
	require.Contains(t, out, `bake.order, a line "bake {folder}" for each`)
	out = s.must("learn", "bakery", "--answer", "lists=bake.order", "--answer", `log=ash/oven.log: rises: (?P<name>\S+)`)
	require.Contains(t, out, "Nothing is asked.")
	require.Contains(t, s.fails(2, "has no group", "learn", "bakery", "--answer", "log=ash/oven.log: rises").err, "Nothing was changed")
	s.fails(2, "there is no question", "learn", "bakery", "--answer", "colour=red")

	s.must("deploy", "bakery", "seed-loaf", "--yes")
	require.FileExists(t, filepath.Join(root, "loaves/seed-loaf/loaf.def"))
	raw, err := os.ReadFile(filepath.Join(root, "bake.order"))
	require.NoError(t, err)
	require.Equal(t, "# today\nbake rye\nbake spelt\nbake seed-loaf\n", string(raw))
	require.Contains(t, s.must("adopt", "bakery"), "named in bake.order")
	s.must("rollback", "bakery", "--deployment", "1", "--yes")
	require.Equal(t, before, settled(t, root))

	// The answers are a text, which may be edited; what is learnt later is merged into it.
	book := strings.Replace(s.must("learn", "bakery", "--text"), `title: "The game of bakery"`, "title: Flour and Fire", 1)
	file := textFile(t, t.TempDir(), "bakery.yaml", book)
	s.must("rulebook", "add", file, "--over")
	jams := testbed.Zip(t, filepath.Join(t.TempDir(), "jams-1.1.zip"), map[string]string{"plum.jam": "plum\n", "quince.jam": "quince\n"})
	require.Contains(t, s.restless("stage", jams, "--for", "bakery").out, "its *.jam together are one add-on")
	s.must("learn", "bakery", "--answer", "kind=loose *.jam in loaves")
	text := s.must("learn", "bakery", "--text")
	require.Contains(t, text, "title: Flour and Fire")
	require.Contains(t, text, "loose: \"*.jam\"")

	// What is no add-on is asked about once.
	poem := textFile(t, t.TempDir(), "poem.ode", "flour\n")
	require.Contains(t, s.restless("stage", poem, "--for", "bakery").out, "What is poem.ode?")
	require.NotContains(t, s.must("learn", "bakery", "--answer", "kind=none"), "poem.ode")

	// A server that was given a written rulebook teaches no more.
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", t.TempDir())
	s.fails(1, "so there is nothing to ask", "learn", "lantern")
	s.fails(1, "a server named bakery is there already", "server", "add", "bakery", "--folder", root)
	require.NotContains(t, s.must("rulebook", "list"), "bakery-2", "the rulebook of a server that was not added is gone")
}

// Two people answer at once: one of them is told that it was answered.
func TestTwoPeopleTeachAtOnce(t *testing.T) {
	t.Parallel()
	d, root := testbed.StartSSHD(t), t.TempDir()
	bakery(t, root)
	s := start(t)
	out := s.must("server", "add", "bakery", "--sftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--key", d.KeyFile, "--root", root)
	require.Contains(t, out, "restless learn bakery")
	s.trustServer("bakery")
	s.restless("stage", seedLoaf(t), "--for", "bakery")
	var l api.Lesson
	s.get(&l, "learn", "bakery")
	require.NotEmpty(t, l.About)
	body := `{"answers":{"kind":"folder loaf.def in loaves"},"about":"` + l.About + `"}`
	codes := make([]int, 4)
	var all sync.WaitGroup
	for i := range codes {
		all.Go(func() { codes[i], _ = s.call("POST", "/api/v1/servers/bakery/lessons", s.token(), body) })
	}
	all.Wait()
	count := map[int]int{}
	for _, c := range codes {
		count[c]++
	}
	require.Equal(t, map[int]int{200: 1, 409: 3}, count)
	s.get(&l, "learn", "bakery")
	require.Equal(t, "lists", l.Questions[0].Key)
	require.Equal(t, 1, strings.Count(l.Text, "marker: \"loaf.def\""))
}

func TestTheConsoleLearnsAGame(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	bakery(t, root)
	s := start(t)
	c := openConsole(t, s)
	c.goTo("/")
	c.see("the server teaches one")
	c.clickIn("main header", "Add a server…")
	c.fill("Name", "bakery")
	c.click("in a folder on the service's machine")
	c.fill("The server's root folder", root)
	c.click("Add it")
	c.see("What is an add-on of this server?")
	c.see("light.sh may start the server")
	c.click("That is it")
	c.see("Which texts of the server name what it loads?")
	c.click("That is it")
	c.see("Which line of its log says that an add-on was loaded?")
	c.click("no line says so then a roll call cannot tell from the log")
	c.click("That is it")
	c.see("Nothing is asked.")
	c.upload("input[data-files]", seedLoaf(t))
	c.see("seed-loaf@1.3")
	c.click("Rulebook bakery, revision 5")
	c.see("bake {folder}")
	s.must("deploy", "bakery", "seed-loaf", "--yes")
}
