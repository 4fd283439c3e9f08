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
	s := &SFTP{t: t, root: t.Root, conns: []*sftpConn{c}, most: mostSFTP}
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
	sc, chans, reqs, err := ssh.NewClientConn(conn, addr, conf)
	if err != nil {
		conn.Close()
		switch {
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
	c, err := sftp.NewClient(client, sftp.UseConcurrentWrites(true), sftp.MaxConcurrentRequestsPerFile(64))
	if err != nil {
		return nil, errors.Join(fmt.Errorf("%w: the host gives no SFTP: %v", ErrLine, err), client.Close())
	}
	out := &sftpConn{Client: c, ssh: client, keeps: strings.HasPrefix(string(sc.ServerVersion()), "SSH-2.0-OpenSSH")}
	go out.listen(cmp.Or(t.Patience, 30*time.Second))
	return out, nil
}

// listen asks now and then whether the host is still there, and ends the
// connection when it does not answer: a line that was cut without a word would
// keep calls waiting for a quarter of an hour. It returns with the connection.
func (c *sftpConn) listen(patience time.Duration) {
	for {
		answered := make(chan error, 1)
		go func() {
			// Any answer will do, also that the request is not known.
			_, _, err := c.ssh.SendRequest("keepalive@openssh.com", true, nil)
			answered <- err
		}()
		silent := time.NewTimer(patience)
		select {
		case err := <-answered:
			silent.Stop()
			if err != nil {
				return // the connection is over
			}
			time.Sleep(patience / 2)
		case <-silent.C:
			_ = c.Close()
			return
		}
	}
}

// lostLine tells whether an error is the network's and not the host's answer.
func lostLine(err error) bool {
	var ne net.Error
	return errors.As(err, &ne) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
}

func (s *SFTP) name(p tree.Path) string { return path.Join(s.root, string(p)) }

var errLost = fmt.Errorf("%w: the line to the host was lost", ErrLine)

// lost tells whether an error means that a connection is gone.
func lost(err error) bool {
	return errors.Is(err, sftp.ErrSSHFxConnectionLost) || lostLine(err) || errors.Is(err, net.ErrClosed) || errors.Is(err, io.ErrClosedPipe) || errors.Is(err, ErrLine)
}

// plain turns the protocol's errors into those of [Host].
func (s *SFTP) plain(err error) error {
	switch {
	case err == nil:
		return nil
	case lost(err):
		return errLost
	case errors.Is(err, fs.ErrNotExist):
		return fs.ErrNotExist
	case errors.Is(err, fs.ErrPermission):
		return fs.ErrPermission
	}
	return err
}

// op runs one call, and cuts the line if the context ends while it runs: the
// protocol has no way to take a request back.
func (s *SFTP) op(ctx context.Context, what string, p tree.Path, call func(c *sftpConn) error) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	c, err := s.take()
	if err != nil {
		return fmt.Errorf("%s %s: %w", what, p, err)
	}
	stop := context.AfterFunc(ctx, func() { c.Close() })
	err = call(c)
	stop()
	s.give(c, err)
	if err != nil {
		return fmt.Errorf("%s %s: %w", what, p, s.plain(err))
	}
	return nil
}

// List implements [Host].
func (s *SFTP) List(ctx context.Context, folder tree.Path) (out []Info, err error) {
	err = s.op(ctx, "list", folder, func(c *sftpConn) error {
		list, err := c.ReadDirContext(ctx, s.name(folder))
		for _, fi := range list {
			out = append(out, infoOf(fi))
		}
		return err
	})
	return out, err
}

