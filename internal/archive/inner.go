package archive

import (
	"errors"
	"io"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// inner looks into the archives inside an archive. Only what is called an
// archive is one here: a single-file add-on that happens to be a zip stays a
// file. An inner archive that is broken or unsafe is not looked into, and that
// is said; the rest of the download is good.
func (op *opening) inner(s source, l *Listing) error {
	for _, it := range l.Items { // those that are there now; the loop adds to them
		if it.Dir || bySuffix(it.Path.Base()) == "" {
			continue
		}
		if s.depth == op.Depth {
			p := s.within.Join(it.Path)
			op.note("not-looked-into", p, "%s is an archive inside %d others and is not looked into", p, s.depth)
			continue
		}
		if err := op.lookInto(s, l, it); err != nil {
			return err
		}
	}
	return nil
}

func (op *opening) lookInto(s source, l *Listing, it Item) error {
	in, err := op.sourceOf(it, s.depth+1)
	in.within = s.within.Join(it.Path) + "!"
	if err != nil {
		return broken(string(it.Path), err)
	}
	found, err := op.open(in)
	var bad *Error
	switch {
	case errors.As(err, &bad) && bad.Code != "bomb":
		op.note("not-looked-into", s.within.Join(it.Path), "%s is an archive that is not looked into: %v", s.within.Join(it.Path), bad)
		return nil
	case err != nil:
		return err
	case found.Format == Plain:
		op.note("suffix", s.within.Join(it.Path), "%s is called an archive but is none", s.within.Join(it.Path))
		return nil
	}
	for _, x := range found.Items {
		x.Path = tree.Path(string(it.Path) + "!").Join(x.Path)
		l.Items = append(l.Items, x)
	}
	return nil
}

// sourceOf gives an inner archive's bytes where they can be read at random.
// What is not stored as it is goes to the pack first.
func (op *opening) sourceOf(it Item, depth int) (source, error) {
	in := source{ReaderAt: it.from, size: it.Size, name: it.Path.Base(), offset: it.Span.Offset, packed: it.Packed, depth: depth}
	if it.Span.Method == stockroom.Stored {
		return in, nil
	}
	if err := op.needPack(); err != nil {
		return in, err
	}
	kept, err := op.pack.Append(op.ctx, io.LimitReader(it.Span.Reader(it.from), it.Size))
	in.ReaderAt, in.offset, in.size, in.packed = op.pack, kept.Offset, kept.Size, true
	return in, err
}
