package catalog

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// repack makes what has to be packed anew for a crate and puts its digest and
// size into the crate.
func (s layer) repack(ctx context.Context, a model.Archive, c *layout.Crate) error {
	for i := range c.Files {
		f := &c.Files[i]
		if f.Repack == "" {
			continue
		}
		kept, err := s.repackOne(ctx, a, f.Repack)
		if err != nil {
			return fmt.Errorf("pack %s anew: %w", a.Filename, err)
		}
		f.Digest, f.Size = kept.Digest, kept.Size
	}
	return nil
}

func (s layer) repackOne(ctx context.Context, a model.Archive, folder tree.Path) (kept stockroom.Kept, err error) {
	whole, err := s.Room.Whole(ctx, a.Digest)
	if err != nil {
		return kept, err
	}
	defer whole.Close()
	// It is made once: what is held already is not written again.
	h := sha256.New()
	n := &counting{Writer: h}
	if err := archive.Repack(n, whole, whole.Size(), folder); err != nil {
		return kept, err
	}
	kept.Digest, kept.Size = tree.Digest(h.Sum(nil)), n.written
	if there, err := s.keeping().sound(ctx, kept.Digest); there || err != nil {
		return kept, err
	}
	seg, err := s.Room.Derive(a.Digest)
	if err != nil {
		return kept, err
	}
	defer func() { err = errors.Join(err, seg.Close()) }()
	r, w := io.Pipe()
	go func() { w.CloseWithError(archive.Repack(w, whole, whole.Size(), folder)) }()
	kept, err = seg.Append(ctx, r)
	r.CloseWithError(err) // so that the packer ends where nothing reads any more
	if err != nil {
		return kept, err
	}
	if err := seg.Sync(); err != nil {
		return kept, err
	}
	return kept, s.Records.AddHeld(ctx, seg.Name(), []stockroom.Held{{Digest: kept.Digest, Span: kept.Span}})
}

// counting counts the bytes that are written.
type counting struct {
	io.Writer
	written int64
}

func (c *counting) Write(p []byte) (int, error) {
	n, err := c.Writer.Write(p)
	c.written += int64(n)
	return n, err
}
