package archive

import (
	"archive/tar"
	"errors"
	"fmt"
	"io"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// listTar lists a tar whose contents can be read where they are. A file with holes
// that were left out does not lie there as it is: it is expanded into the pack.
func (op *opening) listTar(s source, l *Listing) error {
	section := s.section()
	return op.eachInTar(section, func(h *tar.Header, e tree.Entry, content io.Reader) error {
		if sparse(h) {
			return op.addPacked(l, e, content)
		}
		// The reader takes whole blocks and seeks over contents, so the
		// section stands at the first byte of this file now.
		at, err := section.Seek(0, io.SeekCurrent)
		if err != nil {
			return fmt.Errorf("find %s in the tar: %w", e.Path, err)
		}
		l.add(s, e, stockroom.Span{Offset: at, Length: e.Size, Size: e.Size, Method: stockroom.Stored})
		return nil
	})
}

// eachInTar calls keep for every file and folder, in order. The content can be
// read until keep returns.
func (op *opening) eachInTar(r io.Reader, keep func(h *tar.Header, e tree.Entry, content io.Reader) error) error {
	t := tar.NewReader(r)
	for n := 0; ; n++ {
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			if bad := new(Error); errors.As(err, &bad) {
				return bad
			}
			return &Error{Code: "broken-archive", What: fmt.Sprintf("it starts like a tar but breaks off after %d entries (%v)", n, err)}
		}
		dir := h.Typeflag == tar.TypeDir
		switch {
		case h.Typeflag == tar.TypeXGlobalHeader:
			continue
		case dir && (h.Name == "./" || h.Name == "."):
			continue
		case h.Typeflag == tar.TypeSymlink || h.Typeflag == tar.TypeLink:
			p, err := op.names.path(h.Name, false)
			if err != nil {
				return err
			}
			from := p.Dir()
			if h.Typeflag == tar.TypeLink {
				from = tree.Root
			}
			if err := op.linked(h.Name, p, from, strings.TrimPrefix(h.Linkname, "./")); err != nil {
				return err
			}
			continue
		case !dir && h.Typeflag != tar.TypeReg && h.Typeflag != tar.TypeGNUSparse && h.Typeflag != tar.TypeCont:
			return &Error{Code: "unsafe-entry", Entry: h.Name, What: "is neither a file nor a folder; " + whatToDo}
		}
		p, err := op.names.path(h.Name, dir)
		if err != nil {
			return err
		}
		if err := op.budget.spend(h.Name, h.Size); err != nil {
			return err
		}
		if err := keep(h, tree.Entry{Path: p, Dir: dir, Size: h.Size, Exec: !dir && h.Mode&0o111 != 0}, t); err != nil {
			return broken(h.Name, err)
		}
	}
}

// sparse tells whether a file's bytes in the tar are not the file itself, but its
// parts between holes: in the old GNU format by its type, in a PAX one by records
// (GNU tar manual, "Sparse Formats").
func sparse(h *tar.Header) bool {
	if h.Typeflag == tar.TypeGNUSparse {
		return true
	}
	for name := range h.PAXRecords {
		if strings.HasPrefix(name, "GNU.sparse.") {
			return true
		}
	}
	return false
}

// broken makes an error that came while an entry was unpacked the archive's
// fault, unless it is the disk's or the caller's.
func broken(name string, err error) error {
	if bad := new(Error); errors.As(err, &bad) {
		return bad
	}
	if isOurs(err) {
		return err
	}
	return &Error{Code: "broken-archive", Entry: name, What: fmt.Sprintf("is broken: %v", err)}
}
