package deploy

import (
	"bytes"
	"context"
	"crypto/md5"
	"crypto/sha256"
	"errors"
	"hash"
	"hash/crc32"
	"io"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

var errOther = errors.New("other bytes came back than were sent")

// readBack reads what was just sent and compares it. A line that breaks off meanwhile
// is a lost line, and says nothing of the bytes. Where the host makes checksums itself
// it is asked for one; only what that does not confirm is read.
func (r site) readBack(ctx context.Context, at tree.Path, want tree.State) error {
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
func (r site) summed(ctx context.Context, at tree.Path, want tree.State) (bool, error) {
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

// small is the size below which a file is sent and read in one piece.
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
