package texts

import (
	"archive/zip"
	"context"
	"errors"
	"io"
	"io/fs"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
)

// each walks a server's tree. It calls seen for everything there, one at a time, and read for
// the bytes of each file that may be a text, many at a time; a packed file is opened, and read
// gets what is inside, by paths with !/. Files whose name says that they hold secrets, files
// that are too long, and files that went away or may not be read are left out.
func (s *session) each(ctx context.Context, seen func(tree.Path, remote.Info), read func(tree.Path, []byte)) error {
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, s.host.InFlight()))
	var closing errgroup.Group
	closing.SetLimit(max(1, s.host.InFlight()))
	err := remote.Walk(ctx, s.host, []tree.Path{tree.Root}, remote.Bounds{Deep: 64}, func(p tree.Path, i remote.Info) (bool, error) {
		if p.Within(draft.Work) {
			return false, nil
		}
		seen(p, i)
		if i.Being == tree.Content && i.Size > 0 && i.Size <= longestPacked && !propose.Secret(p) {
			g.Go(func() error {
				err := s.contents(gctx, p, i.Size, &closing, read)
				if gone(err) {
					return nil
				}
				return err
			})
		}
		return true, gctx.Err()
	})
	err = errors.Join(g.Wait(), err)
	return errors.Join(err, closing.Wait())
}

// gone tells whether a file went away, or may not be read.
func gone(err error) bool { return errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) }

// contents gives the bytes of one file, or of what is inside it. Its first bytes tell whether it is
// packed, not its name: every game has names of its own for packed files.
func (s *session) contents(ctx context.Context, p tree.Path, size int64, closing *errgroup.Group, read func(tree.Path, []byte)) error {
	var z *zip.Reader
	if size > deploy.LongestText {
		var err error
		if z, err = s.unpack(ctx, p); err != nil || z == nil {
			return err
		}
	} else {
		raw, err := s.small(ctx, p, size, closing)
		if err != nil {
			return err
		}
		if z = opened(raw); z == nil {
			read(p, raw)
			return nil
		}
	}
	for _, m := range z.File {
		if inner, err := member(m); err == nil { // else it is a folder, too long or broken
			read(p+tree.Path("!/"+m.Name), inner)
		}
	}
	return nil
}

// small reads a file whose size was told a moment ago, as far as that. Over a distance each
// question takes its time: whether there is more is not asked, and nobody waits for the closing.
func (s *session) small(ctx context.Context, p tree.Path, size int64, closing *errgroup.Group) ([]byte, error) {
	f, err := s.host.Open(ctx, p)
	if err != nil {
		return nil, err
	}
	raw := make([]byte, size)
	n, err := io.ReadFull(f, raw)
	closing.Go(func() error {
		_ = f.Close() // it was only read, and what was read is told apart by err
		return nil
	})
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) { // it has become shorter
		err = nil
	}
	return raw[:n], err
}
