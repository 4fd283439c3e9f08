package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// blocks gives the shell blocks of a page, as one script.
func blocks(t *testing.T, page string) string {
	t.Helper()
	found := regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(read(t, page), -1)
	require.NotEmpty(t, found)
	var all []string
	for _, b := range found {
		all = append(all, b[1])
	}
	return strings.Join(all, "")
}

func TestTheGuideToRulebooksWorksAsItIsWritten(t *testing.T) {
	t.Parallel()
	s, dir := start(t), t.TempDir()
	page, err := filepath.Abs("../../docs/rulebooks.md")
	require.NoError(t, err)
	cmd := exec.Command("bash", "-e", "-u", "-c", blocks(t, page))
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "RESTLESS_DATA="+s.data, "PATH="+filepath.Dir(binary)+":"+os.Getenv("PATH"))
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	require.Contains(t, string(out), "crate red-dragon-main@unmarked  kite of kite-hill", "the first rulebook knows no version")
	require.Contains(t, string(out), "crate red-dragon@1.4  kite of kite-hill: 4 files placed, 1 left out")
	want := map[string]string{
		"kites/red-dragon/kite.toml":         "id = \"red-dragon\"\nversion = \"1.4\"\nneeds = [\"long-line >= 2\"]\n",
		"kites/red-dragon/cloth/wing.cloth":  "silk\n",
		"kites/red-dragon/tails/ribbon.tail": "ribbon\n",
		"tails/ribbon.tail":                  "ribbon\n",
	}
	require.Equal(t, want, testbed.Files(testbed.Snapshot(t, filepath.Join(dir, "server"))))

	// The same rulebook and crate, on a host far away.
	d, root := testbed.StartSSHD(t), t.TempDir()
	s.must("server", "add", "far", "--rulebook", "kite-hill", "--sftp", d.User+"@"+d.Addr(), "--key", d.KeyFile, "--root", root)
	s.trustServer("far")
	s.must("deploy", "far", "red-dragon@1.4", "--yes", "--accept", "need-missing")
	require.Equal(t, want, testbed.Files(testbed.Snapshot(t, root)))
}

func TestARulebookIsProposedFromATreeAndADownload(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	testbed.Write(t, filepath.Join(root, "kites/blue/kite.toml"), "version = \"1\"\n")
	testbed.Write(t, filepath.Join(root, "kites/green/kite.toml"), "version = \"2\"\n")
	testbed.Write(t, filepath.Join(root, "flying.list"), "fly blue\n# fly green\n")
	testbed.Write(t, filepath.Join(root, "token.txt"), "fly blue\nfly green\n") // a secret by its name
	testbed.Write(t, filepath.Join(root, "hill.key"), "k")
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "red-main.zip"), map[string]string{"red-main/README.md": "r", "red-main/kite.toml": "version = \"1.4\"\n", "red-main/cloth/a": "a"})
	o := s.restless("rulebook", "propose", "lantern", "--name", "kite-hill", "--title", "Kite Hill", "--with", zip)
	require.Zero(t, o.code, o.err)
	require.Contains(t, o.err, "* --answer sign=kite.toml  kite.toml (2 folders in kites on the server hold one; the folder around them is called like it; red-main.zip has it at the top of red-main)")
	file := written(t, "kite-hill.yaml", o.out)
	out := s.must("rulebook", "check", file, "--with", zip)
	require.Contains(t, out, "crate red@1.4  add-on of kite-hill: 2 files placed, 1 left out")
	out = s.must("rulebook", "check", file, "--with-tree", "lantern")
	require.Regexp(t, `On lantern:
  place kites +kites +2 things in it
  add-on blue +kites/blue *
  add-on green +kites/green *
  protected +hill.key
  protected +token.txt`, out)
	s.must("rulebook", "add", file)
	s.must("server", "edit", "lantern", "--rulebook", "kite-hill")
	s.must("stage", zip, "--for", "lantern")
	s.must("deploy", "lantern", "red@1.4", "--yes")
	require.Contains(t, o.err, `flying.list, a line "fly {folder}" for each (it names 2 of the 2 add-ons: blue, green)`)
	require.NotContains(t, o.err, "lists=token.txt")
	require.Equal(t, "a", testbed.Files(testbed.Snapshot(t, root))["kites/red/cloth/a"])
	require.Equal(t, "fly blue\n# fly green\nfly red\n", read(t, filepath.Join(root, "flying.list")))
	s.fails(1, "so lantern keeps it", "server", "edit", "lantern", "--rulebook", "lanternfall")
	s.fails(2, `there is no question "colour"`, "rulebook", "propose", "lantern", "--answer", "colour=red")
}
