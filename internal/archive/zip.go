package archive

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"unicode/utf8"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

func listZip(r io.ReaderAt, size int64, limits Limits) (*Listing, error) {
	z, err := zip.NewReader(r, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return nil, &Error{Code: "broken-archive", What: fmt.Sprintf("it starts like a zip but its table of contents cannot be read (%v); the download is probably cut short", err)}
	}
	l := &Listing{Format: Zip}
	b := &budget{Limits: limits, size: size}
	for _, f := range z.File {
		it, err := zipItem(f)
		if err != nil {
			return nil, err
		}
		if err := b.take(f.Name, it.Size); err != nil {
			return nil, err
		}
		l.Items = append(l.Items, it)
	}
	return l, nil
}

func zipItem(f *zip.File) (Item, error) {
	refuse := func(code, format string, args ...any) (Item, error) {
		return Item{}, &Error{Code: code, Entry: f.Name, What: fmt.Sprintf(format, args...)}
	}
	mode := f.Mode()
	switch {
	case f.Flags&1 != 0:
		return refuse("encrypted", "is encrypted; unpack it with its password and stage the folder")
	case !utf8.ValidString(f.Name):
		return refuse("unsafe-entry", "has a name that is not UTF-8; unpack it and stage the folder")
	case mode&fs.ModeSymlink != 0:
		return refuse("unsafe-entry", "is a link; links are refused")
	case !mode.IsRegular() && !mode.IsDir():
		return refuse("unsafe-entry", "is neither a file nor a folder")
	}
	p, err := path(f.Name, mode.IsDir())
	if err != nil {
		return Item{}, err
	}
	it := Item{Entry: tree.Entry{Path: p, Dir: mode.IsDir(), Exec: f.CreatorVersion>>8 == creatorUnix && mode&0o111 != 0}}
	if it.Dir {
		return it, nil
	}
	it.Size = int64(f.UncompressedSize64)
	at, err := f.DataOffset()
	if err != nil {
		return refuse("broken-archive", "is broken: %v", err)
	}
	it.Span = stockroom.Span{Offset: at, Length: int64(f.CompressedSize64), Size: it.Size}
	switch f.Method {
	case zip.Store:
		it.Span.Method = stockroom.Stored
	case zip.Deflate:
		it.Span.Method = stockroom.Deflated
	default:
		return refuse("broken-archive", "is packed with method %d, which is not known", f.Method)
	}
	return it, nil
}

// creatorUnix marks entries whose permission bits were written by a Unix
// packer (APPNOTE 4.4.2); others make the bits up.
const creatorUnix = 3
