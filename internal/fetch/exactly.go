package fetch

import (
	"context"
	"errors"
	"io"
)

// Opener gives files of other hosts, as [Getter.Open] does.
type Opener interface {
	Open(ctx context.Context, address string, from int64, mark string) (*File, error)
}

// Exactly gives files that are so many bytes long, and refuses others: before they come where their
// host says how long they are, else as soon as more has come.
func Exactly(size int64, of Opener) Opener { return exactly{of, size} }

type exactly struct {
	of   Opener
	size int64
}

func (e exactly) Open(ctx context.Context, address string, from int64, mark string) (*File, error) {
	f, err := e.of.Open(ctx, address, from, mark)
	if err != nil {
		return nil, err
	}
	if f.Size >= 0 && f.Size != e.size {
		return nil, errors.Join(refused("it is %d bytes long, and announced with %d", f.Size, e.size), f.Body.Close())
	}
	f.Body = &bounded{f.Body, e.size - f.From, e.size}
	return f, nil
}

// bounded refuses what is longer than was announced.
type bounded struct {
	io.ReadCloser
	left, size int64
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, refused("it is longer than the %d bytes with which it was announced", b.size)
	}
	return n, err
}
