// Package archive opens any download safely: it lists and hashes what is
// inside without unpacking it, and refuses what could do harm. The type is
// told by content, never by suffix.
//
// Contents stay where they can be read. A file in a zip or a tar comes with
// the place of its bytes inside the archive; what cannot be read at random
// (compressed tars, 7z, rar, archives inside archives) is written once, in
// order, to a pack.
package archive

import (
	"context"
	"fmt"
	"io"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/words"
)

// Limits bound what an archive may unpack to.
type Limits struct {
	Entries    int   // at most so many
	Total      int64 // bytes in all
	Ratio      int64 // times the archive's own size, once Floor is passed
	Floor      int64 // bytes below which the ratio is not looked at
	Depth      int   // archives inside archives, counted from the outermost, which is 1
	Dictionary int64 // bytes of memory that unpacking may ask for
}

// DefaultLimits are generous for real add-ons and deadly for bombs.
var DefaultLimits = Limits{Entries: 500_000, Total: 64 << 30, Ratio: 200, Floor: 256 << 20, Depth: 3, Dictionary: 128 << 20}

// Pack takes contents that cannot be read where they are.
type Pack interface {
	io.ReaderAt
	// Append copies a content to the pack's end and says where it lies.
	Append(ctx context.Context, content io.Reader) (stockroom.Kept, error)
}

// Options say how an archive is opened.
type Options struct {
	Limits
	Filename string               // as it was downloaded
	CodePage string               // of names that are not UTF-8, as IANA calls it; empty: IBM437, which the zip format names
	Pack     func() (Pack, error) // called once, when a pack is needed
}

// Item is one thing in an archive. Its bytes are at Span of the archive or,
// where Packed is set, of the pack. What is inside an inner archive has a path
// behind the inner archive's own and "!": pack.zip!/lamps/lamp.txt.
type Item struct {
	tree.Entry
	Span   stockroom.Span
	Packed bool
	Looks  Look // what a file's first bytes say that it is
	from   io.ReaderAt
	crc    uint32 // what the archive says, where summed
	summed bool
}

// Listing is what an archive holds. Notes are what a person should know of it.
type Listing struct {
	Format Format
	Items  []Item
	Notes  []finding.Finding
}

// Error says what is wrong with an archive, naming the entry where there is
// one. Code is stable: "broken-archive", "unsafe-entry", "bomb", "encrypted",
// "many-volumes".
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

// Open lists and hashes everything in the archive of size bytes behind r. One
// r serves many goroutines. The error is an *[Error] where the archive is at
// fault; a pack that was begun is then the caller's to throw away.
func Open(ctx context.Context, r io.ReaderAt, size int64, o Options) (*Listing, error) {
	names, err := namesIn(o.CodePage)
	if err != nil {
		return nil, err
	}
	op := &opening{ctx: ctx, Options: o, names: names, budget: &budget{Limits: o.Limits, size: size}}
	l, err := op.open(source{ReaderAt: r, size: size, name: o.Filename, depth: 1})
	if err != nil {
		return nil, err
	}
	if err := l.check(); err != nil {
		return nil, err
	}
	if err := l.hash(ctx); err != nil {
		return nil, err
	}
	if n := len(names.decoded); n > 0 {
		were := "is not UTF-8 and was"
		if n > 1 {
			were = "are not UTF-8 and were"
		}
		op.note("code-page", "", "%s %s read as %s, such as %q; stage it with another code page if that is wrong", words.Count(n, "name"), were, names.called, names.decoded[0])
	}
	l.Notes = append(op.notes, l.remarks(o.Filename)...)
	if l.Format != Plain && !slices.ContainsFunc(l.Items, func(it Item) bool { return !it.Dir }) {
		l.Notes = append(l.Notes, finding.Finding{Level: finding.Warn, Code: "empty-archive", What: fmt.Sprintf("%s is empty: there is no file in it", o.Filename), Mend: "Download it again, or ask its author."})
	}
	finding.Sort(l.Notes)
	return l, nil
}

// opening is one archive while it is opened, with everything inside it.
type opening struct {
	Options
	ctx    context.Context
	names  *names
	budget *budget
	pack   Pack
	notes  []finding.Finding
	links  []link // of the archive that is being listed
}

