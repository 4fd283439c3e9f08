package remote

import (
	"context"
	"io/fs"

	"restlesscrate/internal/core/tree"
)

// Rename implements [Host]. Some servers replace on rename, so the new name is
// looked for first.
func (f *FTP) Rename(ctx context.Context, from, to tree.Path) error {
	return f.op(ctx, "rename "+from.String()+" to", to, func(c *ftpConn) error {
		_, err := c.FileSize(f.name(to))
		if err == nil {
			return fs.ErrExist
		} else if !refused(err) {
			return err
		}
		if unknown(err) { // a server that does not tell sizes
			if err := f.unlessThere(c, to, nil); err != nil {
				return err
			}
		}
		err = c.ServerConn.Rename(f.name(from), f.name(to))
		if !refused(err) {
			return err
		}
		return f.unlessThere(c, to, f.why(c, from, err))
	})
}

// Replace implements [Host].
func (f *FTP) Replace(ctx context.Context, from, to tree.Path) error {
	return f.op(ctx, "rename "+from.String()+" over", to, func(c *ftpConn) error {
		return f.why(c, from, c.ServerConn.Rename(f.name(from), f.name(to)))
	})
}

// MakeFolder implements [Host].
func (f *FTP) MakeFolder(ctx context.Context, p tree.Path, _ uint32) error {
	return f.op(ctx, "make folder", p, func(c *ftpConn) error {
		err := c.MakeDir(f.name(p))
		if !refused(err) {
			return err
		}
		return f.unlessThere(c, p, f.why(c, p.Dir(), err))
	})
}

// unlessThere finds out whether a refusal was for something that is there
// already.
func (f *FTP) unlessThere(c *ftpConn, p tree.Path, refusal error) error {
	i, err := f.stat(c, p)
	switch {
	case err != nil:
		return err
	case i.Being != tree.Absent:
		return fs.ErrExist
	}
	return refusal
}

// RemoveFile implements [Host].
func (f *FTP) RemoveFile(ctx context.Context, p tree.Path) error {
	return f.op(ctx, "remove", p, func(c *ftpConn) error {
		err := c.Delete(f.name(p))
		if !refused(err) {
			return err
		}
		if i, look := f.stat(c, p); look == nil && i.Being == tree.Folder {
			return errNotFile
		}
		return f.why(c, p, err)
	})
}

// RemoveFolder implements [Host].
func (f *FTP) RemoveFolder(ctx context.Context, p tree.Path) error {
	return f.op(ctx, "remove folder", p, func(c *ftpConn) error {
		list, err := f.list(c, p)
		switch {
		case err != nil:
			return err
		case len(list) > 0:
			return ErrNotEmpty
		}
		return f.why(c, p, c.RemoveDir(f.name(p)))
	})
}

// SetMode implements [Host]: FTP has no permission bits.
func (f *FTP) SetMode(ctx context.Context, _ tree.Path, _ uint32) error { return ctx.Err() }

// Free implements [Host]: FTP does not tell.
func (f *FTP) Free(ctx context.Context) (int64, error) { return -1, ctx.Err() }
