package remote

import (
	"context"
	"errors"
	"io/fs"

	"restlesscrate/internal/core/tree"
)

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
		list, look := c.listing(ctx, s.name(p))
		switch {
		case look != nil && isLost(look):
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
