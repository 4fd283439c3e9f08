package records

import (
	"encoding/binary"
	"errors"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

// The listing of an archive and the files of a crate are only ever read whole,
// and can be hundreds of thousands: they are kept packed, in one value each,
// instead of a row each. The form is a byte that names it, then fields one
// after another: numbers as varints, texts that come again and again (reasons,
// places) as their number in the order of first use, paths as what they share
// with the one before and the rest.

const (
	packedForm    = 1
	referringForm = 2 // of a crate's files that refer to the entries of an archive
)

var errPacked = errors.New("a packed list in the database is damaged")

// packer writes a packed list.
type packer struct {
	buf   []byte
	words map[string]int
	last  string
}

func newPacker(n int) *packer {
	p := &packer{words: map[string]int{}, buf: []byte{packedForm}}
	p.number(int64(n))
	return p
}

func (p *packer) number(n int64) { p.buf = binary.AppendVarint(p.buf, n) }

func (p *packer) flags(yes ...bool) {
	var b byte
	for i, y := range yes {
		if y {
			b |= 1 << i
		}
	}
	p.buf = append(p.buf, b)
}

func (p *packer) text(s string) {
	p.number(int64(len(s)))
	p.buf = append(p.buf, s...)
}

func (p *packer) word(s string) {
	i, known := p.words[s]
	if !known {
		i = len(p.words)
		p.words[s] = i
	}
	if p.number(int64(i)); !known {
		p.text(s)
	}
}

func (p *packer) path(at tree.Path) {
	s := string(at)
	n := 0
	for n < len(s) && n < len(p.last) && s[n] == p.last[n] {
		n++
	}
	p.number(int64(n))
	p.text(s[n:])
	p.last = s
}

func (p *packer) digest(d tree.Digest) { p.buf = append(p.buf, d[:]...) }

// unpacker reads what a packer wrote. After an error everything is zero.
type unpacker struct {
	buf   []byte
	words []string
	last  string
	err   error
}

// newUnpacker gives the number of items, which no damage can make larger than
// the list.
func newUnpacker(raw []byte, forms ...byte) (*unpacker, int) {
	u := &unpacker{buf: raw}
	if len(raw) == 0 || !slices.Contains(forms, raw[0]) {
		u.err = errPacked
		return u, 0
	}
	u.buf = raw[1:]
	n := u.length()
	return u, n
}

func (u *unpacker) number() int64 {
	n, used := binary.Varint(u.buf)
	if used <= 0 || u.err != nil {
		u.err = errPacked
		return 0
	}
	u.buf = u.buf[used:]
	return n
}

// length is a number of things that are each at least a byte.
func (u *unpacker) length() int {
	n := u.number()
	if n < 0 || n > int64(len(u.buf)) {
		u.err = errPacked
		return 0
	}
	return int(n)
}

func (u *unpacker) next(n int) []byte {
	if u.err != nil || n > len(u.buf) {
		u.err = errPacked
		return nil
	}
	b := u.buf[:n]
	u.buf = u.buf[n:]
	return b
}

func (u *unpacker) flags(yes ...*bool) {
	if b := u.next(1); b != nil {
		for i, y := range yes {
			*y = b[0]&(1<<i) != 0
		}
	}
}

func (u *unpacker) text() string { return string(u.next(u.length())) }

func (u *unpacker) word() string {
	switch i := u.number(); {
	case i == int64(len(u.words)) && u.err == nil:
		u.words = append(u.words, u.text())
		return u.words[i]
	case i < 0 || i >= int64(len(u.words)):
		u.err = errPacked
		return ""
	default:
		return u.words[i]
	}
}

func (u *unpacker) path() tree.Path {
	n := u.number()
	if n < 0 || n > int64(len(u.last)) {
		u.err = errPacked
		return ""
	}
	rest := u.next(u.length())
	var b strings.Builder
	b.Grow(int(n) + len(rest))
	b.WriteString(u.last[:n])
	b.Write(rest)
	u.last = b.String()
	return tree.Path(u.last)
}

func (u *unpacker) digest() (d tree.Digest) {
	copy(d[:], u.next(len(d)))
	return d
}

func packEntries(entries []tree.Entry) []byte {
	p := newPacker(len(entries))
	for _, e := range entries {
		p.path(e.Path)
		p.flags(e.Dir, e.Exec)
		if !e.Dir {
			p.number(e.Size)
			p.digest(e.Digest)
		}
	}
	return p.buf
}

func unpackEntries(raw []byte) ([]tree.Entry, error) {
	u, n := newUnpacker(raw, packedForm)
	out := make([]tree.Entry, n)
	for i := range out {
		e := &out[i]
		e.Path = u.path()
		if u.flags(&e.Dir, &e.Exec); !e.Dir {
			e.Size, e.Digest = u.number(), u.digest()
		}
		if u.err != nil {
			break
		}
	}
	if u.err != nil {
		return nil, fmt.Errorf("the listing of an archive: %w", u.err)
	}
	return out, nil
}

// listing is what an archive holds, as it is packed. The files of a crate that came out of
// it refer to its entries: their digests are on disk once.
type listing struct {
	packed  []byte
	entries []tree.Entry
}

// stamp tells one listing from another: a crate whose listing was changed behind its back
// is damaged, and never read as if it were another's.
func (l listing) stamp() int64 {
	sum := fnv.New64a()
	_, _ = sum.Write(l.packed) // a hash takes any bytes
	return int64(sum.Sum64())
}

// packFiles packs what a crate says of each file, placed or left out. from may be empty.
func packFiles(c *layout.Crate, from listing) []byte {
	p := newPacker(len(c.Files))
	if len(from.entries) > 0 {
		p.buf[0] = referringForm
		p.number(from.stamp())
	}
	places := make(map[tree.Path]int, len(from.entries))
	for i, e := range from.entries {
		places[e.Path] = i
	}
	last := 0
	for _, f := range c.Files {
		if len(from.entries) > 0 {
			at, is := places[f.Source]
			is = is && f.Repack == "" && from.entries[at].Size == f.Size && from.entries[at].Digest == f.Digest
			if p.flags(is); is {
				p.number(int64(at - last))
				last = at
				p.last = string(f.Source)
				packFile(p, f)
				continue
			}
		}
		p.path(f.Source)
		packFile(p, f)
		p.number(f.Size)
		p.digest(f.Digest)
	}
	p.number(int64(len(c.Left)))
	for _, l := range c.Left {
		p.path(l.Source)
		p.flags(l.Settled)
		p.word(l.Reason)
		p.number(int64(l.Line))
		p.number(l.Size)
	}
	return p.buf
}

// packFile packs what is said of a file beside what its archive tells.
func packFile(p *packer, f layout.File) {
	p.path(f.Path)
	p.word(string(f.Into))
	p.flags(f.Exec, f.Settings)
	p.word(f.Place)
	p.word(f.Reason)
	p.word(f.Optional)
	p.word(string(f.Repack))
	p.number(int64(f.Line))
}

// unpackFiles puts into a crate what packFiles took out of it; from is the packed listing
// that it may refer to.
func unpackFiles(raw, from []byte, c *layout.Crate) error {
	refers := len(raw) > 0 && raw[0] == referringForm
	u, n := newUnpacker(raw, packedForm, referringForm)
	var entries []tree.Entry
	if refers {
		if stamp := u.number(); u.err == nil && stamp != (listing{packed: from}).stamp() {
			u.err = errPacked
		}
		if u.err == nil {
			entries, u.err = unpackEntries(from)
		}
	}
	c.Files = make([]layout.File, n)
	last := 0
	for i := range c.Files {
		f := &c.Files[i]
		is := false
		if refers {
			u.flags(&is)
		}
		if is {
			if last += int(u.number()); last < 0 || last >= len(entries) {
				u.err = errPacked
				break
			}
			e := entries[last]
			f.Source, f.Size, f.Digest, u.last = e.Path, e.Size, e.Digest, string(e.Path)
			unpackFile(u, f)
		} else {
			f.Source = u.path()
			unpackFile(u, f)
			f.Size, f.Digest = u.number(), u.digest()
		}
		if u.err != nil {
			break
		}
	}
	c.Left = make([]layout.Left, u.length())
	for i := range c.Left {
		l := &c.Left[i]
		l.Source = u.path()
		u.flags(&l.Settled)
		l.Reason, l.Line, l.Size = u.word(), int(u.number()), u.number()
		if u.err != nil {
			break
		}
	}
	if u.err != nil {
		return fmt.Errorf("the files of %s: %w", c.Label(), u.err)
	}
	return nil
}

func unpackFile(u *unpacker, f *layout.File) {
	f.Path, f.Into = u.path(), tree.Path(u.word())
	u.flags(&f.Exec, &f.Settings)
	f.Place, f.Reason, f.Optional, f.Repack = u.word(), u.word(), u.word(), tree.Path(u.word())
	f.Line = int(u.number())
}
