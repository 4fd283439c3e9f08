package remote

import (
	"errors"
	"io/fs"
	"os"
	"sync/atomic"

	"golang.org/x/sys/unix"
)

// beneath opens what lies beneath a folder by one call of the kernel's, which refuses what
// leads out of it as [os.Root] does. os.Root opens every folder on the way by itself,
// since not every system has such a call: with many small files that is most of the time.
type beneath struct {
	dir     *os.File
	missing atomic.Bool // the kernel is older than the call
}

func newBeneath(root *os.Root) (*beneath, error) {
	dir, err := root.Open(".")
	return &beneath{dir: dir}, err
}

func (b *beneath) Close() error { return b.dir.Close() }

// open is [os.Root.OpenFile]. ok is false where that has to be asked instead.
func (b *beneath) open(name string, flag int, mode uint32) (f *os.File, ok bool, err error) {
	if b.missing.Load() {
		return nil, false, nil
	}
	how := &unix.OpenHow{Flags: uint64(flag | unix.O_CLOEXEC), Resolve: unix.RESOLVE_BENEATH | unix.RESOLVE_NO_MAGICLINKS}
	if flag&os.O_CREATE != 0 {
		how.Mode = uint64(mode)
	}
	for {
		fd, err := unix.Openat2(int(b.dir.Fd()), name, how)
		switch {
		case err == nil:
			return os.NewFile(uintptr(fd), name), true, nil
		case errors.Is(err, unix.EINTR) || errors.Is(err, unix.EAGAIN): // a folder was renamed meanwhile
			continue
		case errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.E2BIG):
			b.missing.Store(true)
			return nil, false, nil
		case errors.Is(err, unix.EXDEV) || errors.Is(err, unix.EPERM): // it leads out, or may not be: os.Root tells
			return nil, false, nil
		}
		return nil, true, &fs.PathError{Op: "openat", Path: name, Err: err}
	}
}
