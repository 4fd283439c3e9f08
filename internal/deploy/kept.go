package deploy

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/stockroom"
)

// kept is a run's way to the stockroom: bytes that are kept, and bytes that are sent.
type kept struct{ *Run }

// inMemory is the size in bytes up to which a file is read whole before it is known
// whether it must be kept, so that many small files are read side by side.
const inMemory = 256 << 10

// keepIfOther reads a file, once, and keeps its bytes unless they are the expected
// ones.
func (r kept) keepIfOther(ctx context.Context, at tree.Path, expected tree.Digest, res *Result, format string, args ...any) error {
	i, err := r.Host.Stat(ctx, at)
	if err != nil {
		return err
	}
	if i.Being != tree.Content {
		return &fs.PathError{Op: "read", Path: at.String(), Err: fs.ErrNotExist}
	}
	kept, err := r.fetchUnless(ctx, at, i.Size, expected, res)
	if err == nil && kept {
		r.note(format, args...)
	}
	return err
}

// keepInside is keepIfOther for one file of a whole folder.
func (r kept) keepInside(ctx context.Context, at, rel, path tree.Path, expected tree.Digest, res *Result, format string) error {
	var one Result
	if err := r.keepIfOther(ctx, at.Join(rel), expected, &one, format, path); err != nil || one.Kept == nil {
		return err
	}
	if res.Inside == nil {
		res.Inside = map[tree.Path]Result{}
	}
	res.Inside[rel] = one
	return nil
}

// fetch keeps a file's bytes. size is what the host says of it: what gives more ends
// there, so that no host can fill the stockroom.
func (r kept) fetch(ctx context.Context, at tree.Path, size int64, res *Result) error {
	_, err := r.fetchUnless(ctx, at, size, tree.Digest{}, res)
	return err
}

// fetchUnless is fetch of a file whose bytes may be known: then nothing is kept.
func (r kept) fetchUnless(ctx context.Context, at tree.Path, size int64, known tree.Digest, res *Result) (bool, error) {
	seg, err := r.openSegment()
	if err != nil {
		return false, err
	}
	f, err := r.Host.Open(ctx, at)
	if err != nil {
		return false, err
	}
	src := &bounded{r: f, left: size}
	var kept stockroom.Kept
	var is bool
	if size <= inMemory {
		var raw []byte
		if raw, err = io.ReadAll(src); err == nil && (known.IsZero() || tree.Sum(raw) != known) {
			kept, is, err = seg.AppendUnless(ctx, bytes.NewReader(raw), tree.Digest{})
		}
	} else {
		kept, is, err = seg.AppendUnless(ctx, src, known)
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return false, fmt.Errorf("read %s: %w", at, err)
	}
	if is {
		res.Kept, res.Digest = &kept, kept.Digest
	}
	return is, nil
}

// find asks, once for a batch, where the bytes lie that it sends.
func (r kept) find(ctx context.Context, motions []draft.Motion) error {
	var digests []tree.Digest
	for _, m := range motions {
		if m.Kind == draft.SendMotion {
			digests = append(digests, m.After.Digest)
		}
	}
	found, err := r.Room.Locations(ctx, digests)
	if err != nil {
		return fmt.Errorf("find what is to be sent: %w", err)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.lies == nil {
		r.lies = map[tree.Digest]stockroom.Location{}
	}
	maps.Copy(r.lies, found)
	return nil
}

// content opens the bytes to be sent.
func (r kept) content(ctx context.Context, d tree.Digest) (io.ReadCloser, error) {
	r.mu.Lock()
	loc, known := r.lies[d]
	delete(r.lies, d) // most are sent once
	r.mu.Unlock()
	if known {
		return r.Room.OpenAt(ctx, d, loc)
	}
	return r.Room.Open(ctx, d)
}

// openSegment gives the deployment's own segment for kept copies.
func (r kept) openSegment() (*stockroom.Segment, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.segment == nil {
		s, err := r.Room.Segment(fmt.Sprintf("deployment-%d", r.ID))
		if err != nil {
			return nil, err
		}
		r.segment = s
	}
	return r.segment, nil
}

func (r kept) closeSegment() error {
	if r.segment == nil {
		return nil
	}
	err := r.segment.Close()
	r.segment = nil
	return err
}

// errGrows is returned for a file that yields more bytes than the host reported.
var errGrows = errors.New("it goes on growing while it is read")

// bounded reads at most a number of bytes and fails if there are more.
type bounded struct {
	r    io.Reader
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if int64(len(p)) > b.left+1 {
		p = p[:b.left+1]
	}
	n, err := b.r.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return n, errGrows
	}
	return n, err
}

// conclude syncs kept bytes first, then writes the results that name them.
func (r kept) conclude(ctx context.Context, outcomes []*Outcome, write func(context.Context, int64, []Outcome) error) error {
	var known []Outcome
	kept := false
	for _, o := range outcomes {
		if o != nil {
			known = append(known, *o)
			kept = kept || len(o.Result.AllKept()) > 0
		}
	}
	if len(known) == 0 {
		return nil
	}
	// What the journal says has been done outlasts a loss of power as it does.
	if s, ok := remote.Unwrapped[remote.Syncer](r.Host); ok {
		if err := s.Sync(ctx); err != nil {
			return err
		}
	}
	if kept {
		seg, err := r.site().openSegment()
		if err != nil {
			return err
		}
		if err := seg.Sync(); err != nil {
			return err
		}
	}
	return write(ctx, r.ID, known)
}
