package remote

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/textproto"
	"path"
	"strings"
	"time"

	"github.com/jlaffaye/ftp"

	"restlesscrate/internal/core/tree"
)

func (f *FTP) name(p tree.Path) string { return path.Join(f.root, string(p)) }

// op runs calls on a connection of its own, and cuts that if the context ends.
func (f *FTP) op(ctx context.Context, what string, p tree.Path, call func(c *ftpConn) error) error {
	l, err := f.takeFor(ctx, what, p)
	if err != nil {
		return err
	}
	c := l.Conn
	stop := context.AfterFunc(ctx, func() { c.raw.Close() })
	late := time.AfterFunc(callTime, func() { c.raw.Close() }) // it goes on saying something, and never ends
	err = call(c)
	late.Stop()
	cut := !stop()
	l.Return(cut || ftpBroken(err) && !plainError(err))
	switch {
	case err == nil:
		return nil
	case errors.Is(err, errEndless) || c.endless.Load():
		return fmt.Errorf("%s %s: %w", what, p, errEndless)
	case cut:
		return ctx.Err()
	case plainError(err):
		return fmt.Errorf("%s %s: %w", what, p, err)
	}
	return fmt.Errorf("%s %s: %w", what, p, ftpPlain(err))
}

// takeFor is [FTP.take] for a path that can be told to the server.
func (f *FTP) takeFor(ctx context.Context, what string, p tree.Path) (lent, error) {
	if strings.ContainsAny(string(p), "\r\n") {
		return nil, fmt.Errorf("%s %q: a name with a line break cannot be told to an FTP server", what, p)
	}
	return f.borrow(ctx)
}

// plainError tells errors that are [Host]'s already, after which a connection
// can be used further.
func plainError(err error) bool {
	return errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrExist) || errors.Is(err, fs.ErrPermission) || errors.Is(err, ErrNotEmpty) || errors.Is(err, ErrNotWritten) || errors.Is(err, errNotFile) || errors.Is(err, errNoSum)
}

var errNotFile = errors.New("it is a folder")

// refused tells whether the server said no to what it was asked, and the
// connection is as before.
func refused(err error) bool {
	var said *textproto.Error
	// 450 to 452 are about the file or the room for it; other answers below 500
	// are about the line.
	return errors.As(err, &said) && (said.Code >= 500 && said.Code != ftp.StatusNotLoggedIn || said.Code >= 450 && said.Code <= 452)
}

// unknown tells whether the server does not know what it was asked to do.
func unknown(err error) bool {
	var said *textproto.Error
	return errors.As(err, &said) && said.Code >= 500 && said.Code <= 504
}

// List implements [Host].
func (f *FTP) List(ctx context.Context, folder tree.Path) (out []Info, err error) {
	err = f.op(ctx, "list", folder, func(c *ftpConn) error {
		out, err = f.list(c, folder)
		return err
	})
	return out, err
}

// list enters the folder first: many servers give an empty listing for one
// that is not there, and take a name that begins with a dash for an option.
func (f *FTP) list(c *ftpConn, folder tree.Path) ([]Info, error) {
	if err := c.ChangeDir(f.name(folder)); err != nil {
		if refused(err) {
			return nil, fs.ErrNotExist
		}
		return nil, err
	}
	c.listing.Store(true)
	entries, err := c.ServerConn.List("")
	c.listing.Store(false)
	if err != nil {
		return nil, err
	}
	if len(entries) > mostEntries {
		return nil, fmt.Errorf("%w: it has more than %d entries", errEndless, mostEntries)
	}
	var out []Info
	for _, e := range entries {
		if e.Name == "." || e.Name == ".." {
			continue
		}
		out = append(out, ftpInfo(e))
	}
	return out, nil
}

func ftpInfo(e *ftp.Entry) Info {
	i := Info{Name: e.Name, Modified: e.Time.UnixMilli()}
	switch e.Type {
	case ftp.EntryTypeFolder:
		i.Being = tree.Folder
	case ftp.EntryTypeFile:
		i.Being, i.Size = tree.Content, int64(e.Size)
	default:
		i.Being = tree.Foreign
	}
	i.checkName()
	return i
}

// Stat implements [Host]. Sizes and times come from the same listing as those
// of [FTP.List], so that they can be compared.
func (f *FTP) Stat(ctx context.Context, p tree.Path) (i Info, err error) {
	if p == tree.Root { // it was entered when the host was opened
		err = f.op(ctx, "look at", p, func(c *ftpConn) error { return c.NoOp() })
		return Info{Being: tree.Folder}, err
	}
	err = f.op(ctx, "look at", p, func(c *ftpConn) error {
		i, err = f.stat(c, p)
		return err
	})
	return i, err
}

// StatAll implements [Host]: by one listing of each folder.
func (f *FTP) StatAll(ctx context.Context, paths []tree.Path) ([]Info, error) {
	return statByListing(ctx, f, paths)
}

// InFlight implements [Host]: a connection does one thing at a time.
func (f *FTP) InFlight() int { return f.t.Connections }

func (f *FTP) stat(c *ftpConn, p tree.Path) (Info, error) {
	if p == tree.Root { // it is in no listing, and was entered when the host was opened
		return Info{Being: tree.Folder}, nil
	}
	list, err := f.list(c, p.Dir())
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Info{}, err
	}
	for _, i := range list {
		if i.Name == p.Base() {
			return i, nil
		}
	}
	return Info{Name: p.Base(), Being: tree.Absent}, nil
}

