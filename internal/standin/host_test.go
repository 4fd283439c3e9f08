package standin_test

import (
	"os"
	"path/filepath"
	"testing"

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
