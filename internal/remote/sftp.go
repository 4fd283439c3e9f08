package remote

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"os"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"

	"restlesscrate/internal/core/tree"
)

// SFTPTarget is everything needed to reach a tree over SFTP.
type SFTPTarget struct {
	Host, User string
	Port       int
	Root       string // absolute, or relative to where the user arrives
	HostKey    string // the confirmed key in authorized-keys form; empty: none yet
	Key        []byte // a private key, PEM; empty: not used
	Passphrase []byte // of Key, where it is encrypted
	Password   string
	Agent      string // the agent's socket; empty: not used
	// Patience is how long a host may answer nothing before its line counts as
	// lost; 0 is half a minute.
	Patience time.Duration
}

// dialTimeout bounds connecting and signing in.
const dialTimeout = 20 * time.Second

// OpenSFTP connects, checks the host's key, signs in and looks at the root.
// Errors are a *[HostKeyError], *[SignInError], *[RootError], or wrap [ErrLine].
func OpenSFTP(ctx context.Context, t SFTPTarget) (*SFTP, error) {
	c, err := dialSFTP(ctx, t)
	if err != nil {
		return nil, err
	}
	s := &SFTP{t: t, root: t.Root}
	s.conns = s.connections(c)
	asked := time.Now()
	fi, err := c.Stat(s.root)
	s.trip = time.Since(asked)
	if err != nil || !fi.IsDir() {
		if err == nil {
			err = errors.New("it is not a folder")
		}
		return nil, errors.Join(&RootError{Root: t.Root, Err: s.plain(err)}, s.Close())
	}
	return s, nil
}

// dialSFTP opens one connection and signs in.
func dialSFTP(ctx context.Context, t SFTPTarget) (*sftpConn, error) {
	auth, closeAuth, err := t.auth()
	if err != nil {
		return nil, &SignInError{User: t.User, Err: err}
	}
	defer closeAuth()
	var keyErr *HostKeyError
	greeted := false
	conf := &ssh.ClientConfig{User: t.User, Auth: auth, Timeout: dialTimeout, HostKeyCallback: func(_ string, _ net.Addr, key ssh.PublicKey) error {
		keyErr = checkKey(t.HostKey, key)
		if keyErr != nil {
			return keyErr
		}
		greeted = true
		return nil
	}}
	conf.HostKeyAlgorithms = algorithmsOf(t.HostKey)
	addr := net.JoinHostPort(t.Host, strconv.Itoa(t.Port))
	d := net.Dialer{Timeout: dialTimeout, KeepAlive: 15 * time.Second}
	conn, err := d.DialContext(ctx, "tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrLine, err)
	}
	if err := conn.SetDeadline(time.Now().Add(dialTimeout)); err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	stop := context.AfterFunc(ctx, func() { conn.Close() }) // a host that says nothing is not waited for longer than the caller
	sc, chans, reqs, err := ssh.NewClientConn(conn, addr, conf)
	if !stop() && err == nil {
		err = errors.Join(ctx.Err(), sc.Close())
	}
	if err != nil {
		conn.Close()
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case keyErr != nil:
			return nil, keyErr
		case greeted && !lostLine(err):
			// Hosts refuse in many ways, some of them by breaking the protocol.
			return nil, &SignInError{User: t.User, Err: errors.New(t.tried())}
		}
		return nil, fmt.Errorf("%w: %v", ErrLine, err)
	}
	if err := conn.SetDeadline(time.Time{}); err != nil {
		return nil, errors.Join(err, sc.Close())
	}
	client := ssh.NewClient(sc, chans, reqs)
	out := &sftpConn{ssh: client, keeps: strings.HasPrefix(string(sc.ServerVersion()), "SSH-2.0-OpenSSH")}
	if err := out.begin(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("%w: the host gives no SFTP: %v", ErrLine, err), client.Close())
	}
	go func() {
		_ = out.ssh.Wait() // returns when the connection is over; why is told to who uses it
		out.over.Store(true)
	}()
	go out.listen(cmp.Or(t.Patience, 30*time.Second))
	return out, nil
}

