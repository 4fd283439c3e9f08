package stockroom

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"

	"restlesscrate/internal/core/tree"
)

// Segment is a container to which kept copies are appended, one deployment's
// in one segment. It is safe for many goroutines; appends follow one another.
type Segment struct {
	mu   sync.Mutex
	name string
	file *os.File
	at   int64
	room *Room
	// small is where a small content and its frame are put together.
	small []byte
}

// Kept is a content that was appended. It counts only after [Segment.Sync].
type Kept struct {
	Digest tree.Digest
	Location
}

// Segment opens the segment of that name for appending, making it if needed.
func (r *Room) Segment(name string) (*Segment, error) {
	return r.openSegment(segments + "/" + name)
}

// Pack begins the pack of an archive whose contents cannot be read where they
// are. What an earlier attempt left is written over.
func (r *Room) Pack(archive tree.Digest) (*Segment, error) {
	s, err := r.openSegment(packs + "/" + archive.String())
	if err == nil && s.at > 0 {
		s.at, err = 0, s.file.Truncate(0)
	}
	return s, err
}

// Repack begins another pack of an archive, beside one that is damaged.
func (r *Room) Repack(archive tree.Digest) (*Segment, error) {
	for n := 2; ; n++ {
		name := fmt.Sprintf("%s/%s.%d", packs, archive, n)
		if _, err := os.Lstat(r.path(name)); errors.Is(err, os.ErrNotExist) {
			return r.openSegment(name)
		} else if err != nil {
			return nil, err
		}
	}
}

// Derive begins the container of what is made out of an archive. What is there
// already stays.
func (r *Room) Derive(archive tree.Digest) (*Segment, error) {
	return r.openSegment(derived + "/" + archive.String())
}

// Whole opens a content that lies in its container as it is, to be read
// anywhere. [ErrNotHeld] where nobody knows it.
func (r *Room) Whole(ctx context.Context, d tree.Digest) (*Whole, error) {
	loc, err := r.index.Locate(ctx, d)
	if err != nil {
		return nil, err
	}
	if loc.Method != Stored {
		return nil, fmt.Errorf("%s does not lie as it is: %w", d.Short(), ErrNotHeld)
	}
	f, err := os.Open(r.path(loc.Container))
	if err != nil {
		return nil, fmt.Errorf("open container %s: %w", loc.Container, err)
	}
	return &Whole{SectionReader: io.NewSectionReader(f, loc.Offset, loc.Size), file: f}, nil
}

// Whole is a content that can be read anywhere.
type Whole struct {
	*io.SectionReader
	file *os.File
}

// Close closes its container.
func (w *Whole) Close() error { return w.file.Close() }

func (r *Room) openSegment(container string) (*Segment, error) {
	f, err := os.OpenFile(r.path(container), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open segment %s: %w", container, err)
	}
	at, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		f.Close()
		return nil, fmt.Errorf("open segment %s: %w", container, err)
	}
	return &Segment{name: container, file: f, at: at, room: r}, nil
}

// smallContent is up to where a content and its frame are written in one piece.
const smallContent = 64 << 10

// largePiece is the size of the pieces in which a large content is read.
const largePiece = 1 << 20

// Append copies src to the segment's end, behind its frame. After an error the
// bytes written so far are cut off again.
func (s *Segment) Append(ctx context.Context, src io.Reader) (Kept, error) {
	k, _, err := s.AppendUnless(ctx, src, tree.Digest{})
	return k, err
}

// AppendUnless is Append of what may be nothing new: where src turns out to be known,
// nothing is kept, and kept is false.
func (s *Segment) AppendUnless(ctx context.Context, src io.Reader, known tree.Digest) (k Kept, kept bool, err error) {
	return s.appendIf(ctx, src, func(d tree.Digest) bool { return d != known })
}

// AppendOnly is [Segment.Append] for a content that is one in particular: where src turns out
// to be another, nothing is kept, and kept is false.
func (s *Segment) AppendOnly(ctx context.Context, src io.Reader, want tree.Digest) (k Kept, kept bool, err error) {
	return s.appendIf(ctx, src, func(d tree.Digest) bool { return d == want })
}

func (s *Segment) appendIf(ctx context.Context, src io.Reader, keep func(tree.Digest) bool) (k Kept, kept bool, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	d, n, err := s.write(&cancellable{ctx: ctx, r: src})
	if err != nil {
		if cut := s.file.Truncate(s.at); cut != nil {
			return Kept{}, false, fmt.Errorf("keep a copy: %w (and cutting it off again: %v)", err, cut)
		}
		return Kept{}, false, fmt.Errorf("keep a copy: %w", err)
	}
	if !keep(d) {
		if err := s.file.Truncate(s.at); err != nil {
			return Kept{}, false, fmt.Errorf("cut a copy off again that is not wanted: %w", err)
		}
		return Kept{}, false, nil
	}
	k = Kept{Digest: d, Location: Location{Container: s.name,
		Span: Span{Offset: s.at + int64(frameSize), Length: n, Size: n, Method: Stored}}}
	s.at += int64(frameSize) + n
	s.room.notify(s.name, Wrote, k.Digest)
	return k, true, nil
}

// write puts a content and its frame at the segment's end.
func (s *Segment) write(src io.Reader) (d tree.Digest, n int64, err error) {
	if s.small == nil {
		s.small = make([]byte, frameSize+smallContent)
	}
	body := s.small[frameSize:]
	got := 0
	for err == nil && got < len(body) { // io.ReadFull cannot tell a clean end from a source that broke off
		var n int
		n, err = src.Read(body[got:])
		got += n
	}
	if err == io.EOF {
		d, n = tree.Sum(body[:got]), int64(got)
		copy(s.small, frameOf(d, n))
		_, err = s.file.WriteAt(s.small[:frameSize+got], s.at)
		return d, n, err
	}
	if err != nil {
		return d, 0, err
	}
	h := sha256.New()
	to := io.MultiWriter(io.NewOffsetWriter(s.file, s.at+int64(frameSize)), h)
	if _, err := to.Write(body); err != nil {
		return d, 0, err
	}
	// In large pieces: a host sends many packets for each of them side by side.
	n, err = io.CopyBuffer(to, struct{ io.Reader }{src}, make([]byte, largePiece))
	if n += int64(len(body)); err != nil {
		return d, n, err
	}
	d = tree.Digest(h.Sum(nil))
	_, err = s.file.WriteAt(frameOf(d, n), s.at)
	return d, n, err
}

// Sync makes everything appended so far durable.
func (s *Segment) Sync() error {
	if err := s.file.Sync(); err != nil {
		return fmt.Errorf("sync %s: %w", s.name, err)
	}
	s.room.notify(s.name, Synced, tree.Digest{})
	if err := syncDir(filepath.Dir(s.file.Name())); err != nil {
		return err
	}
	s.room.notify(s.name, SyncedFolder, tree.Digest{})
	return nil
}

// Name is the container's name.
func (s *Segment) Name() string { return s.name }

// ReadAt reads what was appended.
func (s *Segment) ReadAt(p []byte, at int64) (int, error) { return s.file.ReadAt(p, at) }

// Discard closes the file and removes it.
func (s *Segment) Discard() error { return errors.Join(s.file.Close(), os.Remove(s.file.Name())) }

// Close closes the file; it does not sync.
func (s *Segment) Close() error { return s.file.Close() }
