package archive

import (
	"archive/tar"
	"bufio"
	"compress/bzip2"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/therootcompany/xz"

	"restlesscrate/internal/core/tree"
)

// listStream lists what was packed as one stream: a tar, or a single file.
func (op *opening) listStream(s source, l *Listing) error {
	unpacked, err := op.unpack(s, l.Format)
	if err != nil {
		return broken("", err)
	}
	defer unpacked.Close()
	// What is no content, such as headers, counts as well: once, beside the contents.
	r := bufio.NewReaderSize(counted{unpacked, &budget{Limits: op.Limits, size: s.size}, ""}, 64<<10)
	head, err := r.Peek(512)
	if err != nil && !errors.Is(err, io.EOF) {
		return truncated(l.Format, err)
	}
	if identify(head) == Tar {
		l.Format = Tar + "." + l.Format
		return op.eachInTar(r, func(_ *tar.Header, e tree.Entry, content io.Reader) error { return op.addPacked(l, e, content) })
	}
	name := strings.TrimSuffix(path.Base(s.name), path.Ext(s.name))
	p, err := op.names.path(name, false)
	if err != nil {
		p = "content"
	}
	if err := op.budget.spend(name, 0); err != nil {
		return err
	}
	if err := op.addPacked(l, tree.Entry{Path: p}, counted{r, op.budget, name}); err != nil {
		return broken(name, err)
	}
	return nil
}

func truncated(f Format, err error) error {
	if bad := new(Error); errors.As(err, &bad) {
		return bad
	}
	if isOurs(err) {
		return err
	}
	return &Error{Code: "broken-archive", What: fmt.Sprintf("it starts like %s but cannot be unpacked (%v); the download is probably cut short", f, err)}
}

// isOurs tells errors of our own disk, or of a caller who gave up, from errors
// of the archive.
func isOurs(err error) bool {
	var disk *fs.PathError
	return errors.As(err, &disk) || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)
}

// unpack gives the stream that a format packs.
func (op *opening) unpack(s source, f Format) (io.ReadCloser, error) {
	section := s.section()
	buffered := bufio.NewReaderSize(section, 256<<10)
	switch f {
	case Gzip:
		return gzip.NewReader(buffered)
	case Bzip2:
		return io.NopCloser(bzip2.NewReader(buffered)), nil
	case XZ:
		if err := op.xzDictionary(section); err != nil {
			return nil, err
		}
		// Every stream and every block says how large its dictionary is; the reader
		// looks before it asks for it.
		r, err := xz.NewReader(buffered, uint32(op.Dictionary))
		if err != nil {
			return nil, err
		}
		return io.NopCloser(xzReader{r, op.Dictionary}), nil
	default:
		return zstdOf(buffered, op.Dictionary)
	}
}

func zstdOf(r io.Reader, limit int64) (io.ReadCloser, error) {
	z, err := zstd.NewReader(r, zstd.WithDecoderMaxWindow(uint64(limit)), zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true))
	if err != nil {
		return nil, err
	}
	return zstdReader{z, limit}, nil
}

// xzReader says in our words that a dictionary is too large.
type xzReader struct {
	*xz.Reader
	limit int64
}

func (x xzReader) Read(p []byte) (int, error) {
	n, err := x.Reader.Read(p)
	if errors.Is(err, xz.ErrMemlimit) {
		err = tooLarge("a dictionary of more than", x.limit, x.limit)
	}
	return n, err
}

// zstdReader says in our words that a window is too large.
type zstdReader struct {
	*zstd.Decoder
	limit int64
}

func (z zstdReader) Read(p []byte) (int, error) {
	n, err := z.Decoder.Read(p)
	if errors.Is(err, zstd.ErrWindowSizeExceeded) {
		err = tooLarge("a window of more than", z.limit, z.limit)
	}
	return n, err
}

func (z zstdReader) Close() error { z.Decoder.Close(); return nil }

func tooLarge(what string, size, limit int64) error {
	return &Error{Code: "bomb", What: fmt.Sprintf("it needs %s %d MiB of memory to be unpacked; more than %d MiB is refused", what, size>>20, limit>>20)}
}

// xzDictionary reads the dictionary's size out of the first block's header
// (the .xz file format 1.2, 3.1), before any of it is asked for.
func (op *opening) xzDictionary(r io.ReaderAt) error {
	head := make([]byte, 64)
	n, err := r.ReadAt(head, 12) // behind the stream header
	if err != nil && err != io.EOF {
		return err
	}
	head = head[:n]
	if len(head) < 4 || head[0] == 0 {
		return nil // no block: an empty stream
	}
	at := 2
	for bit := byte(0x40); bit != 0; bit <<= 1 { // packed and unpacked size, where they are told
		if head[1]&bit != 0 {
			_, used := binary.Uvarint(head[at:])
			at += max(used, 1)
		}
		if bit == 0x80 {
			break
		}
	}
	for at+2 < len(head) { // filters, of which LZMA2 is the last
		id, size := head[at], int(head[at+1])
		if id == lzma2Filter {
			return op.lzma2Dictionary(head[at+2])
		}
		at += 2 + size
	}
	return nil
}

const lzma2Filter = 0x21

// lzma2Dictionary checks the size that a properties byte stands for
// (the .xz file format 1.2, 5.3.1).
func (op *opening) lzma2Dictionary(props byte) error {
	if props > 40 {
		return &Error{Code: "broken-archive", What: "it says a dictionary size that does not exist"}
	}
	size := int64(2|props&1) << (props/2 + 11)
	if size > op.Dictionary {
		return tooLarge("a dictionary of", size, op.Dictionary)
	}
	return nil
}