// Stat implements [Host].
func (s *SFTP) Stat(ctx context.Context, p tree.Path) (i Info, err error) {
	err = s.op(ctx, "look at", p, func(c *sftpConn) error {
		fi, err := c.Lstat(s.name(p))
		if errors.Is(err, fs.ErrNotExist) {
			i = Info{Name: p.Base(), Being: tree.Absent}
			return nil
		}
		if err == nil {
			i = infoOf(fi)
		}
		return err
	})
	return i, err
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
func (s *SFTP) OpenFrom(ctx context.Context, p tree.Path, from int64) (rc io.ReadCloser, err error) {
	err = s.op(ctx, "open", p, func(c *sftpConn) error {
		f, err := c.Open(s.name(p))
		if err != nil {
			return err
		}
		if _, err := f.Seek(from, io.SeekStart); err != nil {
			return errors.Join(err, f.Close())
		}
		rc = s.file(ctx, c, f, p)
		return nil
	})
	return rc, err
}

// Create implements [Host].
func (s *SFTP) Create(ctx context.Context, p tree.Path, mode uint32) (wc io.WriteCloser, err error) {
	err = s.op(ctx, "write", p, func(c *sftpConn) error {
		f, err := c.Create(s.name(p))
		if err != nil {
			return err
		}
		if mode != 0 {
			if err := f.Chmod(fs.FileMode(mode)); err != nil {
				return errors.Join(err, f.Close())
			}
		}
		wc = s.file(ctx, c, f, p)
		return nil
	})
	return wc, err
}

// Continue implements [Host].
func (s *SFTP) Continue(ctx context.Context, p tree.Path, from int64) (wc io.WriteCloser, err error) {
	err = s.op(ctx, "write on", p, func(c *sftpConn) error {
		f, err := c.OpenFile(s.name(p), os.O_WRONLY)
		if err != nil {
			return err
		}
		if _, err := f.Seek(from, io.SeekStart); err != nil {
			return errors.Join(err, f.Close())
		}
		wc = s.file(ctx, c, f, p)
		return nil
	})
	return wc, err
}

// sftpFile translates errors of reading and writing.
type sftpFile struct {
	*sftp.File
	s    *SFTP
	c    *sftpConn
	p    tree.Path
	stop func() bool
	err  error // the first
}

// file is an open file; its connection is busy until it is closed.
func (s *SFTP) file(ctx context.Context, c *sftpConn, f *sftp.File, p tree.Path) *sftpFile {
	c.busy.Add(1)
	return &sftpFile{File: f, s: s, c: c, p: p, stop: context.AfterFunc(ctx, func() { c.Close() })}
}

func (f *sftpFile) wrap(what string, err error) error {
	if err == nil || err == io.EOF {
		return err
	}
	if f.err == nil {
		f.err = err
	}
	return fmt.Errorf("%s %s: %w", what, f.p, f.s.plain(err))
}

func (f *sftpFile) Read(p []byte) (int, error) {
	n, err := f.File.Read(p)
	return n, f.wrap("read", err)
}

func (f *sftpFile) Write(p []byte) (int, error) {
	n, err := f.File.Write(p)
	return n, f.wrap("write", notWritten(err))
}

// WriteTo reads many packets at a time.
func (f *sftpFile) WriteTo(w io.Writer) (int64, error) {
	n, err := f.File.WriteTo(w)
	return n, f.wrap("read", err)
}

// ReadFrom sends many packets at a time; plain writes would wait for each.
func (f *sftpFile) ReadFrom(r io.Reader) (int64, error) {
	size := int64(-1)
	if l, ok := r.(*io.LimitedReader); ok {
		size = l.N
	}
	n, err := f.File.ReadFrom(&counted{Reader: r, size: size, f: &f.s.flow})
	return n, f.wrap("write", notWritten(err))
}

// notWritten explains the one word with which OpenSSH fails to write; other servers
// say more. Errors of what is read to be sent are not the server's.
func notWritten(err error) error {
	var said *sftp.StatusError
	switch {
	case !errors.As(err, &said) || said.FxCode() != sftp.ErrSSHFxFailure:
		return err
	case strings.Contains(said.Error(), `"Failure"`):
		return errMaybeFull
	}
	return fmt.Errorf("%w: %v", ErrNotWritten, err)
}

func (f *sftpFile) Close() error {
	f.stop()
	err := f.wrap("close", f.File.Close())
	f.s.give(f.c, f.err)
	return err
}

// Rename implements [Host]. The protocol's own rename (version 3) does not
// replace, and OpenSSH keeps to that; other servers that do not are caught by
// the look before it.
func (s *SFTP) Rename(ctx context.Context, from, to tree.Path) error {
	return s.op(ctx, "rename "+from.String()+" to", to, func(c *sftpConn) error {
		if !c.keeps {
			if _, err := c.Lstat(s.name(to)); err == nil {
				return fs.ErrExist
			} else if !errors.Is(err, fs.ErrNotExist) {
				return err
			}
		}
		err := c.Rename(s.name(from), s.name(to))
		if err == nil || errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return c.unlessThere(s.name(to), err)
	})
}

// Replace implements [Host]: by OpenSSH's posix-rename where it is offered.
func (s *SFTP) Replace(ctx context.Context, from, to tree.Path) error {
	return s.op(ctx, "rename "+from.String()+" over", to, func(c *sftpConn) error {
		if _, ok := c.HasExtension("posix-rename@openssh.com"); ok {
			return c.PosixRename(s.name(from), s.name(to))
		}
		return c.Rename(s.name(from), s.name(to))
	})
}

// MakeFolder implements [Host].
func (s *SFTP) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	return s.op(ctx, "make folder", p, func(c *sftpConn) error {
		if err := c.Mkdir(s.name(p)); err != nil {
			return c.unlessThere(s.name(p), err)
		}
		if mode == 0 {
			return nil
		}
		return c.Chmod(s.name(p), fs.FileMode(mode))
	})
}

// RemoveFile implements [Host].
func (s *SFTP) RemoveFile(ctx context.Context, p tree.Path) error {
	return s.op(ctx, "remove", p, func(c *sftpConn) error {
		return c.Remove(s.name(p))
	})
}

// RemoveFolder implements [Host].
func (s *SFTP) RemoveFolder(ctx context.Context, p tree.Path) error {
	return s.op(ctx, "remove folder", p, func(c *sftpConn) error {
		err := c.RemoveDirectory(s.name(p))
		if err == nil || errors.Is(err, fs.ErrNotExist) {
			return err
		}
		list, look := c.ReadDirContext(ctx, s.name(p))
		switch {
		case look != nil && lost(look):
			return look
		case len(list) > 0:
			return ErrNotEmpty
		}
		return err
	})
}

// SetMode implements [Host].
func (s *SFTP) SetMode(ctx context.Context, p tree.Path, mode uint32) error {
	if mode == 0 {
		return ctx.Err()
	}
	return s.op(ctx, "set the mode of", p, func(c *sftpConn) error { return c.Chmod(s.name(p), fs.FileMode(mode)) })
}

// Free implements [Host].
func (s *SFTP) Free(ctx context.Context) (free int64, err error) {
	err = s.op(ctx, "ask for free space at", tree.Root, func(c *sftpConn) error {
		if _, ok := c.HasExtension("statvfs@openssh.com"); !ok {
			free = -1
			return nil
		}
		st, err := c.StatVFS(s.root)
		if err == nil {
			free = int64(st.Bavail * st.Frsize)
		}
		return err
	})
	return free, err
}
