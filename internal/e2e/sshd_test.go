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

// overSSH starts a service with a server "lantern" behind a real sshd.
func overSSH(t *testing.T) (s *service, d *testbed.SSHD, root string) {
	d, root = testbed.StartSSHD(t), t.TempDir()
	s = start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--sftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--key", d.KeyFile, "--root", root)
	return s, d, root
}

// trust goes through what a person does when a host is new.
func (s *service) trust() { s.t.Helper(); s.trustServer("lantern") }

func (s *service) trustServer(name string) {
	s.t.Helper()
	o := s.fails(1, "nobody has confirmed: SHA256:", "server", "test", name)
	command := regexp.MustCompile(`server trust ` + name + ` (SHA256:\S+)`).FindStringSubmatch(o.err)
	require.NotNil(s.t, command, "the message names the command: %s", o.err)
	s.must("server", "trust", name, command[1])
	out := s.must("server", "test", name)
	require.Contains(s.t, out, "Connected; the root holds ")
	require.Contains(s.t, out, "Files can be renamed from the work folder into the tree")
}

func TestTwoVersionsAndTheWayBackOverSSHD(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	s.trust()
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "goes"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom", "new.txt": "comes"}))
	before := testbed.Snapshot(t, root)

	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	first := testbed.Snapshot(t, root)
	require.Equal(t, map[string]string{
		"fair.order":                      "call nobody\n",
		"stalls/drum-tent/stall.lf":       "title = \"Drum Tent\"\nversion = \"0.4.0\"\n",
		"stalls/drum-tent/wares/drum.txt": "boom",
		"stalls/drum-tent/wares/old.txt":  "goes",
	}, testbed.Files(first), "byte for byte, and nothing else")
	require.Equal(t, os.FileMode(0o644), first["stalls/drum-tent/stall.lf"].Mode)

	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/takings.log"), "made by the server")
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	second := testbed.Files(testbed.Snapshot(t, root))
	require.NotContains(t, second, "stalls/drum-tent/wares/old.txt", "no longer part of it")
	require.Equal(t, "comes", second["stalls/drum-tent/wares/new.txt"])
	require.Equal(t, "boom boom", second["stalls/drum-tent/wares/drum.txt"])
	require.Equal(t, "made by the server", second["stalls/drum-tent/takings.log"], "untouched")

	s.must("rollback", "lantern", "--path", "stalls/drum-tent/wares/drum.txt", "--yes")
	require.Equal(t, "boom", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.txt"])

	var d api.Deployment
	s.get(&d, "rollback", "lantern", "--deployment", "2", "--draft")
	require.Equal(t, 1, d.Counts.Same, "drum.txt is already there: no step")
	for _, step := range d.Steps {
		require.NotEqual(t, "stalls/drum-tent/wares/drum.txt", step.Path)
	}
	s.must("deployment", "run", d.Name, "--yes")
	after := testbed.Snapshot(t, root)
	require.Equal(t, "made by the server", after["stalls/drum-tent/takings.log"].Text)
	delete(after, "stalls/drum-tent/takings.log")
	require.Equal(t, first, after, "existence, bytes and modes")

	s.must("rollback", "lantern", "--to", "0", "--yes")
	left := testbed.Snapshot(t, root)
	require.Equal(t, "made by the server", left["stalls/drum-tent/takings.log"].Text, "a folder that holds something of the server's stays")
	for _, p := range []string{"stalls", "stalls/drum-tent", "stalls/drum-tent/takings.log"} {
		delete(left, p)
	}
	require.Equal(t, before, left)
}

func TestRefusalsOfAHostAreClearAndChangeNothing(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.fails(1, "nobody has confirmed", "deploy", "lantern", "drum-tent@0.4.0", "--yes")
	s.fails(2, "offered SHA256:", "server", "trust", "lantern", "SHA256:AAAA")
	s.trust()

	s.env = []string{"RESTLESS_PASSWORD=not-the-one"}
	s.must("server", "add", "locked", "--rulebook", "lanternfall", "--sftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--password", "--root", root)
	s.fails(1, "nobody has confirmed", "server", "test", "locked")
	var srv api.Server
	s.get(&srv, "server", "show", "locked")
	s.must("server", "trust", "locked", srv.OfferedKey)
	o := s.fails(1, fmt.Sprintf("did not sign %q in: it does not take this password", d.User), "server", "test", "locked")
	require.NotContains(t, o.err+o.out, "not-the-one")

	s.must("server", "edit", "locked", "--key", d.KeyFile, "--root", filepath.Join(root, "nowhere"))
	s.fails(1, "nowhere\" cannot be used: file does not exist", "server", "test", "locked")

	d.ChangeHostKey(t)
	o = s.fails(1, "has changed: it was SHA256:", "deploy", "lantern", "drum-tent@0.4.0", "--yes")
	require.Contains(t, o.err, "Nothing was sent.")
	require.NotContains(t, o.err, "server trust", "a changed key is not waved through")

	d.Stop()
	s.fails(1, "cannot be reached", "deploy", "lantern", "drum-tent@0.4.0", "--yes")
	require.Empty(t, testbed.Snapshot(t, root))
	var list []api.Deployment
	s.get(&list, "deployment", "list")
	require.Empty(t, list)
}

func TestSecretsNeverComeOut(t *testing.T) {
	t.Parallel()
	s, d, _ := overSSH(t)
	s.env = []string{"RESTLESS_PASSWORD=tide-and-moon-9"}
	s.must("server", "add", "locked", "--rulebook", "lanternfall", "--sftp", d.User+"@127.0.0.1:"+fmt.Sprint(d.Port), "--password")
	s.restless("server", "test", "locked")
	body := strings.Split(string(d.Key), "\n")[1] // the first line of the key itself
	for _, secret := range []string{"tide-and-moon-9", body} {
		for _, args := range [][]string{{"server", "show", "locked", "--json"}, {"server", "list", "--json"}, {"server", "show", "lantern", "--json"}, {"status", "--json"}} {
			require.NotContains(t, s.must(args...), secret)
		}
		require.NotContains(t, s.log.String(), secret)
		for _, f := range []string{"records.db", "records.db-wal"} {
			raw, err := os.ReadFile(filepath.Join(s.data, f))
			require.NoError(t, err)
			require.NotContains(t, string(raw), secret, f)
		}
	}
	raw, err := os.ReadFile(filepath.Join(s.data, "records.db-wal"))
	require.NoError(t, err)
	require.NotContains(t, string(raw), s.token(), "tokens are stored hashed")
	for _, f := range []string{"", "client.json", "seal.key", "stockroom"} {
		info, err := os.Stat(filepath.Join(s.data, f))
		require.NoError(t, err)
		require.Zero(t, info.Mode().Perm()&0o077, "%q is for its owner alone", f)
	}
}
