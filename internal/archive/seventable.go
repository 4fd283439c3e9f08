package archive

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// The 7z package makes lists as long as an archive's table of contents says, before
// it reads them: a few bytes that say four billion files end the whole program. So
// the table's counts are read here first (7zFormat.txt of the LZMA SDK), and what
// says more than can be there is refused.

// Property ids of the 7z format.
const (
	idEnd, idHeader, idArchiveProps, idMoreStreams, idMainStreams, idFiles = 0, 1, 2, 3, 4, 5
	idPackInfo, idUnpackInfo, idSubStreams, idSize, idCRC, idFolder        = 6, 7, 8, 9, 10, 11
	idUnpackSize, idStreamCount, idEncodedHeader                           = 12, 13, 23
)

// maxTable is the longest table of contents, in bytes.
const maxTable = 128 << 20

var (
	errTable     = errors.New("its table of contents is broken")
	errEncrypted = errors.New("its table of contents is encrypted")
)

// sevenTable checks the counts of a 7z's table of contents; io.EOF where there is
// none, since the archive is empty.
func sevenTable(r io.ReaderAt, size int64, limits Limits) error {
	head := make([]byte, 32)
	if _, err := r.ReadAt(head, 0); err != nil {
		return fmt.Errorf("%w: %w", errTable, err)
	}
	offset, long := binary.LittleEndian.Uint64(head[12:]), binary.LittleEndian.Uint64(head[20:])
	if long > maxTable || offset > uint64(size) || long > uint64(size)-min(uint64(size), 32+offset) {
		return errTable
	}
	if long == 0 {
		return io.EOF
	}
	raw := make([]byte, long)
	if _, err := r.ReadAt(raw, int64(32+offset)); err != nil {
		return fmt.Errorf("%w: %w", errTable, err)
	}
	t := &table{raw: raw, entries: uint64(limits.Entries)}
	switch t.byte() {
	case idEncodedHeader:
		packed := t.streams()
		if t.err != nil {
			return t.err
		}
		plain, err := packed.table(r, size)
		if err != nil {
			return err
		}
		t = &table{raw: plain, entries: uint64(limits.Entries)}
		if t.byte() != idHeader {
			return errTable
		}
	case idHeader:
	default:
		return errTable
	}
	t.header()
	return t.err
}

// table reads numbers of a table of contents. After an error everything is zero.
type table struct {
	raw     []byte
	entries uint64 // at most so many of anything
	err     error
}

func (t *table) fail() {
	if t.err == nil {
		t.err = errTable
	}
	t.raw = nil
}

func (t *table) byte() byte {
	if len(t.raw) == 0 {
		t.fail()
		return 0
	}
	b := t.raw[0]
	t.raw = t.raw[1:]
	return b
}

func (t *table) skip(n uint64) []byte {
	if n > uint64(len(t.raw)) {
		t.fail()
		return nil
	}
	b := t.raw[:n]
	t.raw = t.raw[n:]
	return b
}

// number reads a number: how many bytes follow the first one, its leading ones say.
func (t *table) number() (n uint64) {
	first := t.byte()
	mask := byte(0x80)
	for i := range 8 {
		if first&mask == 0 {
			return n | uint64(first&(mask-1))<<(8*i)
		}
		n |= uint64(t.byte()) << (8 * i)
		mask >>= 1
	}
	return n
}

// count reads how many of something there are: not more than bytes that are left,
// nor than an archive may hold.
func (t *table) count() uint64 {
	n := t.number()
	if n > t.entries {
		t.err = &Error{Code: "bomb", What: fmt.Sprintf("it says that it holds %d of something; more than %d are refused", n, t.entries)}
		t.raw = nil
		return 0
	}
	if n > uint64(len(t.raw)) {
		t.fail()
		return 0
	}
	return n
}

// digests skips the checksums of n things, and tells which of them have one.
func (t *table) digests(n uint64) (has []bool) {
	all := t.byte() != 0
	var bits []byte
	if !all {
		bits = t.skip((n + 7) / 8)
	}
	if t.err != nil || n > uint64(len(t.raw))+8*uint64(len(bits)) {
		t.fail()
		return nil
	}
	has = make([]bool, n)
	defined := uint64(0)
	for i := range has {
		if has[i] = all || bits[i/8]&(0x80>>(i%8)) != 0; has[i] {
			defined++
		}
	}
	t.skip(4 * defined)
	return has
}

// packing is how the first folder of a streams' info is packed.
type packing struct {
	at, long uint64 // in the archive, behind the signature header
	unpacked uint64
	coders   []coder
}

type coder struct {
	id    string
	props []byte
}

