package archive

import (
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"slices"
	"strings"
	"sync"

	"github.com/bodgit/sevenzip"
	"github.com/stangelandcl/ppmd"

	"restlesscrate/internal/core/tree"
)

// listSeven lists a 7z. Files of one solid stream follow one another in it, so
// they are read in that order, once.
func (op *opening) listSeven(s source, l *Listing) error {
	guardSeven.Do(guardDictionaries)
	if err := sevenTable(s.section(), s.size, op.Limits); err == io.EOF {
		return nil
	} else if err != nil {
		return sevenFault("", err)
	}
	z, err := sevenzip.NewReader(s.section(), s.size)
	if err != nil {
		return sevenFault("", err)
	}
	files := slices.Clone(z.File)
	slices.SortStableFunc(files, func(a, b *sevenzip.File) int { return a.Stream - b.Stream })
	for i, f := range files {
		mode := f.Mode()
		switch {
		case mode&fs.ModeSymlink != 0:
			return &Error{Code: "unsafe-entry", Entry: f.Name, What: "is a link, which is not followed in this format; " + whatToDo}
		case !mode.IsRegular() && !mode.IsDir():
			return &Error{Code: "unsafe-entry", Entry: f.Name, What: "is neither a file nor a folder"}
		}
		p, err := op.names.path(f.Name, mode.IsDir())
		if err != nil {
			return err
		}
		if err := op.budget.spend(f.Name, int64(f.UncompressedSize)); err != nil {
			return err
		}
		last := i+1 == len(files) || files[i+1].Stream != f.Stream
		if err := op.sevenFile(l, f, last, tree.Entry{Path: p, Dir: mode.IsDir(), Exec: !mode.IsDir() && mode&0o111 != 0 && f.Attributes&unixAttributes != 0}); err != nil {
			return err
		}
	}
	return nil
}

// unixAttributes marks entries whose upper attribute bits are a Unix mode.
const unixAttributes = 0x8000

// sevenFile copies a file to the pack. last tells that none of its stream comes
// after it: what unpacks the stream is let go of then, instead of being kept ready
// with its memory.
func (op *opening) sevenFile(l *Listing, f *sevenzip.File, last bool, e tree.Entry) error {
	if e.Dir || f.UncompressedSize == 0 {
		return op.addPacked(l, e, strings.NewReader(""))
	}
	r, err := f.Open()
	if err != nil {
		return sevenFault(f.Name, err)
	}
	sum := crc32.NewIEEE()
	err = op.addPacked(l, e, io.TeeReader(io.LimitReader(r, int64(f.UncompressedSize)), sum))
	if !last {
		err = errors.Join(err, r.Close())
	}
	if err != nil {
		return sevenFault(f.Name, err)
	}
	if got := l.Items[len(l.Items)-1].Size; got != int64(f.UncompressedSize) {
		return &Error{Code: "broken-archive", Entry: f.Name, What: "is broken: " + damage(got, int64(f.UncompressedSize), nil)}
	}
	if f.CRC32 != 0 && f.CRC32 != sum.Sum32() { // the package leaves that to its caller
		return &Error{Code: "broken-archive", Entry: f.Name, What: fmt.Sprintf("is broken: its checksum is %08x and should be %08x", sum.Sum32(), f.CRC32)}
	}
	return nil
}

func sevenFault(name string, err error) error {
	var read *sevenzip.ReadError
	var large dictionaryError
	switch {
	case errors.As(err, &large):
		return tooLarge("a dictionary of", int64(large), DefaultLimits.Dictionary)
	case errors.Is(err, errEncrypted), errors.As(err, &read) && read.Encrypted:
		return &Error{Code: "encrypted", Entry: name, What: "is encrypted; unpack it with its password and stage the folder"}
	case name == "":
		return truncated(SevenZip, err)
	}
	return broken(name, err)
}

// dictionaryError is the size in bytes of a dictionary that is refused.
type dictionaryError int64

func (e dictionaryError) Error() string {
	return fmt.Sprintf("a dictionary of %d bytes is refused", int64(e))
}

// The 7z package asks for a dictionary as large as the archive says. It lets
// its decompressors be replaced, for the whole program only; ours look first.
var guardSeven sync.Once

func guardDictionaries() {
	one := func(props []byte, long int, in []io.ReadCloser) error {
		if len(props) != long || len(in) != 1 {
			return errors.New("its properties are broken")
		}
		return nil
	}
	sevenzip.RegisterDecompressor([]byte{3, 1, 1}, func(props []byte, size uint64, in []io.ReadCloser) (io.ReadCloser, error) {
		if err := one(props, 5, in); err != nil {
			return nil, err
		}
		r, err := lzmaReader(props, size, in[0])
		return reading{r, in[0]}, err
	})
	sevenzip.RegisterDecompressor([]byte{lzma2Filter}, func(props []byte, size uint64, in []io.ReadCloser) (io.ReadCloser, error) {
		if err := one(props, 1, in); err != nil {
			return nil, err
		}
		r, err := lzma2Reader(props[0], size, in[0])
		return reading{r, in[0]}, err
	})
	sevenzip.RegisterDecompressor([]byte{3, 4, 1}, func(props []byte, size uint64, in []io.ReadCloser) (io.ReadCloser, error) {
		if err := one(props, 5, in); err != nil {
			return nil, err
		}
		memory := int64(binary.LittleEndian.Uint32(props[1:]))
		if memory > DefaultLimits.Dictionary {
			return nil, dictionaryError(memory)
		}
		r, err := ppmd.NewH7zReader(in[0], int(props[0]), int(memory), int(size))
		return reading{&r, in[0]}, err
	})
	sevenzip.RegisterDecompressor([]byte{4, 0xf7, 0x11, 1}, func(_ []byte, _ uint64, in []io.ReadCloser) (io.ReadCloser, error) {
		if len(in) != 1 {
			return nil, errors.New("its streams are broken")
		}
		r, err := zstdOf(in[0], DefaultLimits.Dictionary)
		return reading{r, in[0]}, err
	})
}

// reading closes what it reads from.
type reading struct {
	io.Reader
	io.Closer
}
