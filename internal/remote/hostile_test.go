package remote_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// evilHost opens a folder in which a hostile SFTP subsystem misbehaves.
func evilHost(t *testing.T, mode string, patience time.Duration) *remote.SFTP {
	t.Helper()
	s := testbed.StartEvilSSHD(t)
	root := filepath.Join(t.TempDir(), "evil", mode)
	testbed.Write(t, filepath.Join(root, "inside/ten.bin"), "0123456789")
	tg := target(s, root)
	tg.Patience = patience
	h, err := remote.OpenSFTP(t.Context(), tg)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, h.Close()) })
	return h
}

// heap is how much memory is in use.
func heap() uint64 {
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

func TestAHostMaySayAnyName(t *testing.T) {
	h := evilHost(t, "names", 0)
	list, err := h.List(t.Context(), tree.Root)
	require.NoError(t, err)
	for _, i := range list {
		if i.Being == tree.Foreign {
			continue
		}
		p, err := tree.ParsePath(i.Name)
		require.NoError(t, err)
		require.Equal(t, 1, p.Depth(), "%q stands in the folder itself", i.Name)
	}
	require.Greater(t, len(list), 15)
}

func TestAListingWithoutEndEnds(t *testing.T) {
	h := evilHost(t, "endlist", 0)
	before := heap()
	_, err := h.List(t.Context(), tree.Root)
	require.ErrorContains(t, err, "its listing does not end")
	require.Less(t, int64(heap()-before), int64(64<<20))
	i, err := h.Stat(t.Context(), "inside")
	require.NoError(t, err, "and the connection goes on")
	require.Equal(t, tree.Folder, i.Being)
}

func TestAVeryLongNameIsNoName(t *testing.T) {
	h := evilHost(t, "bigname", 0)
	list, err := h.List(t.Context(), tree.Root)
	if err != nil { // it was too long to be a packet of the protocol
		require.ErrorIs(t, err, remote.ErrLine)
	}
	for _, i := range list {
		require.Less(t, len(i.Name), 2000)
	}
}

// A subsystem that says nothing while the SSH server answers keepalives is given up,
// and whoever does not want to wait does not.
func TestASilentSubsystemIsALostLine(t *testing.T) {
	h := evilHost(t, "silent", 2*time.Second)
	ctx, cancel := context.WithCancel(t.Context())
	gone := make(chan error, 1)
	go func() { _, err := h.List(ctx, tree.Root); gone <- err }()
	cancel()
	select {
	case err := <-gone:
		require.ErrorIs(t, err, context.Canceled)
	case <-time.After(20 * time.Second):
		t.Fatal("a call that is given up goes on")
	}
	_, err := h.List(t.Context(), tree.Root)
	require.ErrorIs(t, err, remote.ErrLine)
}

// One who leaves does not cut the line for the others.
func TestWhoLeavesLeavesTheOthersTheirLine(t *testing.T) {
	s := testbed.StartSSHD(t)
	root := t.TempDir()
	big := strings.Repeat("harbour ", 4<<20)
	testbed.Write(t, filepath.Join(root, "big"), big)
	h, err := remote.OpenSFTP(t.Context(), target(s, root))
	require.NoError(t, err)
	defer h.Close()
	stays, err := h.Open(t.Context(), "big")
	require.NoError(t, err)
	head := make([]byte, 1<<20)
	_, err = io.ReadFull(stays, head)
	require.NoError(t, err)
	for _, leave := range []func(ctx context.Context, cancel func()){
		func(ctx context.Context, cancel func()) { // in the middle of reading
			f, err := h.Open(ctx, "big")
			require.NoError(t, err)
			_, err = io.CopyN(io.Discard, f, 100_000)
			require.NoError(t, err)
			cancel()
			_, err = io.Copy(io.Discard, f)
			require.ErrorIs(t, err, context.Canceled)
			require.ErrorIs(t, f.Close(), context.Canceled)
		},
		func(ctx context.Context, cancel func()) { // in the middle of writing
			f, err := h.Create(ctx, "half", 0)
			require.NoError(t, err)
			_, err = io.Copy(f, io.MultiReader(strings.NewReader(big[:1<<20]), callback(cancel), strings.NewReader(big)))
			require.ErrorIs(t, err, context.Canceled)
			require.Error(t, f.Close())
		},
		func(ctx context.Context, cancel func()) { // while a call is under way
			testbed.Freeze(t, s)
			gone := make(chan error, 1)
			go func() { _, err := h.Stat(ctx, "big"); gone <- err }()
			cancel()
			require.ErrorIs(t, <-gone, context.Canceled)
			testbed.Thaw(t, s)
		},
	} {
		ctx, cancel := context.WithCancel(t.Context())
		leave(ctx, cancel)
		cancel()
	}
	rest, err := io.ReadAll(stays)
	require.NoError(t, err)
	require.NoError(t, stays.Close())
	require.Equal(t, big, string(head)+string(rest))
	require.Equal(t, 1, h.Connections())
}

// callback is a reader that only calls something.
func callback(do func()) io.Reader {
	return readerFunc(func([]byte) (int, error) { do(); return 0, io.EOF })
}

type readerFunc func([]byte) (int, error)

func (f readerFunc) Read(p []byte) (int, error) { return f(p) }

// scripted is an FTP server that answers as do says; one that answers nothing closes.
func scripted(t *testing.T, do func(verb string, say func(string, ...any)) bool) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				say := func(format string, args ...any) { fmt.Fprintf(c, format+"\r\n", args...) }
				if !do("", say) {
					return
				}
				for lines := bufio.NewScanner(c); lines.Scan(); {
					verb, _, _ := strings.Cut(lines.Text(), " ")
					if !do(strings.ToUpper(verb), say) {
						return
					}
				}
			}()
		}
	}()
	return l.Addr().(*net.TCPAddr).Port
}

