package archive

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

func (op *opening) listZip(s source, l *Listing) error {
	z, err := zip.NewReader(s.section(), s.size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return &Error{Code: "broken-archive", What: fmt.Sprintf("it starts like a zip but its table of contents cannot be read (%v); the download is probably cut short", err)}
	}
	offsets, err := dataOffsets(op.ctx, z.File)
	if err != nil {
		return err
	}
	l.Items = slices.Grow(l.Items, len(z.File))
	for i, f := range z.File {
		if f.Mode()&fs.ModeSymlink != 0 && f.Flags&1 == 0 {
			if err := op.zipLink(f); err != nil {
				return err
			}
			continue
		}
		e, span, err := op.zipEntry(f)
		if err != nil {
			return err
		}
		if err := op.budget.spend(f.Name, e.Size); err != nil {
			return err
		}
		span.Offset = offsets[i].at
		if offsets[i].err != nil && !e.Dir {
			return &Error{Code: "broken-archive", Entry: f.Name, What: fmt.Sprintf("is broken: %v", offsets[i].err)}
		}
		if it := l.add(s, e, span); !e.Dir {
			it.crc, it.summed = f.CRC32, true
		}
	}
	return nil
}

// offset is where an entry's bytes begin, or why that cannot be told.
type offset struct {
	at  int64
	err error
}

// dataOffsets reads the header before every entry's bytes, on all cores.
func dataOffsets(ctx context.Context, files []*zip.File) ([]offset, error) {
	out := make([]offset, len(files))
	g, ctx := errgroup.WithContext(ctx)
	const some = 4096
	for from := 0; from < len(files); from += some {
		g.Go(func() error {
			for i := from; i < min(from+some, len(files)); i++ {
				out[i].at, out[i].err = files[i].DataOffset()
			}
			return ctx.Err()
		})
	}
	return out, g.Wait()
}

// longestLink is the limit for a link's target, in bytes.
const longestLink = 4096

// zipLink keeps a link, whose content is its target.
func (op *opening) zipLink(f *zip.File) error {
	p, err := op.names.path(f.Name, false)
	if err != nil {
		return err
	}
	in, err := f.Open()
	if err != nil {
		return broken(f.Name, err)
	}
	target, err := io.ReadAll(io.LimitReader(in, longestLink))
	if err = errors.Join(err, in.Close()); err != nil {
		return broken(f.Name, err)
	}
	return op.linked(f.Name, p, p.Dir(), string(target))
}

func (op *opening) zipEntry(f *zip.File) (tree.Entry, stockroom.Span, error) {
	refuse := func(code, format string, args ...any) (tree.Entry, stockroom.Span, error) {
		return tree.Entry{}, stockroom.Span{}, &Error{Code: code, Entry: f.Name, What: fmt.Sprintf(format, args...)}
	}
	mode := f.Mode()
	switch {
	case f.Flags&1 != 0:
		return refuse("encrypted", "is encrypted; unpack it with its password and stage the folder")
	case mode&fs.ModeSymlink != 0:
		return refuse("unsafe-entry", "is a link; %s", whatToDo) // unless it was followed
	case !mode.IsRegular() && !mode.IsDir():
		return refuse("unsafe-entry", "is neither a file nor a folder")
	}
	// Some packers write folders with a backslash behind them.
	dir := mode.IsDir() || strings.HasSuffix(f.Name, `\`) && !strings.Contains(f.Name, "/") && f.UncompressedSize64 == 0
	p, err := op.names.path(f.Name, dir)
	if err != nil {
		return tree.Entry{}, stockroom.Span{}, err
	}
	e := tree.Entry{Path: p, Dir: dir, Exec: f.CreatorVersion>>8 == creatorUnix && mode&0o111 != 0 && !dir}
	if e.Dir {
		return e, stockroom.Span{}, nil
	}
	e.Size = int64(f.UncompressedSize64)
	span := stockroom.Span{Length: int64(f.CompressedSize64), Size: e.Size}
	switch f.Method {
	case zip.Store:
		span.Method = stockroom.Stored
	case zip.Deflate:
		span.Method = stockroom.Deflated
	default:
		return refuse("broken-archive", "is packed with method %d, which is not known; unpack it and stage the folder", f.Method)
	}
	return e, span, nil
}

// creatorUnix marks entries whose permission bits were written by a Unix
// packer (APPNOTE 4.4.2); others make the bits up.
const creatorUnix = 3
