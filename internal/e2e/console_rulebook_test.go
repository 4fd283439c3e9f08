package e2e

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

func TestTheInterviewMakesARulebookThatDeploys(t *testing.T) {
	t.Parallel()
	d, root := testbed.StartSSHD(t), t.TempDir()
	testbed.Write(t, filepath.Join(root, "kites/blue/kite.toml"), "version = \"1\"\n")
	testbed.Write(t, filepath.Join(root, "kites/green/kite.toml"), "version = \"2\"\n")
	testbed.Write(t, filepath.Join(root, "hill.key"), "k")
	s := start(t)
	s.must("rulebook", "add", written(t, "any.yaml", s.must("rulebook", "propose", "--starter", "single-files", "--name", "not-yet")))
	s.must("server", "add", "hill", "--rulebook", "not-yet", "--sftp", d.User+"@"+d.Addr(), "--key", d.KeyFile, "--root", root)
	s.trustServer("hill")
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "red-main.zip"), map[string]string{"red-main/README.md": "r", "red-main/kite.toml": "version = \"1.4\"\n", "red-main/cloth/a": "a"})

	c := openConsole(t, s)
	c.goTo("/rulebooks")
	c.click("Make one from questions…")
	c.fill("The game's name", "Kite Hill")
	c.ok(c.page.Select("A server of it", "hill"))
	c.seeIn("[data-question='sign']", "2 folders in kites on the server hold one")
	c.upload("[data-files]", zip)
	c.seeIn("[data-question='sign']", "red-main.zip has it at the top of red-main")
	c.seeIn("[data-question='protected']", "hill.key")
	c.see("name: kite-hill")
	c.fill("Another answer to: Where on the server do add-ons lie?", "kites/new\t")
	c.see(`path: "kites/new"`)
	c.click("Try it")
	c.seeIn("[data-tried]", "red@1.4")
	c.click("Keep it")
	c.seeIn("[data-check]", "It reads as a rulebook.") // it opens where it can be changed
	c.click("Read it")
	c.see("a folder with kite.toml; each one is an add-on")

	s.must("server", "edit", "hill", "--rulebook", "kite-hill")
	s.must("stage", zip, "--for", "hill")
	s.must("deploy", "hill", "red@1.4", "--yes")
	require.Equal(t, "a", testbed.Files(testbed.Snapshot(t, root))["kites/new/red/cloth/a"])
}
