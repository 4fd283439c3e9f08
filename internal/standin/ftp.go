package standin

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"net"
	"os"

	"goftp.io/server/v2"
)

// FTPHost is an FTP server of our own on loopback, jailed in one folder: a
// rented host that gives nothing better.
type FTPHost struct {
	User, Password string
	Port           int
	*disk

	s    *server.Server
	over chan error
}

// FTPOptions say what a stand-in FTP host offers.
type FTPOptions struct {
	// Plain listings only, as a person reads them, instead of those that are
	// made for programs.
	NoMLSD bool
}

// StartFTP serves the folder to one user with one password, on a free port of
// loopback, until Close.
func StartFTP(folder, user, password string, o FTPOptions) (*FTPHost, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, fmt.Errorf("open the stand-in's folder: %w", err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, errors.Join(err, root.Close())
	}
	h := &FTPHost{User: user, Password: password, Port: l.Addr().(*net.TCPAddr).Port, disk: &disk{root: root}, over: make(chan error, 1)}
	commands := maps.Clone(server.DefaultCommands())
	delete(commands, "SIZE") // not every server knows it, and this one would write to the log
	if o.NoMLSD {
		delete(commands, "MLSD")
		delete(commands, "MLST")
	}
	h.s, err = server.NewServer(&server.Options{Driver: &driver{h.disk}, Auth: h, Commands: commands, Perm: server.NewSimplePerm("keeper", "keeper"),
		Hostname: "127.0.0.1", Port: h.Port, Name: "a stand-in host", Logger: &server.DiscardLogger{}})
	if err != nil {
		return nil, errors.Join(err, l.Close(), root.Close())
	}
	go func() { h.over <- h.s.Serve(l) }()
	return h, nil
}

// CheckPasswd implements server.Auth.
func (h *FTPHost) CheckPasswd(_ *server.Context, user, password string) (bool, error) {
	return user == h.User && password == h.Password, nil
}

// Close stops serving. Connections that are open end when their clients go.
func (h *FTPHost) Close() error {
	err := h.s.Shutdown()
	if served := <-h.over; !errors.Is(served, server.ErrServerClosed) {
		err = errors.Join(err, served)
	}
	return errors.Join(err, h.root.Close())
}

// driver answers FTP requests on a disk.
type driver struct{ d *disk }

// Stat implements server.Driver.
func (v *driver) Stat(_ *server.Context, p string) (os.FileInfo, error) { return v.d.stat(p, true) }

// ListDir implements server.Driver.
func (v *driver) ListDir(_ *server.Context, p string, each func(os.FileInfo) error) error {
	all, err := v.d.list(p)
	for _, i := range all {
		if err := each(i); err != nil {
			return err
		}
	}
	return err
}

// DeleteDir implements server.Driver.
func (v *driver) DeleteDir(_ *server.Context, p string) error { return v.d.remove(p, true) }

// DeleteFile implements server.Driver.
func (v *driver) DeleteFile(_ *server.Context, p string) error { return v.d.remove(p, false) }

// Rename implements server.Driver: like many real ones it replaces.
func (v *driver) Rename(_ *server.Context, from, to string) error { return v.d.rename(from, to, true) }

// MakeDir implements server.Driver.
func (v *driver) MakeDir(_ *server.Context, p string) error { return v.d.mkdir(p) }

// GetFile implements server.Driver.
func (v *driver) GetFile(_ *server.Context, p string, from int64) (int64, io.ReadCloser, error) {
	f, err := v.d.open(p)
	if err != nil {
		return 0, nil, err
	}
	i, err := f.Stat()
	if err == nil {
		_, err = f.Seek(max(from, 0), io.SeekStart)
	}
	if err != nil {
		return 0, nil, errors.Join(err, f.Close())
	}
	return i.Size() - max(from, 0), f, nil
}

// PutFile implements server.Driver. What is not taken is read all the same: a
// client that is still sending would see a broken line instead of the answer.
func (v *driver) PutFile(_ *server.Context, p string, r io.Reader, from int64) (int64, error) {
	flags := os.O_WRONLY | os.O_CREATE
	if from < 0 {
		flags |= os.O_TRUNC
	}
	f, err := v.d.create(p, flags)
	if err != nil {
		_, _ = io.Copy(io.Discard, r)
		return 0, err
	}
	n, err := io.Copy(f.sequential(max(from, 0)), r)
	if err != nil {
		_, _ = io.Copy(io.Discard, r)
	}
	return n, errors.Join(err, f.Close())
}
