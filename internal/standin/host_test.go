package standin_test

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/remote/remotetest"
	"restlesscrate/internal/standin"
)

func connect(t *testing.T, h *standin.Host, password string) (*remote.SFTP, error) {
	return remote.OpenSFTP(t.Context(), remote.SFTPTarget{Host: "127.0.0.1", Port: h.Port, User: h.User, Password: password, Root: ".",
		HostKey: string(ssh.MarshalAuthorizedKey(h.HostKey))})
}

func TestTheStandInHostConforms(t *testing.T) {
	remotetest.Run(t, func(t *testing.T) remote.Host {
		h, err := standin.StartHost(t.TempDir(), "keeper", "tide")
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, h.Close()) })
		c, err := connect(t, h, "tide")
		require.NoError(t, err)
		return c
	})
}

func TestTheStandInFTPHostConforms(t *testing.T) {
	for name, o := range map[string]standin.FTPOptions{"listings for programs": {}, "plain listings": {NoMLSD: true}} {
		t.Run(name, func(t *testing.T) {
			remotetest.Run(t, func(t *testing.T) remote.Host {
				h, err := standin.StartFTP(t.TempDir(), "keeper", "tide", o)
				require.NoError(t, err)
				c, err := remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: h.Port, User: "keeper", Password: "tide", Root: "/"})
				require.NoError(t, err)
				t.Cleanup(func() { require.NoError(t, h.Close()) })
				return c
			})
		})
	}
}

func TestTheStandInHostIsJailedAndLocked(t *testing.T) {
	root, outside := t.TempDir(), t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(outside, "secret"), []byte("x"), 0o600))
	require.NoError(t, os.Symlink(outside, filepath.Join(root, "link")))
	require.NoError(t, standin.Furnish(root, "lanternfall"))
	h, err := standin.StartHost(root, "keeper", "tide")
	require.NoError(t, err)
	defer h.Close()
	var refused *remote.SignInError
	_, err = connect(t, h, "wrong")
	require.ErrorAs(t, err, &refused)
	c, err := connect(t, h, "tide")
	require.NoError(t, err)
	defer c.Close()
	_, err = c.Open(t.Context(), "link/secret")
	require.Error(t, err)
	i, err := c.Stat(t.Context(), "stalls/ticket-gate/stall.lf")
	require.NoError(t, err)
	require.Equal(t, tree.Content, i.Being)
	require.Error(t, standin.Furnish(root, "no such game"))
}

// Some hosts let nobody make anything at the root, but in the folders there.
func TestAHostWhoseRootIsClosed(t *testing.T) {
	root := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(root, "mods"), 0o755))
	h, err := standin.StartFTP(root, "keeper", "tide", standin.FTPOptions{})
	require.NoError(t, err)
	c, err := remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: h.Port, User: "keeper", Password: "tide", Root: "/"})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, errors.Join(c.Close(), h.Close())) })
	h.Behave(standin.Rules{ReadOnly: func(folder string) bool { return folder == "." }})
	f, err := remote.Probe(t.Context(), c, ".restless-crate", time.Now)
	require.NoError(t, err)
	require.True(t, f.NoWork)
	require.False(t, f.RenameFromWork)
	require.False(t, f.RenameFolders)
	list, err := c.List(t.Context(), "mods")
	require.NoError(t, err)
	require.Empty(t, list, "the probe leaves nothing behind")

	h.Behave(standin.Rules{ReadOnly: func(string) bool { return true }})
	_, err = remote.Probe(t.Context(), c, ".restless-crate", time.Now)
	require.ErrorContains(t, err, "make the work folder .restless-crate")
}
