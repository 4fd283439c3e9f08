package remote

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"syscall"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/disk"
)

// Local is a folder on the service's own machine.
type Local struct {
	dir     string
	root    *os.Root
	beneath *beneath
}

// OpenLocal opens the folder. The error is a *[RootError].
func OpenLocal(dir string) (*Local, error) {
	if !filepath.IsAbs(dir) {
		return nil, &RootError{Root: dir, Err: errors.New("it is not an absolute path")}
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		var pe *fs.PathError
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return nil, &RootError{Root: dir, Err: err}
	}
	b, err := newBeneath(root)
	if err != nil {
		return nil, errors.Join(&RootError{Root: dir, Err: err}, root.Close())
	}
	return &Local{dir: dir, root: root, beneath: b}, nil
}

// open opens a file beneath the folder.
func (l *Local) open(p tree.Path, flag int, mode fs.FileMode) (*os.File, error) {
	if f, ok, err := l.beneath.open(l.name(p), flag, uint32(mode)); ok {
		return f, err
	}
	return l.root.OpenFile(l.name(p), flag, mode)
}

func (l *Local) name(p tree.Path) string { return filepath.FromSlash(p.String()) }

// List implements [Host].
func (l *Local) List(ctx context.Context, folder tree.Path) ([]Info, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	d, err := l.root.Open(l.name(folder))
	if err != nil {
		return nil, err
	}
	defer d.Close()
	entries, err := d.ReadDir(-1)
	if err != nil {
		return nil, err
	}
	out := make([]Info, 0, len(entries))
	for _, e := range entries {
		fi, err := e.Info()
		if errors.Is(err, fs.ErrNotExist) {
			continue // gone between listing and looking
		}
		if err != nil {
			return nil, err
		}
		out = append(out, infoOf(fi))
	}
	return out, nil
}

// infoOf translates what both transports give.
func infoOf(fi fs.FileInfo) Info {
	i := Info{Name: fi.Name(), Modified: fi.ModTime().UnixMilli()}
	if runtime.GOOS != "windows" {
		i.Mode = uint32(fi.Mode().Perm())
	}
	switch {
	case fi.IsDir():
		i.Being = tree.Folder
	case fi.Mode().IsRegular():
		i.Being, i.Size = tree.Content, fi.Size()
	default:
		i.Being = tree.Foreign
	}
	i.checkName()
	return i
}

// checkName makes a thing foreign whose name is no name of one thing: a host may say
// anything, also a name with a slash in it.
func (i *Info) checkName() {
	const shown = 300
	if p, err := tree.ParsePath(i.Name); err != nil || p.Depth() != 1 {
		i.Being, i.Name = tree.Foreign, fmt.Sprintf("%+q", i.Name[:min(len(i.Name), shown)])
	}
}

// Stat implements [Host].
func (l *Local) Stat(ctx context.Context, p tree.Path) (Info, error) {
	if err := ctx.Err(); err != nil {
		return Info{}, err
	}
	fi, err := l.root.Lstat(l.name(p))
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		return Info{Name: p.Base(), Being: tree.Absent}, nil
	}
	if err != nil {
		return Info{}, err
	}
	return infoOf(fi), nil
}

// StatAll implements [Host].
func (l *Local) StatAll(ctx context.Context, paths []tree.Path) ([]Info, error) {
	return statEach(ctx, l, paths)
}

// InFlight implements [Host].
func (l *Local) InFlight() int { return 8 }

// Open implements [Host].
func (l *Local) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return l.open(p, os.O_RDONLY, 0)
}

// OpenFrom implements [Host].
func (l *Local) OpenFrom(ctx context.Context, p tree.Path, from int64) (io.ReadCloser, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	f, err := l.open(p, os.O_RDONLY, 0)
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(from, io.SeekStart); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// Create implements [Host].
func (l *Local) Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	f, err := l.open(p, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return nil, err
	}
	if mode != 0 && runtime.GOOS != "windows" {
		if err := f.Chmod(fs.FileMode(mode)); err != nil {
			return nil, errors.Join(err, f.Close())
		}
	}
	return &synced{f}, nil
}

// Continue implements [Host].
func (l *Local) Continue(ctx context.Context, p tree.Path, from int64) (io.WriteCloser, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	f, err := l.open(p, os.O_WRONLY, 0)
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(from, io.SeekStart); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return &synced{f}, nil
}

// synced syncs a file before it is closed, where files cannot be synced together.
type synced struct{ *os.File }

func (s *synced) Close() error {
	if syncsAtOnce {
		return s.File.Close()
	}
	return errors.Join(s.Sync(), s.File.Close())
}

// Sync implements [Syncer].
func (l *Local) Sync(ctx context.Context) error {
	if err := ctx.Err(); err != nil || !syncsAtOnce {
		return err
	}
	dir, err := l.root.Open(".")
	if err != nil {
		return err
	}
	if err := errors.Join(syncAll(dir), dir.Close()); err != nil {
		return fmt.Errorf("sync the server's disk: %w", err)
	}
	return nil
}

// Rename implements [Host]. The look before the rename leaves a gap that no
// portable call closes; the engine is the only writer of the names it uses.
func (l *Local) Rename(ctx context.Context, from, to tree.Path) error {
	there, err := l.Stat(ctx, to)
	if err != nil {
		return err
	}
	if there.Being != tree.Absent {
		return &fs.PathError{Op: "rename", Path: to.String(), Err: fs.ErrExist}
	}
	return l.root.Rename(l.name(from), l.name(to))
}

// Replace implements [Host].
func (l *Local) Replace(ctx context.Context, from, to tree.Path) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	return l.root.Rename(l.name(from), l.name(to))
}

// MakeFolder implements [Host].
func (l *Local) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	if err := l.root.Mkdir(l.name(p), 0o755); err != nil {
		return err
	}
	return l.SetMode(ctx, p, mode)
}

// RemoveFile implements [Host].
func (l *Local) RemoveFile(ctx context.Context, p tree.Path) error {
	i, err := l.Stat(ctx, p)
	if err != nil {
		return err
	}
	if i.Being == tree.Folder {
		return &fs.PathError{Op: "remove", Path: p.String(), Err: errors.New("it is a folder")}
	}
	return l.root.Remove(l.name(p))
}

// RemoveFolder implements [Host].
func (l *Local) RemoveFolder(ctx context.Context, p tree.Path) error {
	list, err := l.List(ctx, p)
	if err != nil {
		return err
	}
	if len(list) > 0 {
		return &fs.PathError{Op: "remove", Path: p.String(), Err: ErrNotEmpty}
	}
	return l.root.Remove(l.name(p))
}

// SetMode implements [Host].
func (l *Local) SetMode(ctx context.Context, p tree.Path, mode uint32) error {
	if mode == 0 || runtime.GOOS == "windows" {
		return ctx.Err()
	}
	return l.root.Chmod(l.name(p), fs.FileMode(mode))
}

// Free implements [Host].
func (l *Local) Free(context.Context) (int64, error) { return disk.Free(l.dir) }

// Close implements [Host].
func (l *Local) Close() error { return errors.Join(l.beneath.Close(), l.root.Close()) }
