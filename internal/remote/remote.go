// Package remote reaches a server's file tree: a local folder, SFTP or FTP
// with and without TLS, behind one interface with one conformance suite (package remotetest).
//
// A Host is jailed in its root by construction: it takes a [tree.Path], which
// cannot lead out, and no method follows a link at the path it is given.
package remote

import (
	"context"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/tree"
)

// Info is what a host says of one path. Modified is UTC milliseconds by the
// host's clock; Mode is permission bits, 0 where the host has none.
type Info struct {
	Name     string
	Being    tree.Being
	Size     int64
	Mode     uint32
	Modified int64
}

// Host is a server's tree. Its methods may be called from many goroutines.
//
// Errors wrap [io/fs.ErrNotExist], [io/fs.ErrExist], [io/fs.ErrPermission],
// [ErrNotEmpty], [ErrNotWritten] and [ErrLine] where they apply. A context that ends makes a
// method return early; whether the host still does what it was asked is then
// unknown.
type Host interface {
	// List gives what is in a folder, in no order, links as they are.
	// Names that are no valid [tree.Path] are reported as Foreign, escaped.
	List(ctx context.Context, folder tree.Path) ([]Info, error)
	// Stat says what stands at p; nothing there is Being Absent and no error.
	Stat(ctx context.Context, p tree.Path) (Info, error)
	// StatAll is Stat of many paths at once, in their order, in as few round
	// trips as the host allows.
	StatAll(ctx context.Context, paths []tree.Path) ([]Info, error)
	// InFlight is how many calls are worth having under way at a time.
	InFlight() int
	// Open reads a file.
	Open(ctx context.Context, p tree.Path) (io.ReadCloser, error)
	// OpenFrom reads a file from an offset in bytes on; past its end there is
	// nothing to read.
	OpenFrom(ctx context.Context, p tree.Path, from int64) (io.ReadCloser, error)
	// Create writes a file, cutting one that is there short first. It is whole
	// when Close returns nil, and synced, as far as the host can: at once, or with
	// the next Sync of a [Syncer]. Some
	// hosts refuse a file only when it is closed. A mode of 0 leaves the
	// permission bits to the host.
	Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error)
	// Continue writes on in a file that is there, from an offset in bytes; one
	// past its end leaves a hole. Close means what it means for Create.
	Continue(ctx context.Context, p tree.Path, from int64) (io.WriteCloser, error)
	// Rename gives a file or folder another name, and never replaces: where
	// to exists it fails with fs.ErrExist. A folder may take the place of an
	// empty one, though, on hosts that do not tell.
	Rename(ctx context.Context, from, to tree.Path) error
	// Replace is Rename that replaces a file in one act, where the host can;
	// else it fails and changes nothing.
	Replace(ctx context.Context, from, to tree.Path) error
	// MakeFolder makes one folder; its parent must be there.
	MakeFolder(ctx context.Context, p tree.Path, mode uint32) error
	// RemoveFile removes a file, or a link itself. It is not for folders: one
	// with something in it stays, and an empty one may go.
	RemoveFile(ctx context.Context, p tree.Path) error
	// RemoveFolder removes an empty folder, else fails with ErrNotEmpty.
	RemoveFolder(ctx context.Context, p tree.Path) error
	// SetMode sets permission bits.
	SetMode(ctx context.Context, p tree.Path, mode uint32) error
	// Free gives the bytes that are free, -1 where the host does not tell.
	Free(ctx context.Context) (int64, error)
	// Close ends the connection. It may be called twice.
	Close() error
}

// Syncer is a host that makes everything durable at once that was done to it so far,
// names too. What is not synced so may be lost with the power, and with nothing less.
type Syncer interface {
	Sync(ctx context.Context) error
}

// ErrNotEmpty is returned for a folder that has something in it.
var ErrNotEmpty = errors.New("the folder is not empty")

// ErrNotWritten is returned where a file was opened for writing and the host then
// failed to keep its bytes. What the host says of it follows. Neither SFTP (version
// 3) nor FTP has a code for a full disk alone, and many servers no words.
var ErrNotWritten = errors.New("the host could not write it")

// errMaybeFull is ErrNotWritten of a host that does not say why.
var errMaybeFull = fmt.Errorf("%w; its disk may be full", ErrNotWritten)

// ErrLine is returned where the connection to the host is gone or cannot be made.
var ErrLine = errors.New("no connection to the host")

// RootError says that a server's root cannot be used.
type RootError struct {
	Root string
	Err  error
}

func (e *RootError) Error() string {
	return fmt.Sprintf("the root %q cannot be used: %v", e.Root, e.Err)
}
func (e *RootError) Unwrap() error { return e.Err }

// HostKeyError is returned before anything is sent to a host whose key nobody
// has confirmed, or whose key is not the confirmed one.
type HostKeyError struct {
	Certificate bool // it is a certificate, of TLS, instead of a key
	Changed     bool
	Fingerprint string // SHA256:..., as OpenSSH prints it
	Offered     string // as it is kept once a person confirms it
	Expected    string // fingerprint, where Changed
}

func (e *HostKeyError) Error() string {
	if e.Changed {
		return fmt.Sprintf("the host's %s has changed: it was %s and is now %s", e.What(), e.Expected, e.Fingerprint)
	}
	return fmt.Sprintf("the host's %s %s has not been confirmed", e.What(), e.Fingerprint)
}

// What is what the host is known by, in a word.
func (e *HostKeyError) What() string {
	if e.Certificate {
		return "certificate"
	}
	return "key"
}

// SignInError is returned where the host refuses the user.
type SignInError struct {
	User string
	Err  error
}

func (e *SignInError) Error() string {
	return fmt.Sprintf("the host refuses to sign %q in: %v", e.User, e.Err)
}
func (e *SignInError) Unwrap() error { return e.Err }
