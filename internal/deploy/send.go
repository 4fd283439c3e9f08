package deploy

import (
	"bytes"
	"context"
	"crypto/md5"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// send uploads under the temporary name: closed without error, and for one in
// twenty read back and hashed. Its size is looked at with the others of its
// batch. A file that is there as far as from is written on, and always read
// back: what broke off before was not closed without error.
func (r *Run) send(ctx context.Context, m draft.Motion, from int64) (Result, error) {
	weight := min(max(m.After.Size, least), inFlight)
	if err := r.room.Acquire(ctx, weight); err != nil {
		return Result{}, err
	}
	defer r.room.Release(weight)
	if err := r.upload(ctx, m, from); err != nil {
		return Result{}, err
	}
	if !m.Proved && from == 0 {
		return Result{}, nil
	}
	if err := r.readBack(ctx, r.Names.Temp(m), m.After); errors.Is(err, errOther) {
		return Result{}, err
	} else if err != nil {
		return Result{}, fmt.Errorf("read it back: %w", err)
	}
	return Result{Proved: true}, nil
}

// readBack reads what was just sent and compares it. A line that breaks off meanwhile
// is a lost line, and says nothing of the bytes. Where the host makes checksums itself
// it is asked for one; only what that does not confirm is read.
func (r *Run) readBack(ctx context.Context, at tree.Path, want tree.State) error {
	if same, err := r.summed(ctx, at, want); same || err != nil {
		return err
	}
	d, err := HashOf(ctx, r.Host, at, want.Size)
	if err != nil || d == want.Digest {
		return err
	}
	// Either other bytes came, or fewer than there are: some hosts end a file where
	// their line ends.
	i, err := r.Host.Stat(ctx, at)
	if err != nil {
		return err
	}
	if again, err := HashOf(ctx, r.Host, at, i.Size); err != nil || again == want.Digest {
		return err
	}
	return errOther
}

// summed tells whether the host's own checksum of a file is that of the bytes that were
// to be sent. The error is of a lost line or of the stockroom.
func (r *Run) summed(ctx context.Context, at tree.Path, want tree.State) (bool, error) {
	by, ok := remote.Unwrapped[remote.Summer](r.Host)
	if !ok || by.SumsBy() == "" {
		return false, nil
	}
	said, err := by.Sum(ctx, at)
	if err != nil {
		if errors.Is(err, remote.ErrLine) || ctx.Err() != nil {
			return false, err
		}
		return false, nil // it is read instead
	}
	var sum hash.Hash
	switch by.SumsBy() {
	case "SHA-256":
		return bytes.Equal(said, want.Digest[:]), nil
	case "MD5":
		sum = md5.New()
	case "CRC32":
		sum = crc32.NewIEEE()
	default:
		return false, nil
	}
	src, err := r.content(ctx, want.Digest)
	if err != nil {
		return false, err
	}
	defer src.Close()
	if _, err := io.Copy(sum, src); err != nil {
		return false, err
	}
	return bytes.Equal(said, sum.Sum(nil)), nil
}

var errOther = errors.New("other bytes came back than were sent")

// upload writes a file's bytes from an offset on.
func (r *Run) upload(ctx context.Context, m draft.Motion, from int64) error {
	src, err := r.content(ctx, m.After.Digest)
	if err != nil {
		return err
	}
	defer src.Close()
	if _, err := io.CopyN(io.Discard, src, from); err != nil {
		return err
	}
	var w io.WriteCloser
	if from == 0 {
		w, err = r.Host.Create(ctx, r.Names.Temp(m), 0)
	} else {
		w, err = r.Host.Continue(ctx, r.Names.Temp(m), from)
	}
	if err != nil {
		return err
	}
	n, err := carry(w, src, m.After.Size)
	if err = errors.Join(err, w.Close()); err != nil {
		return err
	}
	r.mu.Lock()
	r.sent += n
	r.mu.Unlock()
	if from+n != m.After.Size {
		return fmt.Errorf("%d bytes were read from the stockroom instead of %d", from+n, m.After.Size)
	}
	return nil
}

// A part of a file that is shorter than worthwhile is sent anew. Of a longer
// one the last overlap bytes are written again: pieces of a file travel side by
// side, so the end of a part may have holes.
const (
	worthwhile = 8 << 20
	overlap    = 4 << 20
)

// continueSend goes on with a file that an earlier run has begun to send,
// where that is worth it; else, and where the host cannot, it is sent anew.
func (r *Run) continueSend(ctx context.Context, m draft.Motion) (Result, error) {
	part, err := r.Host.Stat(ctx, r.Names.Temp(m))
	if err != nil {
		return Result{}, err
	}
	if part.Being != tree.Content || part.Size < worthwhile || part.Size > m.After.Size {
		return r.send(ctx, m, 0)
	}
	from := part.Size - overlap
	res, err := r.send(ctx, m, from)
	if err == nil {
		r.note("%s was sent on from %d MB, where it had broken off, and read back", m.Path, from/1e6)
		return res, nil
	}
	if errors.Is(err, remote.ErrLine) || ctx.Err() != nil {
		return Result{}, err
	}
	r.note("%s could not be sent on from where it had broken off (%v); it is sent anew", m.Path, err)
	return r.send(ctx, m, 0)
}

// small is a file that is not worth sending or reading side by side with itself.
const small = 64 << 10

// carry copies a file. A small one goes as one piece: what it takes to send a
// large one side by side with itself costs more than it is worth there.
func carry(w io.Writer, src io.Reader, size int64) (int64, error) {
	if size > small {
		// What writes many pieces side by side must know that there are many. One
		// byte more than there are, so that the source is read to its end, where it
		// tells whether the bytes are right.
		return io.Copy(w, &io.LimitedReader{R: src, N: size + 1})
	}
	raw, err := io.ReadAll(io.LimitReader(src, small+1))
	if err != nil || len(raw) == 0 {
		return 0, err
	}
	n, err := w.Write(raw)
	return int64(n), err
}

// HashOf reads a file on a host and gives its digest. size is what the host has
// reported of it, and as much is read; -1 is to its end.
func HashOf(ctx context.Context, h remote.Host, at tree.Path, size int64) (tree.Digest, error) {
	f, err := h.Open(ctx, at)
	if err != nil {
		return tree.Digest{}, err
	}
	sum := sha256.New()
	// The beginning is read plainly: for a small file, which is most of them,
	// that is all of it, and reading side by side costs it round trips.
	begin := int64(small)
	if size >= 0 && size < small {
		begin = size
	}
	_, err = io.CopyN(sum, struct{ io.Reader }{f}, begin)
	if err == nil && begin == small {
		_, err = io.Copy(sum, f)
	} else if errors.Is(err, io.EOF) {
		err = nil
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return tree.Digest{}, err
	}
	return tree.Digest(sum.Sum(nil)), nil
}
