package stockroom

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"

	"restlesscrate/internal/core/tree"
)

// Every content of a segment stands behind a frame that names it, so that a
// segment can be read without any records: eight bytes that are always the same,
// the content's length (big-endian, 64 bits) and its SHA-256. A content is written
// after its frame's place and before its frame, so a frame that is there tells of
// bytes that are there, as far as the disk keeps order; [Room.Scan] hashes them
// all the same.
const (
	frameMagic = "\x00RCKEPT\n"
	frameSize  = len(frameMagic) + 8 + sha256.Size
)

func frameOf(d tree.Digest, n int64) []byte {
	b := make([]byte, 0, frameSize)
	b = append(b, frameMagic...)
	b = binary.BigEndian.AppendUint64(b, uint64(n))
	return append(b, d[:]...)
}

// readFrame reads a frame; ok is false for bytes that are none.
func readFrame(b []byte) (d tree.Digest, n int64, ok bool) {
	if len(b) < frameSize || string(b[:len(frameMagic)]) != frameMagic {
		return d, 0, false
	}
	n = int64(binary.BigEndian.Uint64(b[len(frameMagic):]))
	copy(d[:], b[len(frameMagic)+8:])
	return d, n, n >= 0
}

// Scan reads a segment, pack or derived container from end to end and calls found
// for every content in it that is whole. lost counts the bytes that belong to
// none: those of earlier versions of this program have no frames, and damage has
// no digest.
func (r *Room) Scan(ctx context.Context, container string, found func(Held)) (lost int64, err error) {
	f, err := os.Open(r.path(container))
	if err != nil {
		return 0, fmt.Errorf("open container %s: %w", container, err)
	}
	defer f.Close()
	end, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return 0, err
	}
	head := make([]byte, frameSize)
	for at := int64(0); at < end; {
		if err := ctx.Err(); err != nil {
			return lost, err
		}
		n, err := f.ReadAt(head, at)
		if err != nil && !errors.Is(err, io.EOF) {
			return lost, fmt.Errorf("read container %s: %w", container, err)
		}
		if d, size, ok := readFrame(head[:n]); ok && size <= end-at-int64(frameSize) {
			from := at + int64(frameSize)
			h := sha256.New()
			if _, err := io.Copy(h, &cancellable{ctx: ctx, r: io.NewSectionReader(f, from, size)}); err != nil {
				return lost, fmt.Errorf("read container %s: %w", container, err)
			}
			if tree.Digest(h.Sum(nil)) == d {
				found(Held{Digest: d, Span: Span{Offset: from, Length: size, Size: size, Method: Stored}})
				at = from + size
				continue
			}
		}
		next, err := nextFrame(f, at+1, end)
		if err != nil {
			return lost, fmt.Errorf("read container %s: %w", container, err)
		}
		lost += next - at
		at = next
	}
	return lost, nil
}

// nextFrame gives where from an offset on the next frame may begin; end where
// there is none.
func nextFrame(f io.ReaderAt, from, end int64) (int64, error) {
	buf := make([]byte, 64<<10)
	for from < end {
		n, err := f.ReadAt(buf, from)
		if i := bytes.Index(buf[:n], []byte(frameMagic)); i >= 0 {
			return from + int64(i), nil
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return 0, err
		}
		if n < len(frameMagic) {
			break
		}
		from += int64(n - len(frameMagic) + 1)
	}
	return end, nil
}