func (t *table) header() {
	for {
		switch id := t.byte(); {
		case t.err != nil || id == idEnd:
			return
		case id == idArchiveProps:
			for t.byte() != idEnd && t.err == nil {
				t.skip(t.number())
			}
		case id == idMoreStreams || id == idMainStreams:
			t.streams()
		case id == idFiles:
			t.count()
			return // its lists are as long as the files are many
		default:
			t.fail()
			return
		}
	}
}

func (t *table) streams() (p packing) {
	var summed []bool
	for {
		switch id := t.byte(); {
		case t.err != nil || id == idEnd:
			return p
		case id == idPackInfo:
			p.at, p.long = t.packInfo()
		case id == idUnpackInfo:
			summed, p.unpacked, p.coders = t.unpackInfo()
		case id == idSubStreams:
			t.subStreams(summed)
		default:
			t.fail()
			return p
		}
	}
}

func (t *table) packInfo() (at, long uint64) {
	at = t.number()
	n := t.count()
	for {
		switch id := t.byte(); {
		case t.err != nil || id == idEnd:
			return at, long
		case id == idSize:
			for i := range n {
				if size := t.number(); i == 0 {
					long = size
				}
			}
		case id == idCRC:
			t.digests(n)
		default:
			t.fail()
			return 0, 0
		}
	}
}

// Folders are made of few coders with few streams each.
const maxCoders = 32

// unpackInfo reads the folders: which of them have a checksum, and how the first one
// is packed.
func (t *table) unpackInfo() (summed []bool, unpacked uint64, first []coder) {
	if t.byte() != idFolder {
		t.fail()
		return nil, 0, nil
	}
	folders := t.count()
	if t.byte() != 0 {
		t.fail() // the folders are elsewhere, which nobody writes
	}
	outs := make([]uint64, 0, min(folders, 1024))
	for range folders {
		coders, out := t.folder()
		if t.err != nil {
			return nil, 0, nil
		}
		if outs = append(outs, out); first == nil {
			first = coders
		}
	}
	if t.byte() != idUnpackSize {
		t.fail()
	}
	for i, out := range outs {
		for range out {
			if size := t.number(); i == 0 {
				unpacked = size // of the last coder, which is what comes out in the usual order
			}
		}
	}
	summed = make([]bool, len(outs))
	for {
		switch id := t.byte(); {
		case t.err != nil || id == idEnd:
			return summed, unpacked, first
		case id == idCRC:
			if has := t.digests(folders); t.err == nil {
				summed = has
			}
		default:
			t.fail()
			return nil, 0, nil
		}
	}
}

// folder reads the coders of one folder, and how many streams come out of them.
func (t *table) folder() (coders []coder, outs uint64) {
	n := t.number()
	if n == 0 || n > maxCoders {
		t.fail()
		return nil, 0
	}
	ins := uint64(0)
	for range n {
		flags := t.byte()
		c := coder{id: string(t.skip(uint64(flags & 0x0f)))}
		in, out := uint64(1), uint64(1)
		if flags&0x10 != 0 {
			in, out = t.number(), t.number()
		}
		if in > maxCoders || out > maxCoders {
			t.fail()
		}
		if flags&0x20 != 0 {
			c.props = t.skip(t.number())
		}
		ins, outs = ins+in, outs+out
		if coders = append(coders, c); t.err != nil {
			return nil, 0
		}
	}
	if outs == 0 || ins+1 < outs {
		t.fail()
		return nil, 0
	}
	bound := outs - 1
	for range 2 * bound {
		t.number()
	}
	if packed := ins - bound; packed > 1 {
		for range packed {
			t.number()
		}
	}
	return coders, outs
}

// subStreams reads how many files each folder holds. summed tells which folders have
// a checksum of their own.
func (t *table) subStreams(summed []bool) {
	id := t.byte()
	streams := make([]uint64, len(summed))
	files := uint64(0)
	for i := range streams {
		streams[i] = 1
		if id == idStreamCount {
			streams[i] = t.number()
		}
		if files += streams[i]; streams[i] > t.entries || files > t.entries {
			t.err = &Error{Code: "bomb", What: fmt.Sprintf("it says that it holds more than the %d files that an archive may have", t.entries)}
			t.raw = nil
			return
		}
	}
	if id == idStreamCount {
		id = t.byte()
	}
	if id == idSize {
		for _, n := range streams {
			for j := uint64(1); j < n; j++ { // the last one is what is left
				t.number()
			}
		}
		id = t.byte()
	}
	if id == idCRC {
		unknown := uint64(0)
		for i, n := range streams {
			if n != 1 || !summed[i] {
				unknown += n
			}
		}
		t.digests(unknown)
		id = t.byte()
	}
	if id != idEnd {
		t.fail()
	}
}
