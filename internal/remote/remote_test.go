package remote_test

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/pem"
	"errors"
	"io"
	"io/fs"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/pkg/sftp"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/remote/remotetest"
	"restlesscrate/internal/testbed"
)

func TestLocalConforms(t *testing.T) {
	remotetest.Run(t, func(t *testing.T) remote.Host {
		h, err := remote.OpenLocal(t.TempDir())
		require.NoError(t, err)
		return h
	})
}

func target(s *testbed.SSHD, root string) remote.SFTPTarget {
	return remote.SFTPTarget{Host: "127.0.0.1", Port: s.Port, User: s.User, Root: root, HostKey: s.HostKey, Key: s.Key}
}

func TestSFTPConforms(t *testing.T) {
	s := testbed.StartSSHD(t)
	remotetest.Run(t, func(t *testing.T) remote.Host {
		h, err := remote.OpenSFTP(t.Context(), target(s, t.TempDir()))
		require.NoError(t, err)
		return h
	})
}

// Neither transport follows a link that leads out of the root.
func TestLinksAreForeignAndNotFollowed(t *testing.T) {
	s := testbed.StartSSHD(t)
	root, outside := t.TempDir(), t.TempDir()
	testbed.Write(t, filepath.Join(outside, "secret"), "out")
	require.NoError(t, os.Symlink(outside, filepath.Join(root, "link")))
	local, err := remote.OpenLocal(root)
	require.NoError(t, err)
	defer local.Close()
	far, err := remote.OpenSFTP(t.Context(), target(s, root))
	require.NoError(t, err)
	defer far.Close()
	for _, h := range []remote.Host{local, far} {
		i, err := h.Stat(t.Context(), "link")
		require.NoError(t, err)
		require.Equal(t, tree.Foreign, i.Being)
		list, err := h.List(t.Context(), tree.Root)
		require.NoError(t, err)
		require.Equal(t, tree.Foreign, list[0].Being)
	}
	_, err = local.Open(t.Context(), "link/secret")
	require.Error(t, err, "a local root cannot be left")
}

func TestWhySFTPDoesNotOpen(t *testing.T) {
	s := testbed.StartSSHD(t)
	open := func(change func(*remote.SFTPTarget)) error {
		tg := target(s, t.TempDir())
		change(&tg)
		h, err := remote.OpenSFTP(t.Context(), tg)
		if err == nil {
			h.Close()
		}
		return err
	}
	var key *remote.HostKeyError
	var signIn *remote.SignInError
	var root *remote.RootError
	require.ErrorAs(t, open(func(t *remote.SFTPTarget) { t.HostKey = "" }), &key)
	require.False(t, key.Changed)
	want, err := remote.Fingerprint(s.HostKey)
	require.NoError(t, err)
	require.Equal(t, want, key.Fingerprint)
	other := testbed.NewKey(t, filepath.Join(t.TempDir(), "other"))
	require.ErrorAs(t, open(func(t *remote.SFTPTarget) { t.HostKey = other }), &key)
	require.True(t, key.Changed)
	require.ErrorAs(t, open(func(t *remote.SFTPTarget) { t.Key = nil; t.Password = "wrong" }), &signIn)
	require.ErrorAs(t, open(func(t *remote.SFTPTarget) { t.Key = []byte("rubbish") }), &signIn)
	require.ErrorAs(t, open(func(t *remote.SFTPTarget) { t.Root = "/no/such/root" }), &root)
	require.ErrorIs(t, root, fs.ErrNotExist)
	s.Stop()
	require.ErrorIs(t, open(func(*remote.SFTPTarget) {}), remote.ErrLine)
}

func TestALostLineIsSaidToBeOne(t *testing.T) {
	s := testbed.StartSSHD(t)
	h, err := remote.OpenSFTP(t.Context(), target(s, t.TempDir()))
	require.NoError(t, err)
	defer h.Close()
	w, err := h.Create(t.Context(), "a", 0o644)
	require.NoError(t, err)
	testbed.KillSessions(t, s)
	testbed.Eventually(t, "writing fails", func() bool { _, err = w.Write(make([]byte, 1<<16)); return err != nil })
	require.ErrorIs(t, err, remote.ErrLine)
	_, err = h.List(t.Context(), tree.Root)
	require.ErrorIs(t, err, remote.ErrLine)
}

func TestALocalRootMustBeAnAbsoluteFolder(t *testing.T) {
	var root *remote.RootError
	_, err := remote.OpenLocal("relative")
	require.ErrorAs(t, err, &root)
	_, err = remote.OpenLocal(filepath.Join(t.TempDir(), "absent"))
	require.ErrorAs(t, err, &root)
	require.ErrorIs(t, err, fs.ErrNotExist)
}

func TestAnEncryptedKeyNeedsItsPassphrase(t *testing.T) {
	s := testbed.StartSSHD(t)
	raw, err := ssh.ParseRawPrivateKey(s.Key)
	require.NoError(t, err)
	block, err := ssh.MarshalPrivateKeyWithPassphrase(raw, "", []byte("moon"))
	require.NoError(t, err)
	for passphrase, words := range map[string]string{"": "encrypted and no passphrase was given", "sun": "cannot be used", "moon": ""} {
		tg := target(s, t.TempDir())
		tg.Key, tg.Passphrase = pem.EncodeToMemory(block), []byte(passphrase)
		h, err := remote.OpenSFTP(t.Context(), tg)
		if words == "" {
			require.NoError(t, err)
			require.NoError(t, h.Close())
			continue
		}
		var signIn *remote.SignInError
		require.ErrorAs(t, err, &signIn)
		require.ErrorContains(t, err, words)
	}
}

