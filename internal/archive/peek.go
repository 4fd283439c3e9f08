package archive

import (
	"context"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/tree"
)

// Peeked is what a look into a packed file found: everything in it, and the bytes of what
// was asked for. Entries have no digests.
type Peeked struct {
	Entries []tree.Entry
	Texts   map[tree.Path][]byte
}

// SeenThrough tells by a file's first 512 bytes whether [Peek] sees through it.
func SeenThrough(head []byte) bool {
	f := identify(head)
	return f == Zip || f == Tar
}

// Peek lists a packed file without unpacking it, and reads the beginning, at most so many
// bytes, of the files that want names. It sees through zips and plain tars, whatever they are
// called; of anything else it gives nothing. The error is an *[Error] where the packed file is at fault.
func Peek(ctx context.Context, r io.ReaderAt, size int64, limits Limits, want func(tree.Path) bool, most int64) (Peeked, error) {
	names, err := namesIn("")
	if err != nil {
		return Peeked{}, err
	}
	op := &opening{ctx: ctx, Options: Options{Limits: limits}, names: names, budget: &budget{Limits: limits, size: size}}
	s := source{ReaderAt: r, size: size, depth: 1}
	head := make([]byte, 512)
	n, err := s.section().ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return Peeked{}, fmt.Errorf("read the packed file: %w", err)
	}
	l := &Listing{Format: identify(head[:n])}
	if !SeenThrough(head[:n]) {
		return Peeked{}, nil
	}
	if err := op.list(s, l); err != nil {
		return Peeked{}, err
	}
	if err := l.check(); err != nil {
		return Peeked{}, err
	}
	out := Peeked{Texts: map[tree.Path][]byte{}}
	for _, it := range l.Items {
		out.Entries = append(out.Entries, it.Entry)
		if it.Dir || !want(it.Path) {
			continue
		}
		text, err := io.ReadAll(io.LimitReader(it.Span.Reader(it.from), most))
		if err != nil {
			return out, &Error{Code: "broken-archive", Entry: string(it.Path), What: fmt.Sprintf("is broken: %v", err)}
		}
		out.Texts[it.Path] = text
	}
	return out, nil
}