// why finds out what a refusal meant: the protocol has one code for all.
func (f *FTP) why(c *ftpConn, p tree.Path, err error) error {
	if !refused(err) {
		return err
	}
	i, look := f.stat(c, p)
	switch {
	case look != nil:
		return look
	case i.Being == tree.Absent:
		return fs.ErrNotExist
	}
	return fmt.Errorf("%w: %v", fs.ErrPermission, ftpPlain(err))
}

// notStored tells of a file that could not be stored for the server's own trouble or its
// room: the answers are those of RFC 959, 4.2.2. It is nil for any other refusal.
func notStored(err error) error {
	var said *textproto.Error
	if errors.As(err, &said) && (said.Code == 451 || said.Code == 452 || said.Code == 552) {
		return fmt.Errorf("%w: %v", errMaybeFull, ftpPlain(err))
	}
	return nil
}

// Open implements [Host].
func (f *FTP) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	return f.OpenFrom(ctx, p, 0)
}

// OpenFrom implements [Host].
func (f *FTP) OpenFrom(ctx context.Context, p tree.Path, from int64) (io.ReadCloser, error) {
	l, err := f.takeFor(ctx, "open", p)
	if err != nil {
		return nil, err
	}
	c := l.Conn
	stop := context.AfterFunc(ctx, func() { c.raw.Close() })
	res, err := c.RetrFrom(f.name(p), uint64(from))
	why := f.why(c, p, err)
	if errors.Is(why, fs.ErrPermission) {
		// It may have come between the answer and the look, as a log does that is begun anew.
		res, err = c.RetrFrom(f.name(p), uint64(from))
		why = f.why(c, p, err)
	}
	if err != nil {
		err = why
		cut := !stop()
		l.Return(cut || ftpBroken(err) && !plainError(err))
		switch {
		case cut:
			return nil, ctx.Err()
		case !plainError(err):
			err = ftpPlain(err)
		}
		return nil, fmt.Errorf("open %s: %w", p, err)
	}
	return &ftpReader{res: res, l: l, path: p, stop: stop}, nil
}

// ftpReader is a file being read; its connection is busy until it is closed.
type ftpReader struct {
	res    *ftp.Response
	l      lent
	path   tree.Path
	stop   func() bool
	ended  bool
	closed bool
}

func (r *ftpReader) Read(p []byte) (int, error) {
	n, err := r.res.Read(p)
	if err == io.EOF {
		r.ended = true
	} else if err != nil {
		err = fmt.Errorf("read %s: %w: %v", r.path, ErrLine, err)
	}
	return n, err
}

func (r *ftpReader) Close() error {
	if r.closed {
		return nil
	}
	r.closed = true
	if cut := !r.stop(); !cut && !r.ended { // whoever knows the size does not read up to the end
		_, _ = r.Read(make([]byte, 1))
	}
	if !r.ended { // the server goes on sending; nothing else tells it to stop
		_ = r.l.Conn.raw.Close()
		_ = r.res.Close()
		r.l.Return(true)
		return nil
	}
	err := r.res.Close()
	r.l.Return(ftpBroken(err))
	if err != nil {
		return fmt.Errorf("read %s: %w", r.path, ftpPlain(err))
	}
	return nil
}

// Create implements [Host]. FTP has no permission bits, so mode says nothing.
func (f *FTP) Create(ctx context.Context, p tree.Path, _ uint32) (io.WriteCloser, error) {
	return f.store(ctx, p, 0)
}

// Continue implements [Host].
func (f *FTP) Continue(ctx context.Context, p tree.Path, from int64) (io.WriteCloser, error) {
	return f.store(ctx, p, uint64(from))
}

func (f *FTP) store(ctx context.Context, p tree.Path, from uint64) (io.WriteCloser, error) {
	l, err := f.takeFor(ctx, "write", p)
	if err != nil {
		return nil, err
	}
	c := l.Conn
	r, w := io.Pipe()
	fw := &ftpWriter{w: w, done: make(chan error, 1), begun: make(chan struct{})}
	stop := context.AfterFunc(ctx, func() { c.raw.Close() })
	go func() {
		err := c.StorFrom(f.name(p), &beginning{Reader: r, begun: fw.begun}, from)
		if err != nil {
			if full := notStored(err); full != nil {
				err = full
			} else {
				err = f.why(c, p.Dir(), err)
			}
		}
		cut := !stop()
		l.Return(cut || ftpBroken(err) && !plainError(err))
		if err != nil && !plainError(err) {
			err = ftpPlain(err)
		}
		if err != nil {
			err = fmt.Errorf("write %s: %w", p, err)
		}
		r.CloseWithError(err)
		fw.done <- err
	}()
	// A refusal comes before the first byte is asked for.
	select {
	case <-fw.begun:
		return fw, nil
	case err := <-fw.done:
		if ctx.Err() != nil {
			err = ctx.Err()
		}
		return nil, errors.Join(err, w.Close())
	}
}

// beginning tells when it is read for the first time.
type beginning struct {
	io.Reader
	begun chan struct{}
	told  bool
}

func (b *beginning) Read(p []byte) (int, error) {
	if !b.told {
		b.told = true
		close(b.begun)
	}
	return b.Reader.Read(p)
}

type ftpWriter struct {
	w     *io.PipeWriter
	done  chan error
	begun chan struct{}
}

func (w *ftpWriter) Write(p []byte) (int, error) { return w.w.Write(p) }

// Close waits until the server says that it has the file.
func (w *ftpWriter) Close() error {
	if err := w.w.Close(); err != nil {
		return err
	}
	return <-w.done
}