// begin starts the protocol on the connection, within the time that connecting may
// take.
func (c *sftpConn) begin(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, dialTimeout)
	defer cancel()
	stop := context.AfterFunc(ctx, func() { _ = c.ssh.Close() })
	defer stop()
	session, err := c.ssh.NewSession()
	if err != nil {
		return err
	}
	if err := session.RequestSubsystem("sftp"); err != nil {
		return err
	}
	in, err := session.StdinPipe()
	if err != nil {
		return err
	}
	outPipe, err := session.StdoutPipe()
	if err != nil {
		return err
	}
	c.heard = newHeard(outPipe)
	c.Client, err = sftp.NewClientPipe(c.heard, in, sftp.UseConcurrentWrites(true), sftp.MaxConcurrentRequestsPerFile(64))
	if err == nil && ctx.Err() != nil {
		err = ctx.Err()
	}
	return err
}

// lostLine tells whether an error is the network's and not the host's answer.
func lostLine(err error) bool {
	var ne net.Error
	return errors.As(err, &ne) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
}

func (s *SFTP) name(p tree.Path) string { return path.Join(s.root, string(p)) }

var errLost = fmt.Errorf("%w: the line to the host was lost", ErrLine)

// isLost tells whether an error means that a connection is gone.
func isLost(err error) bool {
	return errors.Is(err, sftp.ErrSSHFxConnectionLost) || lostLine(err) || errors.Is(err, net.ErrClosed) || errors.Is(err, io.ErrClosedPipe) || errors.Is(err, ErrLine)
}

// plain turns the protocol's errors into those of [Host].
func (s *SFTP) plain(err error) error {
	switch {
	case err == nil:
		return nil
	case isLost(err):
		return errLost
	case errors.Is(err, fs.ErrNotExist):
		return fs.ErrNotExist
	case errors.Is(err, fs.ErrPermission):
		return fs.ErrPermission
	}
	return err
}

// ask makes one call. Where the context ends before the answer is there, it returns
// early: the protocol has no way to take a request back, so what the host does with
// it is unknown, and the connection, which others use, goes on. A call that gets no
// answer for too long is the connection's end.
func ask[T any](ctx context.Context, s *SFTP, what string, p tree.Path, call func(c *sftpConn) (T, error)) (T, error) {
	var nothing T
	if err := ctx.Err(); err != nil {
		return nothing, err
	}
	l, err := s.borrow(ctx)
	if err != nil {
		return nothing, fmt.Errorf("%s %s: %w", what, p, err)
	}
	c := l.Conn
	type answer struct {
		value T
		err   error
	}
	answered := make(chan answer, 1)
	go func() {
		c.waits(1)
		v, err := call(c)
		c.waits(-1)
		l.Return(isLost(err))
		answered <- answer{v, err}
	}()
	late := time.NewTimer(callTime)
	defer late.Stop()
	for {
		select {
		case a := <-answered:
			if a.err != nil {
				return nothing, fmt.Errorf("%s %s: %w", what, p, s.plain(a.err))
			}
			return a.value, nil
		case <-ctx.Done():
			return nothing, ctx.Err()
		case <-late.C:
			_ = c.Close() // the call ends with it
		}
	}
}

// callTime is how long one call may take that is neither reading nor writing.
const callTime = 5 * time.Minute

// op is ask for calls that give nothing but an error.
func (s *SFTP) op(ctx context.Context, what string, p tree.Path, call func(c *sftpConn) error) error {
	_, err := ask(ctx, s, what, p, func(c *sftpConn) (struct{}, error) { return struct{}{}, call(c) })
	return err
}

// List implements [Host].
func (s *SFTP) List(ctx context.Context, folder tree.Path) ([]Info, error) {
	return ask(ctx, s, "list", folder, func(c *sftpConn) (out []Info, err error) {
		l, err := c.lists()
		if err != nil {
			return nil, err
		}
		if l != nil {
			out, err = l.list(ctx, s.name(folder))
			var refused *refusedError
			if !errors.As(err, &refused) {
				return out, err
			}
			out = nil // it may have too many folders open; one after the other it may go
		}
		list, err := c.listing(ctx, s.name(folder))
		for _, fi := range list {
			out = append(out, infoOf(fi))
		}
		return out, err
	})
}

// longestSmall is how long a file may be that is read whole in one piece, in bytes: what OpenSSH
// gives in one answer.
const longestSmall = 32 << 10

