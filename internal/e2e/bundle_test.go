package e2e

import (
	"archive/zip"
	"fmt"
	"io"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// unpacked is what a zip holds.
func unpacked(t *testing.T, file string) map[string]string {
	t.Helper()
	z, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer z.Close()
	out := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		raw, err := io.ReadAll(r)
		require.NoError(t, err)
		require.NoError(t, r.Close())
		out[f.Name] = string(raw)
	}
	return out
}

// Who asks for help sends what is needed for it, and neither passwords nor the addresses of players.
func TestASupportBundleHoldsNoSecret(t *testing.T) {
	t.Parallel()
	s, d, root := start(t), testbed.StartSSHD(t), t.TempDir()
	s.must("rulebook", "add", fullBooks+"tidewright.yaml")
	require.NoError(t, standin.Furnish(root, "tidewright"))
	testbed.Write(t, filepath.Join(root, "tidewright.conf"), read(t, filepath.Join(root, "tidewright.conf"))+"rcon-password = mussel-and-eel\n")
	testbed.Write(t, filepath.Join(root, "tidewright.log"), "gates open\nada comes from 203.0.113.9:5012\nthe console is opened with mussel-and-eel\nada leaves (203.0.113.9)\n")
	s.must("server", "add", "saltpan", "--rulebook", "tidewright", "--sftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--key", d.KeyFile, "--root", root)
	s.trustServer("saltpan")
	s.must("stage", fixtureFile(t, "tide-lamps", "1.0"))
	s.must("deploy", "saltpan", "tide-lamps", "--yes")
	file := filepath.Join(t.TempDir(), "out.zip")
	require.Contains(t, s.must("bundle", "saltpan", "--out", file), "nothing was sent")
	got := unpacked(t, file)
	for name, text := range got {
		require.NotContains(t, text, "mussel-and-eel", name)
		require.NotContains(t, text, "203.0.113.9", name)
		require.NotContains(t, text, "127.0.0.1", name)
	}
	require.Contains(t, got["log-end.txt"], "ada comes from address-1:5012\n")
	require.Contains(t, got["log-end.txt"], "ada leaves (address-1)\n")
	require.Contains(t, got["settings/tidewright.conf"], "load-fixtures = tide-lamps")
	require.Contains(t, got["deployments/0001.json"], "tide-lamps@1.0")
	require.Contains(t, got["server.json"], `"root": `)
	require.Contains(t, got["READ-ME-FIRST.txt"], "survey: nobody has surveyed saltpan yet")
	s.fails(1, "is there already", "bundle", "saltpan", "--out", file)

	less := filepath.Join(t.TempDir(), "less.zip")
	s.must("bundle", "saltpan", "--out", less, "--without", "log,settings")
	got = unpacked(t, less)
	require.NotContains(t, got, "log-end.txt")
	require.NotContains(t, got, "settings/tidewright.conf")
	require.Contains(t, got["READ-ME-FIRST.txt"], "Left out: log")
	s.fails(1, "is no part of a bundle", "bundle", "saltpan", "--out", filepath.Join(t.TempDir(), "x.zip"), "--without", "secrets")
}
