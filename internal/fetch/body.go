package fetch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"
)

// body is the bytes of a file as they come. It ends with an error that is an [ErrCut] where fewer
// came than were promised, or none for too long, and with a [RefusedError] where there are more
// than the service takes.
type body struct {
	of     io.ReadCloser
	getter *Getter
	at     int64
	size   int64 // -1 where the host does not say
}

func (b *body) Read(p []byte) (int, error) {
	late := time.AfterFunc(b.getter.idle(), func() { _ = b.of.Close() }) // what is read fails then
	n, err := b.of.Read(p)
	waited := !late.Stop()
	b.at += int64(n)
	switch {
	case b.getter.Most > 0 && b.at > b.getter.Most:
		return n, b.getter.tooLong()
	case errors.Is(err, context.Canceled), err == nil:
		return n, err
	case err == io.EOF && (b.size < 0 || b.at == b.size): //nolint:errorlint // as io.Reader has it
		return n, err
	case waited:
		return n, fmt.Errorf("%w: nothing came for %s", ErrCut, b.getter.idle())
	case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
		return n, fmt.Errorf("%w after %d bytes", ErrCut, b.at)
	}
	return n, fmt.Errorf("%w: %w", ErrCut, err)
}

func (b *body) Close() error { return b.of.Close() }
