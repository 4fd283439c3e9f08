package remote_test

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// between passes control connections on to a server, through what pass makes of each
// piece that comes from the client.
func between(t *testing.T, server int, pass func(sent []byte) []byte) (port int) {
	return passing(t, server, pass, func(said []byte) []byte { return said })
}

// heard is between for what the server says.
func heard(t *testing.T, server int, pass func(said []byte) []byte) (port int) {
	return passing(t, server, func(sent []byte) []byte { return sent }, pass)
}

func passing(t *testing.T, server int, there, back func([]byte) []byte) (port int) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	carry := func(to, from net.Conn, pass func([]byte) []byte) {
		defer to.Close()
		buf := make([]byte, 64<<10)
		for {
			n, err := from.Read(buf)
			if err != nil {
				return
			}
			if _, err := to.Write(pass(buf[:n])); err != nil {
				return
			}
		}
	}
	go func() {
		for {
			near, err := l.Accept()
			if err != nil {
				return
			}
			far, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", server))
			if err != nil {
				near.Close()
				continue
			}
			go carry(far, near, there)
			go carry(near, far, back)
		}
	}()
	return l.Addr().(*net.TCPAddr).Port
}

func TestWhetherAHostTakesWhatIsSentAheadIsProved(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	for name, c := range map[string]struct {
		pass func([]byte) []byte
		want bool
	}{
		"it does": {func(sent []byte) []byte { return sent }, true},
		// It throws away what it has read too early, as some do.
		"it forgets": {func(sent []byte) []byte { return sent[:bytes.IndexByte(sent, '\n')+1] }, false},
		// It takes a second command for part of the first one's name.
		"it mixes up": {func(sent []byte) []byte {
			return append(bytes.ReplaceAll(bytes.TrimSuffix(sent, []byte("\r\n")), []byte("\r\n"), []byte(" ")), "\r\n"...)
		}, false},
	} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			tg := ftpTarget(s, root)
			tg.Port = between(t, s.Port, c.pass)
			h, err := remote.OpenFTP(t.Context(), tg)
			require.NoError(t, err)
			defer h.Close()
			ok, left := h.ProveAhead(t.Context(), tree.Root)
			require.Equal(t, c.want, ok)
			list, err := os.ReadDir(root)
			require.NoError(t, err)
			for _, e := range list {
				if c.want {
					require.Contains(t, left, tree.Path(e.Name()))
				}
			}
		})
	}
}

// What a host does not take is said, whatever was sent ahead, and the next file arrives.
func TestARefusedFileThatWasSentAheadIsSaid(t *testing.T) {
	t.Run("vsftpd", func(t *testing.T) {
		refusedAhead(t, ftpTarget(testbed.StartVSFTPD(t, testbed.FTPOptions{}), t.TempDir()))
	})
	t.Run("proftpd", func(t *testing.T) {
		s := testbed.StartProFTPD(t)
		refusedAhead(t, remote.FTPTarget{Host: "127.0.0.1", Port: s.Port, User: s.User, Password: s.Password, Root: t.TempDir()})
	})
}

func refusedAhead(t *testing.T, tg remote.FTPTarget) {
	root := tg.Root
	plain, err := remote.OpenFTP(t.Context(), tg)
	require.NoError(t, err)
	ok, left := plain.ProveAhead(t.Context(), tree.Root)
	require.True(t, ok)
	for _, p := range left {
		require.NoError(t, plain.RemoveFile(t.Context(), p))
	}
	require.NoError(t, plain.Close())
	tg.Ahead, tg.Connections = true, 1
	h, err := remote.OpenFTP(t.Context(), tg)
	require.NoError(t, err)
	defer h.Close()
	put := func(p tree.Path, n int) error {
		w, err := h.Create(t.Context(), p, 0)
		if err != nil {
			return err
		}
		_, err = io.Copy(w, strings.NewReader(strings.Repeat("x", n)))
		if e := w.Close(); err == nil {
			err = e
		}
		return err
	}
	for _, n := range []int{0, 10, 16 << 10, 16<<10 + 1, 8 << 20} {
		require.ErrorContains(t, put("nowhere/at-all", n), "write nowhere/at-all: file does not exist", "%d bytes", n)
		require.NoError(t, put("here", n), "%d bytes", n)
		info, err := os.Stat(filepath.Join(root, "here"))
		require.NoError(t, err)
		require.EqualValues(t, n, info.Size())
		list, err := h.List(t.Context(), tree.Root) // by the port that was asked for ahead
		require.NoError(t, err)
		require.Len(t, list, 1)
	}
}