// ordinary answers what every session begins with.
func ordinary(verb string, say func(string, ...any)) bool {
	switch verb {
	case "":
		say("220 welcome")
	case "USER":
		say("331 who")
	case "PASS":
		say("230 in")
	case "CWD":
		say("250 there")
	case "TYPE", "OPTS", "NOOP":
		say("200 fine")
	case "FEAT":
		say("211-features\r\n MLST type*;size*;modify*;\r\n211 end")
	case "PWD":
		say(`257 "/"`)
	case "QUIT":
		say("221 bye")
		return false
	default:
		say("502 what")
	}
	return true
}

func openScripted(t *testing.T, port int) (*remote.FTP, error) {
	t.Helper()
	return remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: port, User: "ann", Password: "x", Root: "/"})
}

func TestAnFTPServerThatNeverEnds(t *testing.T) {
	forEver := func(say func(string, ...any), line string) bool {
		for range 200_000 { // some 20 MB, and no end
			say(line)
		}
		return false
	}
	before := heap()
	for name, do := range map[string]func(verb string, say func(string, ...any)) bool{
		"a greeting": func(_ string, say func(string, ...any)) bool { return forEver(say, "220-"+strings.Repeat("x", 100)) },
		"a reply": func(verb string, say func(string, ...any)) bool {
			if verb == "PWD" {
				return forEver(say, "257-"+strings.Repeat("x", 100))
			}
			return ordinary(verb, say)
		},
		"features": func(verb string, say func(string, ...any)) bool {
			if verb == "FEAT" {
				return forEver(say, "211-"+strings.Repeat("x", 100))
			}
			return ordinary(verb, say)
		},
	} {
		_, err := openScripted(t, scripted(t, do))
		require.Error(t, err, name)
	}
	require.Less(t, int64(heap())-int64(before), int64(16<<20))
}

// listener is where a hostile server would have the service connect to.
func listener(t *testing.T) (port int, asked func() bool) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.2:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	came := make(chan struct{}, 8)
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			c.Close()
			came <- struct{}{}
		}
	}()
	return l.Addr().(*net.TCPAddr).Port, func() bool { return len(came) > 0 }
}

func TestAPassiveAddressThatPointsElsewhereIsNotFollowed(t *testing.T) {
	elsewhere, asked := listener(t)
	port := scripted(t, func(verb string, say func(string, ...any)) bool {
		switch verb {
		case "EPSV":
			say("502 no")
			return true
		case "PASV":
			say("227 Entering Passive Mode (127,0,0,2,%d,%d)", elsewhere>>8, elsewhere&255)
			return true
		}
		return ordinary(verb, say)
	})
	h, err := openScripted(t, port)
	require.NoError(t, err)
	defer h.Close()
	_, err = h.List(t.Context(), tree.Root)
	require.Error(t, err)
	require.False(t, asked(), "nobody but the host is connected to")
}

func TestAnFTPListingWithoutEndEnds(t *testing.T) {
	data, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer data.Close()
	go func() {
		for {
			c, err := data.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				w := bufio.NewWriter(c)
				for i := 0; ; i++ {
					if _, err := fmt.Fprintf(w, "type=file;size=1;modify=20260101000000; file-%09d.bin\r\n", i); err != nil {
						return
					}
				}
			}()
		}
	}()
	port := scripted(t, func(verb string, say func(string, ...any)) bool {
		switch verb {
		case "EPSV":
			say("229 Entering Extended Passive Mode (|||%d|)", data.Addr().(*net.TCPAddr).Port)
			return true
		case "MLSD":
			say("150 here it comes")
			return true
		}
		return ordinary(verb, say)
	})
	h, err := openScripted(t, port)
	require.NoError(t, err)
	defer h.Close()
	before := heap()
	_, err = h.List(t.Context(), tree.Root)
	require.ErrorContains(t, err, "its listing does not end")
	require.Less(t, int64(heap())-int64(before), int64(64<<20))
}
