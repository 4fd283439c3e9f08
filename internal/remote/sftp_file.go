package remote

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/pkg/sftp"

	"restlesscrate/internal/core/tree"
)

// sftpFile translates errors of reading and writing, and ends with its context.
type sftpFile struct {
	*sftp.File
	ctx context.Context
	s   *SFTP
	l   borrowed
	p   tree.Path
	err error // the first
}

func (f *sftpFile) wrap(what string, err error) error {
	if err == nil || err == io.EOF {
		return err
	}
	if f.err == nil {
		f.err = err
	}
	if end := f.ctx.Err(); end != nil && errors.Is(err, end) {
		return end
	}
	return fmt.Errorf("%s %s: %w", what, f.p, f.s.plain(err))
}

// waiting does what waits for the host.
func waiting[T any](f *sftpFile, do func() (T, error)) (n T, err error) {
	if err := f.ctx.Err(); err != nil {
		return n, err
	}
	f.l.Conn.waits(1)
	defer f.l.Conn.waits(-1)
	return do()
}

func (f *sftpFile) Read(p []byte) (int, error) {
	n, err := waiting(f, func() (int, error) { return f.File.Read(p) })
	return n, f.wrap("read", err)
}

func (f *sftpFile) Write(p []byte) (int, error) {
	n, err := waiting(f, func() (int, error) { return f.File.Write(p) })
	return n, f.wrap("write", notWritten(err))
}

// WriteTo reads many packets at a time.
func (f *sftpFile) WriteTo(w io.Writer) (int64, error) {
	n, err := waiting(f, func() (int64, error) { return f.File.WriteTo(&endingWriter{f.ctx, w}) })
	return n, f.wrap("read", err)
}

// ReadFrom sends many packets at a time; plain writes would wait for each.
func (f *sftpFile) ReadFrom(r io.Reader) (int64, error) {
	size := int64(-1)
	if l, ok := r.(*io.LimitedReader); ok {
		size = l.N
	}
	n, err := waiting(f, func() (int64, error) {
		return f.File.ReadFrom(&counted{Reader: &endingReader{f.ctx, r}, size: size, f: &f.s.flow})
	})
	return n, f.wrap("write", notWritten(err))
}

// endingReader and endingWriter end with a context.
type endingReader struct {
	ctx context.Context
	io.Reader
}

func (e *endingReader) Read(p []byte) (int, error) {
	if err := e.ctx.Err(); err != nil {
		return 0, err
	}
	return e.Reader.Read(p)
}

type endingWriter struct {
	ctx context.Context
	io.Writer
}

func (e *endingWriter) Write(p []byte) (int, error) {
	if err := e.ctx.Err(); err != nil {
		return 0, err
	}
	return e.Writer.Write(p)
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
	end := func() error {
		f.l.Conn.waits(1)
		err := f.wrap("close", f.File.Close())
		f.l.Conn.waits(-1)
		f.l.Return(isLost(f.err))
		return err
	}
	if err := f.ctx.Err(); err != nil { // nobody waits for what the host says
		go func() { _ = end() }()
		return err
	}
	return end()
}
