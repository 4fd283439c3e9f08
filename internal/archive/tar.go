package archive

import (
	"archive/tar"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

func listTar(r io.ReaderAt, size int64, limits Limits) (*Listing, error) {
	l := &Listing{Format: Tar}
	b := &budget{Limits: limits, size: size}
	section := io.NewSectionReader(r, 0, size)
	t := tar.NewReader(section)
	for {
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			return l, nil
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			return nil, &Error{Code: "broken-archive", What: fmt.Sprintf("it starts like a tar but breaks off after %d entries (%v)", len(l.Items), err)}
		}
		dir := h.Typeflag == tar.TypeDir
		switch {
		case h.Typeflag == tar.TypeXGlobalHeader:
			continue
		case dir && (h.Name == "./" || h.Name == "."):
			continue
		case h.Typeflag == tar.TypeSymlink || h.Typeflag == tar.TypeLink:
			return nil, &Error{Code: "unsafe-entry", Entry: h.Name, What: "is a link; links are refused"}
		case !dir && h.Typeflag != tar.TypeReg:
			return nil, &Error{Code: "unsafe-entry", Entry: h.Name, What: "is neither a file nor a folder"}
		}
		p, err := path(h.Name, dir)
		if err != nil {
			return nil, err
		}
		if err := b.take(h.Name, h.Size); err != nil {
			return nil, err
		}
		// The reader takes whole blocks and seeks over contents, so the
		// section stands at the first byte of this file now.
		at, err := section.Seek(0, io.SeekCurrent)
		if err != nil {
			return nil, fmt.Errorf("find %s in the tar: %w", h.Name, err)
		}
		it := Item{Entry: tree.Entry{Path: p, Dir: dir, Size: h.Size, Exec: !dir && h.Mode&0o111 != 0}}
		it.Span = stockroom.Span{Offset: at, Length: h.Size, Size: h.Size, Method: stockroom.Stored}
		l.Items = append(l.Items, it)
	}
}