func TestTheServicesAgentSignsIn(t *testing.T) {
	s := testbed.StartSSHD(t)
	raw, err := ssh.ParseRawPrivateKey(s.Key)
	require.NoError(t, err)
	keys := agent.NewKeyring()
	require.NoError(t, keys.Add(agent.AddedKey{PrivateKey: raw}))
	l, err := net.Listen("unix", filepath.Join(t.TempDir(), "agent"))
	require.NoError(t, err)
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() { _ = agent.ServeAgent(keys, c) }()
		}
	}()
	tg := target(s, t.TempDir())
	tg.Key, tg.Agent = nil, l.Addr().String()
	h, err := remote.OpenSFTP(t.Context(), tg)
	require.NoError(t, err)
	require.NoError(t, h.Close())
	require.NoError(t, keys.RemoveAll())
	var signIn *remote.SignInError
	_, err = remote.OpenSFTP(t.Context(), tg)
	require.ErrorAs(t, err, &signIn)
	require.ErrorContains(t, err, "none of the agent's keys")
	require.NoError(t, l.Close())
	_, err = remote.OpenSFTP(t.Context(), tg)
	require.ErrorContains(t, err, "agent does not answer")
}

// A host that falls silent with its line open does not keep a call for ever.
func TestAHostThatFallsSilentIsALostLine(t *testing.T) {
	s := testbed.StartSSHD(t)
	tg := target(s, t.TempDir())
	tg.Patience = 300 * time.Millisecond
	h, err := remote.OpenSFTP(t.Context(), tg)
	require.NoError(t, err)
	defer h.Close()
	testbed.Freeze(t, s)
	_, err = h.List(t.Context(), tree.Root)
	testbed.Thaw(t, s)
	require.ErrorIs(t, err, remote.ErrLine)
}

// Some hosts ask questions instead of taking a password.
func TestAHostThatAsksForThePassword(t *testing.T) {
	root := t.TempDir()
	testbed.Write(t, filepath.Join(root, "a"), "b")
	_, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	signer, err := ssh.NewSignerFromKey(private)
	require.NoError(t, err)
	conf := &ssh.ServerConfig{KeyboardInteractiveCallback: func(_ ssh.ConnMetadata, ask ssh.KeyboardInteractiveChallenge) (*ssh.Permissions, error) {
		answers, err := ask("", "Answer both.", []string{"Password: ", "Once more: "}, []bool{false, false})
		if err != nil || len(answers) != 2 || answers[0] != "reed" || answers[1] != "reed" {
			return nil, errors.New("no")
		}
		return nil, nil
	}}
	conf.AddHostKey(signer)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	go func() {
		for {
			raw, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				_, channels, requests, err := ssh.NewServerConn(raw, conf)
				if err != nil {
					return
				}
				go ssh.DiscardRequests(requests)
				for nc := range channels {
					ch, asked, err := nc.Accept()
					if err != nil {
						return
					}
					go func() {
						for r := range asked {
							_ = r.Reply(true, nil)
						}
					}()
					sub, err := sftp.NewServer(ch)
					if err == nil {
						_ = sub.Serve()
					}
				}
			}()
		}
	}()
	tg := remote.SFTPTarget{Host: "127.0.0.1", Port: l.Addr().(*net.TCPAddr).Port, User: "ida", Password: "reed", Root: root, HostKey: string(ssh.MarshalAuthorizedKey(signer.PublicKey()))}
	h, err := remote.OpenSFTP(t.Context(), tg)
	require.NoError(t, err)
	i, err := h.Stat(t.Context(), "a")
	require.NoError(t, errors.Join(err, h.Close()))
	require.Equal(t, int64(1), i.Size)
	tg.Password = "wrong"
	_, err = remote.OpenSFTP(t.Context(), tg)
	var refused *remote.SignInError
	require.ErrorAs(t, err, &refused)
}

// textual is a host that takes everything for text: it writes line ends its own way, and
// gives them back as they came.
type textual struct{ remote.Host }

func (h textual) Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error) {
	w, err := h.Host.Create(ctx, p, mode)
	return textWriter{w}, err
}

type textWriter struct{ io.WriteCloser }

func (w textWriter) Write(p []byte) (int, error) {
	_, err := w.WriteCloser.Write(bytes.ReplaceAll(p, []byte("\n"), []byte("\r\n")))
	return len(p), err
}

func (h textual) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	r, err := h.Host.Open(ctx, p)
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(r)
	return io.NopCloser(bytes.NewReader(bytes.ReplaceAll(raw, []byte("\r\n"), []byte("\n")))), err
}

func TestAWayInThatIsForTextAloneIsFoundOut(t *testing.T) {
	for name, clean := range map[string]bool{"as it is": true, "for text": false} {
		h, err := remote.OpenLocal(t.TempDir())
		require.NoError(t, err)
		var host remote.Host = h
		if !clean {
			host = textual{h}
		}
		f, err := remote.Probe(t.Context(), host, ".work", time.Now)
		require.NoError(t, err)
		require.Equal(t, clean, f.Clean, name)
	}
}
