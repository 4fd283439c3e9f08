package remote_test

import (
	"io"
	"io/fs"
	"net"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/remote"
	"restlesscrate/internal/remote/remotetest"
	"restlesscrate/internal/testbed"
)

func ftpTarget(s *testbed.VSFTPD, root string) remote.FTPTarget {
	return remote.FTPTarget{Host: "127.0.0.1", Port: s.Port, User: s.User, Password: s.Password, Root: root}
}

// trusted gives the certificate that a server offers.
func trusted(t *testing.T, tg remote.FTPTarget) string {
	t.Helper()
	_, err := remote.OpenFTP(t.Context(), tg)
	var cert *remote.HostKeyError
	require.ErrorAs(t, err, &cert)
	require.True(t, cert.Certificate)
	return cert.Offered
}

func TestFTPConforms(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	remotetest.Run(t, func(t *testing.T) remote.Host {
		h, err := remote.OpenFTP(t.Context(), ftpTarget(s, t.TempDir()))
		require.NoError(t, err)
		return h
	})
}

// Sending ahead changes nothing but the time.
func TestFTPThatIsSentAheadConforms(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	remotetest.Run(t, func(t *testing.T) remote.Host {
		tg := ftpTarget(s, t.TempDir())
		tg.Ahead = true
		h, err := remote.OpenFTP(t.Context(), tg)
		require.NoError(t, err)
		return h
	})
}

func TestFTPWithTLSConforms(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{TLS: true})
	tg := ftpTarget(s, t.TempDir())
	tg.TLS = true
	tg.Cert = trusted(t, tg)
	remotetest.Run(t, func(t *testing.T) remote.Host {
		own := tg
		own.Root = t.TempDir()
		h, err := remote.OpenFTP(t.Context(), own)
		require.NoError(t, err)
		return h
	})
}

func TestWhyFTPDoesNotOpen(t *testing.T) {
	plain := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	open := func(s *testbed.VSFTPD, change func(*remote.FTPTarget)) error {
		tg := ftpTarget(s, t.TempDir())
		change(&tg)
		h, err := remote.OpenFTP(t.Context(), tg)
		if err == nil {
			h.Close()
		}
		return err
	}
	var signIn *remote.SignInError
	var root *remote.RootError
	var cert *remote.HostKeyError
	require.ErrorAs(t, open(plain, func(t *remote.FTPTarget) { t.Password = "wrong" }), &signIn)
	require.ErrorAs(t, open(plain, func(t *remote.FTPTarget) { t.Root = "/no/such/root" }), &root)
	err := open(plain, func(t *remote.FTPTarget) { t.TLS = true })
	require.ErrorIs(t, err, remote.ErrLine)
	require.ErrorContains(t, err, "the host offers no TLS")

	safe := testbed.StartVSFTPD(t, testbed.FTPOptions{TLS: true})
	tg := ftpTarget(safe, t.TempDir())
	tg.TLS = true
	tg.Cert = trusted(t, tg)
	print, err := remote.Fingerprint(tg.Cert)
	require.NoError(t, err)
	require.Regexp(t, `^SHA256:[A-Za-z0-9+/]{43}$`, print)
	safe.ChangeCertificate(t)
	_, err = remote.OpenFTP(t.Context(), tg)
	require.ErrorAs(t, err, &cert)
	require.True(t, cert.Changed)
	require.Equal(t, print, cert.Expected)
	require.NotEqual(t, print, cert.Fingerprint)
	plain.Stop()
	require.ErrorIs(t, open(plain, func(*remote.FTPTarget) {}), remote.ErrLine)
}

func TestTheServersLimitOfConnectionsFailsNothing(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{Connections: 2})
	tg := ftpTarget(s, t.TempDir())
	tg.Connections = 6
	h, err := remote.OpenFTP(t.Context(), tg)
	require.NoError(t, err)
	defer h.Close()
	remotetest.SideBySide(t, h)
	require.Equal(t, 2, h.Connections())
}

func TestALostFTPLineIsSaidToBeOneAndAnotherIsOpened(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	h, err := remote.OpenFTP(t.Context(), ftpTarget(s, t.TempDir()))
	require.NoError(t, err)
	defer h.Close()
	w, err := h.Create(t.Context(), "a", 0)
	require.NoError(t, err)
	s.Cut()
	testbed.Eventually(t, "writing fails", func() bool { _, err = w.Write(make([]byte, 1<<16)); return err != nil })
	require.ErrorIs(t, w.Close(), remote.ErrLine)
	testbed.Eventually(t, "the next one goes on another connection", func() bool { _, err = h.List(t.Context(), ""); return err == nil })
	s.Stop()
	_, err = h.List(t.Context(), "")
	testbed.Eventually(t, "nothing answers any more", func() bool { _, err = h.List(t.Context(), ""); return err != nil })
	require.ErrorIs(t, err, remote.ErrLine)
	require.NotErrorIs(t, err, fs.ErrNotExist)
}

func TestANameThatCannotBeToldIsRefusedBeforeAnythingIsSent(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	h, err := remote.OpenFTP(t.Context(), ftpTarget(s, t.TempDir()))
	require.NoError(t, err)
	defer h.Close()
	const p = "a\r\nDELE b"
	_, err = h.Open(t.Context(), p)
	require.ErrorContains(t, err, "a name with a line break cannot be told to an FTP server")
	_, err = h.Create(t.Context(), p, 0)
	require.ErrorContains(t, err, "cannot be told")
	require.ErrorContains(t, h.RemoveFile(t.Context(), p), "cannot be told")
	require.ErrorContains(t, h.MakeFolder(t.Context(), p, 0), "cannot be told")
}

// counted passes control connections on to a server and counts them.
func counted(t *testing.T, s *testbed.VSFTPD) (port int, count *atomic.Int32) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	count = new(atomic.Int32)
	go func() {
		for {
			near, err := l.Accept()
			if err != nil {
				return
			}
			count.Add(1)
			far, err := net.Dial("tcp", s.Addr())
			if err != nil {
				near.Close()
				continue
			}
			go func() { _, _ = io.Copy(far, near); far.Close() }()
			go func() { _, _ = io.Copy(near, far); near.Close() }()
		}
	}()
	return l.Addr().(*net.TCPAddr).Port, count
}

func TestReadingAFileToItsKnownEndKeepsTheConnection(t *testing.T) {
	s := testbed.StartVSFTPD(t, testbed.FTPOptions{})
	tg := ftpTarget(s, t.TempDir())
	port, count := counted(t, s)
	tg.Port, tg.Connections = port, 1
	h, err := remote.OpenFTP(t.Context(), tg)
	require.NoError(t, err)
	defer h.Close()
	w, err := h.Create(t.Context(), "tide.tdx", 0)
	require.NoError(t, err)
	_, err = w.Write(make([]byte, 1<<20))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	before := count.Load()
	read := func(n int64) {
		f, err := h.Open(t.Context(), "tide.tdx")
		require.NoError(t, err)
		_, err = io.CopyN(io.Discard, f, n)
		require.NoError(t, err)
		require.NoError(t, f.Close())
		_, err = h.Stat(t.Context(), "tide.tdx")
		require.NoError(t, err)
	}
	read(1 << 20)
	require.Equal(t, before, count.Load(), "all of it was read, so the connection is as good as before")
	read(10)
	require.Equal(t, before+1, count.Load(), "nothing but a new connection stops a file half-way")
}