// ReadSmall reads a whole file of which it is known how long it is, in fewer round trips than
// [SFTP.Open] takes. ok is false where that cannot be done: then it is opened.
func (s *SFTP) ReadSmall(ctx context.Context, p tree.Path, size int64) (raw []byte, ok bool, err error) {
	if size > longestSmall {
		return nil, false, nil
	}
	type read struct {
		raw []byte
		ok  bool
	}
	r, err := ask(ctx, s, "read", p, func(c *sftpConn) (r read, err error) {
		l, err := c.lists()
		if err != nil || l == nil {
			return r, err
		}
		r.raw, r.ok, err = l.small(ctx, s.name(p), size)
		var refused *refusedError
		if errors.As(err, &refused) {
			return read{}, nil
		}
		return r, err
	})
	return r.raw, r.ok, err
}

// Stat implements [Host].
func (s *SFTP) Stat(ctx context.Context, p tree.Path) (Info, error) {
	return ask(ctx, s, "look at", p, func(c *sftpConn) (Info, error) {
		fi, err := c.Lstat(s.name(p))
		if errors.Is(err, fs.ErrNotExist) {
			return Info{Name: p.Base(), Being: tree.Absent}, nil
		}
		if err != nil {
			return Info{}, err
		}
		return infoOf(fi), nil
	})
}

// StatAll implements [Host]: by one listing of each folder of which several
// things are asked, else every question before the first answer is waited for.
func (s *SFTP) StatAll(ctx context.Context, paths []tree.Path) ([]Info, error) {
	return statMixed(ctx, s, paths)
}

// Open implements [Host].
func (s *SFTP) Open(ctx context.Context, p tree.Path) (rc io.ReadCloser, err error) {
	return s.OpenFrom(ctx, p, 0)
}

// OpenFrom implements [Host].
func (s *SFTP) OpenFrom(ctx context.Context, p tree.Path, from int64) (io.ReadCloser, error) {
	f, err := s.opened(ctx, "open", p, func(c *sftpConn) (*sftp.File, error) {
		f, err := c.Open(s.name(p))
		return from0(f, from, err)
	})
	if err != nil {
		return nil, err
	}
	return f, nil
}

// Create implements [Host].
func (s *SFTP) Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error) {
	f, err := s.opened(ctx, "write", p, func(c *sftpConn) (*sftp.File, error) {
		f, err := c.Create(s.name(p))
		if err == nil && mode != 0 {
			if err := f.Chmod(fs.FileMode(mode)); err != nil {
				return nil, errors.Join(err, f.Close())
			}
		}
		return f, err
	})
	if err != nil {
		return nil, err
	}
	return f, nil
}

// Continue implements [Host].
func (s *SFTP) Continue(ctx context.Context, p tree.Path, from int64) (io.WriteCloser, error) {
	f, err := s.opened(ctx, "write on", p, func(c *sftpConn) (*sftp.File, error) {
		f, err := c.OpenFile(s.name(p), os.O_WRONLY)
		return from0(f, from, err)
	})
	if err != nil {
		return nil, err
	}
	return f, nil
}

// from0 puts an open file to an offset.
func from0(f *sftp.File, from int64, err error) (*sftp.File, error) {
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(from, io.SeekStart); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// opened opens a file. Its connection is busy until it is closed; where nobody waits
// for it any more, it is closed as soon as it is there.
func (s *SFTP) opened(ctx context.Context, what string, p tree.Path, open func(c *sftpConn) (*sftp.File, error)) (*sftpFile, error) {
	wanted := make(chan bool, 1)
	f, err := ask(ctx, s, what, p, func(c *sftpConn) (*sftpFile, error) {
		f, err := open(c)
		if err != nil {
			return nil, err
		}
		out := &sftpFile{ctx: ctx, File: f, s: s, l: s.conns.Hold(c), p: p}
		go func() {
			if !<-wanted {
				_ = out.Close() // nobody is there to be told
			}
		}()
		return out, nil
	})
	wanted <- err == nil
	return f, err
}

// Free implements [Host].
func (s *SFTP) Free(ctx context.Context) (int64, error) {
	return ask(ctx, s, "ask for free space at", tree.Root, func(c *sftpConn) (int64, error) {
		if _, ok := c.HasExtension("statvfs@openssh.com"); !ok {
			return -1, nil
		}
		st, err := c.StatVFS(s.root)
		if err != nil {
			return 0, err
		}
		return int64(st.Bavail * st.Frsize), nil
	})
}
