// Package archive opens any download safely: it lists and hashes what is
// inside without unpacking it, and refuses what could do harm. The type is
// told by content, never by suffix.
//
// Contents are not copied out. Each file comes with the place of its bytes
// inside the archive, so that the stockroom can read it there.
package archive

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// Format is what an archive is, by its content.
type Format string

// The formats. Unread ones are recognised but not looked into.
const (
	Zip   Format = "zip"
	Tar   Format = "tar"
	Plain Format = "file"
)

// Limits bound what an archive may unpack to.
type Limits struct {
	Entries int   // at most so many
	Total   int64 // bytes in all
	Ratio   int64 // times the archive's own size, once Floor is passed
	Floor   int64 // bytes below which the ratio is not looked at
}

// DefaultLimits are generous for real add-ons and deadly for bombs.
var DefaultLimits = Limits{Entries: 500_000, Total: 64 << 30, Ratio: 200, Floor: 256 << 20}

// Item is one thing in an archive. Its bytes are at Span of the archive.
type Item struct {
	tree.Entry
	Span stockroom.Span
}

// Listing is what an archive holds. Unread is set, in words, for a format
// that is recognised but not looked into yet.
type Listing struct {
	Format Format
	Items  []Item
	Unread string
}

// Error says what is wrong with an archive, naming the entry where there is
// one. Code is stable: "broken-archive", "unsafe-entry", "bomb", "encrypted".
type Error struct {
	Code  string
	Entry string
	What  string
}

func (e *Error) Error() string {
	if e.Entry == "" {
		return e.What
	}
	return fmt.Sprintf("entry %q %s", e.Entry, e.What)
}

// Open lists and hashes everything in the archive of size bytes behind r.
// One r serves many goroutines. The error is an *[Error] where the archive is
// at fault.
func Open(ctx context.Context, r io.ReaderAt, size int64, limits Limits) (*Listing, error) {
	head := make([]byte, 512)
	n, err := r.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return nil, fmt.Errorf("read the archive: %w", err)
	}
	head = head[:n]
	var l *Listing
	switch format, unread := identify(head); {
	case format == Zip:
		l, err = listZip(r, size, limits)
	case format == Tar:
		l, err = listTar(r, size, limits)
	default:
		return &Listing{Format: format, Unread: unread}, nil
	}
	if err != nil {
		return nil, err
	}
	if err := l.check(); err != nil {
		return nil, err
	}
	return l, l.hash(ctx, r)
}

// identify tells the format by the first bytes.
func identify(head []byte) (Format, string) {
	starts := func(magic string) bool { return strings.HasPrefix(string(head), magic) }
	switch {
	case starts("PK\x03\x04"), starts("PK\x05\x06"):
		return Zip, ""
	case len(head) >= 262 && string(head[257:262]) == "ustar":
		return Tar, ""
	}
	for _, m := range []struct{ magic, name string }{
		{"\x1f\x8b", "gzip"}, {"BZh", "bzip2"}, {"\xfd7zXZ\x00", "xz"}, {"\x28\xb5\x2f\xfd", "zstd"},
		{"7z\xbc\xaf\x27\x1c", "7z"}, {"Rar!\x1a\x07", "rar"},
	} {
		if starts(m.magic) {
			return Plain, fmt.Sprintf("it is packed with %s, which is not looked into yet; unpack it and stage the folder", m.name)
		}
	}
	return Plain, ""
}

// path checks an entry's name. Some packers write backslashes for slashes.
func path(name string, dir bool) (tree.Path, error) {
	text := name
	if !strings.Contains(text, "/") {
		text = strings.ReplaceAll(text, `\`, "/")
	}
	text = strings.TrimPrefix(text, "./")
	if dir {
		text = strings.TrimSuffix(text, "/")
	}
	if len(text) > 1 && text[1] == ':' {
		return tree.Root, &Error{Code: "unsafe-entry", Entry: name, What: "names a drive"}
	}
	p, err := tree.ParsePath(text)
	if err != nil {
		pe := err.(*tree.PathError)
		return tree.Root, &Error{Code: "unsafe-entry", Entry: name, What: pe.Why}
	}
	return p, nil
}

// check refuses listings in which one name stands for two things.
func (l *Listing) check() error {
	files := map[tree.Path]bool{}
	for _, it := range l.Items {
		if it.Dir {
			continue
		}
		if files[it.Path] {
			return &Error{Code: "unsafe-entry", Entry: string(it.Path), What: "is in the archive twice"}
		}
		files[it.Path] = true
	}
	for _, it := range l.Items {
		for _, up := range it.Path.Ancestors() {
			if files[up] {
				return &Error{Code: "unsafe-entry", Entry: string(it.Path), What: fmt.Sprintf("stands below %q, which is a file", up)}
			}
		}
	}
	slices.SortStableFunc(l.Items, func(a, b Item) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return nil
}

// hash reads every file once, on all cores, and proves its size on the way.
func (l *Listing) hash(ctx context.Context, r io.ReaderAt) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i := range l.Items {
		it := &l.Items[i]
		if it.Dir {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			h := sha256.New()
			n, err := io.Copy(h, it.Span.Reader(r))
			if err != nil || n != it.Size {
				return &Error{Code: "broken-archive", Entry: string(it.Path), What: fmt.Sprintf("is broken: %s", damage(n, it.Size, err))}
			}
			it.Digest = tree.Digest(h.Sum(nil))
			return nil
		})
	}
	return g.Wait()
}

func damage(n, want int64, err error) string {
	if err != nil {
		return err.Error()
	}
	return fmt.Sprintf("it holds %d bytes instead of %d", n, want)
}

// budget counts entries and bytes against the limits.
type budget struct {
	Limits
	size, total int64
	count       int
}

func (b *budget) take(name string, n int64) error {
	b.count++
	b.total += n
	switch {
	case n < 0 || b.total < 0 || b.total > b.Total:
		return &Error{Code: "bomb", Entry: name, What: fmt.Sprintf("brings the archive over %d bytes unpacked; it is refused", b.Total)}
	case b.count > b.Entries:
		return &Error{Code: "bomb", Entry: name, What: fmt.Sprintf("is one more than the %d entries that an archive may have", b.Entries)}
	case b.total > b.Floor && b.total/b.Ratio > b.size:
		return &Error{Code: "bomb", Entry: name, What: fmt.Sprintf("brings the archive to more than %d times its own size unpacked; it is refused", b.Ratio)}
	}
	return nil
}