// source is where an archive's bytes are: the outermost one, or an inner one
// at an offset of the archive or of the pack.
type source struct {
	io.ReaderAt
	size   int64
	name   string
	offset int64 // of this archive in what ReaderAt reads
	packed bool
	depth  int
	within tree.Path // the inner archive that this is, in the outermost; the root for that itself
}

// section reads the archive alone.
func (s source) section() *io.SectionReader { return io.NewSectionReader(s.ReaderAt, s.offset, s.size) }

func (op *opening) open(s source) (*Listing, error) {
	head := make([]byte, 512)
	n, err := s.section().ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return nil, fmt.Errorf("read the archive: %w", err)
	}
	l := &Listing{Format: identify(head[:n])}
	if err := op.list(s, l); err != nil {
		return nil, err
	}
	return l, op.inner(s, l)
}

// list lists an archive by its format. The packages that unpack what is no zip and no
// tar meet bytes that their authors did not think of: where one breaks off, it is this
// archive that cannot be read, and nothing else.
func (op *opening) list(s source, l *Listing) (err error) {
	defer func() {
		if broke := recover(); broke != nil {
			err = truncated(l.Format, fmt.Errorf("what reads it broke off: %v", broke))
		}
	}()
	op.links = nil
	switch l.Format {
	case Zip:
		err = op.listZip(s, l)
	case Tar:
		err = op.listTar(s, l)
	case Gzip, Bzip2, XZ, Zstd:
		err = op.listStream(s, l)
	case SevenZip:
		err = op.listSeven(s, l)
	case Rar:
		err = op.listRar(s, l)
	}
	if err != nil {
		return err
	}
	return op.resolve(l)
}

// add keeps one item's bytes where they are: at a span of the archive.
func (l *Listing) add(s source, e tree.Entry, span stockroom.Span) *Item {
	span.Offset += s.offset
	l.Items = append(l.Items, Item{Entry: e, Span: span, Packed: s.packed, from: s.ReaderAt})
	return &l.Items[len(l.Items)-1]
}

// addPacked copies one item's bytes to the pack, hashing them on the way.
func (op *opening) addPacked(l *Listing, e tree.Entry, content io.Reader) error {
	if e.Dir {
		l.Items = append(l.Items, Item{Entry: e})
		return nil
	}
	if err := op.needPack(); err != nil {
		return err
	}
	look := &looker{Reader: content}
	kept, err := op.pack.Append(op.ctx, look)
	if err != nil {
		return err
	}
	e.Digest, e.Size = kept.Digest, kept.Size
	l.Items = append(l.Items, Item{Entry: e, Span: kept.Span, Packed: true, Looks: look.look(), from: op.pack})
	return nil
}

func (op *opening) needPack() (err error) {
	if op.pack == nil {
		op.pack, err = op.Options.Pack()
	}
	return err
}

// note keeps something that a person should know.
func (op *opening) note(code string, p tree.Path, format string, args ...any) {
	op.notes = append(op.notes, finding.Finding{Level: finding.Note, Code: code, Path: p, What: fmt.Sprintf(format, args...)})
}

// budget counts entries and bytes against the limits, over all depths.
type budget struct {
	Limits
	size, total int64
	count       int
}

// spend counts an entry that says how large it is.
func (b *budget) spend(name string, n int64) error {
	b.count++
	if b.count > b.Entries {
		return &Error{Code: "bomb", Entry: name, What: fmt.Sprintf("is one more than the %d entries that an archive may have", b.Entries)}
	}
	return b.bytes(name, n)
}

func (b *budget) bytes(name string, n int64) error {
	b.total += n
	verb := "brings the archive"
	if name == "" {
		verb = "it comes"
	}
	switch {
	case n < 0 || b.total < 0 || b.total > b.Total:
		return &Error{Code: "bomb", Entry: name, What: fmt.Sprintf("%s to more than %d bytes unpacked; it is refused", verb, b.Total)}
	case b.total > b.Floor && b.total/b.Ratio > b.size:
		return &Error{Code: "bomb", Entry: name, What: fmt.Sprintf("%s to more than %d times its own size unpacked; it is refused", verb, b.Ratio)}
	}
	return nil
}

// counted counts the bytes of an entry that does not say how large it is.
type counted struct {
	io.Reader
	budget *budget
	name   string
}

func (c counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	if over := c.budget.bytes(c.name, int64(n)); over != nil {
		return n, over
	}
	return n, err
}
